"""A whole run down a slope: where to stand, what to read, booked and closed; and then which set-up the staff holder spoiled."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length, show_amount, show_length
from vivid_keel.stands.pegs import BESIDE, FAULTS, LEANS, STONE, Slope
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import METRES, NUMBER, Hand, Rounds, Tally
from vivid_keel.yard.staff import METRIC, View, kind_of, slip_words

PEGS = 9
STAND, ON, READ, AGAIN, FOUND = "stand", "on", "read", "again", "found"
BALANCED = 1 / 3
"""Sights that differ by more of the longer one are unequal."""
FIRST = 50.0
"""The height of the mark that the run begins on [m]."""


class Booked(Struct, frozen=True):
    """A sight as it was booked: from which set-up, to which peg, how it was typed and what that is, what there was to be seen [m]."""

    setup: int
    peg: int
    text: str
    value: float
    seen: View


class Walk(Struct, frozen=True):
    """The run as it stands: where the instrument stood at each set-up, which peg the staff is on, what is booked, which set-ups were
    read again, which one was named (0: none)."""

    slope: Slope
    stands: tuple[float, ...] = ()
    peg: int = 0
    sights: tuple[Booked, ...] = ()
    again: tuple[int, ...] = ()
    named: int = 0

    @property
    def setup(self) -> int:
        """The set-up in hand, from 1; 0 before the first."""
        return len(self.stands)

    @property
    def closed(self) -> bool:
        """Whether the last mark was read."""
        return any(sight.peg == PEGS - 1 for sight in self.sights)

    @property
    def fresh(self) -> bool:
        """Whether the set-up in hand wants its first sight."""
        return not any(sight.setup == self.setup for sight in self.sights)

    def faulty(self, setup: int) -> bool:
        """Whether the first sight of a set-up is the one that the holder spoiled."""
        return setup == self.slope.at

    def true(self, setup: int, peg: int, *, spoiled: bool) -> float:
        """What is seen from a set-up on a peg [m]; nan where it can't be read."""
        value = self.slope.reads(self.stands[setup - 1], peg)
        return value + (self.slope.by if spoiled else 0.0)

    @property
    def seen(self) -> View | None:
        """The staff as it is seen now; None where it can't be."""
        if not self.stands:
            return None
        value = self.true(self.setup, self.peg, spoiled=self.fresh and self.faulty(self.setup))
        if math.isnan(value):
            return None
        away = abs(self.slope.along[self.peg] - self.stands[-1])
        return View(METRIC, round(value, 3), max(away / 200, 0.013), upside_down=False, far=away > 45)

    @property
    def rises(self) -> list[float]:
        """What each set-up rises from its first to its last sight, as booked [m]."""
        out = []
        for n in range(1, self.setup + 1):
            mine = [sight.value for sight in self.sights if sight.setup == n]
            out.append(mine[0] - mine[-1] if len(mine) > 1 else math.nan)
        return out

    @property
    def heights(self) -> list[float]:
        """The height that each sight gives its peg, as booked [m]; the first of a set-up has that of the last before."""
        out: list[float] = []
        line, last = math.nan, FIRST
        for k, sight in enumerate(self.sights):
            if k == 0 or self.sights[k - 1].setup != sight.setup:
                line = last + sight.value
            last = line - sight.value
            out.append(last)
        return out

    @property
    def misses(self) -> float:
        """By how much the run misses the known height of its last mark [m]; nan while it isn't closed."""
        return self.heights[-1] - self.known if self.closed else math.nan

    @property
    def known(self) -> float:
        """The known height of the last mark [m]."""
        return FIRST + self.slope.heights[-1] - self.slope.heights[0]

    def read_again(self, setup: int) -> float:
        """What a set-up rises as read anew, the staff held well [m]."""
        mine = [sight.peg for sight in self.sights if sight.setup == setup]
        if len(mine) < 2:
            return math.nan
        return round(self.true(setup, mine[0], spoiled=False) - self.true(setup, mine[-1], spoiled=False), 3)

    @property
    def unequal(self) -> list[int]:
        """The set-ups whose first and last sight differ in length by more than a third."""
        out = []
        for n, stand in enumerate(self.stands, 1):
            mine = [abs(self.slope.along[s.peg] - stand) for s in self.sights if s.setup == n]
            if len(mine) > 1 and abs(mine[0] - mine[-1]) > BALANCED * max(mine[0], mine[-1]):
                out.append(n)
        return out


