"""Plumb, beside the heights: how each post leans, over its length, and what brings it upright."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.plumb import BOB, LEVEL, why_lean
from vivid_keel.core.quantities import (
    is_missing,
    parse_length,
    parse_tilt,
    show_amount,
    show_length,
    show_number,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.plumb import ACROSS, ALONG, cure, name_of, verdict_of

NONE = "none"


class PlumbSheet(Sheet):
    """A line per post and way it leans; the last one takes a new reading, three below say what is asked of them."""

    name = "Plumb"
    columns: Sequence[Column] = (
        Column("Post", 74),
        Column("Leans", 62),
        Column("Length", 68, True),
        Column("With", 54),
        Column("Reading", 80, True),
        Column("Then", 80, True),
        Column("Off ± U, mm", 104, True),
        Column("", 30),
        Column("To bring it upright", 0),
    )
    hint = "Post · a or c: along, across · length · l or b: level, bob · level: read, turned; bob: above, below · + to the far end"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk, self.book = desk, desk.book
        self.columns = in_unit(type(self).columns, desk.book.style.small)
        self.rows = desk.book.leans
        self.typed = desk.typed("lean")

    @property
    def new(self) -> int:
        """The row that takes a new reading."""
        return len(self.rows)

    @property
    def count(self) -> int:
        return len(self.rows) + 4 if self.book.points else 0

    def first(self) -> Place:
        return (self.new, next((column for column in range(6) if not self.typed.get(column)), 0))

    def lit(self, row: int) -> bool:
        return row == self.new

    def cell(self, row: int, column: int) -> Cell:
        if row == self.new:
            return self._new_cell(column)
        if row > self.new:
            return self._asked(row - self.new - 1, column)
        one, style = self.rows[row], self.book.style
        lean = one.lean
        if column == 7:
            return Cell(sign=verdict_of(self.book, lean))
        texts = (
            name_of(self.book, one.point),
            one.way,
            show_length(lean.length, style),
            one.read_with,
            one.texts[0],
            one.texts[1] or "–",
            f"{style.amount(lean.off, 1, signed=True)} ± {style.amount(2 * lean.u_off, 1, up=True)}",
            "",
            cure(self.book, one),
        )
        return Cell(texts[column], bold=column in {0, 6}, ink="muted" if column == 3 else "ink")

    def _new_cell(self, column: int) -> Cell:
        if column > 5:
            return Cell()
        bob = self.typed.get(3) == BOB
        hints = (
            "which post",
            "a or c",
            "its length",
            "l or b",
            "above" if bob else "5 mm/m",
            "below" if bob else "turned",
        )
        text = self.typed.get(column, "")
        return Cell(text, editable=True, hint="" if text else hints[column])

    def _asked(self, at: int, column: int) -> Cell:
        up, style = self.book.upright, self.book.style
        value = (
            f"1 in {show_number(1 / up.within, 0)}",
            show_amount(up.base, style, 0),
            NONE
            if is_missing(up.brace)
            else f"{show_length(up.brace, style)}, {show_length(up.reach, style)}",
        )[at]
        if column == 2:
            return Cell(value, bold=True, editable=True)
        if column == 0:
            return Cell(("Within", "Base", "Brace")[at])
        note = (
            "of its length",
            "its width, for the wedge",
            "height, reach; or none",
        )[at]
        return Cell(note if column == 8 else "", ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        clean = text.strip()
        if row > self.new:
            return self._asks(row - self.new - 1, clean)
        if row < self.new:
            return Taken()
        take = (self._post, self._way, self._length, self._with, self._reading, self._reading)[column]
        self.typed[column] = take(clean)
        if column < 5:
            return Taken((), (row, column + 1))
        missing = next((k for k in range(5) if not self.typed.get(k)), None)
        if missing is not None:
            raise KeelError("bad-value", f"type “{self.columns[missing].title}” first, at the left")
        return Taken([self._draft()], lambda sheet: (sheet.new, 0), self.typed)

    def _post(self, text: str) -> str:
        point = next((p for p in self.book.points if p.name.lower() == text.lower()), None)
        if point is None:
            raise KeelError("unknown-name", f"“{text}” is no post here, such as {self.book.points[0].name}")
        return point.name

    def _way(self, text: str) -> str:
        found = [
            way
            for way in (ALONG, ACROSS)
            if way.startswith(text.lower()) or (text.lower() == "c" and way == ACROSS)
        ]
        if not text or (text.lower() != "c" and text.lower() != "a" and len(found) != 1):
            raise KeelError("bad-value", "a: along its row; c: across it")
        return ACROSS if text.lower() == "c" else ALONG if text.lower() == "a" else found[0]

    def _length(self, text: str) -> str:
        length = parse_length(
            text, self.book.unit if self.book.unit != "mm" else "mm", self.desk.decimal_mark
        )
        if not 0.05 <= length.value <= 60:
            raise KeelError("bad-value", "a post is 50 mm to 60 m long; was another unit meant?")
        return text

    def _with(self, text: str) -> str:
        found = [word for word in (LEVEL, BOB) if text and word.startswith(text.lower())]
        if len(found) != 1:
            raise KeelError("bad-value", "l: by a level, held both ways round; b: by a bob")
        return found[0]

    def _reading(self, text: str) -> str:
        if self.typed.get(3) == BOB:
            if parse_length(text, self.book.style.small, self.desk.decimal_mark).value < 0:
                raise KeelError("bad-value", "from the string to the face is 0 or more")
        elif text not in {"", "-", "–"}:
            tilt = parse_tilt(text, "mm/m", self.desk.decimal_mark)
            if abs(tilt.value) > 0.1:
                raise KeelError(
                    "bad-value",
                    f"“{text}” is further than any post leans and stands; was another unit meant?",
                )
        elif not self.typed.get(4):
            raise KeelError("bad-value", "read the level first; only turned round may be left out")
        else:
            return "–"
        return text

    def _draft(self) -> Draft:
        name, way, length, read_with, first, second = (self.typed[k] for k in range(6))
        point = next(p for p in self.book.points if p.name == name)
        mark = self.desk.decimal_mark
        body: dict[str, Any] = {
            "point": point.id,
            "way": way,
            "with": read_with,
            "length_m": parse_length(length, self.book.unit, mark).value,
            "first_text": first,
        }
        if read_with == BOB:
            above, below = (parse_length(text, self.book.style.small, mark) for text in (first, second))
            body |= {
                "first": above.value,
                "second": below.value,
                "second_text": second,
                "string_m": body["length_m"],
            }
            body["step"] = max(above.resolution, below.resolution)
        else:
            one = parse_tilt(first, "mm/m", mark)
            body |= {"first": one.value, "step": one.resolution}
            if second != "–":
                other = parse_tilt(second, "mm/m", mark)
                body |= {
                    "second": other.value,
                    "second_text": second,
                    "step": max(one.resolution, other.resolution),
                }
        return Draft(self.desk.work, "lean", body)

    def _asks(self, at: int, text: str) -> Taken:
        old, mark, style = (
            self.desk.file.journal.latest(self.desk.work, "upright"),
            self.desk.decimal_mark,
            self.book.style,
        )
        body = dict(old.body) if old is not None else {}
        if at == 0:
            tilt = abs(math.tan(parse_tilt(text.replace(" in ", ":"), "mm/m", mark).value))
            if not 1e-5 <= tilt <= 0.1:
                raise KeelError("bad-value", "expected such as 1 in 500, or 2 mm/m")
            body["within"] = tilt
        elif at == 1:
            base = parse_length(text, style.small, mark).value
            if not 0.01 <= base <= 5:
                raise KeelError("bad-value", "a post stands 10 mm to 5 m wide; was another unit meant?")
            body["base_m"] = base
        elif text.lower() == NONE:
            body.pop("brace_m", None)
            body.pop("reach_m", None)
        else:
            parts = [part.strip() for part in text.split(";" if ";" in text else ",")]
            if len(parts) != 2:
                raise KeelError(
                    "bad-value",
                    "how high it meets the post and how far it reaches out: 1.2, 0.9 (or 1,2; 0,9)",
                )
            high, out = (parse_length(part, self.book.unit, mark).value for part in parts)
            if high <= 0 or out <= 0:
                raise KeelError("bad-value", "both are above 0")
            body |= {"brace_m": high, "reach_m": out}
        return Taken([Draft(self.desk.work, "upright", body)], (self.new + 1 + min(at + 1, 2), 2))

    def completions(self, row: int, column: int) -> list[str]:
        return [point.name for point in self.book.points] if row == self.new and column == 0 else []

    def start_text(self, row: int, column: int) -> str:
        return self.typed.get(column, "") if row == self.new else self.cell(row, column).text

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= self.new:
            return None
        one = self.rows[row]
        return f"the lean of {name_of(self.book, one.point)} {one.way}", one.id

    def picked(self, row: int) -> int:
        ids = [point.id for point in self.book.points]
        return ids.index(self.rows[row].point) if row < self.new and self.rows[row].point in ids else -1

    def why(self, row: int) -> Working | None:
        if row >= self.new:
            return None
        one, style = self.rows[row], self.book.style
        lean = one.lean
        a, b = one.texts
        level = one.read_with == LEVEL
        zero = (
            ""
            if is_missing(lean.zero)
            else f";  the level itself {show_number(lean.zero * 1000, 2, signed=True)} mm/m"
        )
        numbers = (
            f"θ = {f'({a} + {b})/2' if b else a} = {show_number(lean.tilt * 1000, 2, signed=True)} mm/m{zero}"
            if level
            else f"({b} − {a})/{show_length(one.string, style)} = {show_number(math.tan(lean.tilt) * 1000, 2, signed=True)} mm/m"
        )
        said = why_lean(
            name_of(self.book, one.point),
            lean,
            one.read_with,
            f"{numbers};  off = {show_amount(lean.off, style, 2, signed=True)}",
        )
        first = (
            ""
            if one.found is lean
            else f" As first read: {show_amount(one.found.off, style, 1, signed=True)}."
        )
        U = show_amount(2 * lean.u_off, style, 2)
        return Working(said.title, said.formula, said.numbers, (), f"U = {U} over its length (k = 2).{first}")
