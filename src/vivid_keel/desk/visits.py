"""The visits side by side: what stood where, as found and as left, what moved in between, and when it will be out."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Any, Protocol

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.visits import CROSSES, Drift, Visit, crossing_words, years
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken
from vivid_keel.figures.display import Picture
from vivid_keel.figures.over_time import Course, Scale, over_time


class VisitView(Struct, frozen=True):
    """What a work hands over to have its visits shown.

    Attributes
    ----------
    head : str
        What a line is: a post, a column, a tilt.
    names : sequence of str
    labels : sequence of str
        Of the visits at which something was read, oldest first: told at once.
    unit : str
        Of what is shown.
    amount : callable
        (value [SI], decimals, signed) to its text, without the unit.
    told : callable
        Works out the visits, what every line did between them, and what they count from, in words.
    read : bool
        Whether anything was read at the visit in hand.
    first : str
        What is to be read as found at a new visit.
    """

    head: str
    names: Sequence[str]
    labels: Sequence[str]
    unit: str
    amount: Callable[[float, int, bool], str]
    told: Callable[[], tuple[list[Visit], dict[str, Drift], str]]
    read: bool
    first: str


class Visited(Protocol):
    """A desk whose work is looked at again after weeks or years."""

    work: int

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        ...


ONE = {"in": 0.0254, "°": math.radians(1)}
"""What one of a unit is, where it isn't a thousandth [m or rad]."""


def visits_pictures(desk: Visited) -> list[tuple[str, Callable[[Any, float, float], Picture]]]:
    """Return the picture of a work's visits, where there is more than one."""
    return [("Over the visits", visits_picture)] if len(desk.visit_view().labels) > 1 else []


def visits_picture(desk: Visited, width: float, height: float) -> Picture:
    """Return every point over the visits, as found and as left, against where it was first found."""
    view = desk.visit_view()
    visits, drifts, _ = view.told()
    if not visits:
        return over_time([], [], Scale(view.unit, 1e-3, str), math.nan, width, height)
    start = visits[0].began
    courses = []
    for name in view.names:
        read = [one for one in visits if not is_missing(one.found.get(name, math.nan))]
        if len(read) < 2:
            continue
        told = [(one, one.began, one.found[name]) for one in read]
        told += [(one, one.ended, one.left[name]) for one in read if name in one.left]
        told.sort(key=lambda at: at[1])  # as found before as left: the sort keeps their order
        drift, first = drifts.get(name), read[0]
        moved = drift is not None and drift.moved == "moved"
        courses.append(
            Course(
                name,
                [years(start, when) for _, when, _ in told],
                [height_then - first.found[name] for _, _, height_then in told],
                [2 * math.hypot(first.u, one.u) for one, _, _ in told],
                moved,
                rate=math.nan if drift is None else drift.rate,
                U_rate=math.nan if drift is None else drift.U_rate,
            )
        )
    return over_time(
        courses,
        [(years(start, one.began), one.began.date(), one.label) for one in visits],
        Scale(view.unit, ONE.get(view.unit, 1e-3), lambda value: view.amount(value, 1, True)),
        math.nan,
        width,
        height,
    )


SHOWN = 2
"""Visits that stand side by side: the first and the last."""


class VisitsSheet(Sheet):
    """Every point at every visit, in mm against where it was first found; what it did between the visits."""

    name = "Visits"
    hint = "A visit: as found, rounds, as left. Looking again weeks or years after the work was left begins a new one"

    def __init__(self, desk: Visited) -> None:
        self.desk, self.view = desk, desk.visit_view()
        self.labels, self.points = self.view.labels, self.view.names
        self.pairs = min(len(self.labels), SHOWN)
        between, unit = len(self.labels) > 1, self.view.unit
        wide = 9 * max(len(self.view.amount(0.0, 1, False)) - 3, 0)  # of finer amounts than tenths
        columns = [Column(self.view.head, 104)]
        for label in [*self.labels[:1], *self.labels[1:][-(SHOWN - 1) :]]:
            columns += [
                Column(f"{label} found" if not wide else label, 130 - 2 * wide, True),
                Column("left", 56, True),
            ]
        if between:
            columns += [
                Column(f"Since, {unit}", 82 + 2 * wide, True),
                Column("± U", 46 + wide, True),
                Column(f"{unit} a year", 96 + 3 * wide, True),
            ]
        columns.append(Column("Out of tolerance" if between else "", 0))
        self.columns = tuple(columns)

    @cached_property
    def _told(self) -> tuple[list[Visit], dict[str, Drift], str]:
        """The visits, what every point did between them, and what their heights count from: worked out once it is shown."""
        visits, drifts, datum = self.view.told()
        return visits[:1] + visits[1:][-(SHOWN - 1) :], drifts, datum

    @property
    def count(self) -> int:
        return len(self.points) + 1

    def first(self) -> Place:
        return (len(self.points), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row >= len(self.points):
            if column == 0:
                return Cell("New", bold=True)
            return Cell("Enter begins it" if column == len(self.columns) - 1 else "", ink="muted")
        name = self.points[row]
        if column == 0:
            return Cell(name, bold=True)
        if column <= 2 * self.pairs:
            shown = self._told[0]
            visit = shown[(column - 1) // 2]
            heights = visit.found if column % 2 else visit.left
            first = shown[0].found.get(name, math.nan)
            known = name in heights and not is_missing(first)
            return Cell(self.view.amount(heights[name] - first, 1, True) if known else "")
        drift = self._told[1].get(name)
        if drift is None:
            return Cell(
                "read at one visit only" if len(self.labels) > 1 and column == len(self.columns) - 1 else "",
                ink="muted",
            )
        return self._drift(drift, column - 2 * self.pairs - 1)

    def _drift(self, drift: Drift, column: int) -> Cell:
        if column == 0:
            sign = "out" if drift.moved == "moved" else "open"
            return Cell(
                self.view.amount(drift.change, 1, True),
                bold=drift.moved == "moved",
                sign=sign,
            )
        if column == 1:
            return Cell(self.view.amount(drift.U, 1, False), ink="muted")
        if column == 2:
            if is_missing(drift.rate):
                return Cell()
            return Cell(
                f"{self.view.amount(drift.rate, 1, True)} ± {self.view.amount(drift.U_rate, 1, False)}"
            )
        return Cell(crossing_words(drift), ink="ink" if drift.crosses == CROSSES else "muted")

    def enter(self, row: int) -> Taken:
        if row < len(self.points):
            return Taken()
        if not self.view.read:
            raise KeelError("bad-value", f"nothing was read at this visit yet; {self.view.first}")
        return Taken([Draft(self.desk.work, "visit", {})], Goto("Readings", 0))

    def footer(self) -> list[tuple[str, str]]:
        return [(self._told[2], "")] if len(self.labels) > 1 else []
