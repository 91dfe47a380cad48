"""Everything computed from a run's book."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from vivid_keel.core.booking.checks import PageChecks, page_checks
from vivid_keel.core.booking.closing import Closure, close
from vivid_keel.core.booking.layout import BS, KINDS, Layout, lay_out
from vivid_keel.core.booking.reduction import Reduction, reduce
from vivid_keel.core.booking.uncertainty import height_uncertainty
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.defaults import reading_uncertainty
from vivid_keel.core.quantities import show_length, show_number
from vivid_keel.core.working import Working
from vivid_keel.core.works.run.book import NAN, RunBook, SightRow, page_lines

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Preview:
    """A sight as typed so far: in place of `row`, or as a new one behind `after` when row is -1."""

    row: int
    after: int
    mark: str
    kind: int
    reading: float
    step: float
    setup: int


@dataclass(frozen=True)
class RunResult:
    """A run reduced.

    `at[i]` is the sight (index into the reduction's arrays) of row i of the book, -1 for a struck one.
    """

    book: RunBook
    at: list[int]
    layout: Layout
    reduction: Reduction
    closure: Closure
    distances: Floats
    trouble: dict[int, str]

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
        if not self.closure.spread:
            return height
        s = int(self.layout.setup[i])
        if self.layout.kinds[i] == BS:
            p = self.layout.parent[s]
            return height + (float(self.closure.correction[p]) if p >= 0 else 0.0)
        return height + float(self.closure.correction[s])

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

    def u_readings(self) -> Floats:
        """Standard uncertainty of every reading [m]."""
        i = self.book.instrument
        return reading_uncertainty(i.base, i.per_metre, i.from_distance, i.reach, self.distances)

    def u_heights(self) -> Floats:
        """Standard uncertainty of every sight's height [m]."""
        return height_uncertainty(self.reduction, self.closure, self.u_readings())

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
        reading = float(self.reduction.readings[i])
        if self.layout.kinds[i] == BS:
            return Working(
                f"Height of collimation on {sight.mark}",
                "HC = H + BS",
                f"{show_length(height, style)} + {show_length(reading, style)} = {show_length(hc, style)}",
                (f"BS {sight.mark}, read {sight.text}", self._where_from(i)),
                "The line of sight is level, so everything on it has this height.",
            )
        formula = f"H = HC − {KINDS[sight.kind]}"
        numbers = f"{show_length(hc, style)} − {show_length(reading, style)} = {show_length(height, style)}"
        note = ""
        if self.closure.spread:
            c = self.corrected(row) - height
            formula += ",  H′ = H + correction"
            numbers += f";  {show_length(height, style)} {show_number(c * 1000, 1, signed=True)} mm = {show_length(self.corrected(row), style)}"
            note = "The correction is the set-up's share of the misclosure; the reading stays as it was read."
        rise, fall = self.rise_fall(row)
        other = f"{'Rise' if rise > 0 else 'Fall'} against the sight before: {show_length(max(rise, fall), style)}"
        source = self.book.rows[self.book.sights[back]]
        return Working(
            f"Height of {sight.mark}", formula, numbers,
            (f"{KINDS[sight.kind]} {sight.mark}, read {sight.text}", f"BS {source.mark}, read {source.text}", other),
            note,
        )  # fmt: skip

    def _where_from(self, i: int) -> str:
        s = int(self.layout.setup[i])
        source = self.layout.source[s]
        mark = self.layout.marks[i]
        if source >= 0:
            return f"{mark} as observed at set-up {self.layout.parent[s] + 1}"
        known = next(k for k in self.book.known if k.name == mark)
        return f"{mark} as listed: {known.source}"


def with_preview(book: RunBook, preview: Preview) -> RunBook:
    """Return the book as it would be with what is typed so far."""
    rows = list(book.rows)
    sight = SightRow(0, preview.mark, preview.kind, preview.reading, "", preview.step, NAN, "", True, preview.setup)
    if preview.row >= 0:
        old = rows[preview.row]
        rows[preview.row] = replace(sight, id=old.id, distance=old.distance, remark=old.remark, setup=old.setup)
    else:
        rows.insert(preview.after + 1, sight)
    sights = [i for i, r in enumerate(rows) if r.stands]
    return replace(book, rows=rows, sights=sights, lines=page_lines(rows))


def work_out_run(book: RunBook, layout: Layout | None = None) -> RunResult:
    """Reduce a book.

    Parameters
    ----------
    book : RunBook
    layout : Layout, optional
        Of the same kinds, marks and set-ups, when only a reading has changed since.
    """
    sights = [book.rows[i] for i in book.sights]
    if layout is None:
        layout = lay_out(
            [s.kind for s in sights], [s.mark for s in sights], _dense([s.setup for s in sights]), book.listed
        )
    readings = np.array([s.reading for s in sights], dtype=np.float64)
    distances = np.array([s.distance for s in sights], dtype=np.float64)
    collimation = book.instrument.collimation if book.settings.use_collimation else None
    reduction = reduce(layout, readings, distances, collimation)
    at = [-1] * len(book.rows)
    for i, row in enumerate(book.sights):
        at[row] = i
    trouble = {book.sights[t.row]: t.message for t in layout.troubles}
    settings = book.settings
    try:
        closure = close(reduction, distances, settings.tolerance, settings.spread, override=settings.override)
    except KeelError as error:
        trouble[book.sights[int(error.where)]] = error.message
        closure = close(reduction, distances, settings.tolerance, "none")
    return RunResult(book, at, layout, reduction, closure, distances, trouble)


def _dense(setups: list[int]) -> list[int]:
    """Set-ups renumbered 0, 1, 2 … (a set-up whose sights were all struck leaves no gap)."""
    out: list[int] = []
    number, last = -1, -1
    for s in setups:
        if s != last:
            number, last = number + 1, s
        out.append(number)
    return out
