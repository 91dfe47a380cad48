"""What the line's own slope does to every post: where the instrument stands, and whether it is taken out."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length, show_amount, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.line import distances

HEAD = 4


class LineSheet(Sheet):
    """The station, the switch, and each post's part."""

    name = "Corrections"
    columns: Sequence[Column] = (
        Column("", 34),
        Column("What", 250),
        Column("", 130, True),
        Column("c·D, mm", 110, True),
        Column("", 0),
    )
    hint = "Type where the instrument stands, on the supports' own plan · Enter on a yes or no switches · readings stay as read"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk, self.book = desk, desk.book
        self.columns = in_unit(type(self).columns, desk.book.style.small)
        self.distances = distances(desk.book)

    @property
    def count(self) -> int:
        return HEAD + len(self.book.points)

    def first(self) -> Place:
        return (0, 2) if self.book.station is None else (2, 1)

    def cell(self, row: int, column: int) -> Cell:
        b, i = self.book, self.book.instrument
        collimation = i.collimation if i is not None else None
        if row < 2:
            value = "" if b.station is None else f"{b.style.place(b.station[row])} {b.style.far}"
            return (
                Cell(),
                Cell(("Instrument stands, along", "Instrument stands, across")[row]),
                Cell(value, bold=True, editable=True, hint="" if value else b.style.far),
                Cell(),
                Cell("from where the posts are counted; may be below 0", ink="muted"),
            )[column]
        if row == 2:
            known = (
                "not known: check the instrument"
                if collimation is None
                else f"slope {show_number(collimation * 1000, 3, signed=True)} mm/m"
            )
            return (
                Cell(sign="in" if b.use_collimation and collimation is not None else ""),
                Cell("collimation error taken out", bold=b.use_collimation),
                Cell("yes" if b.use_collimation else "no"),
                Cell(),
                Cell(known, ink="muted"),
            )[column]
        if row == 3:
            own = {staff.foot for staff in b.staffs if staff.foot}
            note = (
                "reads too long by " + ", ".join(f"{show_amount(v, b.style)}" for v in sorted(own))
                if own
                else "none known: see Instrument, Staff"
            )
            return (
                Cell(sign="in" if b.use_staff and own else ""),
                Cell("scale's own foot taken out", bold=b.use_staff),
                Cell("yes" if b.use_staff else "no"),
                Cell(),
                Cell(note, ink="muted"),
            )[column]
        point, d = b.points[row - HEAD], self.distances[row - HEAD]
        if is_missing(d):
            return Cell(
                (" ", point.name, "", "", "where does the instrument stand?")[column].strip(), ink="muted"
            )
        amount = "" if collimation is None else self.desk.book.style.amount(collimation * d, 2, signed=True)
        return Cell(
            (
                "",
                point.name,
                f"{b.style.place(d)} {b.style.far}",
                amount,
                "the line is that much higher there" if amount else "",
            )[column],
            ink="muted" if column == 4 else "ink",
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        value = parse_length(text, self.book.style.far, self.desk.decimal_mark).value
        if abs(value) > 1000:
            raise KeelError("bad-value", f"{text.strip()} is not beside these posts; was another unit meant?")
        x, y = self.book.station or (0.0, 0.0)
        station = (value, y) if row == 0 else (x, value)
        return Taken(
            [Draft(self.desk.work, "station", {"x_m": station[0], "y_m": station[1]})],
            (row + 1, 2 if row == 0 else 1),
        )

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        book = self.book
        if row == 2:
            made += self._switch(use_collimation=not book.use_collimation)
        elif row == 3 and any(staff.foot for staff in book.staffs):
            made += self._switch(use_staff=not book.use_staff)
        return Taken(made, (row, 1))

    def _switch(self, **change: bool) -> list[Draft]:
        body = {"use_collimation": self.book.use_collimation, "use_staff": self.book.use_staff, **change}
        return [Draft(self.desk.work, "corrections", body)]

    def picked(self, row: int) -> int:
        return row - HEAD if row >= HEAD else -1
