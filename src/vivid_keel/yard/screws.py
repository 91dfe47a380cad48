"""Levelling on foot screws, three or four, with a bubble that may lie: turned, turned round, split, and said to be level.

What was done is judged by the standing axis, which nobody sees, and by the turns against the least that would have done.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import show_number
from vivid_keel.stands.heads import LOOSE, TIGHT, Head, turns_for
from vivid_keel.yard.attempt import Act, Attempt, Debrief, Step

RING = math.radians(8 / 60)
"""From the middle of the ring to its line [rad]."""
LEVEL = RING / 4
"""The axis stands within so much: it is level [rad]."""
SEEN = RING / 8
"""A bubble nearer to where it was than this hasn't moved [rad]."""
SIGHT = 30.0
"""What it would have cost is told over a sight of so much [m]."""
SET_UPS = 10
"""So many in an attempt."""
MOST = 12.0
"""Nobody turns a screw by more at once [turns]."""
LOOK, LEVELLED = "look", "level"
"""Turn the head to look so many degrees round; say that it is level."""


@dataclass(frozen=True, slots=True)
class Control:
    """What a hand can do: its key, its name, how it is typed, and what each screw is turned by for one [turns]."""

    key: str
    name: str
    hint: str
    by: tuple[float, ...]


IN = "in +, out −: the bubble follows the left thumb"
"""Both thumbs in: the left one goes to the right, and the bubble with it."""
THREE = (
    Control(
        "left-right",
        "Left and right, both thumbs",
        IN,
        (0.0, 1.0, -1.0),
    ),
    Control("far", "The far screw", "up +, down −", (1.0, 0.0, 0.0)),
    Control("left", "The left screw alone", "up +, down −", (0.0, 0.0, 1.0)),
    Control("right", "The right screw alone", "up +, down −", (0.0, 1.0, 0.0)),
)
FOUR = (
    Control(
        "across",
        "Left and right, both thumbs",
        IN,
        (1.0, 0.0, -1.0, 0.0),
    ),
    Control(
        "along",
        "Near and far, both thumbs",
        "away +, towards you −: that is where the bubble goes",
        (0.0, -1.0, 0.0, 1.0),
    ),
    Control("right", "The right screw alone", "up +, down −", (1.0, 0.0, 0.0, 0.0)),
    Control("left", "The left screw alone", "up +, down −", (0.0, 0.0, 1.0, 0.0)),
    Control("near", "The near screw alone", "up +, down −", (0.0, 1.0, 0.0, 0.0)),
    Control("far", "The far screw alone", "up +, down −", (0.0, 0.0, 0.0, 1.0)),
)


