"""Columns and other marks to be carried to: typed one by one, as a range, or as a grid."""

from __future__ import annotations

import re
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    parse_length,
    show_length,
)
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.working import Working
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken
from vivid_keel.trades.marks.book import MEASURED
from vivid_keel.trades.marks.desk import MarksDesk

LONGEST = 30.0
"""No tape at a column is longer than this [m]; more is a unit forgotten."""


class OfColumns(Sheet):
    """A line per column."""

    def __init__(self, desk: MarksDesk) -> None:
        self.desk, self.book, self.result = desk, desk.book, desk.result

    @property
    def count(self) -> int:
        return len(self.book.columns)

    def picked(self, row: int) -> int:
        return row if row < len(self.book.columns) else -1

    def row_of(self, picked: int) -> int:
        return picked

    def why(self, row: int) -> Working | None:
        return self.result.why(row) if row < len(self.result.carried) else None

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.book.columns):
            return None
        return f"column {self.book.columns[row].name}", self.book.columns[row].id

    def save(self, row: int, field: str, text: str, unit: str) -> list[Draft]:
        """Record one measure of a column in place of what stood; empty takes it out."""
        made: list[Draft] = []
        desk, column = self.desk, self.book.columns[row]
        entry = desk.file.journal.entries[column.id]
        body = dict(entry.body)
        if field in MEASURED and int(body.get("visit", 0)) != self.book.visit:
            # What was taped at an earlier visit stays with that one.
            body = {k: v for k, v in body.items() if k not in MEASURED} | {"visit": self.book.visit}
        if not text.strip():
            body.pop(field, None)
        else:
            length = parse_length(text, unit, desk.decimal_mark)
            if field in {"to_slab", "top"} and length.value < 0:
                raise KeelError(
                    "bad-value", "a tape is read above 0; up and down are told apart by their columns"
                )
            if field in {"to_slab", "top", "offset"} and abs(length.value) > LONGEST:
                raise KeelError(
                    "bad-value",
                    f"{show_length(length.value, self.book.style, unit=True)} is longer than a tape; was {text.strip()} mm meant?",
                )
            body[field] = as_read(length)
        if body != dict(entry.body):
            made.append(Draft(desk.work, "column", body, strikes=column.id))
        return made


MANY = 60
"""No more columns are made by one line."""


RANGE = re.compile(r"([^\d\s]*)(\d+)\s*(?:-|–|\.\.|to)\s*([^\d\s]*)(\d+)")


def several(text: str) -> list[str]:
    """Return the names that a range means, H1-H8 or H1 to 8; none where it is no range.

    Raises
    ------
    KeelError
        `bad-value`: a range that runs backwards, or to more than sixty.
    """
    found = RANGE.fullmatch(text)
    if found is None or found[3] not in {"", found[1]}:
        return []
    first, last = int(found[2]), int(found[4])
    if not first < last < first + MANY:
        raise KeelError(
            "bad-value", f"“{text}”: a range runs upward, to at most {MANY} columns, such as H1-H8"
        )
    width = len(found[2]) if found[2].startswith("0") else 0
    return [f"{found[1]}{k:0{width}d}" for k in range(first, last + 1)]


GRID = re.compile(r"([A-Za-z])\s*-\s*([A-Za-z])\s+(\d{1,3})\s+(\S+)\s+(\S.*)")
"""Rows of columns, such as A-C 4 3 5."""


