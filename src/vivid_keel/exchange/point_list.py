"""A list of points from another program: which columns are along, across and up."""

from __future__ import annotations

import re
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.bulk import GEOJSON, LANDXML

NAMES = {
    "x": {"x", "along", "east", "easting", "e", "x_m", "rechts", "ost"},
    "y": {"y", "across", "north", "northing", "n", "y_m", "hoch", "nord"},
    "z": {"z", "height", "level", "elevation", "elev", "h", "height_m", "z_m", "rl"},
}
NUMBER = re.compile(r"[+-]?\d+([.,]\d+)?([eE][+-]?\d+)?")
LOOKED_AT = 200_000
"""So much of it is looked at to tell its columns [bytes]."""


def mapping_of(raw: bytes) -> dict[str, Any]:
    """Return how a list of points is read, rows of numbers, LandXML or GeoJSON: a mapping for `core/record/bulk`.

    A first line that names its columns says which they are; else three columns are along, across, up, and of more the first is a
    name or a number.

    Raises
    ------
    KeelError
        `no-header`: the columns can't be told, and what was expected.
    """
    text = raw[:LOOKED_AT].decode("utf-8-sig", "ignore")
    if form := {"<": LANDXML, "{": GEOJSON}.get(text.lstrip()[:1]):
        return {"columns": {"x": 0, "y": 1, "z": 2}, "form": form}
    lines = [line for line in re.split(r"\r\n|\r|\n", text) if line.strip()]
    if not lines:
        raise KeelError("no-header", "the list is empty; expected a line a point: along, across, height")
    delimiter = next((one for one in ("\t", ";") if one in lines[0]), "")
    if (
        not delimiter
        and "," in lines[0]
        and not re.fullmatch(r"[+-]?\d+,\d+(\s+[+-]?\d+,\d+)*", lines[0].strip())
    ):
        delimiter = ","
    cells = [[cell.strip() for cell in line.split(delimiter or None)] for line in lines[:20]]
    head = cells[0]
    named = not any(NUMBER.fullmatch(cell) for cell in head)
    body = cells[1:] if named else cells
    if not body:
        raise KeelError("no-header", "only a line of names stands in it; expected a line a point under it")
    comma = delimiter != "," and any("," in cell for row in body for cell in row)
    columns = _by_name(head) if named else _by_place(body[0])
    return {
        "columns": columns,
        "units": {},
        "delimiter": delimiter,
        "decimal_mark": "," if comma else ".",
        "skip": 1 if named else 0,
    }


def _by_name(head: list[str]) -> dict[str, int]:
    words = [re.sub(r"[\s\[(].*$", "", cell.casefold()) for cell in head]
    found = {
        key: next((k for k, word in enumerate(words) if word in said), -1) for key, said in NAMES.items()
    }
    if min(found.values()) < 0:
        raise KeelError(
            "no-header",
            f"its columns are {', '.join(head)}; name those of the place and of the height x, y and z, or along, across and height",
        )
    return found


def _by_place(row: list[str]) -> dict[str, int]:
    if len(row) < 3:
        raise KeelError("no-header", f"a line has {len(row)} numbers; expected three: along, across, height")
    first = 0 if len(row) == 3 else 1
    return {"x": first, "y": first + 1, "z": first + 2}
