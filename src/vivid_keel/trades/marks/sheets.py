"""Sheets of carried marks: the first mark and the way, columns, tapes, what follows, the closing."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    is_missing,
    parse_length,
    show_amount,
    show_length,
    show_move,
    show_piece,
)
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.marks.book import MEASURED
from vivid_keel.trades.marks.carry import CHAIN, STAR
from vivid_keel.trades.marks.desk import MarksDesk

LONGEST = 30.0
"""No tape at a column is longer than this [m]; more is a unit forgotten."""


class CarryingSheet(Sheet):
    """The first mark, and how it is carried."""

    name = "First mark and way"
    columns = (Column("What", 220), Column("", 200), Column("", 0))
    hint = "Name, height and source begin it · s star: each from the first mark · c chain: each from the last"

    def __init__(self, desk: MarksDesk) -> None:
        self.desk, self.book = desk, desk.book
        self.typed = desk.typed("reference")

    @property
    def count(self) -> int:
        return 6

    def first(self) -> Place:
        return (0 if self.book.reference is None else 3, 1)

    def cell(self, row: int, column: int) -> Cell:
        b, r = self.book, self.book.reference
        label = (
            "First mark",
            "Its height",
            "Where that comes from",
            "Carried as",
            "u of one carrying",
            "What the tube spans in plan",
        )[row]
        if column == 0:
            return Cell(label)
        if column == 2:
            note = (
                "made at a handy height",
                "in the datum the drawing uses",
                "drawing, run, site datum",
                "star: from the same · chain: from the last",
                "by the instrument until you say",
                "then the order of the columns is planned",
            )[row]
            return Cell(note, ink="muted")
        if row < 3:
            text = (
                self.typed.get(row, "")
                if r is None
                else (r.name, show_length(r.height, b.style), r.source)[row]
            )
            return Cell(
                text, bold=True, editable=True, hint="" if text else ("mark A", "10.000", "drawing")[row]
            )
        if row == 3:
            return Cell(b.order, bold=True, editable=True)
        if row == 4:
            return Cell(show_amount(b.u_step, b.style, 2), bold=b.stated, editable=True)
        return Cell(
            "" if is_missing(b.reach) else f"{b.style.distance(b.reach)} {b.style.far}",
            bold=True,
            editable=True,
            hint="" if not is_missing(b.reach) else b.style.far,
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        clean, desk = text.strip(), self.desk
        if row < 3:
            return self._reference(row, clean)
        book = self.book
        if row == 3:
            order = {"s": STAR, "c": CHAIN}.get(clean[:1].lower())
            if order is None:
                raise KeelError(
                    "bad-value",
                    f"“{clean}”: expected star (each from the first mark) or chain (each from the last)",
                )
            made += self._save(order=order)
        else:
            length = parse_length(clean, book.style.small if row == 4 else book.style.far, desk.decimal_mark)
            if length.value <= 0:
                raise KeelError("bad-value", "that is above 0")
            made += self._save(**{"u_step" if row == 4 else "reach": as_read(length)})
        return Taken(made, (min(row + 1, 5), 1))

    def _reference(self, row: int, clean: str) -> Taken:
        made: list[Draft] = []
        desk, r = self.desk, self.book.reference
        if row == 1:
            parse_length(clean, self.book.unit, desk.decimal_mark)
        elif not clean:
            raise KeelError(
                "bad-value",
                ("a mark has a name", "", "where does its height come from? drawing, run, site datum")[row],
            )
        self.typed[row] = clean
        texts = [
            self.typed.get(
                k, "" if r is None else (r.name, show_length(r.height, self.book.style), r.source)[k]
            )
            for k in range(3)
        ]
        if all(texts):
            body = {
                "name": texts[0],
                "height": as_read(parse_length(texts[1], self.book.unit, desk.decimal_mark)),
                "source": texts[2],
            }
            made.append(Draft(desk.work, "mark", body, strikes=r.id if r is not None else None))
        return Taken(made, (row + 1, 1), self.typed if made else None)

    def _save(self, **change: Any) -> list[Draft]:
        old = self.desk.file.journal.latest(self.desk.work, "carrying")
        body = {"order": self.book.order, **(dict(old.body) if old is not None else {}), **change}
        return [Draft(self.desk.work, "carrying", body)]


class _OfColumns(Sheet):
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


class ColumnsSheet(_OfColumns):
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


class OrderSheet(Sheet):
    """The planner's order for a tube."""

    name = "Order of carrying"
    columns = (
        Column("", 40, True),
        Column("From", 160),
        Column("To", 160),
        Column("Length", 90, True),
        Column("", 0),
    )

    def __init__(self, desk: MarksDesk) -> None:
        self.result = desk.result

    @property
    def count(self) -> int:
        return len(self.result.steps)

    def cell(self, row: int, column: int) -> Cell:
        step = self.result.steps[row]
        note = (
            "straight from the first mark"
            if step.depth == 1
            else f"{step.depth} steps from the first: u × √{step.depth}"
        )
        return Cell(
            (str(row + 1), step.start, step.to, f"{step.length:.1f} m", note)[column],
            bold=column == 2,
            ink="muted" if column in (0, 4) else "ink",
        )


