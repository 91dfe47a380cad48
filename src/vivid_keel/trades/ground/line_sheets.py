"""Sheets of a piece of ground's lines: where it breaks, walls, houses; and what was read on top of its walls."""

from __future__ import annotations

import difflib
import math
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken
from vivid_keel.trades.ground.book import DOWN
from vivid_keel.trades.ground.breaks import BEHIND, BREAK, FREE, HOLE, SORTS, STANDING, TOP
from vivid_keel.trades.ground.desk import GroundDesk

THICKEST = 5.0
"""No wall is thicker [m]."""
WHAT, THROUGH, THICK_AT = 1, 2, 3


class LinesSheet(Sheet):
    """The lines: what each is, and the points it goes through; a new one on the last line."""

    name = "Lines"
    hint = "A name; then the points it goes through, in order, a comma between: pump, drain, well · break, wall, free wall, hole, look"

    def __init__(self, desk: GroundDesk) -> None:
        self.desk, self.lines, self.points = desk, desk.book.lines, desk.book.points
        style = desk.book.style
        self.columns = (
            Column("Line", 130),
            Column("What", 70),
            Column("Through", 0),
            Column(f"Thick, {style.small}", 96, True),
            Column(f"Long, {style.far}", 80, True),
        )

    @property
    def count(self) -> int:
        return len(self.lines) + 1

    def first(self) -> Place:
        return (len(self.lines), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.lines):
            return Cell(editable=column == 0, hint="another line" if column == 0 else "")
        line, style = self.lines[row], self.desk.book.style
        if column == THROUGH:
            names = ", ".join(self.points[k].name for k in line.points)
            return Cell(names, editable=True, hint="" if names else "the points it goes through, in order")
        if column == THICK_AT:
            return Cell(
                style.amount(line.thick, 0) if line.what in STANDING else "", editable=line.what in STANDING
            )
        if column == 4:
            way = self.desk.book.xy[list(line.way)]
            return Cell(style.place(float(np.hypot(*np.diff(way, axis=0).T).sum())) if len(way) > 1 else "")
        return Cell((line.name, line.what)[column], bold=column == 0, editable=True)

    def put_in(self, row: int) -> PutIn | None:
        standing = self.desk.file.journal.standing(self.desk.work, "ground-line")
        return named_above(self, row, standing, "line")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if (row == len(self.lines) or column == 0) and not clean:
            raise KeelError("bad-value", "name the line, such as bank or garden wall")
        if row == len(self.lines):
            body: dict[str, Any] = {"name": clean, "what": BREAK, "points": {}}
            return Taken([Draft(desk.work, "ground-line", body)], (row, WHAT))
        entry = self._entry(row)
        body = {**entry.body, **self._changed(row, column, clean)}
        made = [Draft(desk.work, "ground-line", body, strikes=entry.id)] if body != dict(entry.body) else []
        after = {0: WHAT, WHAT: THROUGH}.get(
            column, THICK_AT if body["what"] in STANDING and column == THROUGH else 0
        )
        return Taken(made, (row if after else row + 1, after))

    def _changed(self, row: int, column: int, text: str) -> dict[str, Any]:
        """What of a line is otherwise."""
        if column == 0:
            return {"name": text}
        if column == WHAT:
            found = next((sort for sort in SORTS if text and sort.startswith(text.casefold())), None)
            if found is None:
                raise KeelError("bad-value", f"“{text}”: expected {', '.join(SORTS)}")
            return {"what": found}
        if column == THROUGH:
            return {"points": self._through(row, text)}
        thick = parse_length(text, self.desk.book.style.small, self.desk.decimal_mark).value
        if not 0 < abs(thick) <= THICKEST:
            raise KeelError(
                "bad-value",
                f"{text}: how thick it is, or how far its top stands back from its foot, to the left of the way along it; − to the right",
            )
        return {"thick_m": thick}

    def _through(self, row: int, text: str) -> dict[str, int]:
        """The points' entries by their turn on the line."""
        desk, by_name = self.desk, {p.name.casefold(): k for k, p in enumerate(self.points)}
        names = [name.strip() for name in text.replace(";", ",").split(",") if name.strip()]
        numbers: list[int] = []
        for name in names:
            k = by_name.get(name.casefold())
            if k is None:
                near = difflib.get_close_matches(name.casefold(), list(by_name), 1)
                meant = f"; did you mean {self.points[by_name[near[0]]].name}?" if near else ""
                raise KeelError(
                    "unknown-name",
                    f"there is no point {name}{meant} Points stand in a row with commas between",
                )
            if numbers and numbers[-1] == k:
                raise KeelError(
                    "bad-value", f"{name} stands there twice running; a line goes on to another point"
                )
            numbers.append(k)
        hole = self.lines[row].what == HOLE
        if hole and len(numbers) > 3 and numbers[0] == numbers[-1]:
            numbers.pop()  # it closes by itself
        if len(numbers) < (3 if hole else 2):
            raise KeelError(
                "bad-value",
                f"a {self.lines[row].what} goes through {'three' if hole else 'two'} points at least",
            )
        ids = [desk.file.journal.first_of(self.points[k].id) for k in numbers]
        return {str(turn): id for turn, id in enumerate(ids, 1)}

    def _entry(self, row: int) -> Entry:
        return self.desk.file.journal.entries[self.lines[row].id]

    def strike(self, row: int) -> tuple[str, int] | None:
        return None if row >= len(self.lines) else (f"the line {self.lines[row].name}", self.lines[row].id)

    def picked(self, row: int) -> int:
        return len(self.points) + row if row < len(self.lines) else -1

    def row_of(self, picked: int) -> int:
        at = picked - len(self.points)
        return at if 0 <= at < len(self.lines) else -1


