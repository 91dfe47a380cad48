"""Everything computed from a run's book."""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.booking.checks import PageChecks, page_checks
from vivid_keel.core.booking.closing import (
    CLASSES,
    Closure,
    ToleranceClass,
    allowed_by,
    close,
    correction_at,
)
from vivid_keel.core.booking.fineness import read_to, with_fineness
from vivid_keel.core.booking.layout import BS, KINDS, Layout, extended, lay_out
from vivid_keel.core.booking.met import Met, met_again
from vivid_keel.core.booking.odds import fitting
from vivid_keel.core.booking.reduction import Reduction, reduce
from vivid_keel.core.booking.uncertainty import (
    UNBALANCE,
    axis_bound,
    collimation_bound,
    height_uncertainty,
    worked_by,
)
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.defaults import WAY, reading_uncertainty
from vivid_keel.core.instruments.used import Instrument
from vivid_keel.core.quantities import LengthStyle, show_amount, show_length
from vivid_keel.core.working import Working
from vivid_keel.trades.run.axes import axis_errors, axis_left, tells_sides
from vivid_keel.trades.run.book import NAN, RunBook, RunSettings, SightRow, finer, line_added

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class RunResult(Struct, frozen=True, dict=True):
    """A run reduced.

    `at[i]` is the sight (index into the reduction's arrays) of row i of the book, -1 for a struck one;
    `booked` and `distances` are the readings as booked and the sights' lengths [m].
    """

    book: RunBook
    at: list[int]
    layout: Layout
    reduction: Reduction
    closure: Closure
    distances: Floats
    trouble: dict[int, str]
    booked: Floats

    def height(self, row: int) -> float:
        """Height at a row as observed [m], nan where there is none."""
        i = self.at[row]
        return float(self.reduction.heights[i]) if i >= 0 else NAN

    def corrected(self, row: int) -> float:
        """Height at a row after spreading [m]; as observed where nothing is spread."""
        i = self.at[row]
        if i < 0:
            return NAN
        height = float(self.reduction.heights[i])
        return height + correction_at(self.layout, self.closure, i) if self.closure.spread else height

    def collimation_height(self, row: int) -> float:
        """Height of collimation of the set-up at a row [m]."""
        i = self.at[row]
        return float(self.reduction.collimation_height[self.layout.setup[i]]) if i >= 0 else NAN

    def rise_fall(self, row: int) -> tuple[float, float]:
        """Rise and fall at a row [m], (nan, nan) at a backsight."""
        i = self.at[row]
        if i < 0 or self.layout.kinds[i] == BS:
            return NAN, NAN
        return float(self.reduction.rise[i]), float(self.reduction.fall[i])

    def read_with(self) -> npt.NDArray[np.intp]:
        """Which of the book's instruments took each sight (n,)."""
        rows, sights = self.book.rows, self.book.sights
        return np.array([rows[i].instrument for i in sights], dtype=np.intp)

    @cached_property
    def u_readings(self) -> Floats:
        """Standard uncertainty of every reading [m]."""
        instruments = self.book.instruments
        if len(instruments) == 1:
            return self._u_with(instruments[0])
        each = np.array([self._u_with(i) for i in instruments])
        return np.asarray(each[self.read_with(), np.arange(len(self.distances))])

    @cached_property
    def met(self) -> list[Met]:
        """Marks met again on the way, known ones first: what the book says twice."""
        return self._met_again(wrong=False)

    def _met_again(self, *, wrong: bool) -> list[Met]:
        if not self.book.sights:
            return []
        left = self.left_in_each() if any(i.collimation or i.axis for i in self.book.instruments) else None
        return met_again(
            self.reduction,
            self.u_readings,
            self.steps,
            self.distances,
            self.book.settings.tolerance,
            left,
            self.closure.row,
            wrong=wrong,
        )

    @cached_property
    def steps(self) -> Floats:
        """What each reading was typed to [m]."""
        rows = self.book.rows
        return np.array([rows[i].step for i in self.book.sights], dtype=np.float64)

    @cached_property
    def bad(self) -> list[Met]:
        """Those of them that don't agree and that nobody explained, worst first by how far beyond what is allowed they are."""
        rows, explained = self.book.rows, self.book.explained
        wrong = [
            one for one in self._met_again(wrong=True) if rows[self.book.sights[one.row]].id not in explained
        ]
        return sorted(wrong, key=lambda one: (-abs(one.difference) / max(one.allowed, 1e-9), one.row))

    @property
    def sound(self) -> bool | None:
        """Whether the run closes within its limit and no mark met on the way says otherwise; None while it is open or has no limit."""
        return False if self.bad else self.closure.accepted

    def _u_with(self, i: Instrument) -> Floats:
        """Standard uncertainty of every reading, had this instrument taken it [m]."""
        u = reading_uncertainty(i.base, i.per_metre, i.from_distance, i.reach, self.distances)
        usual = WAY[i.way].step if i.way in WAY else 0.001
        return with_fineness(u, self.read_to(usual), usual)

    def read_to(self, usual: float) -> float:
        """Return what the readings were taken to [m], not below what is usual [m]."""
        return read_to(self.booked, self.steps, self.book.unit, usual)

    def u_heights(self) -> Floats:
        """Standard uncertainty of every sight's height [m], the instrument's own error as far as it isn't known with it."""
        u = height_uncertainty(self.reduction, self.closure, self.u_readings)
        left = self.left_by_collimation()
        if left is not None:
            u = np.hypot(u, left)
        # What may lie one way all along is no chance: it comes on top of U, not into its root.
        for bound in (self.left_in(), self.collimation_bound(), self.axis_bound()):
            u = u if bound is None else np.asarray(u + bound / 2)
        return u

    def axis_bound(self) -> Floats | None:
        """Return how far a laser's axes may put each height out [m]: a bound; None where nothing is known of any."""
        instruments = self.book.instruments
        if not any(i.axis for i in instruments) or not len(self.booked):
            return None
        took = self.read_with()
        return axis_bound(
            self.reduction,
            self.closure,
            axis_left(self.book, self.distances),
            self.distances,
            np.array([i.reach for i in instruments])[took],
        )

    def left_in_each(self) -> Floats:
        """Return how far each reading may be out by what stays in it of collimation and axes [m]: a bound, for what takes
        readings one by one, the part that all of a set-up share left out."""
        took, out = self.read_with(), np.zeros(len(self.booked))
        instruments = self.book.instruments
        unknown = np.isnan(self.distances)
        reach = np.array([i.reach for i in instruments])[took]
        c = np.array([math.hypot(i.collimation or 0.0, 2 * (i.u_collimation or 0.0)) for i in instruments])[
            took
        ]
        axis = axis_left(self.book, self.distances)
        for s in range(self.layout.setups):
            rows = np.flatnonzero(self.layout.setup == s)
            if unknown[rows].any():
                uneven = np.where(unknown[rows], UNBALANCE * reach[rows], UNBALANCE * self.distances[rows])
            else:
                far = self.distances[rows]
                uneven = np.abs(far - far.mean()) * float(not self.book.settings.use_collimation)
            out[rows] = c[rows] * uneven
        return np.asarray(out + axis * np.where(unknown, reach, self.distances))

    def collimation_bound(self) -> Floats | None:
        """Return how far a known or possible collimation error may put each height out, through sights of unknown length [m]:
        a bound, as it is one error for all of them; None where nothing is known of it, or every sight has its length."""
        instruments = self.book.instruments
        c = [math.hypot(i.collimation or 0.0, 2 * (i.u_collimation or 0.0)) for i in instruments]
        if not any(c) or not np.isnan(self.distances).any():
            return None
        took = self.read_with()
        return collimation_bound(
            self.reduction,
            self.closure,
            np.array(c)[took],
            self.distances,
            np.array([i.reach for i in instruments])[took],
            taken_out=self.book.settings.use_collimation,
        )

    def left_by_collimation(self) -> Floats | None:
        """Return what the doubt in the instruments' collimation errors does to each height [m]; None where there is none."""
        return self._worked_by([i.u_collimation or 0.0 for i in self.book.instruments])

    def left_in(self) -> Floats | None:
        """Return how far a known collimation error that is not taken out puts each height out, through sights of known length
        [m]: a bound, as it adds along the way in proportion; None where nothing stays in."""
        if self.book.settings.use_collimation:
            return None
        return self._worked_by([i.collimation or 0.0 for i in self.book.instruments])

    def _worked_by(self, c: list[float]) -> Floats | None:
        if not any(c) or not len(self.booked):
            return None
        each = np.array(c)[self.read_with()]
        return np.abs(worked_by(self.reduction, self.closure, self.booked, each, self.distances))

    def u_misclosure(self) -> float:
        """Standard uncertainty of the misclosure of an honest run: of the sights that its way goes by [m]; nan without one."""
        layout, path = self.layout, self.closure.path
        if not path or layout.leaving[path].min() < 0:
            return NAN
        v = self.u_readings**2
        u = math.sqrt(float(v[layout.backs[path]].sum() + v[layout.leaving[path]].sum()))
        start, end = layout.marks[int(layout.backs[path[0]])], self.closure.mark
        known = (
            [layout.listed[m].u for m in (start, end) if m in layout.listed] if end not in {"", start} else []
        )
        return math.hypot(u, *known)

    def limit_of(self, tolerance: ToleranceClass) -> float | None:
        """What a class allows this run [m], None where it wants lengths that were not booked."""
        closure = self.closure
        return allowed_by(tolerance, len(closure.path) or self.layout.setups, closure.length)

    def fitting_class(self) -> str:
        """The tightest class that honest runs of this length, read with this instrument, seldom fail; "" where none is."""
        u = self.u_misclosure()
        limits = [self.limit_of(c) for c in CLASSES]
        at = None if math.isnan(u) else fitting(limits, u)
        return "" if at is None else CLASSES[at].name

    def checks(self) -> PageChecks:
        """The page's arithmetic checks."""
        return page_checks(self.reduction)

    def why_height(self, row: int) -> Working | None:
        """Return the working of the height at a row."""
        i = self.at[row]
        if i < 0 or np.isnan(self.reduction.heights[i]):
            return None
        style, sight = self.book.style, self.book.rows[row]
        hc, height = self.collimation_height(row), self.height(row)
        back = self.layout.backsight[int(self.layout.setup[i])]
        booked = float(self.booked[i])
        taken_off = float(self.reduction.readings[i]) - booked
        read, off = show_length(booked, style), ""
        if abs(taken_off) > 1e-9:  # the reading stays as read; what is taken off it stands beside it
            read, off = (
                f"({read} {show_amount(taken_off, style, signed=True)})",
                self._taken_off_in_words(),
            )
        if self.layout.kinds[i] == BS:
            return Working(
                f"Height of collimation on {sight.mark}",
                f"HC = H + {f'(BS{off})' if off else 'BS'}",
                f"{show_length(height, style)} + {read} = {show_length(hc, style)}",
                (f"BS {sight.mark}, read {sight.text}", self._where_from(i)),
                "The line of sight is level, so everything on it has this height.",
            )
        formula = f"H = HC − {f'({KINDS[sight.kind]}{off})' if off else KINDS[sight.kind]}"
        numbers = f"{show_length(hc, style)} − {read} = {show_length(height, style)}"
        note = ""
        if self.closure.spread:
            c = self.corrected(row) - height
            formula += ",  H′ = H + correction"
            numbers += f";  {show_length(height, style)} {show_amount(c, style, signed=True)} = {show_length(self.corrected(row), style)}"
            note = "The correction is the set-up's share of the misclosure; the reading stays as it was read."
        rise, fall = self.rise_fall(row)
        other = f"{'Rise' if rise > 0 else 'Fall'} against the sight before: {show_length(max(rise, fall), style)}"
        source = self.book.rows[self.book.sights[back]]
        return Working(
            f"Height of {sight.mark}",
            formula,
            numbers,
            (
                f"{KINDS[sight.kind]} {sight.mark}, read {sight.text}",
                f"BS {source.mark}, read {source.text}",
                other,
            ),
            note,
        )

    def _taken_off_in_words(self) -> str:
        settings = self.book.settings
        return "".join(
            w
            for on, w in (
                (settings.use_collimation, " − c·D"),
                (settings.use_curvature, " − curvature"),
                (settings.use_staff, " − foot"),
                (settings.use_axes and tells_sides(self.book), " − (X·cos α + Y·sin α)·D"),
            )
            if on
        )

    def _where_from(self, i: int) -> str:
        s = int(self.layout.setup[i])
        source = self.layout.source[s]
        mark = self.layout.marks[i]
        if source >= 0:
            return f"{mark} as observed at set-up {self.layout.parent[s] + 1}"
        known = next(k for k in self.book.known if k.name == mark)
        return f"{mark} as listed: {known.source}"


