"""The visits side by side: what stood where, as found and as left, what moved in between, and when it will be out."""

from __future__ import annotations

import math
from functools import cached_property

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.visits import CROSSES, HOLDS, HORIZON, Drift, Visit
from vivid_keel.desk.base import Cell, Column, Goto, Place, Sheet, Taken, in_unit
from vivid_keel.desk.moving.desk import MovingDesk

SHOWN = 2
"""Visits that stand side by side: the first and the last."""


class VisitsSheet(Sheet):
    """Every point at every visit, in mm against where it was first found; what it did between the visits."""

    name = "Visits"
    hint = "A visit: as found, rounds, as left. Looking again weeks or years after the work was left begins a new one"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.labels = desk.visit_labels()
        self.points = [point.name for point in desk.book.points]
        self.pairs = min(len(self.labels), SHOWN)
        between = len(self.labels) > 1
        columns = [Column("Post", 62)]
        for label in self.labels[:1] + self.labels[1:][-(SHOWN - 1) :]:
            columns += [Column(f"{label} found", 130, True), Column("left", 56, True)]
        if between:
            columns += [Column("Since, mm", 82, True), Column("± U", 46, True), Column("mm a year", 96, True)]
        columns.append(Column("Out of tolerance" if between else "", 0))
        self.columns = in_unit(tuple(columns), desk.book.style.small)

    @cached_property
    def _told(self) -> tuple[list[Visit], dict[str, Drift], str]:
        """The visits, what every point did between them, and what their heights count from: worked out once it is shown."""
        visits, drifts, datum = self.desk.visited()
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
            return Cell(self.desk.book.style.amount((heights[name] - first), 1, signed=True) if known else "")
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
                self.desk.book.style.amount(drift.change, 1, signed=True),
                bold=drift.moved == "moved",
                sign=sign,
            )
        if column == 1:
            return Cell(self.desk.book.style.amount(drift.U, 1), ink="muted")
        if column == 2:
            if is_missing(drift.rate):
                return Cell()
            return Cell(
                f"{self.desk.book.style.amount(drift.rate, 1, signed=True)} ± {self.desk.book.style.amount(drift.U_rate, 1)}"
            )
        return Cell(self._when(drift), ink="ink" if drift.crosses == CROSSES else "muted")

    def _when(self, drift: Drift) -> str:
        if drift.crosses == HOLDS:
            return f"not within {HORIZON:g} years"
        if drift.crosses == CROSSES:
            if drift.latest <= 0:
                return "is out already"
            return f"in {show_number(drift.earliest, 1)} to {show_number(drift.latest, 1)} years"
        if is_missing(drift.earliest) or drift.earliest > HORIZON:
            return drift.crosses
        return f"in {show_number(drift.earliest, 1)} years at the earliest; {drift.crosses}"

    def enter(self, row: int) -> Taken:
        if row < len(self.points):
            return Taken()
        if not self.desk.result.read:
            raise KeelError(
                "bad-value", "nothing was read at this visit yet; read the points as they are found"
            )
        return Taken([Draft(self.desk.work, "visit", {})], Goto("Readings", 0))

    def footer(self) -> list[tuple[str, str]]:
        return [(self._told[2], "")] if len(self.labels) > 1 else []
