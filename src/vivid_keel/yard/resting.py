"""Waiting until it rests: a fine vial read at both ends with the hands off; water, string, bob and a plane of light read at one edge."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from vivid_keel.core.quantities import show_number
from vivid_keel.stands.resting import BOB, PLANE, STRING, TUBE, Mark, Vial
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import DIVISIONS, MILLIMETRES, SECONDS, Hand, Rounds, Tally

OFF, WAIT, LEFT, RIGHT, READ = "off", "wait", "left", "right", "read"
RUNS, WARM = 0.25, 0.25
"""A bubble that far from where it rests, or a vial bowed by so much, is not at rest [div]."""
TAKES = 2.0
"""Whatever is done takes so long [s]."""
DIVISION, BASE = 0.0001, 2.0
"""What a division of the vial is worth [rad], and over what base it is told [m]."""
SWINGS = 0.0008
"""What still goes so far isn't at rest [m]."""
CLOSE = 0.0009
"""An edge is read within so much [m]."""


class VialExercise(Rounds[Vial]):
    """Twelve readings of a fine vial at rest."""

    key, title = "vial", "Read a vial at both ends"
    goal = "twelve readings: hands off, wait, both ends"
    shows = ("ran", "hand", "ends")
    last, count = RIGHT, 12
    over_what = f" over a base of {BASE:g} m, by a vial of {DIVISION * 1000:g} mm/m"
    hands = (
        Hand(OFF, "Let go of it", "", "Enter: grips only, the hands off"),
        Hand(WAIT, "Wait", SECONDS, "a fine vial takes half a minute"),
        Hand(LEFT, "Left end of the bubble", DIVISIONS, "from the middle; to the left −"),
        Hand(RIGHT, "Right end of the bubble", DIVISIONS, "to the right +; brings the next one"),
    )

    def begins(self, attempt: Attempt, k: int) -> Vial:
        """The vial as it is put down, a hand on it: harder ones take longer to rest."""
        rng = np.random.default_rng([attempt.seed, 51, k])
        half = float(rng.uniform(3.4, 5.0))
        rest = round(float(rng.uniform(-1, 1)) * (half - 1.6), 1)
        start = float(rng.choice([-1, 1]) * rng.uniform(4, 8))
        return Vial(rest, start, round(half, 1), float(rng.uniform(8, 14 + 8 * attempt.level)))

    def does(self, thing: Vial, act: Act) -> Vial:
        if act.what == OFF:
            return thing.let_go().later(TAKES)
        return thing.later(min(act.value, 600.0) if act.what == WAIT else TAKES)

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Vial], tally: Tally) -> Iterator[Step]:
        left: tuple[Act, Vial] | None = None
        for k, act in enumerate(acts):
            thing = things[k]
            if act.what == OFF:
                yield Step(f"{n}: let go of it", good=True)
            elif act.what == WAIT:
                yield Step(f"{n}: waited {act.text} s", good=True)
            elif act.what == LEFT:
                left = (act, thing)
                yield Step(f"{n}: left end {act.text}", good=True)
            else:
                yield self._said(n, left, (act, thing), tally)

    def _said(self, n: int, left: tuple[Act, Vial] | None, right: tuple[Act, Vial], tally: Tally) -> Step:
        looks = (
            [(one.value, thing, thing.ends[end]) for end, (one, thing) in enumerate((left, right)) if one]
            if left
            else [(right[0].value, right[1], right[1].ends[1])]
        )
        said = []
        ran = tally.count("ran", any(abs(t.shows - t.warm - t.rest) > RUNS for _, t, _ in looks))
        if ran:
            said.append("the bubble still ran")
        # Read too soon after letting go it is warm as well; that is the haste's doing, not the hand's.
        warm = any(t.hand or (not ran and abs(t.warm) > WARM) for _, t, _ in looks)
        if tally.count("hand", warm):
            said.append("a hand had warmed it: the vial was bowed")
        if tally.count("ends", any(abs(v + true) < 0.6 < abs(v - true) for v, _, true in looks)):
            said.append("an end was booked with the other sign: to the left is −")
        elif any(abs(v - true) > 0.3 for v, _, true in looks):
            v, _, true = max(looks, key=lambda one: abs(one[0] - one[2]))
            said.append(f"an end stood at {true:+.1f}, not {v:+.1f}")
        if left is None:
            said.append("the left end was not read")
        return Step(f"{n}: right end {right[0].text}", not said, "; ".join(said))

    def costs(self, thing: Vial) -> float:
        return abs(thing.shows - thing.rest) * DIVISION * BASE

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Vial]]]) -> str:
        good = 0
        for acts, _ in done:
            ends = {act.what: act.value for act in acts}
            rest = _[0].rest
            good += LEFT in ends and abs((ends[LEFT] + ends[RIGHT]) / 2 - rest) <= RUNS
        waited = sum(act.value for acts, _ in done for act in acts if act.what == WAIT)
        return f"{good} of {len(done)} readings right; {show_number(waited, 0)} s waited"

    def hint(self, attempt: Attempt) -> str:
        one = self.rounds(attempt)[-1][1][-1]
        if one.hand:
            return "Your hand lies on it, and a warm vial bows: let go."
        if abs(one.shows - one.rest) > RUNS:
            return "It still creeps. Wait until it stands where it stood a moment ago."
        return "Both ends from the middle, to the left with −: their mean is the reading."


