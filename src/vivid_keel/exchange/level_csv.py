"""The level book as CSV, in and out: a line per sight, or the classic line per mark.

Reading is all or nothing: either every line was understood, or each that was not is named by line
and column and nothing is taken. See docs/formats.md for the columns.
"""

from __future__ import annotations

import itertools
import math
import re
from collections import Counter
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.booking.from_file import BookedSight, BookFile
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.core.quantities import Length, LengthStyle, metres_of, parse_length, show_length
from vivid_keel.core.record.readings import as_read
from vivid_keel.exchange.csv_lines import rows_of, wholly_quoted
from vivid_keel.exchange.level_columns import EMPTY, READ, BookRefused, Columns, find_columns, letter, text_of
from vivid_keel.exchange.level_sums import Sums, told_above

SIGHTS = {
    "bs": BS,
    "b": BS,
    "backsight": BS,
    "back": BS,
    "is": IS,
    "i": IS,
    "intermediate": IS,
    "inter": IS,
    "fs": FS,
    "f": FS,
    "foresight": FS,
    "fore": FS,
    "rückblick": BS,
    "rück": BS,
    "r": BS,
    "zwischenblick": IS,
    "z": IS,
    "vorblick": FS,
    "vor": FS,
    "v": FS,
    "arrière": BS,
    "visée arrière": BS,
    "intermédiaire": IS,
    "avant": FS,
    "visée avant": FS,
    "atrás": BS,
    "espalda": BS,
    "intermedia": IS,
    "adelante": FS,
    "frente": FS,
    "indietro": BS,
    "intermedio": IS,
    "avanti": FS,
    "achter": BS,
    "tussen": IS,
    "voor": FS,
    "ré": BS,
    "vante": FS,
}
CLASSIC = (("fs", FS), ("is", IS), ("bs", BS))
"""The columns of a line per mark, in the order in which they were read there."""
DIGIT = re.compile(r"\d")
SUM = re.compile(
    r"(?:page(?: total| sum)?s?|(?:sub|grand ?)?(?:sums?|totals?)|[cb] ?[./]? ?f|(?:seiten|zwischen)?summen?|[üÜ]bertrag|checks?|summen?|kontrolle|sommes?|contrôle|sumas?|totale|controllo|somma|som|soma|carried(?: forward| over)?|brought(?: forward)?|[σΣ]\s?\w*)\s*\d*\s*[:.=]?",
    re.IGNORECASE,
)
"""What stands at the head of a line of sums that has no readings, and nothing else: Sum House is a mark."""
CROSSED = re.compile(
    r"\b(?:crossed out|struck(?: out)?|deleted|void|cancell?ed|durchgestrichen|gestrichen|ray[ée]e?|barr[ée]e?|tachad[oa]|annullat[oa]|doorgehaald)\b",
    re.IGNORECASE,
)
"""A remark that says its line was crossed out."""


def read_book(
    raw: bytes,
    name: str = "the file",
    columns: Columns | None = None,
    carry_on: Callable[[float], bool] = lambda done: True,
) -> BookFile:
    """Read a level book.

    Parameters
    ----------
    raw : bytes
        The file: UTF-8 (with or without BOM) or, failing that, Windows-1252.
    name : str
        Stands as the source of known heights without one.
    columns : Columns, optional
        Which column is which, where a person said so.
    carry_on : callable
        Is told now and then how much is done (0 … 1); False means: leave it.

    Raises
    ------
    Stopped
    BookRefused
        With every place that could not be read.
    """
    lines = text_of(raw).split("\n")
    found = columns or find_columns(lines)
    book = BookFile()
    rows = _rows(lines, found, book)
    book.decimal_mark = _decimal_mark(rows, found.at, found.separator)
    classic = "reading" not in found.at
    units = found.units
    book.unit = (
        units.get("reading")
        or units.get("bs")
        or units.get("is")
        or units.get("fs")
        or _unit_of_cells(rows, found.at)
    )
    words = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}[found.separator]
    book.notes.insert(
        0, f"columns parted by {words}; decimal mark “{book.decimal_mark}”; readings in {book.unit}"
    )
    if found.unknown:
        book.notes.append(f"columns left alone: {', '.join(found.unknown)}")
    reader = _Reader(book, found, name)
    reader.heights_in(rows)
    reader.above(lines[: max(found.header_line, 0)], rows)
    take = reader.classic if classic else reader.sight
    for at, (number, row) in enumerate(rows):
        if at % 2000 == 0 and not carry_on(0.4 + 0.6 * at / len(rows)):
            raise Stopped
        take(number, row)
    book.notes.append(f"{len(lines) - (not lines[-1])} lines: {_in_words(book.lines)}")
    if book.computed and not reader.problems:
        book.notes.append(_held_against(book))
    if not book.sights and not reader.problems:
        reader.problems.append(
            KeelError("no-sights", "there is no reading in this file", f"line {found.header_line + 1}")
        )
    if reader.problems:
        raise BookRefused(sorted(reader.problems, key=lambda point: int(re.findall(r"\d+", point.where)[0])))
    return book


