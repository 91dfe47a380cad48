"""The staff and its holder: signals seen from afar, and a staff that leans, stands on a nail or has its joint open, rocked for the lowest reading."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import parse_length, show_length
from vivid_keel.stands.staves import FINE, JOINT, NAIL, SIDEWAYS, HeldStaff
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import METRES, Hand, Rounds, Tally
from vivid_keel.yard.staff import METRIC, View, kind_of, slip_words

BY_EYE, PLUMB, HOME, CLEAR, ROCK, READ = "eye", "plumb", "home", "clear", "rock", "read"
MENDS = {PLUMB: SIDEWAYS, HOME: JOINT, CLEAR: NAIL}
"""What is called to the holder, and what that mends."""
ROCKS = (-4.0, -2.0, 0.0, 2.0, 4.0)
"""Through these the holder rocks it, one after another [°]."""
FAULTS = (FINE, FINE, *[SIDEWAYS] * 4, *[JOINT] * 3, *[NAIL] * 3)
"""Of twelve staves."""
CLOSE = 0.0025
"""The lowest reading is met within so much [m]."""


class Held(Struct, frozen=True):
    """A staff as it is held, whether it is looked at by eye just now, and how many of the rocking's places it went through."""

    staff: HeldStaff
    by_eye: bool = False
    rocked: int = 0

    @property
    def seen(self) -> View:
        """What is seen through the telescope."""
        return View(METRIC, self.staff.shows, 0.03, upside_down=False, far=False)


class HeldExercise(Rounds[Held]):
    """Twelve staves as a holder holds them."""

    key, title = "held", "The staff and its holder"
    goal = "twelve staves: look by eye, have it rocked, the lowest counts"
    shows = ("held", "rock", "tenth")
    last, count = READ, 12
    hands = (
        Hand(BY_EYE, "Look past the telescope", "", "Enter: by eye, and back through it"),
        Hand(PLUMB, "Call: hold it plumb", "", "where it leans to a side"),
        Hand(HOME, "Call: push the joint home", "", "where it gapes"),
        Hand(CLEAR, "Call: clear the foot", "", "where it stands on something"),
        Hand(
            ROCK,
            "Have it rocked, a little on",
            "",
            "Enter: from behind plumb to before it; the lowest counts",
        ),
        Hand(READ, "What you read", METRES, "metres, such as 1.482: the next staff"),
    )

    def begins(self, attempt: Attempt, k: int) -> Held:
        """A staff that leans towards you or away, as no telescope shows; and ten of the twelve are held wrong besides."""
        rng = np.random.default_rng([attempt.seed, 81, k])
        order = np.random.default_rng([attempt.seed, 82]).permutation(np.array(FAULTS))
        fault = str(order[k % len(FAULTS)])
        low = 2.1 if fault == JOINT else 1.4
        height = round(float(rng.uniform(low, 3.6)), 3)
        lean = float(rng.choice([-1, 1]) * rng.uniform(4.0, 5.0 + attempt.level))
        return Held(HeldStaff(height, math.radians(lean), fault))

    def does(self, thing: Held, act: Act) -> Held:
        if act.what == BY_EYE:
            return replace(thing, by_eye=not thing.by_eye)
        if act.what == ROCK:
            lean = math.radians(ROCKS[thing.rocked % len(ROCKS)])
            return replace(thing, staff=replace(thing.staff, lean=lean), rocked=thing.rocked + 1)
        if act.what in MENDS and thing.staff.fault == MENDS[act.what]:
            return replace(thing, staff=replace(thing.staff, fault=FINE))
        return thing

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        if what == READ:
            return parse_length(text, METRIC, decimal_mark).value
        return super().parse(what, text, decimal_mark)

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Held], tally: Tally) -> Iterator[Step]:
        for k, act in enumerate(acts):
            hand, thing = self.hand(act.what), things[k]
            assert hand is not None
            if act.what != READ:
                idle = act.what in MENDS and thing.staff.fault != MENDS[act.what]
                said = "nothing of the kind was wrong" if idle else ""
                yield Step(f"{n}: {hand.name[:1].lower()}{hand.name[1:]}", not idle, said)
                continue
            lowest, said_of = self._lowest(things[: k + 1]), []
            if things[0].staff.fault != FINE and tally.count("held", thing.staff.fault != FINE):
                said_of.append(
                    f"{thing.staff.fault}: read {thing.staff.wrong * 1000:+.0f} mm off".replace("-", "−")
                )
            off = act.value - lowest
            kind = kind_of(replace(thing.seen, hair=lowest), act.value, act.text)
            high = not kind_of(thing.seen, act.value, act.text) and off > CLOSE
            if tally.count("rock", thing.rocked < len(ROCKS) - 2 or high):
                said_of.append("not the lowest: a staff that leans reads too much")
            elif kind:
                style = thing.seen.style
                said_of.append(
                    f"the lowest was {show_length(lowest, style)}: {slip_words(kind, off, thing.seen)}"
                )
            tally.count("tenth", kind == "tenth")
            yield Step(f"{n}: read {act.text}", not said_of, "; ".join(said_of))

    @staticmethod
    def _lowest(things: Sequence[Held]) -> float:
        """The lowest that was seen since it was held as it is now [m]."""
        now = things[-1].staff.fault
        return min(one.staff.shows for one in things if one.staff.fault == now)

    def costs(self, thing: Held) -> float:
        return abs(thing.staff.wrong)

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Held]]]) -> str:
        good = sum(abs(acts[-1].value - things[0].staff.height) <= CLOSE for acts, things in done)
        return f"{good} of {len(done)} heights right"

    def hint(self, attempt: Attempt) -> str:
        one = self.thing(attempt)
        if one.staff.fault != FINE:
            return "Something is wrong with how it is held: look past the telescope, at its foot, its joint, and whether it leans."
        if one.rocked < len(ROCKS):
            return "It may lean towards you or away, and no telescope shows that: have it rocked all through, and mind the lowest."
        return "Read the lowest that you saw."


