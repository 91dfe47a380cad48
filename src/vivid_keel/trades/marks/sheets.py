"""Sheets of carried marks: the first mark and the way, columns, tapes, what follows, the closing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    is_missing,
    parse_length,
    show_amount,
    show_length,
    show_move,
    show_piece,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.marks.carry import CHAIN, STAR
from vivid_keel.trades.marks.columns_sheet import OfColumns
from vivid_keel.trades.marks.desk import MarksDesk


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
            (str(row + 1), step.start, step.to, self.result.book.style.paced(step.length, 1), note)[column],
            bold=column == 2,
            ink="muted" if column in (0, 4) else "ink",
        )


class TapedSheet(OfColumns):
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


class MeasuresSheet(OfColumns):
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
            style.amount(2 * c.u, up=True),
        )
        return Cell(texts[column], bold=column in (0, 4), ink="muted" if column in (3, 6) else "ink")


class ClosingSheet(Sheet):
    """The chain carried back to its first mark, or a star's last look at it."""

    name = "Closing"
    columns = (Column("", 34), Column("What", 330), Column("", 140, True), Column("", 0))
    hint = "Measure from the carried line to the first mark: the mark above the line +, below −"

    def __init__(self, desk: MarksDesk) -> None:
        self.desk, self.book, self.result = desk, desk.book, desk.result

    @property
    def count(self) -> int:
        return 3 if self.book.steps_back else 1

    def first(self) -> Place:
        return (0, 2 if self.book.steps_back else 1)

    def cell(self, row: int, column: int) -> Cell:
        b, r = self.book, self.result
        if not b.steps_back:
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
                Cell(
                    "first mark, as the last step finds it"
                    if b.order == CHAIN
                    else "first mark, looked at again at the end"
                ),
                Cell(text, bold=True, editable=True, hint="" if text else b.style.small),
                Cell("from the carried line, up +", ink="muted"),
            )[column]
        if row == 1:
            return Cell(
                (
                    "",
                    "allowed, 2·u·√n" if b.order == CHAIN else "allowed, 2·u",
                    f"± {show_amount(r.allowed, b.style)}",
                    f"{len(r.carried) + 1} steps with the one back"
                    if b.order == CHAIN
                    else "two looks, as one carrying is",
                )[column],
                ink="muted" if column == 3 else "ink",
            )
        said = (
            "not closed yet"
            if r.accepted is None
            else _of_a_star(r.accepted)
            if b.order != CHAIN
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


def _of_a_star(stayed: bool) -> str:
    return "the line stayed; nothing is spread" if stayed else "the level moved: carry them again"