class WholeExercise(Rounds[Walk]):
    """One run down a slope and its planted mistake."""

    key, title = "whole", "A whole run"
    goal = "down a slope and closed; then find the holder's slip"
    shows = ("ten", "tenth", "metre", "hair")
    last = FOUND
    count = 1
    hands = (
        Hand(STAND, "Stand, so far along", METRES, "a new set-up; the staff stands on the peg read last"),
        Hand(READ, "Read the staff, and book it", METRES, "the first of a set-up is the backsight"),
        Hand(ON, "Send the staff on", "", "Enter: to the next peg"),
        Hand(AGAIN, "Read a set-up again", NUMBER, "its number, once the run is closed"),
        Hand(FOUND, "The holder spoiled set-up", NUMBER, "its number: that ends it"),
    )

    def begins(self, attempt: Attempt, k: int) -> Walk:
        """A slope that wants three set-ups or four; the holder spoils the backsight of the second or the third."""
        return _begun(attempt.seed, attempt.level)

    def does(self, thing: Walk, act: Act) -> Walk:
        if act.what == STAND:
            along = max(0.0, min(act.value, thing.slope.along[-1]))
            stands = (
                thing.stands[:-1] if thing.stands and thing.fresh else thing.stands
            )  # nothing was read from there
            back = thing.sights[-1].peg if thing.sights else 0
            return replace(thing, stands=(*stands, along), peg=back)
        if act.what == ON:
            return replace(thing, peg=min(thing.peg + 1, PEGS - 1))
        if act.what == READ and thing.seen is not None:
            sight = Booked(thing.setup, thing.peg, act.text, act.value, thing.seen)
            return replace(thing, sights=(*thing.sights, sight))
        if act.what == AGAIN:
            return replace(thing, again=(*thing.again, int(act.value)))
        return replace(thing, named=int(act.value)) if act.what == FOUND else thing

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        if what == READ:
            return parse_length(text, METRIC, decimal_mark).value
        value = super().parse(what, text, decimal_mark)
        if what in {AGAIN, FOUND} and (value < 1 or value != int(value)):
            raise KeelError("bad-value", f"“{text.strip()}”: which set-up? Its number, such as 2")
        return value

    def refused(self, attempt: Attempt, what: str, value: float) -> str:
        """Why something can't be done as the run stands, "" where it can."""
        walk = self.thing(attempt)
        if what == ON and walk.fresh:
            return "first the backsight, on the peg that was read last; then the staff goes on"
        if what == READ and walk.seen is None:
            return "nothing is to be seen: the line passes over or under the staff, or the staff is too near or too far away; stand elsewhere, or send it on"
        if what in {AGAIN, FOUND} and not walk.closed:
            return "the run isn't closed yet: go on to the last mark"
        if what in {AGAIN, FOUND} and value > walk.setup:
            return f"there are {walk.setup} set-ups"
        return ""

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Walk], tally: Tally) -> Iterator[Step]:
        for k, act in enumerate(acts):
            walk, after = things[k], things[k + 1]
            if act.what == STAND:
                yield Step(f"stood at {act.text} m: set-up {after.setup}", good=True)
            elif act.what == ON:
                yield Step(f"the staff went on to {peg_name(after.peg)}", good=True)
            elif act.what == READ and walk.seen is not None:
                yield self._said_read(act, walk, walk.seen, tally)
            elif act.what == AGAIN:
                yield Step(f"read set-up {act.text} again", good=True)
            elif act.what == FOUND:
                right = walk.faulty(int(act.value))
                said = "" if right else f"it was set-up {walk.slope.at}: {FAULTS[walk.slope.fault]}"
                yield Step(f"named set-up {act.text}", right, said)
        walk = things[-1]
        for one in walk.unequal:
            yield Step(
                f"set-up {one} stood unequal",
                good=False,
                said="back and fore differ by over a third: what the line is out stays in",
            )

    @staticmethod
    def _said_read(act: Act, walk: Walk, seen: View, tally: Tally) -> Step:
        kind = kind_of(seen, act.value, act.text)
        for one in tally.could:
            tally.count(one, kind == one)
        said = (
            f"it stood at {show_length(seen.hair, seen.style)}: {slip_words(kind, act.value - seen.hair, seen)}"
            if kind
            else ""
        )
        return Step(f"{peg_name(walk.peg)} from set-up {walk.setup}: {act.text}", not kind, said)

    def costs(self, thing: Walk) -> float:
        own = sum(thing.read_again(n) - rise for n, rise in enumerate(thing.rises, 1) if not is_missing(rise))
        return abs(own) if not math.isnan(own) else 0.0

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Walk]]]) -> str:
        walk = done[0][1][-1]
        style = walk.sights[0].seen.style if walk.sights else View(METRIC, 1.0, 0.1, False, False).style
        found = "found" if walk.faulty(walk.named) else "not found"
        missed = (
            "not closed"
            if math.isnan(walk.misses)
            else f"missed by {show_amount(walk.misses, style, signed=True)}"
        )
        return (
            f"{walk.setup} set-ups, {missed}; the mistake was {found}, {len(walk.again)} set-ups read again"
        )

    def hint(self, attempt: Attempt) -> str:
        walk = self.thing(attempt)
        if walk.closed:
            if abs(walk.misses) < 0.01:
                return "It closes, and yet somebody may have slipped twice: read a set-up again."
            return "It misses by more than honest reading does. Read the set-ups again one by one; the rise that differs names it."
        if not walk.stands:
            return "Stand where the line passes the mark behind and as many pegs before you as it can, half way between."
        if walk.seen is None:
            return "The line misses the staff, or it is too near or too far: send it on, or stand between the last peg and this one."
        if walk.fresh:
            return "First the backsight, on the peg that was read last."
        return "Read each peg as far as the line reaches; the last one read before you move is the foresight."


@lru_cache(maxsize=64)
def _begun(seed: int, level: int) -> Walk:
    rng = np.random.default_rng([seed, 71])
    apart = rng.uniform(9, 14, PEGS - 1)
    falls = rng.uniform(1.0, 1.15 + 0.08 * level, PEGS - 1)
    along = (0.0, *(float(one) for one in np.round(np.cumsum(apart), 1)))
    heights = (0.0, *(float(one) for one in np.round(-np.cumsum(falls), 3)))
    fault = (BESIDE, LEANS, STONE)[int(rng.integers(3))]
    by = {BESIDE: rng.uniform(0.03, 0.08), LEANS: rng.uniform(0.02, 0.05), STONE: -rng.uniform(0.012, 0.03)}[
        fault
    ]
    slope = Slope(
        along, heights, float(rng.normal(0, 1.5e-4)), fault, int(rng.integers(2, 4)), round(float(by), 3)
    )
    return Walk(slope)


def peg_name(peg: int) -> str:
    """What a peg is called: A and B are the marks with known heights."""
    return "A" if peg == 0 else "B" if peg == PEGS - 1 else str(peg)