class TopsSheet(Sheet):
    """The tops of walls: at each point that a wall goes through, what is read on top of it; and behind it, where it stands free."""

    name = "Tops of walls"
    hint = "Read on top of the wall as its foot was read; a wall without tops is a break at its foot"

    def __init__(self, desk: GroundDesk) -> None:
        book = desk.book
        self.desk = desk
        walls = [line for line in book.lines if line.what in STANDING]
        self.feet: list[int] = list(dict.fromkeys(k for line in walls for k in line.points))
        self.free = {k for line in walls if line.what == FREE for k in line.points}
        read = {DOWN: "Down to the top"}.get(book.facts.texts["by"], "Top as read")
        self.columns = (
            Column("Wall at", 150),
            Column("Foot as read", 120, True),
            Column(read, 150, True),
            *([Column("Foot behind", 120, True)] if self.free else []),
            Column(f"Stands up, {book.style.small}", 0, True),
        )
        if self.free:
            self.hint = "Read on top as the foot was read; its foot behind, if it lies at another height"

    @property
    def count(self) -> int:
        return len(self.feet)

    def first(self) -> Place:
        return (next((row for row, k in enumerate(self.feet) if k not in self.desk.book.tops), 0), 2)

    def cell(self, row: int, column: int) -> Cell:
        book, k = self.desk.book, self.feet[row]
        top = book.tops.get(k)
        if column == 2:
            return Cell(
                "" if top is None else top[1], editable=True, bold=True, hint="" if top else "read it"
            )
        if column == 3 and self.free:
            told = book.behind.get(k)
            free = k in self.free
            return Cell(
                "" if told is None else told[1],
                editable=free,
                hint="as before it" if free and told is None else "",
            )
        up = book.stands_up.get(k, math.nan)
        wrong = not is_missing(up) and up < 0
        said = "" if is_missing(up) else book.style.amount(up, 0)
        last = column == len(self.columns) - 1
        return Cell(
            said if last else (book.points[k].name, book.points[k].text)[column],
            bold=column == 0,
            wrong=wrong and last,
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, k = self.desk, self.feet[row]
        kind, told = (TOP, desk.book.tops) if column == 2 else (BEHIND, desk.book.behind)
        old = None if k not in told else told[k][0]
        below = (min(row + 1, len(self.feet) - 1), column)
        if not text.strip() and column != 2:
            made = (
                [] if old is None else [Draft(desk.work, "strike", {"reason": "as before it"}, strikes=old)]
            )
            return Taken(made, below)
        reading = as_read(parse_length(text.strip(), desk.book.unit, desk.decimal_mark))
        body = {"point": desk.file.journal.first_of(desk.book.points[k].id), "reading": reading}
        return Taken([Draft(desk.work, kind, body, strikes=old)], below)

    def strike(self, row: int) -> tuple[str, int] | None:
        top = self.desk.book.tops.get(self.feet[row])
        return None if top is None else (f"the top at {self.desk.book.points[self.feet[row]].name}", top[0])

    def picked(self, row: int) -> int:
        return self.feet[row]

    def row_of(self, picked: int) -> int:
        return self.feet.index(picked) if picked in self.feet else -1
