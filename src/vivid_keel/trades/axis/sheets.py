"""Sheets of an axis: its feet, and what the level showed as the part was turned."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.bubble import BubbleDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.axis import book as _book
from vivid_keel.trades.axis.result import AxisResult, wanted_azimuths


class AxisDesk(BubbleDesk):
    """An axis while it is shown."""

    result: AxisResult

    @property
    def book(self) -> _book.AxisBook:
        return self.result.book

    @property
    def facts(self) -> Stated:
        return self.book.facts

    def bring(self, choice: Any) -> AxisResult:
        from vivid_keel.trades.axis.result import work_out_axis

        return work_out_axis(self.chosen.book, None, choice)  # type: ignore[arg-type]

    def wanted(self, phase: str) -> list[float]:
        return wanted_azimuths(self.book, phase)

    def tilt_row(self, place: float) -> Any:
        return self.result.row_of(place)

    def in_it(self, place: float, zero: float) -> float:
        """The level's zero, which turns along, and of a simulated axis its bearing's wobble."""
        return zero + (self.hidden or {}).get("wobble", 0.0) * math.cos(2 * math.radians(place) + 0.7)

    def reading_draft(self, place: float, phase: str, text: str, tilt: float) -> Draft:
        body = {"azimuth": place, "phase": phase, "text": text}
        step = self.book.division * self.facts.values["read"]
        return Draft(self.work, "turned", {**body, "tilt_rad": tilt, "step_rad": step})

    def told(self, i: int) -> tuple[float, float] | None:
        return self.result.told_at(i)

    def place_words(self, place: float) -> str:
        return self.result.where(place)

    def stop_words(self, i: int) -> str:
        return self.result.stop_words(i)

    def watched(self, i: int) -> tuple[int, int, float] | None:
        return None  # its level points from the middle to a foot: no two feet have it between them

    def read_next(self, phase: str) -> str:
        wanted = self.wanted(phase)
        if not wanted:
            return ""
        return f"turn it {'back to 0°' if wanted[0] == _book.BACK else f'to {wanted[0]:.0f}°'} and read"

    @property
    def left_begun(self) -> bool:
        return bool(self.book.read[LEFT])


class TurnedSheet(Sheet):
    """What the level showed at each azimuth, in the order of work."""

    columns = (
        Column("The part turned", 190),
        Column("Bubble", 130, True),
        Column("Tilt, mm/m", 110, True),
        Column("Fits to, div", 110, True),
        Column("", 0),
    )
    hint = "Divisions, + the level's far end high; the level stays as it lies · 0° is along x, 90° along y"

    def __init__(self, desk: AxisDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "As found" if phase == FOUND else "As left"
        self.read = desk.book.read[phase]
        self.places = [*desk.book.azimuths, *[a for a in self.read if a not in desk.book.azimuths]]
        self.places += [a for a in desk.result.more(phase)[0] if a not in self.places]

    @property
    def count(self) -> int:
        return len(self.places)

    def first(self) -> Place:
        return (next((k for k, a in enumerate(self.places) if a not in self.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        azimuth = self.places[row]
        one = self.read.get(azimuth)
        if column == 0:
            return Cell(self.desk.result.where(azimuth), bold=True)
        if column == 1:
            return Cell(one.text if one else "", bold=True, editable=True, hint="" if one else "div")
        if column == 4 and azimuth == _book.BACK and one is None:
            return Cell("once more where it began: it tells whether the level moved", ink="muted")
        if one is None or column == 4:
            return Cell()
        if column == 2:
            return Cell(show_number(math.tan(one.tilt) * 1000, 3, signed=True), ink="muted")
        off = self.desk.result.would_show(azimuth, self.phase) - one.tilt
        text = "" if math.isnan(off) else show_number(off / self.desk.division, 1, signed=True)
        return Cell(text, ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        tilt, old = self.desk.parse_bubble(text), self.read.get(self.places[row])
        body = {"azimuth": self.places[row], "phase": self.phase, "text": text.strip()}
        made = Draft(
            self.desk.work,
            "turned",
            {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution},
            strikes=old.id if old is not None else None,
        )
        return Taken(
            [made], lambda sheet: sheet.first() if old is None else (min(row + 1, self.count - 1), 1)
        )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row, 1) if 0 <= row < self.count else self.first()

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.read.get(self.places[row]) if row < self.count else None
        return None if one is None else (f"the reading {one.text}", one.id)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(0, self.phase) if self.desk.book.points else None
