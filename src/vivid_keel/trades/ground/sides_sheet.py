"""The sheet of a piece of ground's sides: how long each is, and which corners are square."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length, show_number
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.ground.desk import FARTHEST, GroundDesk

LONG, CORNER = 2, 3


class SidesSheet(Sheet):
    """The sides: paced or taped from stake to stake, and the corner at the end of each."""

    name = "Sides"
    hint = "Paced or taped, back to the first · a corner: square, square right, or degrees, − to the right"

    def __init__(self, desk: GroundDesk) -> None:
        book = desk.book
        self.desk, self.sides, self.walk = desk, book.sides, desk.result.walk
        self.edge: list[int] = book.edge
        self.columns = (
            Column("From", 120),
            Column("To", 120),
            Column(f"Long, {book.style.far}", 110, True),
            Column("Corner there", 120),
            Column(f"Comes to, {book.style.far}", 120, True),
            Column(f"Longer, {book.style.small}", 0, True),
        )

    @property
    def count(self) -> int:
        return len(self.edge)

    def first(self) -> Place:
        return (next((row for row, k in enumerate(self.edge) if k not in self.sides), 0), LONG)

    def cell(self, row: int, column: int) -> Cell:
        book, k = self.desk.book, self.edge[row]
        side, style = self.sides.get(k), book.style
        if column < 2:
            end = k if column == 0 else self.edge[(row + 1) % len(self.edge)]
            return Cell(book.points[end].name, bold=True)
        if column == LONG:
            return Cell(
                "" if side is None else side.text,
                editable=True,
                hint="how long" if side is None or not side.text else "",
            )
        if column == CORNER:
            return Cell("" if side is None else side.said, editable=True, ink="muted")
        if self.walk is None:
            return Cell()
        longer = float(self.walk.longer[row])
        if column == 4:
            return Cell(style.place((0.0 if side is None else side.length) + longer))
        return Cell(style.amount(longer, 0, signed=True), ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, k = self.desk, self.edge[row]
        side, clean = self.sides.get(k), text.strip()
        old = {} if side is None else dict(desk.file.journal.entries[side.id].body)
        body: dict[str, Any] = {**old, "point": desk.file.journal.first_of(desk.book.points[k].id)}
        if column == LONG:
            length = parse_length(clean, desk.book.style.far, desk.decimal_mark)
            if not 0 < length.value <= FARTHEST:
                raise KeelError("bad-value", f"{text}: expected a length above 0, at most {FARTHEST:.0f} m")
            body["length"] = as_read(length)
        else:
            for name in ("said", "turn_rad", "square"):
                body.pop(name, None)
            if clean:
                body |= self._corner(clean)
        made = (
            [Draft(desk.work, "ground-side", body, strikes=None if side is None else side.id)]
            if body != old
            else []
        )
        return Taken(made, (row, CORNER) if column == LONG else ((row + 1) % len(self.edge), LONG))

    def _corner(self, text: str) -> dict[str, Any]:
        """What was said of a corner: square to the left or the right, or a turn in degrees."""
        words = text.casefold().split()
        if words and "square".startswith(words[0]):
            right = len(words) > 1 and "right".startswith(words[1])
            if len(words) > 2 or (len(words) == 2 and not right and not "left".startswith(words[1])):
                raise KeelError("bad-value", f"“{text}”: expected square, square right, or degrees")
            turn = -math.pi / 2 if right else math.pi / 2
            return {"said": "square right" if right else "square", "turn_rad": turn, "square": True}
        degrees, _ = parse_number(text.rstrip("° ").replace("−", "-"), self.desk.decimal_mark)
        if not 0 < abs(degrees) < 180:
            raise KeelError(
                "bad-value", f"{text}: nobody turns by so much; expected degrees below 180, − to the right"
            )
        return {
            "said": f"{show_number(degrees, 1).rstrip('0').rstrip('.')}°",
            "turn_rad": math.radians(degrees),
        }

    def strike(self, row: int) -> tuple[str, int] | None:
        side = self.sides.get(self.edge[row])
        return (
            None if side is None else (f"the side from {self.desk.book.points[self.edge[row]].name}", side.id)
        )

    def picked(self, row: int) -> int:
        return self.edge[row]

    def row_of(self, picked: int) -> int:
        return self.edge.index(picked) if picked in self.edge else -1

    def footer(self) -> list[tuple[str, str]]:
        if self.walk is None:
            return []
        missed = self.walk.missed
        style = self.desk.book.style
        said = (
            ""
            if is_missing(missed)
            else f"as walked it misses its beginning by {style.place(missed)} {style.far}"
        )
        return [(said or "closed by the sides and the corners that were said", "")]