def _held_against(book: BookFile) -> str:
    """Say how the heights that a file has of its own agree with those worked out from its readings."""
    listed = {mark: ListedMark(mark, height.value) for mark, height, _ in book.known}
    setups = list(itertools.accumulate(int(sight.new_setup) for sight in book.sights))
    layout = lay_out([s.kind for s in book.sights], [s.mark for s in book.sights], setups, listed)
    ours = reduce(layout, np.array([sight.reading.value for sight in book.sights])).heights
    theirs = np.array([book.computed.get(sight.line, math.nan) for sight in book.sights])
    compared = (layout.kinds != BS) & ~np.isnan(ours - theirs)
    if not compared.any():
        return "its own heights can't be held against these"
    at = int(np.argmax(np.where(compared, np.abs(ours - theirs).round(4), -1.0)))
    sight, height, there = book.sights[at], float(ours[at]), float(theirs[at])
    style = LengthStyle(book.unit if book.unit in {"m", "ft", "ft-in"} else "m")
    if abs(height - there) <= max(sight.reading.resolution, style.step) * 1.5:
        return f"its own heights agree at all {np.count_nonzero(compared)} places"
    return (
        f"its own heights differ, most at line {sight.line} ({sight.mark}): {show_length(there, style)} there, "
        f"{show_length(height, style)} by its readings"
    )


WORDS = {
    "sights": ("sight", "sights"),
    "events": ("event", "events"),
    "known": ("known mark", "known marks"),
    "struck": ("struck", "struck"),
    "blank": ("blank", "blank"),
    "heading": ("heading", "headings"),
    "remark": ("remark", "remarks"),
    "sum": ("sum", "sums"),
    "skipped": ("skipped", "skipped"),
    "refused": ("not understood", "not understood"),
}
"""What a line of a file may be, one and several."""


def _in_words(lines: Counter[str]) -> str:
    """Every line of the file accounted for, in words."""
    return ", ".join(f"{lines[k]} {WORDS[k][lines[k] != 1]}" for k in WORDS if lines[k])


def _rows(lines: list[str], columns: Columns, book: BookFile) -> list[tuple[int, list[str]]]:
    """Return the lines that say something of a sight, with their numbers; the others are counted by what they are.

    Each has a cell for every column, and an empty one at its end, which stands for a column that isn't there.
    """
    rows, counted = [], Counter[str]()
    header_line = columns.header_line
    want = [c.strip().lower() for c in columns.header]
    counted["heading"] += header_line >= 0
    for line in lines[: max(header_line, 0)]:
        counted["remark" if line.strip() else "blank"] += 1
    counted["heading"] += bool(columns.under)
    first = header_line + 1 + bool(columns.under)
    body = lines[first:]
    if body and not body[-1]:
        body = body[:-1]  # what follows the last line's end is no line
    whole = wholly_quoted(body, columns.separator)
    there = [columns.at[k] for k in ("reading", "bs", "is", "fs") if k in columns.at]
    named = there + [columns.at[k] for k in ("mark", "sight", "known", "struck") if k in columns.at]
    sums = Sums(len(there)) if "reading" not in columns.at or "sight" not in columns.at else None
    beside = there.index(columns.at["is"]) if "is" in columns.at else -1
    width = max(columns.at.values(), default=-1) + 1
    for at, cells in rows_of(body, columns.separator, joined=whole):
        row = list(map(str.strip, cells))
        what = "skipped" if first + at in columns.skip else _other(row, want, there, named)
        if not what and sums is not None:
            read = [row[i] if i < len(row) and row[i] not in EMPTY else "" for i in there]
            head = next(filter(None, row), "")
            called = bool(SUM.fullmatch(head))
            # No sight has an intermediate beside another: a line of sums that doesn't add up is one all the same.
            if sums.are(read, named=called) or (
                called and beside >= 0 and read[beside] and sum(map(bool, read)) > 1
            ):
                sums.turn()
                what = "sum"
                book.notes.append(f"line {first + 1 + at} ({head}) is a line of sums")
            else:
                sums.add(read)
                if called and any(read):
                    book.notes.append(
                        f"line {first + 1 + at} ({head}) is taken for a mark: its numbers are no sums"
                    )
        elif what == "sum" and sums is not None:
            sums.turn()
        if what:
            counted[what] += 1
        else:
            if not DASHES.isdisjoint(row):
                row = ["" if cell in EMPTY else cell for cell in row]
            row.extend([""] * max(1, width + 1 - len(row)))
            rows.append((first + 1 + at, row))
    book.lines.update(counted)
    return rows


