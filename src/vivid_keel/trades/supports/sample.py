"""The part of supports in the demo: the posts under the mill floor."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.supports.lay_out import grid_drafts

# Readings of the scale hung from the beam over each post, as found and (where given) as left.
POSTS = {
    "U1": ("1.2598", "1.2642"),
    "U2": ("1.2640", "1.2640"),
    "U3": ("1.2572", "1.2633"),
    "U4": ("1.2526", "1.2644"),
    "U5": ("1.2549", None),
    "U6": ("1.2585", None),
    "D1": ("1.2635", "1.2636"),
    "D2": ("1.2602", None),
    "D3": ("1.2637", "1.2635"),
    "D4": ("1.2540", None),
    "D5": ("1.2556", None),
    "D6": ("1.2617", None),
}
LEAVES = (("6 mm", 6), ("3 mm", 10), ("1.5 mm", 14), ("0.8 mm", 16), ("0.4 mm", 16), ("0.2 mm", 12))


def _read(text: str, unit: str = "m") -> dict[str, Any]:
    return as_read(parse_length(text, unit, "."))


def posts(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The posts under the mill floor, half of them packed."""
    (work,) = file.record([Draft(0, "work", {"name": "Mill floor posts", "type": "supports", "unit": "m"})])
    id = work.id
    file.record(
        [_instrument(id, "Amber level", "optical-fine", 0.0002, 10.0, "½ mm scale hung from the beam")]
    )
    points = grid_drafts(id, ("Upstream", "Downstream"), 6, 2.4, 3.1)
    limits = Draft(
        id,
        "limits",
        {
            "tolerance": _read("1.5 mm", "mm"),
            "most_leaves": 4,
            "interface_m": 0.00002,
            "sense": "hangs",
            "leaf_size": "60 × 80 mm",
            "clearance_m": 0.001,
            "fits": True,
            "beam": "don't know",
        },
    )
    made = file.record([limits, *points])[1:]
    ids = {entry.body["name"]: entry.id for entry in made}
    for name, (found, _) in POSTS.items():
        file.record([Draft(id, "reading", {"point": ids[name], "phase": "found", "reading": _read(found)})])
    file.record(
        [
            Draft(
                id,
                "reference",
                {"phase": "found", "name": "Stud in the sluice wall", "reading": _read("0.8415")},
            )
        ]
    )
    file.record([Draft(id, "by-eye", {"point": ids["U2"]})])
    for name, way, first, turned in (
        ("U4", "along", "7.5 mm/m", "5.5 mm/m"),
        ("D4", "across", "1.5 mm/m", "0.5 mm/m"),
    ):
        one, other = parse_tilt(first), parse_tilt(turned)
        body = {"point": ids[name], "way": way, "with": "level", "length_m": 1.2, "step": one.resolution}
        body |= {"first": one.value, "first_text": first, "second": other.value, "second_text": turned}
        file.record([Draft(id, "lean", body)])
    file.record([Draft(id, "target", {"kind": "highest"})])
    for leaf, count in LEAVES:
        file.record([Draft(id, "leaf", {"leaf": _read(leaf, "mm"), "count": count})])
    for key in ("lifting", "shims"):
        file.record([Draft(id, "caution", {"key": key})])
    for name, (_, left) in POSTS.items():
        if left is not None:
            file.record([Draft(id, "reading", {"point": ids[name], "phase": "left", "reading": _read(left)})])
    file.record(
        [
            Draft(
                id,
                "reference",
                {"phase": "left", "name": "Stud in the sluice wall", "reading": _read("0.8416")},
            )
        ]
    )


def _instrument(work: int, name: str, way: str, u: float, reach: float, note: str) -> Draft:
    body = {
        "name": name,
        "way": way,
        "u_m": u,
        "per_metre": 0.00003,
        "from_m": reach,
        "reach_m": reach,
        "note": note,
    }
    return Draft(work, "instrument", body)


PARTS = {20: posts}
"""By their place in the demo."""
