"""The leaves in stock."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import Length, parse_length, show_thickness
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import whole_number
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken


class StockSheet(Sheet):
    """Leaves in stock."""

    name = "Stock"
    columns = (
        Column("Leaf", 140, True),
        Column("How many", 120, True),
        Column("In use", 100, True),
        Column("", 0),
    )
    hint = "Thickness, Enter, count, Enter · Ctrl+D strikes a line"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.stock = desk.book.stock
        self.typed = desk.typed("leaf")

    @property
    def count(self) -> int:
        return len(self.stock) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.stock)

    def first(self) -> Place:
        return (len(self.stock), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.stock):
            if column > 1:
                return Cell()
            return Cell(
                self.typed.get(column, ""),
                editable=True,
                hint=""
                if self.typed.get(column)
                else ("3 mm" if self.desk.book.style.small == "mm" else '1/8"', "count")[column],
            )
        leaf = self.stock[row]
        if column == 0:
            return Cell(
                f"{show_thickness(leaf.thickness, self.desk.book.style)}",
                bold=True,
                editable=True,
            )
        if column == 1:
            return Cell(str(leaf.count), editable=True)
        packing = self.desk.result.packing
        if column == 2 and packing is not None:
            used = sum(n for t, n in packing.by_thickness().items() if abs(t - leaf.thickness) < 1e-9)
            return Cell(str(used), ink="muted")
        if column == 3:
            buy = (
                next((n for t, n in (packing.to_buy or ()) if abs(t - leaf.thickness) < 1e-9), 0)
                if packing
                else 0
            )
            words = [
                f"{leaf.used} went in in earlier rounds" if leaf.used else "",
                f"buy {buy} more" if buy else "",
            ]
            return Cell(" · ".join(w for w in words if w), bold=bool(buy))
        return Cell()

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk = self.desk
        if column == 0:
            length = self._thickness(text, row)
            if row == len(self.stock):
                self.typed[0] = text.strip()
                return Taken(made, (row, 1))
            made += self._change(row, leaf=as_read(length))
            return Taken(made, (row, 1))
        count = whole_number(text, "how many leaves of this thickness", 1)
        if row < len(self.stock):
            made += self._change(row, count=count)
            return Taken(made, (len(self.stock), 0))
        if not self.typed.get(0):
            raise KeelError("bad-value", "type the thickness first, at the left")
        leaf = self._thickness(self.typed[0], row)
        made.append(Draft(desk.work, "leaf", {"leaf": as_read(leaf), "count": count}))
        return Taken(made, (len(self.stock) + 1, 0), self.typed)

    def _thickness(self, text: str, row: int) -> Length:
        unit = "in" if self.desk.book.unit in {"ft-in", "in"} else "mm"
        length = parse_length(text, unit, self.desk.decimal_mark)
        if not 0 < length.value <= 0.2:
            raise KeelError("bad-value", "a leaf is above 0 and at most 200 mm thick")
        if any(i != row and abs(leaf.thickness - length.value) < 1e-9 for i, leaf in enumerate(self.stock)):
            raise KeelError(
                "duplicate-name",
                f"{show_thickness(length.value, self.desk.book.style)} is in the list already; change its count there",
            )
        return length

    def _change(self, row: int, **change: Any) -> list[Draft]:
        made: list[Draft] = []
        old = self.desk.file.journal.entries[self.stock[row].id]
        body = {**old.body, **change}
        if body != dict(old.body):
            made.append(Draft(self.desk.work, "leaf", body, strikes=old.id))
        return made

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"{self.stock[row].text} leaves", self.stock[row].id) if row < len(self.stock) else None
