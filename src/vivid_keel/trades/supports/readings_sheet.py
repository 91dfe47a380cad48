"""Readings of the supports, as found and as left, and what they say."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.proof import PROVEN_OUT, VERDICT_WORDS
from vivid_keel.core.quantities import LengthStyle, parse_tilt, show_length, style_for
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read, show
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit
from vivid_keel.figures.symbols import HIGH, LOW
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.reads import Read

LAID = re.compile(r"(.+?)\s+from\s+(.+)", re.IGNORECASE)
"""A level laid from another post."""


def read_in_words(read: Read, style: LengthStyle) -> str:
    """Return a reading as it was read, and from which station where that is another."""
    shown = show_length(read.as_read, style)
    return f"{shown} from {read.station}" if read.station else shown


ASIDE = {"aside", "–", "-", "skip"}
"""Words in place of a reading."""


class _ReadingSheet(Sheet):
    """Readings of one phase, a line per support and one for the watch mark."""

    phase = FOUND
    column = 2

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.points = desk.book.points
        self.columns = in_unit(type(self).columns, desk.book.style.small)

    @property
    def count(self) -> int:
        return len(self.points) + 1 + (self.phase == FOUND) if self.points else 0

    def first(self) -> Place:
        return self.next_place(-1)

    def next_place(self, row: int) -> Place:
        """Return the next support without a reading, after this one first; then the watch mark, where it isn't read yet."""
        n = len(self.points)
        unread = [i for i, p in enumerate(self.points) if p.read(self.phase) is None and not p.aside]
        after = [i for i in unread if i > row] or unread
        if after:
            return (after[0], self.column)
        mark = self.desk.book.reference
        wanted = self.phase not in mark and (self.phase == FOUND or FOUND in mark)
        return (n if wanted and row >= 0 else min(max(row, 0), max(n - 1, 0)), self.column)

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk = self.desk
        if row > len(self.points):
            return self._looks_high(row, text.strip())
        if row < len(self.points) and text.strip().lower() in ASIDE:
            return self._set_aside(row)
        laid = self._from_another(row, text)
        length = desk.parse_reading(text if laid is None else laid)
        if row == len(self.points):
            old = desk.book.reference.get(self.phase)
            body: dict[str, Any] = {
                "phase": self.phase,
                "reading": as_read(length),
                "name": desk.book.reference_name,
            }
            made.append(Draft(desk.work, "reference", body, strikes=old.id if old else None))
            return Taken(made, (row, self.column))
        point = self.points[row]
        read = point.read(self.phase)
        desk.ask_odd_reading(row, self.phase, length)
        body = {"point": point.id, "phase": self.phase, "reading": as_read(length)}
        if laid is not None:
            body["remark"] = f"by a level: {text.strip()}"
        if point.aside:
            made += desk.takes_back(point.id)
        if read is None or read.text != (laid or text.strip()) or read.value != length.value:
            if self.phase == LEFT:
                made += desk.booked_as_planned(row)  # what was put in elsewise is booked under Moves
            made.append(Draft(desk.work, "reading", body, strikes=read.id if read else None))
        return Taken(made, lambda sheet: sheet.next_place(row))

    def _from_another(self, row: int, text: str) -> str | None:
        """Return the scale reading that a level laid from another post tells, typed as `0.6 mm/m from A1` (+ this post high); None for
        no such text. The scale then reads as much more, or less, as this post stands higher."""
        found = LAID.fullmatch(text.strip())
        if found is None or row >= len(self.points):
            return None
        point, desk = self.points[row], self.desk
        other = next((p for p in self.points if p.name.lower() == found[2].strip().lower()), None)
        read = None if other is None else other.read(self.phase)
        if other is None or other.id == point.id or read is None:
            raise KeelError(
                "unknown-name",
                f"“{found[2].strip()}” is no other post that is read here; lay the level from one that is",
            )
        far = math.hypot(point.x - other.x, point.y - other.y)
        if far <= 0:
            raise KeelError(
                "bad-value", f"{other.name} and {point.name} stand at one place; say where under Set-up"
            )
        rise = math.tan(parse_tilt(found[1], "mm/m", desk.decimal_mark).value) * far
        height = read.value * signs([other.sense])[0] + rise
        return show_length(float(height * signs([point.sense])[0]), style_for(desk.book.unit, 0.0001))

    def _set_aside(self, row: int) -> Taken:
        """Set a support aside by a word: it can't be read, or needn't be, and owns no next step."""
        point = self.points[row]
        made = [] if point.aside else [Draft(self.desk.work, "aside", {"point": point.id})]
        return Taken(made, lambda sheet: sheet.next_place(row))

    def _looks_high(self, row: int, name: str) -> Taken:
        """Take the post that looks high by eye; what the readings say of it is said at the right."""
        made: list[Draft] = []
        point = next((p for p in self.points if p.name.lower() == name.lower()), None)
        if point is None:
            raise KeelError(
                "unknown-name",
                f"“{name}” is no post here; name one that looks high by eye, such as {self.points[0].name}",
            )
        if point.id != self.desk.book.by_eye:
            made.append(Draft(self.desk.work, "by-eye", {"point": point.id}))
        return Taken(made, (row, self.column))

    def eye_cell(self, column: int) -> Cell:
        """The line of the post that looks high."""
        name = next((point.name for point in self.points if point.id == self.desk.book.by_eye), "")
        if column == self.column:
            return Cell(name, editable=True, hint="" if name else "which post")
        return Cell(
            ("Looks high", "by eye; tells if the scale's sense is turned round")[column]
            if column < 2
            else "",
            ink="muted",
        )

    def completions(self, row: int, column: int) -> list[str]:
        return [point.name for point in self.points] if row > len(self.points) else []

    def watch_cell(self, column: int) -> Cell:
        """The line of the watch mark, off the structure."""
        read = self.desk.book.reference.get(self.phase)
        if column == 0:
            return Cell(self.desk.book.reference_name, ink="muted")
        if column == 1:
            return Cell("off the structure, scale stands", ink="muted")
        if column == self.column:
            return Cell(
                show_length(read.value, self.desk.book.style) if read else "",
                editable=True,
                hint="" if read else "optional",
            )
        return Cell()

    def start_text(self, row: int, column: int) -> str:
        if row > len(self.points):
            return self.eye_cell(column).text
        read = (
            self.desk.book.reference.get(self.phase)
            if row == len(self.points)
            else self.points[row].read(self.phase)
        )
        return read.text if read else ""

    def picked(self, row: int) -> int:
        return row if row < len(self.points) else -1

    def row_of(self, picked: int) -> int:
        return picked

    def lit(self, row: int) -> bool:
        return (
            row < len(self.points)
            and self.points[row].read(self.phase) is None
            and self.next_place(-1)[0] == row
        )

    def strike(self, row: int) -> tuple[str, int] | None:
        if row > len(self.points):
            entry = self.desk.file.journal.latest(self.desk.work, "by-eye")
            return ("what looks high", entry.id) if entry else None
        if row >= len(self.points):
            read = self.desk.book.reference.get(self.phase)
            return (f"the watch mark's reading {read.text}", read.id) if read else None
        read = self.points[row].read(self.phase)
        return (f"{read.text} at {self.points[row].name}", read.id) if read else None


