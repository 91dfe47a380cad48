"""Heights over the years worked out: the levellings of each occasion adjusted freely, laid on the benchmarks that stood, and what every mark did."""

from __future__ import annotations

import math
from collections import OrderedDict
from datetime import date
from functools import cached_property, lru_cache
from hashlib import blake2b
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.booking.network import LevelledLine
from vivid_keel.core.booking.network.free import FreePiece, free_pieces
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.record.epochs import verdict_of
from vivid_keel.core.record.lending import is_change_point
from vivid_keel.core.record.stood import ONCE, STEADY, STEP, Frame, Movement, Part, Series, lay_together
from vivid_keel.core.record.visits import Drift, drift, slope_weights
from vivid_keel.core.working import Working
from vivid_keel.trades.years.book import ASIDE, BENCHMARK, Levelling, YearsBook

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

DAYS = 365.25
MOST = 300
"""So many marks are laid side by side at the most, benchmarks first."""
LEAST_SIGMA, MOST_SIGMA = 1e-6, 10.0
"""No reading is better or worse than that [m]: a levelling said to be exact would take all the weight."""
ANOTHER = 0.25
"""A mark that differs by more from one year to the next is rather another mark of that name [m]."""
FRAMES = 2
"""So many are kept, so that what changes no reading needs none to be laid together afresh."""
MOVED, STOOD, NOT_PROVEN = "moved", "stood", "not-proven"


class Occasion(Struct, frozen=True, eq=False):
    """What was levelled at one time: the levellings, their middle day, and how they fit together."""

    name: str
    when: date
    levellings: list[Levelling]
    pieces: list[FreePiece]

    @property
    def freedom(self) -> int:
        """Readings that are over."""
        return sum(piece.freedom for piece in self.pieces)

    @property
    def factor(self) -> float:
        """How much worse it fits than its readings promise [1]: √(Σ(v/σ)²/freedom); nan where nothing is over."""
        n = self.freedom
        return math.sqrt(sum(piece.sum_squares for piece in self.pieces) / n) if n > 0 else math.nan

    @property
    def spread(self) -> float:
        """By how much its variances are taken larger than its readings promise, where it doesn't fit [1]."""
        return 1.0 if self.fits else self.factor**2

    @property
    def fits(self) -> bool:
        """Whether what is over lies within what chance allows at 1 %."""
        if (
            self.freedom <= 0 or self.factor <= 1.0
        ):  # as good as promised, or better: no table is wanted for that
            return True
        from scipy.special import chdtri

        return bool(sum(piece.sum_squares for piece in self.pieces) <= chdtri(self.freedom, 0.01))


@lru_cache(maxsize=1000)
def _pieces(
    lines: tuple[LevelledLine, ...], wanted: frozenset[str], near: tuple[tuple[str, float], ...]
) -> list[FreePiece]:
    """The pieces of an occasion: most stay as they were when something is entered."""
    return free_pieces(list(lines), set(wanted), dict(near))


_frames: OrderedDict[bytes, Frame] = OrderedDict()


def _laid(parts: list[Part], carry: list[str], times: list[float], *, search: bool) -> Frame:
    """Parts of several occasions on one datum, as they were laid before where nothing in them changed."""
    told = blake2b(
        repr((carry, times, search, [(part.occasion, tuple(part.names)) for part in parts])).encode()
    )
    for part in parts:
        told.update(np.ascontiguousarray(part.heights).tobytes())
        told.update(np.ascontiguousarray(part.covariance).tobytes())
    key = told.digest()
    if key not in _frames:
        _frames[key] = lay_together(parts, carry, times, search=search)
        if len(_frames) > FRAMES:
            _frames.popitem(last=False)
    return _frames[key]


class MarkOver(Struct, frozen=True, eq=False):
    """A mark over the years.

    `since_first` is its change, up +, with U [m], `drift` what it did last, its rate and when it leaves what is allowed; `verdict` is of the
    former: MOVED, STOOD or NOT_PROVEN.
    """

    name: str
    benchmark: bool
    series: Series
    since_first: tuple[float, float]
    drift: Drift
    verdict: str


