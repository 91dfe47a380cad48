"""The part of a piece of ground in the demo: the drying yard, to be flooded for ice in winter."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike

ROUND = (
    ("pump", 0.0, 0.0, "0.300"),
    ("gatepost", 8.0, 0.0, "0.410"),
    ("lime tree", 8.4, 6.0, "0.655"),
    ("well", 4.0, 6.8, "0.560"),
    ("cart shed", 0.0, 6.0, "0.470"),
)
INSIDE = (("drain", 6.2, 4.4, "0.690"), ("hump", 3.0, 2.6, "0.255"), ("path", 5.4, 1.8, "0.480"))
"""Along and across from the pump, and down from the string."""
WALL = (
    ("wall west", 0.9, 4.5, "0.505", "0.290"),
    ("wall bend", 2.5, 4.9, "0.530", "0.295"),
    ("wall end", 3.3, 5.9, "0.545", "0.300"),
)
"""A low wall round the herb bed: the same, and down to its top."""


def yard(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """Five stakes round, places inside and a low wall, read down from a string that came back; water to stand a little above the pump's foot."""
    (work,) = file.record([Draft(0, "work", {"name": "Drying yard", "type": "groundwork", "unit": "m"})])
    file.record([Draft(work.id, "ground-fact", {"fact": "plane", "text": "-0.280", "value": -0.28})])
    file.record([Draft(work.id, "ground-fact", {"fact": "closing", "text": "4", "value": 0.004})])
    made = {}
    inside = (*INSIDE, *(point[:4] for point in WALL))
    for points, edge in ((ROUND, True), (inside, False)):
        for name, x, y, down in points:
            reading = as_read(parse_length(down, "m", "."))
            body = {"name": name, "x_m": x, "y_m": y, "edge": edge, "reading": reading}
            (made[name],) = file.record([Draft(work.id, "ground-point", body)])
    for name, what, through in (
        ("herb bed", "wall", [point[0] for point in WALL]),
        ("corner to corner", "look", ["gatepost", "path", "hump", "cart shed"]),
    ):
        turns = {str(turn): made[point].id for turn, point in enumerate(through, 1)}
        file.record([Draft(work.id, "ground-line", {"name": name, "what": what, "points": turns})])
    for name, _, _, _, top in WALL:
        body = {"point": made[name].id, "reading": as_read(parse_length(top, "m", "."))}
        file.record([Draft(work.id, "ground-top", body)])


PARTS = {69: yard}
"""By their place in the demo."""