class ScrewsExercise:
    """A head on three foot screws or on four."""

    def __init__(self, count: int) -> None:
        self.count = count
        self.key = "three" if count == 3 else "four"
        self.title = f"{'Three' if count == 3 else 'Four'} foot screws"
        self.goal = "ten set-ups: the ring, half a circle, half of it out"
        self.shows: tuple[str, ...] = (
            ("way", "reversal", "half") if count == 3 else ("way", "reversal", "half", "pair")
        )
        self.controls = THREE if count == 3 else FOUR

    def begins(self, attempt: Attempt, k: int) -> Head:
        """The head as it is found the k-th time: harder ones lean more, their bubbles lie more; of four a pair may be loose or tight."""
        rng = np.random.default_rng([attempt.seed, self.count, k])
        lean = math.radians(rng.uniform(0.3, 0.5 + 0.4 * attempt.level))
        to, lies = rng.uniform(0, 2 * math.pi, 2).tolist()
        own = RING * (
            0.0 if attempt.level == 1 and rng.random() < 0.3 else rng.uniform(0.5, 0.4 + 0.5 * attempt.level)
        )
        turns = [0.0] * self.count
        if self.count == 4 and attempt.level > 1:
            pair, by = int(rng.integers(2)), float(rng.choice([-0.3, 0.9]))
            turns[pair] = turns[pair + 2] = by / 2
        return Head(
            tuple(turns),
            (lean * math.cos(to), lean * math.sin(to)),
            (own * math.cos(lies), own * math.sin(lies)),
        )

    def set_ups(self, attempt: Attempt) -> list[tuple[list[Act], list[Head]]]:
        """What was done at each set-up, and the head as it stood at first and after each act; the last one is in hand unless all are done."""
        out: list[tuple[list[Act], list[Head]]] = [([], [self.begins(attempt, 0)])]
        controls = {control.key: control for control in self.controls}
        for act in attempt.done:
            if len(out) > SET_UPS:
                break
            if act.what not in controls and act.what not in {LOOK, LEVELLED}:
                continue  # no yard booked that: only another program's file has it
            acts, heads = out[-1]
            head = heads[-1]
            if act.what in controls:
                head = head.turned(tuple(act.value * by for by in controls[act.what].by))
            elif act.what == LOOK:
                head = head.looking(math.radians(act.value))
            acts.append(act)
            heads.append(head)
            if act.what == LEVELLED:
                out.append(([], [self.begins(attempt, len(out))]))
        return out[:SET_UPS]

    def head(self, attempt: Attempt) -> Head:
        """The head in hand."""
        return self.set_ups(attempt)[-1][1][-1]

    def over(self, attempt: Attempt) -> bool:
        """Whether every one was said to be level."""
        return sum(act.what == LEVELLED for act in attempt.done) >= SET_UPS

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        """Return what was typed beside a control: turns, or degrees. Raises KeelError where it is neither."""
        clean = text.strip().replace("−", "-")
        clean = clean.replace(",", ".") if decimal_mark == "," else clean
        try:
            whole, _, part = clean.lstrip("+-").partition(" ")
            value = sum(_fraction(one) for one in (whole, part) if one)
        except (ValueError, ZeroDivisionError):
            value = math.nan
        value = -value if clean.startswith("-") else value
        if what == LOOK:
            if not (math.isfinite(value) and clean):
                raise KeelError(
                    "bad-value", f"“{text.strip()}”: which way is it to look, in degrees, such as 180?"
                )
            return value % 360
        if not clean or not math.isfinite(value) or abs(value) > MOST:
            raise KeelError(
                "bad-value",
                f"“{text.strip()}”: how many turns? Such as 1/4, -1/2 or 1 1/8; at most {MOST:g} at once",
            )
        return value

    def debrief(self, attempt: Attempt) -> Debrief:
        """What came of it."""
        tally, steps, costs = _Tally(self.shows), list[Step](), 0.0
        turned = least = 0.0
        upright = 0
        set_ups = self.set_ups(attempt)
        for n, (acts, heads) in enumerate(set_ups, 1):
            since = -1  # the head as it stood once it was turned round, and since when it is to be split
            for k, act in enumerate(acts):
                before, after = heads[k], heads[k + 1]
                if act.what in {LOOK, LEVELLED}:
                    halved = "" if since < 0 or since == k else tally.halved(heads[since], before)
                    since = k + 1 if act.what == LOOK and opposite(before, after) else -1
                    steps.append(
                        self._said_level(n, acts[:k], heads, after, halved, tally)
                        if act.what == LEVELLED
                        else Step(f"{n}: looked to {act.value:.0f}°", not halved, halved)
                    )
                    continue
                turned += sum(abs(act.value * by) for by in self._by(act.what))
                name = next(control.name for control in self.controls if control.key == act.what)
                # One screw of four by itself makes a pair hold; it isn't there to bring the bubble in.
                holds = self.count == 4 and sum(by != 0 for by in self._by(act.what)) == 1
                told = ("" if holds else tally.way(before, after), tally.pair(before, after))
                said = " and ".join(filter(None, told))
                steps.append(Step(f"{n}: {name[:1].lower()}{name[1:]}, {act.text}", not said, said))
            if acts and acts[-1].what == LEVELLED:
                least += sum(map(abs, turns_for(heads[0])))
                upright += heads[-1].lean <= LEVEL
                costs = max(costs, heads[-1].lean * SIGHT)
        done = sum(act.what == LEVELLED for act in attempt.done)
        summary = (
            f"{upright} of {done} stand upright; {show_number(turned, 2)} turns in all, {show_number(least, 2)} would have done"
            if done
            else "nothing was said to be level yet"
        )
        return Debrief(steps, tally.slips, costs, summary)

    def _by(self, key: str) -> tuple[float, ...]:
        return next((control.by for control in self.controls if control.key == key), ())

    def _said_level(
        self, n: int, acts: Sequence[Act], heads: Sequence[Head], head: Head, halved: str, tally: _Tally
    ) -> Step:
        round_it = turned_round(acts, heads)
        tally.count("reversal", not round_it)
        said = halved or ("" if round_it else "it was never turned round: a bubble that lies stays hidden")
        good = head.lean <= LEVEL
        said = said or ("" if good else f"it leans by {show_number(math.degrees(head.lean) * 60, 1)}′")
        return Step(f"{n}: said it is level", good and not said, said)

    def hint(self, attempt: Attempt) -> str:
        """What a teacher would say now."""
        acts, heads = self.set_ups(attempt)[-1]
        head = heads[-1]
        along, across = head.shown
        if head.rocks:
            return "It rocks: a pair is loose. Bring both of its screws up by as much until it holds."
        if any(pair > TIGHT for pair in head.snug):
            return "A pair is bent tight: let both of its screws down by as much."
        if not turned_round(acts, heads):
            if math.hypot(along, across) > SEEN:
                return "First the bubble into the ring. It goes uphill: which side is to come down?"
            return "Now turn it by half a circle (180) and look where the bubble goes."
        if math.hypot(along, across) > SEEN and head.lean > LEVEL:
            return "Half of what it moved is the axis: turn that away. The other half is the bubble's own, and stays."
        return "See that the bubble stays where it is all round; then say that it is level."