def coefficient_words(coefficient: float, style: LengthStyle) -> str:
    """Return the coefficient of a class, `coefficient` [m], with its unit as it is known by: 5 mm, or 0.20 in."""
    return f"{coefficient * 1000:g} mm" if style.small == "mm" else show_amount(coefficient, style)


def work_out_run(book: RunBook) -> RunResult:
    """Reduce a book."""
    sights = [book.rows[i] for i in book.sights]
    layout = lay_out(
        [sight.kind for sight in sights],
        [sight.mark for sight in sights],
        [sight.setup for sight in sights],
        book.listed,
    )
    readings = np.array([sight.reading for sight in sights], dtype=np.float64)
    factor = book.instrument.hair_factor
    distances = np.array([sight.length(factor) for sight in sights], dtype=np.float64)
    at = [-1] * len(book.rows)
    for i, row in enumerate(book.sights):
        at[row] = i
    return _reduced(book, at, layout, readings, distances)


def _reduced(book: RunBook, at: list[int], layout: Layout, readings: Floats, distances: Floats) -> RunResult:
    settings = book.settings
    collimation: float | Floats | None = None
    if settings.use_collimation:
        known = [i.collimation or 0.0 for i in book.instruments]
        collimation = book.instrument.collimation
        if len(known) > 1:
            collimation = np.array(known)[[book.rows[i].instrument for i in book.sights]]
    own = _own_errors(book, readings, distances)
    reduction = reduce(layout, readings, distances, collimation, curvature=settings.use_curvature, own=own)
    trouble = {book.sights[t.row]: t.message for t in layout.troubles}
    try:
        closure = close(reduction, distances, settings.tolerance, settings.spread, override=settings.override)
    except KeelError as error:
        trouble[book.sights[int(error.where)]] = error.message
        closure = close(reduction, distances, settings.tolerance, "none")
    result = RunResult(book, at, layout, reduction, closure, distances, trouble, readings)
    if closure.spread and not settings.override and result.bad:
        # A run that says two things of one mark is not spread: nobody knows yet which of them is wrong.
        held = close(reduction, distances, settings.tolerance, "none")
        return RunResult(book, at, layout, reduction, held, distances, trouble, readings)
    return result


