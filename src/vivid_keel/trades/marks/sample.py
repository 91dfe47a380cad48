"""The part of reference marks in the demo: the hurst frame."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from vivid_keel.core.instruments.snapshot import taken_from
from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.instruments.used import instrument_draft
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike

TUBE = "Water tube 20 m"


# Posts of the hurst frame: place in plan, tape from the mark down to the floor and up to the post's top.
HURST = (
    ("H1", "0", "0", "1.148", "1.404"),
    ("H2", "2.1", "0", "1.152", "1.401"),
    ("H3", "4.2", "0", "1.161", "1.396"),
    ("H4", "6.3", "0", "1.157", "1.400"),
    ("H5", "6.3", "3.4", "1.149", "1.408"),
    ("H6", "4.2", "3.4", "1.144", "1.411"),
    ("H7", "2.1", "3.4", "1.139", "1.399"),
    ("H8", "0", "3.4", "", ""),
)


def _read(text: str, unit: str = "m") -> dict[str, Any]:
    return as_read(parse_length(text, unit, "."))


def hurst(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The hurst frame: one mark on its first post, carried to the other seven by water tube."""
    (work,) = file.record([Draft(0, "work", {"name": "Hurst frame marks", "type": "marks", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(tools[TUBE], now))])
    source = "drawing 4, floor of the hurst at 40.100"
    file.record([Draft(id, "mark", {"name": "Mark H1", "height": _read("41.250"), "source": source})])
    file.record([Draft(id, "carrying", {"order": "star", "reach": _read("7", "m")})])
    for name, x, y, down, up in HURST:
        body: dict[str, Any] = {
            "name": name,
            "x": _read(x),
            "y": _read(y),
            "design": _read("42.650"),
            "faces": "N, E",
        }
        (column,) = file.record([Draft(id, "column", body)])
        if down:
            body = body | {"to_slab": _read(down), "top": _read(up)}
            file.record([Draft(id, "column", body, strikes=column.id)])


PARTS = {50: hurst}
"""By their place in the demo."""