def _other(row: list[str], want: list[str], there: list[int], named: list[int]) -> str:
    """Return what a line is that is no sight, "" where it may be one: whatever carries a reading is never passed over."""
    n = len(row)
    if want and row[0].lower() == want[0] and [c.lower() for c in row] == want:
        return "blank" if EMPTY.issuperset(row) else "heading"
    if any(i < n and row[i] and DIGIT.search(row[i]) for i in there):
        return ""
    if EMPTY.issuperset(row):
        return "blank"
    first = next(filter(None, row), "")
    if first.startswith(("#", "//")) or SUM.fullmatch(first):
        return "sum" if SUM.fullmatch(first) else "remark"
    return "" if any(i < n and row[i] not in EMPTY for i in named) else "remark"


def _decimal_mark(rows: list[tuple[int, list[str]]], columns: dict[str, int], separator: str) -> str:
    """Judge the mark from every number of the file: one that only a comma explains makes it a comma."""
    if separator == ",":
        return "."
    numeric = [columns[k] for k in ("reading", "bs", "is", "fs", "known", "distance") if k in columns]
    cells = [row[i] for _, row in rows for i in numeric if i < len(row)]
    # Where a cell holds both, the last one is the decimal mark: 1.234,567.
    points = sum(cell.rfind(".") > cell.rfind(",") for cell in cells)
    commas = sum(bool(re.search(r"\d,\d", cell)) and cell.rfind(",") > cell.rfind(".") for cell in cells)
    return "," if commas > points else "."


def _unit_of_cells(rows: list[tuple[int, list[str]]], columns: dict[str, int]) -> str:
    numeric = [columns[k] for k in ("reading", "bs", "is", "fs") if k in columns]
    cells = [row[i] for _, row in rows for i in numeric if i < len(row) and row[i] not in EMPTY]
    marked = sum(bool(re.search(r"['\"′″]|\d/\d", cell)) for cell in cells)
    feet = sum(bool(re.search(r"\d\s*(?:ft|feet)\b", cell, re.IGNORECASE)) for cell in cells)
    if cells and marked * 2 > len(cells):
        return "ft-in"
    return "ft" if cells and feet * 2 > len(cells) else "m"


DASHES = EMPTY - {""}
"""What stands in an empty cell where somebody writes that it is empty."""
_parsed = lru_cache(maxsize=8192)(parse_length)
"""A long book reads the same few thousand values again and again."""


SMALL = 1000.0
"""A height in millimetres that is less lies below a metre: it may well be metres [mm]."""


def _number(text: str, mark: str) -> float:
    """A cell's number, a great one where it is none."""
    try:
        return metres_of(text, "m", mark)
    except KeelError:
        return math.inf


