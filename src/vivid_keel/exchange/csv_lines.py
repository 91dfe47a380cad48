"""Lines of a CSV file parted into cells, each line for itself: no quote swallows the lines behind it.

A quote is a character unless it opens a cell and closes it before the next separator: in 5' 7 3/8" it is an inch mark.
Only where every cell of the file stands in quotes may one go on over several lines.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator

_RUN = re.compile(r"['\s]*[=+\-@]|'*[\t\r]")
"""What a spreadsheet takes for a formula and runs."""
_RUN_INSIDE = re.compile(r"([;\t|])(?=['\s]*[=+\-@])")
"""What one would run that parts the lines at something else."""
_GUARDED_INSIDE = re.compile(r"([;\t|])'(?=['\s]*[=+\-@])")
_NUMBER = re.compile(r"[+\-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+\-]?\d+)?")


def harmless(cell: object) -> object:
    """Return a cell as it is written: a text that a spreadsheet would run stands behind an apostrophe; `parted` takes it off."""
    if not isinstance(cell, str) or _NUMBER.fullmatch(cell.strip()):
        return cell
    cell = _RUN_INSIDE.sub(r"\1'", cell)
    return f"'{cell}" if _RUN.match(cell) else cell


def _as_it_was(cell: str) -> str:
    own = cell[1:] if cell[:1] == "'" and _RUN.match(cell) else cell
    return _GUARDED_INSIDE.sub(r"\1", own)


def written(rows: Iterable[Iterable[object]]) -> str:
    """Return rows as CSV, no cell of which a spreadsheet runs."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([harmless(cell) for cell in row] for row in rows)
    return out.getvalue()


def parted(line: str, separator: str) -> list[str]:
    """Return the cells of one line."""
    if '"' not in line:  # as most lines are: five times as quick
        cells = line.split(separator)
        return [_as_it_was(cell) for cell in cells] if "'" in line else cells
    cells, at = [], 0
    while True:
        quoted = _quoted(line, at, separator)
        if quoted is None:
            end = line.find(separator, at)
            cell = line[at:] if end < 0 else line[at:end]
            end = len(line) if end < 0 else end
        else:
            cell, end = quoted
        cells.append(_as_it_was(cell))
        if end >= len(line):
            return cells
        at = end + len(separator)


def _quoted(line: str, at: int, separator: str) -> tuple[str, int] | None:
    """Return a cell that stands in quotes from a place on, and where it ends; None where the quote is a character."""
    start = at
    while start < len(line) and line[start] == " ":
        start += 1
    if start >= len(line) or line[start] != '"':
        return None
    inside, k = [], start + 1
    while k < len(line):
        if line[k] != '"':
            inside.append(line[k])
            k += 1
        elif line[k : k + 2] == '""':
            inside.append('"')
            k += 2
        else:
            end = k + 1
            while end < len(line) and line[end] == " ":
                end += 1
            closed = end >= len(line) or line.startswith(separator, end)
            return ("".join(inside), end) if closed else None
    return None


def wholly_quoted(lines: list[str], separator: str) -> bool:
    """Whether every cell of the first filled line stands in quotes: then a cell may go on over several lines."""
    first = next((line for line in lines if line.strip()), "")
    pieces = first.strip().split(separator)
    return all(len(piece.strip()) > 1 and piece.strip()[0] == piece.strip()[-1] == '"' for piece in pieces)


def rows_of(lines: list[str], separator: str, *, joined: bool = False) -> Iterator[tuple[int, list[str]]]:
    """Return every line's cells with its number, counted from 0; with `joined` a cell in quotes may go on over lines."""
    if not joined:
        yield from enumerate(parted(line, separator) for line in lines)
        return
    at = 0
    while at < len(lines):
        first, text = at, lines[at]
        while text.count('"') % 2 and at + 1 < len(lines) and at - first < MOST_LINES:
            at += 1
            text = f"{text}\n{lines[at]}"
        yield first, parted(text, separator)
        at += 1


MOST_LINES = 20
"""A cell goes on over no more lines than this: a quote that is never closed swallows no file."""