def _own_errors(book: RunBook, readings: Floats, distances: Floats) -> Floats | None:
    """What staffs and a laser's axes add to each reading (n,) [m], as far as it is taken off; None where nothing is."""
    settings = book.settings
    parts = [
        staff_errors(book, readings) if settings.use_staff else None,
        axis_errors(book, distances) if settings.use_axes else None,
    ]
    told = [part for part in parts if part is not None]
    return np.asarray(sum(told)) if told else None


def staff_errors(book: RunBook, readings: Floats) -> Floats | None:
    """Return what each staff's own foot adds to its readings (n,) [m], an overhead one's booked below 0; None where none is known."""
    if not any(staff.foot for staff in book.staffs):
        return None
    feet = np.array([0.0, *[staff.foot for staff in book.staffs]])
    return np.asarray(feet[[book.rows[i].staff for i in book.sights]] * np.where(readings < 0, -1.0, 1.0))


def reduced_anew(result: RunResult, settings: RunSettings) -> RunResult:
    """Return the run reduced with other settings."""
    book = replace(result.book, settings=settings)
    return _reduced(book, result.at, result.layout, result.booked, result.distances)


def with_sight(result: RunResult, sight: SightRow) -> RunResult:
    """Return the run with one sight more at its end; the same as reducing the longer book anew.

    Parameters
    ----------
    result : RunResult
    sight : SightRow
        On the last set-up or on a new one after it.
    """
    book = result.book
    sight = replace(sight, instrument=len(book.instruments) - 1, staff=len(book.staffs))
    rows = [*book.rows, sight]
    longer = replace(
        book,
        rows=rows,
        lines=line_added(book.lines, rows),
        sights=[*book.sights, len(rows) - 1],
        style=finer(book.style, book.unit, sight.step),
    )
    return _reduced(
        longer,
        [*result.at, len(book.sights)],
        extended(result.layout, sight.kind, sight.mark, sight.setup),
        np.append(result.booked, sight.reading),
        np.append(result.distances, sight.length(book.instrument.hair_factor)),
    )


