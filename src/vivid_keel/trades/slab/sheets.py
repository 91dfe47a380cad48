"""Sheets of a table: its feet, where the level was laid and what it showed, and the order of work with the bubble's place."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import parse_length, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.bubble import BubbleDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.slab import book as _book
from vivid_keel.trades.slab.result import SlabResult, shown_by, wanted_next, wanted_places

THICKEST = 0.01
"""No gap is taken by feelers that is wider than this [m]."""


class SlabDesk(BubbleDesk):
    """A table while it is shown."""

    result: SlabResult

    @property
    def book(self) -> _book.SlabBook:
        return self.result.book

    @property
    def facts(self) -> Stated:
        return self.book.facts

    def wanted(self, phase: str) -> list[_book.Place]:
        return wanted_places(self.book, phase)

    def tilt_row(self, place: _book.Place) -> Any:
        points = self.book.points
        at = {p.id: k for k, p in enumerate(points)}
        a, b = at[place[0]], at[place[1]]
        row = np.zeros(len(points))
        row[b], row[a] = 1.0, -1.0
        return row / _book.apart(points[a], points[b])

    def in_it(self, place: _book.Place, zero: float) -> float:
        return _book.sense(place) * zero

    def reading_draft(self, place: _book.Place, phase: str, text: str, tilt: float) -> Draft:
        body = {"from": place[0], "to": place[1], "way": place[2], "phase": phase, "text": text}
        step = self.book.division * self.book.facts.values["read"]
        return Draft(self.work, "laid", {**body, "tilt_rad": tilt, "step_rad": step})

    def told(self, i: int) -> tuple[_book.Place, float] | None:
        return self.result.told_at(i)

    def place_words(self, place: _book.Place) -> str:
        return self.result.side(place)

    def bring(self, choice: Any) -> SlabResult:
        from vivid_keel.trades.slab.result import work_out_slab

        return work_out_slab(self.chosen.book, None, choice)  # type: ignore[arg-type]

    def stop_words(self, i: int) -> str:
        return self.result.stop_words(i)

    def watched(self, i: int) -> tuple[int, int, float] | None:
        told, body = self.result.told_at(i), self.result.body
        if told is None or body is None:
            return None
        (start, to, way), shown = told
        return start, to, shown - way * body.zeros.get(LEVEL, 0.0)

    def read_next(self, phase: str) -> str:
        place = wanted_next(self.result, phase)
        if place is not None:
            return f"lay the level {self.result.side(place)}"
        lacking = [d for d in self.book.diagonals if d not in self.book.feelers[phase]]
        if not self.read_sheet(phase) or not lacking:
            return ""
        return f"lay the straightedge {self.result.side((*lacking[0], 1)).replace('→', 'to')}"

    def read_sheet(self, phase: str) -> int:
        return int(bool(self.book.feelers[FOUND]) and not self.book.laid[FOUND])

    @property
    def left_begun(self) -> bool:
        return bool(self.book.laid[LEFT] or self.book.feelers[LEFT])


class LaidSheet(Sheet):
    """Where the level is laid, in the order of work, and what it showed."""

    columns = (
        Column("From → to", 190),
        Column("Bubble", 130, True),
        Column("Tilt, mm/m", 110, True),
        Column("Fits to, div", 110, True),
        Column("", 0),
    )
    hint = "Divisions, + where the arrow's end is high; or any tilt with its unit (0.06 mm/m, 12″) · Enter goes on"

    def __init__(self, desk: SlabDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "As found" if phase == FOUND else "As left"
        self.laid = desk.book.laid[phase]
        more = [place for place in self.laid if place not in desk.book.places]
        following = wanted_next(desk.result, phase)
        self.places = [*desk.book.places]
        if not wanted_places(desk.book, phase):
            self.places += desk.book.sure
        self.places += [place for place in more if place not in self.places]
        if following is not None and following not in self.places:
            self.places.append(following)
        self.places += [p for p in desk.result.more(phase)[0] if p not in self.places]
        self.body = desk.result.body if phase == FOUND else desk.result.body_left

    @property
    def count(self) -> int:
        return len(self.places)

    def first(self) -> Place:
        return (next((k for k, p in enumerate(self.places) if p not in self.laid), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        place = self.places[row]
        one = self.laid.get(place)
        if column == 0:
            return Cell(self.desk.result.side(place), bold=True)
        if column == 1:
            return Cell(one.text if one else "", bold=True, editable=True, hint="" if one else "div")
        if one is None or column == 4:
            return Cell(self._why(place) if column == 4 and one is None else "", ink="muted")
        if column == 2:
            return Cell(show_number(math.tan(one.tilt) * 1000, 3, signed=True), ink="muted")
        return Cell(self._fits(place, one.tilt), ink="muted")

    def _why(self, place: _book.Place) -> str:
        """What a reading that is still to be made would tell, where it isn't one like the others."""
        if place[2] == -1:
            return "the same side once more: it frees all of the level's own error"
        if place not in self.desk.book.sure:
            return ""
        return (
            "come back to the first side: did anything move?"
            if place[2] == _book.AGAIN
            else "to be sure: does it agree?"
        )

    def _fits(self, place: _book.Place, tilt: float) -> str:
        if self.body is None:
            return ""
        off = shown_by(self.desk.book, self.body, place) - tilt
        return "" if math.isnan(off) else show_number(off / self.desk.book.division, 1, signed=True)

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, place = self.desk, self.places[row]
        tilt = desk.parse_bubble(text)
        body = {"from": place[0], "to": place[1], "way": place[2], "phase": self.phase}
        body |= {"text": text.strip(), "tilt_rad": tilt.value, "step_rad": tilt.resolution}
        old = self.laid.get(place)
        made = Draft(desk.work, "laid", body, strikes=old.id if old is not None else None)
        return Taken(
            [made], lambda sheet: sheet.first() if old is None else (min(row + 1, self.count - 1), 1)
        )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row, 1) if 0 <= row < self.count else self.first()

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.laid.get(self.places[row])
        return None if one is None else (f"the reading {one.text}", one.id)

    def why(self, row: int) -> Working | None:
        to = self.places[row][1]  # the foot that this side carries a height to
        i = next((k for k, p in enumerate(self.desk.book.points) if p.id == to), None)
        return None if i is None else self.desk.result.why_move(i, self.phase)


