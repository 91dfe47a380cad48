"""The feet of a body: where they stand, and what packs them; the same sheet for every body on single feet."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.desk.bubble import BubbleDesk
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken


class FeetSheet(Sheet):
    """The feet: where they stand; a new one on the last line."""

    name = "Feet"
    hint = "Type to change · the last line adds a foot · c: carries it · f: follows, as an outrigger does"

    def __init__(self, desk: BubbleDesk) -> None:
        self.desk, self.points = desk, desk.book.points
        far = desk.book.style.far
        self.columns = (
            Column("Foot", 120),
            Column(f"Along, {far}", 120, True),
            Column(f"Across, {far}", 120, True),
            Column(f"Packing there, {desk.book.style.small}", 160, True),
            Column("Carries it", 140),
            Column("", 0),
        )
        self.taken = {point.id for i, point in enumerate(self.points) if i in desk.result.feet}

    @property
    def count(self) -> int:
        return len(self.points) + 1

    def first(self) -> Place:
        return (len(self.points), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return Cell(editable=column == 0, hint="another foot" if column == 0 else "")
        p, style = self.points[row], self.desk.book.style
        stack = style.thickness(p.stack) if p.stack else ""
        if column == 4:
            said = {None: "", True: "▵ carries", False: "follows"}[p.carries]
            taken = (
                "▵ taken to carry" if p.id in self.taken else "taken to follow" if self.taken else "c or f"
            )
            return Cell(said, editable=True, hint="" if said else taken)
        text = (p.name, style.place(p.x), style.place(p.y), stack, "", "")[column]
        return Cell(text, bold=column == 0, editable=column < 4)

    def put_in(self, row: int) -> PutIn | None:
        standing = self.desk.file.journal.standing(self.desk.work, "foot")
        return named_above(self, row, standing, "foot")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if row == len(self.points) or column == 0:
            if not clean:
                raise KeelError("bad-value", "name the foot, such as A")
            if any(p.name == clean for k, p in enumerate(self.points) if k != row):
                raise KeelError("duplicate-name", f"there is a {clean} already; names tell feet apart")
        if row == len(self.points):
            body: dict[str, Any] = {"name": clean, "x_m": 0.0, "y_m": 0.0}
            return Taken([Draft(desk.work, "foot", body)], (row, 1))
        point = self.points[row]
        entry = self._entry(row)
        body = dict(entry.body)
        if column == 0:
            body["name"] = clean
        elif column < 3:
            body["xy"[column - 1] + "_m"] = desk.parse_place(clean)
        elif column == 4:
            body = self._carries(body, clean.lower())
        else:
            put_in = point.stack - float(entry.body.get("stack_m", 0.0))
            value = parse_length(clean, desk.book.style.small, desk.decimal_mark).value if clean else 0.0
            if value < 0:
                raise KeelError("bad-value", "packing is 0 or more")
            body["stack_m"] = value - put_in
        made = [Draft(desk.work, "foot", body, strikes=entry.id)] if body != dict(entry.body) else []
        if column == 4:
            return Taken(made, (min(row + 1, len(self.points) - 1), 4))
        return Taken(made, (row, column + 1) if column < 2 else (row + 1, 0))

    @staticmethod
    def _carries(body: dict[str, Any], text: str) -> dict[str, Any]:
        """The body of a foot with what was said of whether it carries; nothing said takes that back."""
        rest = {key: value for key, value in body.items() if key != "carries"}
        if not text:
            return rest
        if text[0] not in "cf▵":
            raise KeelError(
                "bad-value", "type c for a foot that carries it, f for one that follows, such as an outrigger"
            )
        return {**rest, "carries": text[0] != "f"}

    def _entry(self, row: int) -> Entry:
        """The entry that stands for a foot; no two have one name."""
        name = self.points[row].name
        return next(
            e for e in self.desk.file.journal.standing(self.desk.work, "foot") if e.body["name"] == name
        )

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.points):
            return None
        return f"the foot {self.points[row].name}", self._entry(row).id
