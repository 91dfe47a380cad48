"""What a stretch of track comes to: measures under each rail at each sleeper, cross level before and after, what a measure gave."""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.proof import judge_all
from vivid_keel.core.quantities import is_missing, show_amount
from vivid_keel.core.working import Working
from vivid_keel.trades.track.book import (
    CROSS,
    LEFT_HAND,
    LEFT_RAIL,
    RIGHT_RAIL,
    STRAIGHT,
    VOID_LEFT,
    VOID_RIGHT,
    TrackBook,
)
from vivid_keel.trades.track.lifts import QUARTER, between, gave, in_words, other_rail, quarters

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


OFF = 0.005
"""A cross level may be off by so much once it is packed [m]."""


class TrackResult(Struct, frozen=True, dict=True):
    """A stretch worked out; arrays run over its sleepers (n,)."""

    book: TrackBook

    @cached_property
    def cross(self) -> Floats:
        """Cross level as found, + right rail high [m]; straight between what was read, and the nearest beyond it."""
        return self._level(FOUND)

    def _level(self, phase: str) -> Floats:
        read = self.book.of(phase, CROSS)
        n = self.book.sleepers
        if not read:
            return np.zeros(n)
        at = sorted(read)
        return np.asarray(np.interp(np.arange(n), at, [read[k] for k in at]))

    @property
    def wanted(self) -> float:
        """Cross level wanted, + right rail high [m]: on a curve its outer rail is the higher one."""
        cant = self.book.facts.values["cant"]
        lies = self.book.facts.texts["lies"]
        return 0.0 if lies == STRAIGHT else cant if lies == LEFT_HAND else -cant

    @cached_property
    def datum_right(self) -> bool:
        """Whether the sights are along the right rail: the higher one on straight track, the inner one of a curve."""
        said, lies = self.book.facts.texts["datum"], self.book.facts.texts["lies"]
        if said in {RIGHT_RAIL, LEFT_RAIL}:
            return said == RIGHT_RAIL
        return float(self.cross.mean()) >= 0 if lies == STRAIGHT else lies != LEFT_HAND

    @cached_property
    def sighted(self) -> Floats:
        """Lift of the datum rail at rest [measures]."""
        return between(self.book.sleepers, self.book.dips(FOUND))

    @cached_property
    def at_rest(self) -> tuple[Floats, Floats]:
        """Lift of the left and of the right rail at rest [measures], to the quarter."""
        datum, measure = self.sighted, self.book.facts.values["measure"]
        # Without a cross level nothing is known of the other rail: it goes as the datum does.
        read = self.book.of(FOUND, CROSS)
        other = (
            other_rail(datum, self.cross, self.wanted, measure, datum_right=self.datum_right)
            if read
            else datum
        )
        left, right = (other, datum) if self.datum_right else (datum, other)
        return quarters(left), quarters(right)

    @cached_property
    def voids(self) -> tuple[Floats, Floats]:
        """Hollows under the left and the right rail under load [measures], to the quarter."""
        out = []
        for what in (VOID_LEFT, VOID_RIGHT):
            hollow = np.zeros(self.book.sleepers)
            for k, value in self.book.of(FOUND, what).items():
                hollow[k] = value
            out.append(quarters(hollow))
        return out[0], out[1]

    @cached_property
    def cans(self) -> tuple[Floats, Floats]:
        """Measures of chips under the left and the right rail."""
        return self.at_rest[0] + self.voids[0], self.at_rest[1] + self.voids[1]

    @property
    def total(self) -> float:
        """Measures of chips in all."""
        return float(self.cans[0].sum() + self.cans[1].sum())

    @cached_property
    def rounds(self) -> tuple[tuple[Floats, Floats], ...]:
        """What goes in in each round, by rail: more than is allowed at once is split, the larger half (to the quarter) first."""
        most = self.book.facts.values["split"]
        first = tuple(np.where(c > most, quarters(c / 2), c) for c in self.cans)
        second = tuple(c - f for c, f in zip(self.cans, first, strict=True))
        one, two = (first[0], first[1]), (second[0], second[1])
        return (one, two) if max(float(s.max(initial=0.0)) for s in second) > 0 else (one,)

    @cached_property
    def predicted(self) -> Floats:
        """Cross level once it is packed, + right rail high [m]."""
        return np.asarray(
            self.cross + (self.at_rest[1] - self.at_rest[0]) * self.book.facts.values["measure"]
        )

    @cached_property
    def u_predicted(self) -> Floats:
        """Standard uncertainty of the cross level once it is packed (n,) [m]; nan where it wasn't read.

        Source: chips are given out to a quarter of a can, under each rail; a hollow is felt to a quarter; the cross level is read to
        its last digit; and a can gives what it gives.
        """
        book, out = self.book, np.full(self.book.sleepers, np.nan)
        quarter = QUARTER / math.sqrt(12) * book.facts.values["measure"]
        given, u_given = self.learned
        for (what, k), one in book.read[FOUND].items():
            if what == CROSS and k <= book.sleepers:
                hollow = sum(float(void[k - 1]) > 0 for void in self.voids)
                gives = 0.0 if is_missing(given) else u_given
                more = float(self.at_rest[1][k - 1] - self.at_rest[0][k - 1]) * book.facts.values["measure"]
                out[k - 1] = math.hypot(
                    quarter * math.sqrt(2 + hollow), one.step / math.sqrt(12), gives * more
                )
        return out

    @cached_property
    def levels(self) -> list[str]:
        """Verdict on the cross level once it is packed, against what is wanted, at every sleeper; "" where it wasn't read."""
        off = np.where(np.isnan(self.u_predicted), np.nan, self.predicted - self.wanted)
        return judge_all(off, 2 * self.u_predicted, OFF)

    @cached_property
    def learned(self) -> tuple[float, float]:
        """What one measure of chips really gave [measures], and its u; nan before it was sighted after traffic."""
        before, after = self.book.dips(FOUND), self.book.dips(LEFT)
        both = sorted(set(before) & set(after))
        put = self.at_rest[1 if self.datum_right else 0]
        return gave(
            np.array([before[k] for k in both]),
            np.array([after[k] for k in both]),
            put[both] if both else np.zeros(0),
        )

    @property
    def to_sight(self) -> list[int]:
        """Sleepers still to be sighted as found, from 1."""
        read = self.book.of(FOUND, self.book.rail_top)
        return [k for k in self.book.sighted if k - 1 not in read]

    @property
    def to_sight_again(self) -> list[int]:
        """Sleepers still to be sighted after traffic, from 1: what was sighted before the last round went in tells nothing of it."""
        since = max(self.book.packed.values(), default=0)
        sighted = {
            k
            for (what, k), one in self.book.read[LEFT].items()
            if what == self.book.rail_top and one.id > since
        }
        return [k for k in self.book.sighted if k not in sighted]

    @property
    def outstanding(self) -> float:
        """Cans of a second round that are still to go in, once traffic has passed over the first [1]; 0 where there are none."""
        if len(self.rounds) < 2 or not self.book.dips(LEFT) or 2 in self.book.packed:
            return 0.0
        return float(sum(cans.sum() for cans in self.rounds[1]))

    @property
    def no_cross_level(self) -> list[int]:
        """Sighted sleepers whose cross level wasn't read, from 1."""
        read = self.book.of(FOUND, CROSS)
        return [k for k in self.book.sighted if k - 1 not in read]

    def why(self, k: int) -> Working:
        """Return how what goes under a sleeper, from 0, comes about."""
        lifts = ", ".join(
            f"{rail} {in_words(float(rest[k]))} + {in_words(float(void[k]))}"
            for rail, rest, void in (
                ("left", self.at_rest[0], self.voids[0]),
                ("right", self.at_rest[1], self.voids[1]),
            )
        )
        style = self.book.style
        cross, wanted = (show_amount(x, style, signed=True) for x in (float(self.cross[k]), self.wanted))
        return Working(
            f"Sleeper {k + 1}",
            "sighted part and void, each to the quarter, half up; the other rail: + what brings it to the wanted cross level, never below 0",
            f"datum rail {in_words(float(self.sighted[k]))} measures; cross level {cross}, wanted {wanted};  {lifts}",
            (),
            f"One measure lifts {show_amount(self.book.facts.values['measure'], style)}.",
        )


def work_out_track(book: TrackBook) -> TrackResult:
    """Compute a stretch of track; what isn't asked for isn't computed."""
    return TrackResult(book)