NAMES = {
    TUBE: ("Water in a tube", "the water's lower edge"),
    PLANE: ("A line of light", "the line's lower edge"),
    STRING: ("A string at mid-span", "its underside"),
    BOB: ("A plumb bob's wire", "its left edge"),
}
"""What it is, and what is read of it."""


class LinesExercise(Rounds[Mark]):
    """Sixteen readings of water, light, string and bob, one after another."""

    key, title = "lines", "Water, light, string, plumb bob"
    goal = "sixteen readings: wait until it stands, always the same edge"
    shows = ("ran", "edge")
    last, count = READ, 16
    hands = (
        Hand(WAIT, "Wait", SECONDS, "faint: where it stood a moment ago"),
        Hand(READ, "What you read", MILLIMETRES, "the lower edge, or the left one; brings the next"),
    )

    def begins(self, attempt: Attempt, k: int) -> Mark:
        """Water, light, string, bob in turn, each set swinging."""
        rng = np.random.default_rng([attempt.seed, 61, k])
        what = (TUBE, PLANE, STRING, BOB)[k % 4]
        thick = float(rng.uniform(0.003, 0.006))
        off = float(rng.choice([-1, 1]) * rng.uniform(0.008, 0.02 + 0.005 * attempt.level))
        rest = round(float(rng.uniform(0.05, 0.35)), 4)
        return Mark(what, rest, thick, off, float(rng.uniform(4, 6 + 3 * attempt.level)))

    def does(self, thing: Mark, act: Act) -> Mark:
        return thing.later(min(act.value, 600.0) if act.what == WAIT else TAKES)

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Mark], tally: Tally) -> Iterator[Step]:
        for k, act in enumerate(acts):
            if act.what == WAIT:
                yield Step(f"{n}: waited {act.text} s", good=True)
                continue
            thing, said = things[k], []
            value = act.value / 1000
            low, high = thing.edges
            if tally.count("ran", thing.widest > SWINGS):
                said.append(f"it still went {show_number(thing.widest * 1000, 1)} mm to and fro")
            if tally.count("edge", abs(value - high) < CLOSE < abs(value - low)):
                said.append(f"the other edge: {show_number(thing.thick * 1000, 1)} mm off")
            elif abs(value - low) > CLOSE:
                said.append(f"{NAMES[thing.what][1]} stood at {show_number(low * 1000, 1)} mm")
            yield Step(f"{n}: {NAMES[thing.what][0].lower()}, read {act.text}", not said, "; ".join(said))

    def costs(self, thing: Mark) -> float:
        return thing.widest if thing.widest > SWINGS else 0.0

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Mark]]]) -> str:
        good = sum(abs(acts[-1].value / 1000 - things[0].rest) <= CLOSE for acts, things in done)
        return f"{good} of {len(done)} readings right"

    def hint(self, attempt: Attempt) -> str:
        one = self.rounds(attempt)[-1][1][-1]
        if one.widest > SWINGS:
            return "It hasn't come to rest: wait until it stands where it stood a moment ago."
        return f"Read {NAMES[one.what][1]}, always that one: the other is as thick as the line away."