class _Reader:
    """Reads lines into a book and gathers what can't be read."""

    def __init__(self, book: BookFile, columns: Columns, name: str) -> None:
        self.book, self.columns, self.name = book, columns.at, name
        self.units, self.header = columns.units, columns.header
        self.kinds = {**SIGHTS, **{word: SIGHTS[kind] for word, kind in columns.kinds.items()}}
        self.problems: list[KeelError] = []
        self._of_length = [name for name in ("upper", "lower", "look") if name in columns.at]
        self._of_text = [name for name in ("page", "read_at") if name in columns.at]
        self._sights = [(k, kind, columns.at[k]) for k, kind in CLASSIC if k in columns.at]
        at = columns.at.get
        # A cell that has no column is the empty one at the end of its line (see `_rows`).
        self._mark_at, self._height, self._distance = at("mark", -1), at("height", -1), at("distance", -1)
        self._remark, self._known_at = at("remark", -1), at("known", -1)
        self._told_heights = columns.heights_in
        self._of_heights = book.unit
        self._setup = ""
        self._heights: dict[str, float] = {}
        self._fresh = True

    def heights_in(self, rows: list[tuple[int, list[str]]]) -> None:
        """Find out what the heights are in: as stated or told, else as the readings, unless that makes no sense.

        Readings in millimetres go with heights in metres as often as not: 42.318 is no height in millimetres, and 42 318 is none in metres.
        """
        named = [name for name in ("known", "height") if name in self.columns]
        stated = next((self.units[name] for name in named if name in self.units), self._told_heights)
        self._of_heights = stated or self.book.unit
        if stated or self.book.unit not in {"mm", "cm"}:
            return
        cells = [(line, row[self.columns[name]]) for line, row in rows for name in named]
        there = [(line, cell) for line, cell in cells if DIGIT.search(cell)]
        fine = [cell for _, cell in there if re.search(r"\d[.,]\d{2,}$", cell)]
        if there and len(fine) * 2 > len(there):
            self._of_heights = "m"
            self.book.notes.append(f"heights in m beside readings in {self.book.unit}, as {fine[0]} says")
        elif any(abs(_number(cell, self.book.decimal_mark)) < SMALL for _, cell in there):
            line, cell = next(x for x in there if abs(_number(x[1], self.book.decimal_mark)) < SMALL)
            self._refuse(
                line,
                named[0],
                "bad-value",
                f"“{cell}” is hardly a height in {self.book.unit}; say what the heights are in, apart from the readings (--heights-in m)",
            )

    def above(self, lines: list[str], rows: list[tuple[int, list[str]]]) -> None:
        """Take the heights that stand above the table: Benchmark BM 3 = 42.318."""
        marks = {row[self._mark_at] for _, row in rows if self._mark_at >= 0 and row[self._mark_at]}
        for at, mark, text in told_above(lines, marks):
            try:
                height = parse_length(
                    text, self._of_heights if self._of_heights != "mm" else "m", self.book.decimal_mark
                )
            except KeelError:
                continue
            if mark not in self._heights:
                self._heights[mark] = height.value
                self.book.known.append((mark, height, f"as listed in {self.name}, line {at + 1}"))
                self.book.notes.append(f"line {at + 1} gives the height of {mark}")

    def _cell(self, row: list[str], name: str) -> str:
        return row[self.columns.get(name, -1)]

    def _refuse(self, line: int, column: str, code: str, message: str) -> None:
        i = self.columns.get(column, 0)
        self.problems.append(
            KeelError(code, message, f"line {line}, column {letter(i)} ({self.header[i].strip()})")
        )

    def _length(self, line: int, row: list[str], column: str, unit: str) -> Length | None:
        text = row[self.columns.get(column, -1)]
        if not text:
            return None
        try:
            length = _parsed(text, self.units.get(column, unit), self.book.decimal_mark)
        except KeelError as error:
            self._refuse(line, column, error.code, error.message)
            return None
        if column in READ and abs(length.value) > 12:
            self._refuse(
                line,
                column,
                "bad-value",
                f"“{text}” is {length.value:g} m, longer than any staff; is the unit right? Say what the readings are in (--readings-in mm)",
            )
            return None
        if column == "distance" and not 0 < length.value <= 500:
            self._refuse(
                line,
                column,
                "bad-value",
                f"“{text}” is no length of a sight; expected above 0 and at most 500 m",
            )
            return None
        return length

    def _mark(self, line: int, row: list[str]) -> str:
        mark = row[self._mark_at]
        if not mark:
            self._refuse(line, "mark", "missing-field", "no mark is named; every reading stands on one")
        return mark

    def _known(self, line: int, row: list[str], mark: str, column: str) -> None:
        if not row[self.columns[column]]:
            return
        length = self._length(line, row, column, self._of_heights)
        if length is None or not mark:
            return
        if mark in self._heights:
            if abs(self._heights[mark] - length.value) > 1e-9:
                self._refuse(
                    line, column, "two-heights", f"{mark} has a known height already, and another one"
                )
            return
        self._heights[mark] = length.value
        self.book.known.append((mark, length, self._cell(row, "source") or f"as listed in {self.name}"))

    def _computed(self, line: int, row: list[str]) -> None:
        """Keep the height that the file has at a line, to be held against ours; what is no number there says nothing."""
        text = row[self._height]
        if not text:
            return
        try:
            self.book.computed[line] = metres_of(text, self._of_heights, self.book.decimal_mark)
        except KeelError:
            return

    def _book(
        self, line: int, row: list[str], mark: str, kind: int, reading: Length | None, begins: bool
    ) -> None:
        if reading is None or not mark:
            return
        distance = self._length(line, row, "distance", "m") if row[self._distance] else None
        new = begins and bool(self.book.sights)
        details: dict[str, Any] = {}
        for name in self._of_length:
            length = self._length(line, row, name, self.book.unit)
            if length is not None:
                details[name] = as_read(length)
        for column in self._of_text:
            if text := self._cell(row, column):
                details[column] = text
        self.book.sights.append(
            BookedSight(mark, kind, reading, distance, row[self._remark], new, line, details)
        )

    def _is_struck(self, row: list[str]) -> bool:
        """Whether a line was crossed out, in a column of its own or in words."""
        if self._cell(row, "struck").lower() in {"yes", "struck", "x", "1"} or CROSSED.search(
            row[self._remark]
        ):
            self.book.lines["struck"] += 1
            return True
        return False

    def sight(self, line: int, row: list[str]) -> None:
        """A line per sight."""
        if self._is_struck(row):
            return
        if self._cell(row, "sight").lower() in EVENTS:
            self.book.lines["events"] += 1
            self.book.events.append(
                (len(self.book.sights), self._cell(row, "sight").lower(), self._cell(row, "remark"))
            )
            return
        mark = self._mark(line, row)
        self._computed(line, row)
        if "known" in self.columns:
            self._known(line, row, mark, "known")
        text, said = self._cell(row, "reading"), self._cell(row, "sight")
        if not text and self._cell(row, "known"):
            self.book.lines["known"] += 1
            return
        kind = self.kinds.get(said.lower().rstrip("."))
        if kind is None:
            self._refuse(
                line,
                "sight" if "sight" in self.columns else "mark",
                "bad-value",
                f"“{said}” is no kind of sight; expected BS, IS or FS",
            )
            return
        if not text:
            self._refuse(line, "reading", "missing-field", "no reading on this line")
            return
        setup = self._cell(row, "setup")
        begins = (setup != self._setup) if "setup" in self.columns else kind == BS
        self._setup = setup
        self.book.lines["sights"] += 1
        self._book(line, row, mark, kind, self._length(line, row, "reading", self.book.unit), begins)

    def classic(self, line: int, row: list[str]) -> None:
        """A line per mark: a foresight and a backsight on one line are a change point."""
        if self._is_struck(row):
            return
        mark = self._mark(line, row)
        self._computed(line, row)
        there = [(k, kind) for k, kind, at in self._sights if row[at]]
        if self._known_at >= 0:
            self._known(line, row, mark, "known")
        elif self._height >= 0 and not self.book.sights and not self.book.known:
            self._known(line, row, mark, "height")
        if not there:
            if self._cell(row, "known"):
                self.book.lines["known"] += 1
            else:
                self._refuse(
                    line, "mark", "missing-field", "no reading on this line; expected one under BS, IS or FS"
                )
            return
        self.book.lines["sights"] += 1
        if len(there) > 1 and ("is", IS) in there:
            self._refuse(
                line,
                "is",
                "bad-value",
                "an intermediate sight shares its line with no other; only FS and BS do",
            )
            return
        for column, kind in there:
            reading = self._length(line, row, column, self.book.unit)
            self._book(line, row, mark, kind, reading, kind == BS)