EXTEND, LEAN_LEFT, LEAN_RIGHT, HOLD, UP, DOWN, DONE = "extend", "left", "right", "hold", "up", "down", "done"
SIGNALS = {
    EXTEND: "Extend the staff",
    LEAN_LEFT: "Lean it to your left",
    LEAN_RIGHT: "Lean it to your right",
    HOLD: "Hold it there",
    UP: "Up",
    DOWN: "Down",
    DONE: "Done, come on",
}
"""What may be signalled."""


class Signal(Struct, frozen=True):
    """A signal that is given, from how far [m]."""

    what: str
    away: float


class SignalsExercise(Rounds[Signal]):
    """Fourteen signals of the one at the instrument, answered by the one at the staff."""

    key, title = "signals", "Signals by hand"
    goal = "fourteen signals from afar: do what is asked"
    shows = ("signal",)
    count = 14
    hands = tuple(Hand(key, name, "", "Enter: that is what you do") for key, name in SIGNALS.items())

    def begins(self, attempt: Attempt, k: int) -> Signal:
        """Each of the seven twice, in an order of its own; farther away at harder levels."""
        rng = np.random.default_rng([attempt.seed, 91])
        order = [*rng.permutation(list(SIGNALS)).tolist(), *rng.permutation(list(SIGNALS)).tolist()]
        return Signal(order[k % len(order)], float(20 + 15 * attempt.level + 10 * (k % 3)))

    def ends(self, act: Act) -> bool:
        return True

    def does(self, thing: Signal, act: Act) -> Signal:
        return thing

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Signal], tally: Tally) -> Iterator[Step]:
        for act in acts:
            meant = things[0].what
            wrong = tally.count("signal", act.what != meant)
            said = f"it meant: {SIGNALS[meant].lower()}" if wrong else ""
            yield Step(f"{n}: {SIGNALS[act.what].lower()}", not wrong, said)

    def costs(self, thing: Signal) -> float:
        return 0.0

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Signal]]]) -> str:
        good = sum(acts[-1].what == things[0].what for acts, things in done)
        return f"{good} of {len(done)} signals understood"

    def hint(self, attempt: Attempt) -> str:
        return {
            EXTEND: "Both arms straight up: more staff.",
            LEAN_LEFT: "An arm out to your left: that way.",
            LEAN_RIGHT: "An arm out to your right: that way.",
            HOLD: "Both arms out: stay as you are.",
            UP: "One arm up and a bend: higher.",
            DOWN: "One arm down and out: lower.",
            DONE: "Both arms low and out: it is read.",
        }[self.thing(attempt).what]