class FoundSheet(_ReadingSheet):
    """As-found readings."""

    name = "As found"
    columns: Sequence[Column] = (
        Column("Post", 110),
        Column("Row", 0),
        Column("Reading", 150, True),
        Column("Scale", 90),
        Column("Struck", 150),
    )
    hint = "Enter takes it and goes to the next post · “aside” for one that can't be read · the watch mark ties a later line"

    def cell(self, row: int, column: int) -> Cell:
        if row > len(self.points):
            return self.eye_cell(column)
        if row == len(self.points):
            return self.watch_cell(column)
        point = self.points[row]
        if column == 0:
            return Cell(point.name, bold=True)
        if column == 1:
            return Cell(point.row, ink="muted")
        if column == 2:
            return Cell(
                read_in_words(point.found, self.desk.book.style) if point.found else "",
                bold=True,
                editable=True,
                hint="" if point.found else "set aside" if point.aside else "read",
            )
        if column == 3:
            return Cell(point.sense, ink="muted")
        return Cell(", ".join(point.struck), ink="muted", struck=True)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(row) if row < len(self.points) else None


class DeviationsSheet(Sheet):
    """Heights on the line, and how far each is from the target."""

    name = "Heights"
    columns: Sequence[Column] = (
        Column("", 34),
        Column("Post", 100),
        Column("Reading", 110, True),
        Column("Height on the line", 130, True),
        Column("Against target, mm", 140, True),
        Column("± U, mm", 90, True),
        Column("", 0),
    )
    hint = "F4 shows the working"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.columns = in_unit(type(self).columns, desk.book.style.small)

    @property
    def count(self) -> int:
        return len(self.desk.book.points)

    def cell(self, row: int, column: int) -> Cell:
        result, point = self.desk.result, self.desk.book.points[row]
        style = self.desk.book.style
        if column == 0:
            return Cell(sign=result.verdicts[row])
        if column == 1:
            return Cell(point.name, bold=True)
        if column == 2:
            return Cell(read_in_words(point.found, style) if point.found else "not read")
        if column == 3:
            return Cell(show(float(result.heights[row]), style))
        if np.isnan(result.moves[row]):
            return Cell()
        if column == 4:
            return Cell(style.amount(-float(result.moves[row]), 1, signed=True), bold=True)
        if column == 5:
            return Cell(style.amount(2 * float(result.u_deviation[row]), up=True), ink="muted")
        return Cell(VERDICT_WORDS.get(result.verdicts[row], ""), ink="muted")

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(row)