class TapedSheet(_OfColumns):
    """What was read at each column: the mark's offset, the tape down, the tape up."""

    name = "Tapes"
    columns: Sequence[Column] = (
        Column("Column", 130),
        Column("Mark above the line", 180, True),
        Column("Tape down to slab", 170, True),
        Column("Tape up to top", 150, True),
        Column("struck", 0),
    )
    hint = "A mark made above or below the carried line: its offset, below −; else leave it · Enter goes on"
    FIELDS = ("", "offset", "to_slab", "top")

    def __init__(self, desk: MarksDesk) -> None:
        super().__init__(desk)
        unit = desk.book.style.label  # a bare number is in it, the offset's too
        self.columns = tuple(
            replace(column, title=f"{column.title}, {unit}") if column.right else column
            for column in type(self).columns
        )

    def first(self) -> Place:
        return (
            next((i for i, column in enumerate(self.book.columns) if "to_slab" not in column.texts), 0),
            2,
        )

    def cell(self, row: int, column: int) -> Cell:
        c = self.book.columns[row]
        if column == 0:
            return Cell(c.name, bold=True)
        if column == 4:
            return Cell(", ".join(c.struck), struck=True, ink="muted")
        field = self.FIELDS[column]
        return Cell(
            c.texts.get(field, ""),
            editable=True,
            bold=column > 1,
            hint="" if field in c.texts else "on the line" if column == 1 else "",
        )

    def start_text(self, row: int, column: int) -> str:
        return self.book.columns[row].texts.get(self.FIELDS[column], "")

    def lit(self, row: int) -> bool:
        return row == self.first()[0] and "to_slab" not in self.book.columns[row].texts

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        made += self.save(row, self.FIELDS[column], text, self.book.unit)
        if column < 3:
            return Taken(made, (row, column + 1))
        return Taken(made, (min(row + 1, len(self.book.columns) - 1), 2))


class MeasuresSheet(_OfColumns):
    """What follows for each column."""

    name = "Measures"
    hint = "F4 shows how each came about · the marking sheet is under Record"

    def __init__(self, desk: MarksDesk) -> None:
        super().__init__(desk)
        small = desk.book.style.small
        self.columns = (
            Column("Column", 110),
            Column("Mark", 90, True),
            Column("Slab", 90, True),
            Column(f"Slab, {small}", 80, True),
            Column("Up to design", 110, True),
            Column("Cut or make up", 0),
            Column(f"± U, {small}", 80, True),
        )

    def cell(self, row: int, column: int) -> Cell:
        r, style = self.result, self.book.style
        if row >= len(r.carried):
            return Cell()
        c = r.carried[row]
        if column == 5:
            if c.cut is None:
                return Cell()
            sure = c.sure
            sign = "" if not sure else "lower" if c.cut > 0 else "raise"
            word = (
                "within its ±"
                if not sure
                else f"cut {show_piece(c.cut, style, 1)}"
                if c.cut > 0
                else f"make up {show_piece(-c.cut, style, 1)}"
            )
            return Cell(
                word, sign=sign, ink="muted" if not sure else "lower" if c.cut > 0 else "raise", bold=sure
            )
        texts = (
            c.name,
            show_length(c.mark, style),
            "" if c.slab is None else show_length(c.slab, style),
            "" if c.slab is None else style.amount(c.slab - r.slab_mean, signed=True),
            "" if c.up is None else show_length(c.up, style, signed=True),
            "",
            style.amount(2 * c.u),
        )
        return Cell(texts[column], bold=column in (0, 4), ink="muted" if column in (3, 6) else "ink")


class ClosingSheet(Sheet):
    """The chain carried back to its first mark."""

    name = "Closing"
    columns = (Column("", 34), Column("What", 330), Column("", 140, True), Column("", 0))
    hint = "Measure from the carried line to the first mark: the mark above the line +, below −"

    def __init__(self, desk: MarksDesk) -> None:
        self.desk, self.book, self.result = desk, desk.book, desk.result

    @property
    def count(self) -> int:
        return 3 if self.book.order == CHAIN else 1

    def first(self) -> Place:
        return (0, 2 if self.book.order == CHAIN else 1)

    def cell(self, row: int, column: int) -> Cell:
        b, r = self.book, self.result
        if b.order != CHAIN:
            return Cell(
                ("", "a star", "", "nothing closes it: carry to one column twice to see how well it holds")[
                    column
                ],
                ink="muted",
            )
        if row == 0:
            text = "" if is_missing(b.closed) else show_move(b.closed, b.style)
            return (
                Cell(sign="todo" if r.accepted is None else "in" if r.accepted else "out"),
                Cell("first mark, as the last step finds it"),
                Cell(text, bold=True, editable=True, hint="" if text else b.style.small),
                Cell("from the carried line, up +", ink="muted"),
            )[column]
        if row == 1:
            return Cell(
                (
                    "",
                    "allowed, 2·u·√n",
                    f"± {show_amount(r.allowed, b.style)}",
                    f"{len(r.carried) + 1} steps with the one back",
                )[column],
                ink="muted" if column == 3 else "ink",
            )
        said = (
            "not closed yet"
            if r.accepted is None
            else "spread over the steps"
            if r.accepted
            else "not spread: carry it again"
        )
        return Cell(("", "so", "", said)[column], bold=column == 3)

    def start_text(self, row: int, column: int) -> str:
        entry = self.desk.file.journal.latest(self.desk.work, "closed")
        return str(entry.body["found"]["text"]) if entry is not None else ""

    def accept(self, row: int, column: int, text: str) -> Taken:
        length = parse_length(text, self.book.style.small, self.desk.decimal_mark)
        if abs(length.value) > 1:
            raise KeelError(
                "bad-value",
                f"{length.value:g} m is no closing; it is a few millimetres from the carried line to the mark",
            )
        return Taken([Draft(self.desk.work, "closed", {"found": as_read(length)})], (0, 2))