def with_reading(result: RunResult, row: int, reading: float) -> RunResult:
    """Return the run with another reading [m] at a row that stands."""
    rows = list(result.book.rows)
    rows[row] = replace(rows[row], reading=reading)
    readings = result.booked.copy()
    readings[result.at[row]] = reading
    return _reduced(replace(result.book, rows=rows), result.at, result.layout, readings, result.distances)


def with_correction(result: RunResult, row: int, sight: SightRow) -> RunResult:
    """Return the run with a row struck and a sight of the same mark and kind behind it in its place."""
    book = result.book
    rows = list(book.rows)
    rows[row] = replace(rows[row], stands=False)
    rows.insert(row + 1, sight)
    lines = [(a + (a > row), b + (b > row)) for a, b in book.lines]
    n = next(i for i, (a, b) in enumerate(lines) if row in (a, b))
    a, b = lines[n]
    lines[n : n + 1] = [(row, -1), (a + 1 if a == row else a, b + 1 if b == row else b)]
    if b == row:  # a backsight struck: it stands on a line of its own behind its foresight
        lines[n : n + 2] = [(a, row + 1), (row, -1)]
    sights = [i + (i >= row) for i in book.sights]
    changed = replace(
        book, rows=rows, lines=lines, sights=sights, style=finer(book.style, book.unit, sight.step)
    )
    at = [*result.at[:row], -1, *result.at[row:]]
    readings, distances = result.booked.copy(), result.distances.copy()
    readings[at[row + 1]], distances[at[row + 1]] = sight.reading, sight.length(book.instrument.hair_factor)
    return _reduced(changed, at, result.layout, readings, distances)