def _fraction(text: str) -> float:
    """A number or a fraction, such as 1/4."""
    over, _, under = text.partition("/")
    return float(over) / float(under) if under else float(over)


def opposite(before: Head, after: Head) -> bool:
    """Whether a head was turned by half a circle from the one to the other."""
    return math.cos(after.azimuth - before.azimuth) < -0.99


def turned_round(acts: Sequence[Act], heads: Sequence[Head]) -> bool:
    """Whether it was looked at from two opposite sides."""
    looked = [heads[0], *(heads[k + 1] for k, act in enumerate(acts) if act.what == LOOK)]
    return any(opposite(one, other) for k, one in enumerate(looked) for other in looked[:k])


def unheld(head: Head) -> bool:
    """Whether a pair of four is loose, or bent tight."""
    return any(pair < LOOSE or pair > TIGHT for pair in head.snug)


class _Tally:
    """How often each kind of mistake could be made, and was."""

    def __init__(self, shows: Sequence[str]) -> None:
        self.could, self.made = dict.fromkeys(shows, 0), dict.fromkeys(shows, 0)

    @property
    def slips(self) -> dict[str, tuple[int, int]]:
        return {kind: (self.could[kind], self.made[kind]) for kind in self.could}

    def count(self, kind: str, wrong: bool) -> None:
        if kind in self.could:
            self.could[kind] += 1
            self.made[kind] += wrong

    def way(self, before: Head, after: Head) -> str:
        """A turn that moves the bubble goes towards the ring or away from it."""
        out, now = math.hypot(*before.shown), math.hypot(*after.shown)
        if out <= 2 * SEEN or math.dist(before.shown, after.shown) <= SEEN or unheld(before):
            return ""  # hardly off, hardly moved, or a pair is being brought to hold
        wrong = now > out + SEEN
        self.count("way", wrong)
        return "the bubble went further out" if wrong else ""

    def halved(self, turned: Head, now: Head) -> str:
        """What was done after turning round: half of what it moved taken out, or all of it."""
        if math.hypot(*turned.shown) <= 4 * SEEN or math.hypot(*turned.error) <= 2 * SEEN:
            return ""
        wrong = math.hypot(*now.shown) <= 2 * SEEN and now.lean > LEVEL
        self.count("half", wrong)
        return "all of it was taken out: half is the axis, half the bubble's own" if wrong else ""

    def pair(self, before: Head, after: Head) -> str:
        """A pair of four stays as snug as it was, or comes to be."""
        if not after.snug:
            return ""
        if unheld(before):
            return ""  # it is being put right, or was let be
        wrong = unheld(after)
        self.count("pair", wrong)
        if not wrong:
            return ""
        return "a pair is loose now: it rocks" if after.rocks else "a pair is bent tight now: the bubble lies"