class LeftSheet(_ReadingSheet):
    """As-left readings and the verdicts they give."""

    name = "As left"
    phase = LEFT
    columns: Sequence[Column] = (
        Column("Post", 100),
        Column("As found", 100, True),
        Column("As left", 136, True),
        Column("Against target, mm", 140, True),
        Column("± U, mm", 80, True),
        Column("", 34),
        Column("Verdict", 0),
    )
    hint = "Read every support again · Enter takes it and goes to the next · F4 why"

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return self.watch_cell(column) if column != 1 else Cell()
        r, point, style = self.desk.result, self.points[row], self.desk.book.style
        if column == 0:
            return Cell(point.name, bold=True)
        if column == 1:
            return Cell(read_in_words(point.found, style) if point.found else "not read", ink="muted")
        if column == 2:
            stop = show_length(r.stop_at(row), style) if point.found and not np.isnan(r.target) else ""
            return Cell(
                read_in_words(point.left, style) if point.left else "",
                bold=True,
                editable=True,
                hint=""
                if point.left
                else "set aside"
                if point.aside
                else f"expect {stop}"
                if stop
                else "read",
            )
        if point.left is None or np.isnan(r.left[row]) or np.isnan(r.target):
            return Cell()
        if column == 3:
            return Cell(style.amount(r.deviation_left(row), 1, signed=True), bold=True)
        if r.aim.by_keeper and row == r.aim.keeper:
            return Cell("keeper" if column == 6 else "", ink="muted")
        if column == 4:
            return Cell(style.amount(2 * float(r.u_left[row]), up=True), ink="muted")
        if column == 5:
            side = HIGH if r.deviation_left(row) > 0 else LOW
            return Cell(sign=r.left_verdicts[row] + (side if r.left_verdicts[row] == PROVEN_OUT else ""))
        return Cell(VERDICT_WORDS[r.left_verdicts[row]])

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_left(row) if row < len(self.points) else None