class FeelerSheet(Sheet):
    """What light is under a straightedge on each diagonal, by feelers: what passes, and what doesn't."""

    columns = (
        Column("Straightedge", 150),
        Column("Gap in the middle", 170, True),
        Column("Rocks: both end gaps, together", 250, True),
        Column("", 0),
    )
    hint = (
        "The thickest feeler that passes: 0.10 · or what passes and what doesn't: 0.10 0.15 · 0: none passes"
    )

    def __init__(self, desk: SlabDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "Straightedge" if phase == FOUND else "Straightedge, as left"
        self.read = desk.book.feelers[phase]
        self.places = [*desk.book.diagonals, *[p for p in self.read if p not in desk.book.diagonals]]

    @property
    def count(self) -> int:
        return len(self.places)

    def first(self) -> Place:
        return (next((k for k, p in enumerate(self.places) if p not in self.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        place = self.places[row]
        one = self.read.get(place)
        if column == 0:
            return Cell(self.desk.result.side((*place, 1)).replace("→", "to"), bold=True)
        if column in {1, 2}:
            mine = one is not None and one.ends == (column == 2)
            hint = "" if one else self.desk.book.style.small
            return Cell(one.text if one and mine else "", bold=True, editable=True, hint=hint)
        if one is None:
            return Cell()
        style = self.desk.book.style
        return Cell(f"{style.thickness(one.low)} to {style.thickness(one.high)} {style.small}", ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, place, old = self.desk, self.places[row], self.read.get(self.places[row])
        ends = column == 2
        if old is not None and old.ends != ends:
            said = "rocks there" if old.ends else "shows light in the middle there"
            raise KeelError("bad-value", f"it {said} already, and can't do both: strike that first (Del)")
        parts = text.replace("-", " ").replace("–", " ").split()
        if not 1 <= len(parts) <= 2:
            raise KeelError(
                "bad-value", "type the feeler that passes, or that and the next, such as 0.10 0.15"
            )
        lengths = [parse_length(part, desk.book.style.small, desk.decimal_mark).value for part in parts]
        low = lengths[0]
        high = lengths[1] if len(lengths) > 1 else low + desk.book.facts.values["feeler"]
        if low < 0 or high <= low:
            raise KeelError("bad-value", "first what passes, then the thicker one that doesn't")
        if high > THICKEST:
            raise KeelError("bad-value", f"{text.strip()} is no gap for feelers; was another unit meant?")
        body = {"from": place[0], "to": place[1], "ends": ends, "phase": self.phase, "text": text.strip()}
        made = Draft(
            desk.work, "feelers", {**body, "low_m": low, "high_m": high}, strikes=old.id if old else None
        )
        return Taken([made], (min(row + 1, self.count - 1), 1))

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.read.get(self.places[row]) if row < self.count else None
        return None if one is None else (f"the gap {one.text}", one.id)