class ColumnsSheet(OfColumns):
    """The columns, each to be changed; a new one on the last line."""

    name = "Columns"
    hint = "The last line adds a column, or several: H1-H8, or a grid: A-C 4 3 5 (rows A to C of 4, 3 along, 5 across) · in the order of carrying"
    FIELDS = ("", "x", "y", "design")

    def __init__(self, desk: MarksDesk) -> None:
        super().__init__(desk)
        self.far = desk.book.style.far
        self.columns = (
            Column("Column", 0),
            Column(f"Along, {self.far}", 110, True),
            Column(f"Across, {self.far}", 110, True),
            Column("Designed top", 130, True),
            Column("Faces", 150),
        )

    @property
    def count(self) -> int:
        return len(self.book.columns) + 1

    def first(self) -> Place:
        return (len(self.book.columns), 0)

    def lit(self, row: int) -> bool:
        return row == len(self.book.columns)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.book.columns):
            return Cell(editable=column == 0, hint="another column" if column == 0 else "")
        c = self.book.columns[row]
        if column == 4:
            return Cell(", ".join(c.faces), editable=True)
        return Cell(
            c.name if column == 0 else c.texts.get(self.FIELDS[column], ""), bold=column == 0, editable=True
        )

    def put_in(self, row: int) -> PutIn | None:
        standing = self.desk.file.journal.standing(self.desk.work, "column")
        return named_above(self, row, standing, "column")

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk, clean = self.desk, text.strip()
        if column == 0:
            if not clean:
                raise KeelError("bad-value", "a column has a name, such as H1")
            if row == len(self.book.columns) and (
                many := self._grid(clean) or [{"name": n} for n in several(clean)]
            ):
                there = {column.name for column in self.book.columns}
                again = [one["name"] for one in many if one["name"] in there]
                if again:
                    raise KeelError(
                        "duplicate-name", f"there is a {again[0]} already; names tell marks apart"
                    )
                made += [Draft(desk.work, "column", one) for one in many]
                return Taken(made, (row, 1))
            if any(c.name == clean for i, c in enumerate(self.book.columns) if i != row):
                raise KeelError("duplicate-name", f"there is a {clean} already; names tell marks apart")
            if row == len(self.book.columns):
                made.append(Draft(desk.work, "column", {"name": clean}))
                return Taken(made, (row, 1))
            old = desk.file.journal.entries[self.book.columns[row].id]
            if clean != old.body["name"]:
                made.append(Draft(desk.work, "column", {**old.body, "name": clean}, strikes=old.id))
            return Taken(made, (row, 1))
        if column == 4:
            made += self._faces(row, clean)
        else:
            made += self.save(row, self.FIELDS[column], text, self.far if column < 3 else self.book.unit)
        return Taken(made, (row, column + 1) if column < 3 else (row + 1, 0))

    def _grid(self, text: str) -> list[dict[str, Any]]:
        """Columns in rows: "A-C 4 3 5" is rows A to C of 4 each, 3 apart along and 5 across; empty for anything else."""
        found = GRID.fullmatch(text)
        if found is None:
            return []
        first, last = ord(found[1].upper()), ord(found[2].upper())
        each, mark = int(found[3]), self.desk.decimal_mark
        along, across = (parse_length(found[k], self.far, mark).value for k in (4, 5))
        if not first <= last or not 0 < each * (last - first + 1) <= 500 or along <= 0 or across <= 0:
            raise KeelError(
                "bad-value",
                f"“{text}”: expected rows, columns in each, and two spacings above 0: A-C 4 3 5, at most 500",
            )

        def place(steps: int, spacing: float) -> dict[str, Any]:
            value = steps * spacing / UNIT_IN_M[self.far]
            return as_read(parse_length(f"{value:.6g} {self.far}", self.far, "."))

        return [
            {"name": f"{chr(row)}{k + 1}", "x": place(k, along), "y": place(row - first, across)}
            for row in range(first, last + 1)
            for k in range(each)
        ]

    def _faces(self, row: int, text: str) -> list[Draft]:
        """Return what records the faces a mark is taken round to; at most four."""
        faces = [f.strip() for f in text.replace(";", ",").split(",") if f.strip()]
        if len(faces) > 4 or any(len(face) > 6 for face in faces):
            raise KeelError(
                "bad-value", "a column has up to four faces, each a short word: N, E or front, side"
            )
        old = self.desk.file.journal.entries[self.book.columns[row].id]
        body = {k: v for k, v in old.body.items() if k != "faces"} | (
            {"faces": ", ".join(faces)} if faces else {}
        )
        return [Draft(self.desk.work, "column", body, strikes=old.id)] if body != dict(old.body) else []
