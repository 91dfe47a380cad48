"""What else was read at a sight: outer hairs, a second look, and where it stood on paper."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import KINDS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_length, show_move, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Sheet, Taken
from vivid_keel.trades.run.axes import azimuth_of, show_side, tells_sides
from vivid_keel.trades.run.changes import changed_sights
from vivid_keel.trades.run.desk import RunDesk

UPPER, LOWER, LOOK, PAGE, READ_AT, SIDE = 3, 4, 7, 9, 10, 11
FIELDS = {UPPER: "upper", LOWER: "lower", LOOK: "look"}
AFTER = {UPPER: LOWER, LOWER: LOOK}


class LooksSheet(Sheet):
    """A line per sight: three hairs with distance and middle check, second look, page and time on paper."""

    name = "Hairs and looks"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.hint = "Upper, lower, second look: Enter goes on · the second look stands beside the first, never over it"
        if tells_sides(desk.book):
            self.hint = "Side of the laser that faces the staff: X+, Y+, X−, Y−, or degrees from X+ towards Y+ · Enter goes down"
        wide = 78 if desk.book.unit == "ft-in" else 64
        self.columns = (
            Column("Mark", 0),
            Column("", 34),
            Column("Middle", wide, True),
            Column("Upper", wide, True),
            Column("Lower", wide, True),
            Column(f"Dist, {desk.book.style.far}", 62, True),
            Column("Check", 76, True),
            Column("2nd look", wide, True),
            Column("Differs", 76, True),
            Column("Page", 50),
            Column("On paper", 80),
            *([Column("Side", 56)] if tells_sides(desk.book) else []),
        )

    @property
    def count(self) -> int:
        return len(self.desk.book.sights)

    def cell(self, row: int, column: int) -> Cell:
        book = self.desk.book
        at = book.sights[row]
        sight, style = book.rows[at], book.style
        if column == 0:
            return Cell(sight.mark, sign="out" if at in self.desk.doubted else "")
        if column == 1:
            return Cell(KINDS[sight.kind], ink="muted")
        if column == 2:
            return Cell(show_length(sight.reading, style), bold=True)
        if column in FIELDS:
            value = getattr(sight, FIELDS[column])
            return Cell("" if is_missing(value) else show_length(value, style), editable=True)
        if column in (PAGE, READ_AT):
            return Cell(sight.page if column == PAGE else sight.read_at, ink="muted", editable=True)
        if column == SIDE:
            return Cell(show_side(sight.azimuth), editable=True)
        if column == 8:
            off = sight.look - sight.reading
            return Cell("" if is_missing(off) else show_move(off, style), ink=self._ink(at, "looks"))
        return self._from_hairs(at, column)

    def _from_hairs(self, at: int, column: int) -> Cell:
        sight, book = self.desk.book.rows[at], self.desk.book
        if column == 5 and not is_missing(sight.distance):
            return Cell(self.desk.book.style.distance(sight.distance), ink="muted")
        try:
            found = stadia(sight.reading, *sight.hairs(), book.instrument.hair_factor)
        except KeelError:
            return Cell("order?", ink="wrong", wrong=True)
        if column == 5:
            return Cell("" if found.distance is None else show_number(found.distance, 1), ink="muted")
        if found.middle_check is None:
            return Cell()
        return Cell(show_move(found.middle_check, book.style), ink=self._ink(at, "hairs"))

    def _ink(self, at: int, what: str) -> str:
        return "wrong" if self.desk.doubted.get(at) == what else "muted"

    def start_text(self, row: int, column: int) -> str:
        sight = self.desk.book.rows[self.desk.book.sights[row]]
        body = self.desk.file.journal.entries[sight.id].body
        if column in FIELDS:
            return str(body[FIELDS[column]]["text"]) if FIELDS[column] in body else ""
        return self.cell(row, column).text

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        at, clean = self.desk.book.sights[row], text.strip()
        change: dict[str, Any]
        if column in FIELDS:
            change = {FIELDS[column]: as_read(self.desk.take_reading(clean)) if clean else None}
            self._in_order(at, change)
        elif column == SIDE:
            change = {"azimuth": azimuth_of(clean) if clean else None}
        else:
            change = {"page" if column == PAGE else "read_at": clean or None}
        made += changed_sights(self.desk, [(at, change)])
        if column in AFTER:
            return Taken(made, (row, AFTER[column]))
        below = min(row + 1, self.count - 1)
        return Taken(made, (below, UPPER if column == LOOK else column))

    def _in_order(self, at: int, change: dict[str, Any]) -> None:
        """Refuse a hair on the wrong side of the middle one, where it is typed."""
        sight = self.desk.book.rows[at]
        upper, lower = sight.hairs()
        if "upper" in change:
            upper = change["upper"]["m"] if change["upper"] else None
        if "lower" in change:
            lower = change["lower"]["m"] if change["lower"] else None
        if "look" not in change:
            stadia(sight.reading, upper, lower)

    def picked(self, row: int) -> int:
        return self.desk.book.sights[row] if 0 <= row < self.count else -1

    def row_of(self, picked: int) -> int:
        return self.desk.result.at[picked] if 0 <= picked < len(self.desk.result.at) else -1

    def why(self, row: int) -> Working | None:
        at = self.picked(row)
        return self.desk.result.why_height(at) if at >= 0 else None

    def strike(self, row: int) -> tuple[str, int] | None:
        at = self.picked(row)
        if at < 0:
            return None
        sight = self.desk.book.rows[at]
        return (
            f"{KINDS[sight.kind]} {show_length(sight.reading, self.desk.book.style)} at {sight.mark}",
            sight.id,
        )
