"""Posts that can't be seen from the first station, read from others: a line each, and what ties them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.stations import CRITICAL
from vivid_keel.core.quantities import show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.line import u_of
from vivid_keel.trades.supports.ties import HERE, MARK

NAME_LENGTH = 20
"""No station has a longer name."""


class StationsSheet(Sheet):
    """What was read from other stations, and how it fits."""

    columns: Sequence[Column] = (
        Column("Station", 110),
        Column("Post or mark", 190),
        Column("Reading", 110, True),
        Column("Residual, mm", 120, True),
        Column("", 0),
    )
    hint = "Station, post or watch mark, reading · read the watch mark and a post from both stations: that ties and checks them"

    def __init__(self, desk: SupportsDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "From other stations"
        self.columns = in_unit(type(self).columns, desk.book.style.small)
        self.ties = desk.book.ties.get(phase)
        self.seen = self.ties.seen if self.ties is not None else ()
        self.typed = desk.typed(f"station-{phase}")
        self.names = {point.id: point.name for point in desk.book.points} | {MARK: desk.book.reference_name}

    @property
    def count(self) -> int:
        return len(self.seen) + 1 if self.desk.book.points else 0

    def first(self) -> Place:
        return (len(self.seen), 0)

    def lit(self, row: int) -> bool:
        return row == len(self.seen)

    def _usual(self, column: int) -> str:
        """What is proposed on the last line: the station in hand, and the next post that isn't read."""
        if column == 0:
            return self.seen[-1].station if self.seen else "2"
        if not self.seen and column == 1:
            return self.desk.book.reference_name
        unread = (p.name for p in self.desk.book.points if p.read(self.phase) is None and not p.aside)
        return next(unread, self.desk.book.reference_name) if column == 1 else "read"

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.seen):
            if column > 2:
                return Cell()
            said = self.typed.get(column, "")
            return Cell(said, editable=True, hint="" if said else self._usual(column))
        one, style = self.seen[row], self.desk.book.style
        if column == 0:
            return Cell(one.station, bold=True)
        if column == 1:
            return Cell(self.names.get(one.point, "?"), bold=True)
        if column == 2:
            return Cell(show_length(one.read.value, style), editable=True, bold=True)
        v = self.ties.residual(one) if self.ties is not None else float("nan")
        if column == 3:
            return Cell("" if np.isnan(v) else style.amount(v, 1, signed=True), ink="muted")
        if self.ties is None or self.ties.tied is None:
            return Cell("not tied", ink="wrong")
        return Cell("disagrees" if self._odd(row) else "", ink="wrong")

    def _odd(self, row: int) -> bool:
        """Whether a reading is among those that fit worst, beyond what chance does."""
        assert self.ties is not None and self.ties.tied is not None
        w = self.ties.tied.standardised[len(self.ties.readings) - len(self.seen) + row]
        u = float(u_of(self.desk.book, self.phase).max())
        return not np.isnan(w) and w / u > CRITICAL

    def completions(self, row: int, column: int) -> list[str]:
        return list(self.names.values()) if column == 1 else []

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if row < len(self.seen):
            old = desk.file.journal.entries[self.seen[row].id]
            body = {**old.body, "reading": as_read(desk.parse_reading(clean))}
            return Taken([Draft(desk.work, "from-station", body, strikes=old.id)], (row + 1, 0))
        clean = clean or self._usual(column)
        if column == 0:
            if clean == HERE or len(clean) > NAME_LENGTH:
                raise KeelError(
                    "bad-value",
                    f"“{clean}”: {HERE} is the station of the sheet As found; name another one, such as 2",
                )
            self.typed[0] = clean
            return Taken([], (row, 1))
        if column == 1:
            self.typed[1] = self.names[self._point(clean)]
            self.typed.setdefault(0, self._usual(0))
            return Taken([], (row, 2))
        name = self.typed.get(1) or self._usual(1)
        station = self.typed.get(0) or self._usual(0)
        body_: dict[str, Any] = {
            "station": station,
            "phase": self.phase,
            "reading": as_read(desk.parse_reading(clean)),
        }
        if point := self._point(name):
            body_["point"] = point
        return Taken([Draft(desk.work, "from-station", body_)], (row + 1, 1), self.typed)

    def _point(self, name: str) -> int:
        """The id of a post by its name; 0 for the watch mark."""
        found = next((id for id, known in self.names.items() if known.lower() == name.lower()), None)
        if found is None:
            if name.lower() in {"mark", "watch", "watch mark"}:
                return MARK
            raise KeelError(
                "unknown-name",
                f"“{name}” is no post here; type a post such as {self.desk.book.points[0].name}, or {self.desk.book.reference_name}",
            )
        return found

    def start_text(self, row: int, column: int) -> str:
        return self.seen[row].read.text if row < len(self.seen) and column == 2 else ""

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.seen):
            return None
        one = self.seen[row]
        return f"{one.read.text} at {self.names.get(one.point, '?')} from {one.station}", one.id

    def picked(self, row: int) -> int:
        ids = [point.id for point in self.desk.book.points]
        point = self.seen[row].point if row < len(self.seen) else MARK
        return ids.index(point) if point in ids else -1


def stations_place(desk: SupportsDesk) -> int:
    """Return which sheet of Readings that is."""
    return [sheet.name for sheet in desk.sheets("Readings")].index("From other stations")
