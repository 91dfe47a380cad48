"""Lines of a level book that are no sights: sums of what stands above them, and benchmarks told above the table."""

from __future__ import annotations

import re
from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length

TOLD = re.compile(r"^\s*(?:#\s*)?(?P<name>[^=:]{1,80}?)\s*[=:]\s*(?P<height>[-+]?\d[^=]{0,40}?)\s*$")
"""A mark and its height on a line of its own: Benchmark BM 3 = 42.318."""
LARGEST = 1e9
"""What is more is no reading, nor a sum of any [any unit]."""
FEW = 3
"""Readings above, so that one number alone that equals their sum is no chance [1]."""


class Sums:
    """The sums of the columns of readings as a book is read, line by line: of the page in hand and of all."""

    def __init__(self, columns: int) -> None:
        self._all, self._page = [0] * columns, [0] * columns
        self._many = [0] * columns

    def are(self, row: Sequence[str], *, named: bool = False) -> bool:
        """Whether a line's numbers are the sums of the columns above it, whatever it is called.

        Parameters
        ----------
        row : sequence of str
            Its cells in the columns of readings, "" where there is none.
        named : bool
            Whether it is called so: then few readings above are enough.
        """
        numbers = [_ticks(cell) for cell in row]
        there = [i for i, n in enumerate(numbers) if n is not None]
        if not there or any(row[i] and numbers[i] is None for i in range(len(row))):
            return False
        if not named and (
            max(self._many[i] for i in there) < 2 or (len(there) == 1 and self._many[there[0]] < FEW)
        ):
            return False
        return any(all(numbers[i] == sums[i] for i in there) for sums in (self._all, self._page))

    def turn(self) -> None:
        """A line of sums ends a page."""
        self._page = [0] * len(self._page)

    def add(self, row: Sequence[str]) -> None:
        """Add a line of readings."""
        for i, cell in enumerate(row):
            ticks = _ticks(cell)
            if ticks is not None:
                self._all[i] += ticks
                self._page[i] += ticks
                self._many[i] += 1


def _ticks(cell: str) -> int | None:
    """A reading in ten-thousandths of its unit, or of a sixty-fourth of an inch's hundredth where it is in feet and inches; None for no number."""
    text = cell.strip()
    if not text:
        return None
    try:
        number = float(text.replace(",", "."))
        return round(number * 10_000) if abs(number) < LARGEST else None
    except ValueError:
        pass
    try:
        return round(parse_length(text, "ft-in", ".").value / 0.0254 * 6400)
    except KeelError:
        return None


def told_above(lines: Sequence[str], marks: set[str]) -> list[tuple[int, str, str]]:
    """Return the heights that lines above the table tell: (line, counted from 0, mark, text of the height).

    The mark is one of the book's own, whatever word stands before it: Benchmark BM 3 = 42.318.
    """
    known = {" ".join(mark.split()).casefold(): mark for mark in marks}
    out = []
    for at, line in enumerate(lines):
        found = TOLD.match(line.strip().strip(";,\t|").strip())
        if found is None:
            continue
        words = found["name"].split()
        for first in range(len(words)):
            mark = known.get(" ".join(words[first:]).casefold())
            if mark is not None:
                out.append((at, mark, found["height"].strip()))
                break
    return out
