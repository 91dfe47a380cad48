"""Points copied in a spreadsheet: a name and some lengths a line, all of it or nothing."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.readings import as_read

Point = tuple[str, list[dict[str, Any] | None]]


def pasted_points(
    text: str, units: Sequence[str], decimal_mark: str | None, taken: Collection[str] = ()
) -> list[Point]:
    """Return the points on a clipboard: each a name, and its lengths as readings [m], None where a cell is empty.

    A first line that names the columns is left out. Cells are parted by tabs, else by semicolons, else by commas or spaces.

    Parameters
    ----------
    units : sequence of str
        What a bare number means in each column after the name.
    taken : collection of str
        Names that are there already.

    Raises
    ------
    KeelError
        `bad-value`, `duplicate-name`: with the line, and nothing is taken.
    """
    lines = [line for line in text.replace("\r", "\n").split("\n") if line.strip()]
    out: list[Point] = []
    used = set(taken)
    for number, line in enumerate(lines, 1):
        cells = [cell.strip() for cell in _parted(line, decimal_mark)]
        if number == 1 and len(cells) > 1 and not any(ch.isdigit() for ch in "".join(cells[1:])):
            continue
        name = cells[0]
        if not name:
            raise KeelError("bad-value", f"line {number} names no point; expected a name and its place")
        if name in used:
            raise KeelError(
                "duplicate-name", f"line {number}: there is a {name} already; names tell points apart"
            )
        if len(cells) > len(units) + 1:
            raise KeelError(
                "bad-value",
                f"line {number} has {len(cells)} cells; expected a name and at most {len(units)} lengths",
            )
        used.add(name)
        values: list[dict[str, Any] | None] = []
        for cell, unit in zip(cells[1:], units, strict=False):
            try:
                values.append(as_read(parse_length(cell, unit, decimal_mark)) if cell else None)
            except KeelError as error:
                raise KeelError(error.code, f"line {number}, {name}: {error.message}") from error
        out.append((name, values + [None] * (len(units) - len(values))))
    return out


def _parted(line: str, decimal_mark: str | None) -> list[str]:
    for separator in ("\t", ";"):
        if separator in line:
            return line.split(separator)
    return line.split(",") if "," in line and decimal_mark != "," else line.split()