class YearsResult(Struct, frozen=True, dict=True):
    """Levellings of several years side by side; `marks` in the order in which they were first read."""

    book: YearsBook

    @cached_property
    def occasions(self) -> list[Occasion]:
        """The occasions, oldest first, of the levellings that are taken in."""
        groups: dict[str, list[Levelling]] = {}
        for one in self.book.levellings:
            if not one.out and one.lines:
                groups.setdefault(one.occasion, []).append(one)
        wanted = set(self.names)
        near: dict[str, float] = {}
        for levelling in self.book.levellings:
            for mark, height in levelling.given.items():
                near.setdefault(mark, height)
        out = []
        for name, members in groups.items():
            lines = [
                LevelledLine(
                    x.mark, f"{one.id} {x.stand}", x.rise, min(max(x.sigma, LEAST_SIGMA), MOST_SIGMA)
                )
                for one in members
                for x in one.lines
            ]
            middle = sum(one.when.toordinal() for one in members) // len(members)
            pieces = _pieces(tuple(lines), frozenset(wanted), tuple(near.items()))
            out.append(Occasion(name, date.fromordinal(middle), members, pieces))
        return sorted(out, key=lambda one: (one.when, one.name))

    @cached_property
    def read(self) -> dict[str, set[str]]:
        """On which occasions each mark was read, in the order they were first read."""
        read: dict[str, set[str]] = {}
        for one in self.book.levellings:
            if not one.out:
                for mark in dict.fromkeys(x.mark for x in one.lines):
                    read.setdefault(mark, set()).add(one.occasion)
        return read

    @cached_property
    def common(self) -> list[str]:
        """Marks read on more than one occasion, in the order they were first read; a run's own change points are none."""
        return [mark for mark, when in self.read.items() if len(when) > 1 and not is_change_point(mark)]

    @cached_property
    def benchmarks(self) -> list[str]:
        """Marks that are held not to move until shown otherwise: those said to be, and those whose height was given."""
        given = {mark for one in self.book.levellings if not one.out for mark in one.given}
        return [
            mark
            for mark in self.common
            if self.book.roles.get(mark, BENCHMARK if mark in given else "") == BENCHMARK
        ]

    @cached_property
    def names(self) -> list[str]:
        """Marks that are laid side by side: benchmarks first where there are too many."""
        there = [mark for mark in self.common if self.book.roles.get(mark) != ASIDE]
        if len(there) <= MOST:
            return there
        first = [mark for mark in there if mark in set(self.benchmarks)][:MOST]
        return [*first, *[mark for mark in there if mark not in set(first)][: MOST - len(first)]]

    @cached_property
    def times(self) -> list[float]:
        """When the occasions were [years], from the first."""
        first = self.occasions[0].when.toordinal() if self.occasions else 0
        return [(one.when.toordinal() - first) / DAYS for one in self.occasions]

    @cached_property
    def tied(self) -> bool:
        """Whether a benchmark was read on more than one occasion."""
        return bool(self.benchmarks)

    @cached_property
    def frame(self) -> Frame:
        """All on one datum: of the benchmarks that stood; where there are none, of all marks together."""
        parts = [
            Part(k, piece.names, piece.heights, piece.covariance * one.spread)
            for k, one in enumerate(self.occasions)
            for piece in one.pieces
        ]
        names = set(self.names)
        carry = [mark for mark in self.benchmarks if mark in names] if self.tied else self.names
        return _laid(parts, carry, self.times, search=self.tied)

    def when(self, moved: Movement) -> str:
        """Between which looks a benchmark moved; at one of them only, or all along."""
        now = self.occasions[moved.occasion].name
        if moved.how == ONCE:
            return f"in {now}"
        if moved.how == STEADY:
            return "all along"
        before, _ = self._looks_about(moved)
        return f"since {now}" if before < 0 else f"between {self.occasions[before].name} and {now}"

    def once(self, moved: Movement) -> bool:
        """Whether one reading alone tells that it moved: the last of it."""
        return moved.how == STEP and self._looks_about(moved)[1] < 2

    def _looks_about(self, moved: Movement) -> tuple[int, int]:
        found = next((one.series for one in self.marks if one.name == moved.name), None)
        return (-1, 2) if found is None else found.looks_about(moved.occasion)

    @cached_property
    def marks(self) -> list[MarkOver]:
        """What every mark did that hangs on the common datum on more than one occasion."""
        carry, allowed = set(self.benchmarks), self.book.facts.values["allowed"]
        out = []
        for name in self.names:
            series = self.frame.series(name)
            if len(series.occasions) < 2:
                continue
            last = len(series.occasions) - 1
            change, u = series.change(0, last)
            lately, u_lately = series.change(last - 1, last)
            at = np.array([self.times[k] for k in series.occasions])
            tolerance = math.inf if is_missing(allowed) else allowed
            weights, rate = slope_weights(at, series.covariance), series.rate(at)
            ends = np.zeros(last + 1)
            ends[[0, -1]] = -1.0, 1.0
            together = 0.0 if weights is None else float(ends @ series.covariance @ weights)
            told = drift(
                name,
                lately,
                u_lately,
                rate,
                change,
                tolerance,
                u,
                together,
            )
            verdict = verdict_of(change, u, None if is_missing(allowed) else allowed)
            out.append(MarkOver(name, name in carry, series, (change, 2 * u), told, verdict))
        return out

    @cached_property
    def loose(self) -> list[str]:
        """Occasions that share no benchmark with the others."""
        hang = {
            part.occasion
            for part, shift in zip(self.frame.parts, self.frame.shifts.tolist(), strict=True)
            if not is_missing(shift)
        }
        return [one.name for k, one in enumerate(self.occasions) if k not in hang]

    def at_most(self) -> date | None:
        """Return the day on which to level again: by the rule, or sooner, before a mark may be out; None while there is one occasion only."""
        if len(self.occasions) < 2:
            return None
        last = self.occasions[-1].when
        months = self.book.facts.values["again"]
        days = months * DAYS / 12
        soonest = min(
            (one.drift.earliest for one in self.marks if not is_missing(one.drift.earliest)), default=math.inf
        )
        if soonest < 2 * days / DAYS:
            days = min(days, max(soonest * DAYS / 2, 7.0))
        try:
            return date.fromordinal(last.toordinal() + round(days))
        except (OverflowError, ValueError):
            return None

    def out_already(self, mark: MarkOver) -> bool:
        """Whether a mark is proven out of what is allowed."""
        change, U = mark.since_first
        return abs(change) - U > self.book.facts.values["allowed"]

    def why(self, mark: MarkOver) -> Working:
        """Return the working of a mark's change."""
        style, series = self.book.style, mark.series
        fine = replace(style, decimals=style.decimals + 1, parts=64)
        first, last = (self.occasions[int(series.occasions[k])] for k in (0, -1))
        read = [
            f"{self.occasions[int(k)].name}: {show_length(float(h), fine)} on the common datum"
            for k, h in zip(series.occasions, series.heights, strict=True)
        ]
        change, U = mark.since_first
        carried = ", ".join(self.frame.stood) if self.tied else "all marks together"
        return Working(
            f"{mark.name} from {first.name} to {last.name}",
            "Δ = H(last) − H(first), each over the benchmarks that stood;  U = 2·√(u₁² + u₂² − 2·cov)",
            f"{show_length(float(series.heights[-1]), fine)} − {show_length(float(series.heights[0]), fine)} = "
            f"{show_amount(change, style, signed=True)};  U = {show_amount(U, style, up=True)}",
            tuple(read),
            f"The datum is carried by {carried}. A rate is a straight line through all occasions by least squares: "
            + (
                "too little time for one."
                if is_missing(mark.drift.rate)
                else f"{show_amount(mark.drift.rate, style, signed=True)} ± {style.amount(mark.drift.U_rate)} a year."
            ),
        )


def work_out_years(book: YearsBook) -> YearsResult:
    """Lay the levellings of several years side by side."""
    return YearsResult(book)
