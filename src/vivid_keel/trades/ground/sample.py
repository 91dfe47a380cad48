"""The part of a piece of ground in the demo: the drying yard, to be flooded for ice in winter."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.bulk import describe
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike
from vivid_keel.exchange.point_list import mapping_of

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


LEVELLED = (
    ("pump", 0.0, 0.0, "-0.001", True),
    ("gatepost", 8.0, 0.0, "-0.106", True),
    ("lime tree", 8.4, 6.0, "-0.352", True),
    ("well", 4.0, 6.8, "-0.257", True),
    ("cart shed", 0.0, 6.0, "-0.165", True),
    ("north of the drain", 6.9, 5.3, "-0.371", False),
    ("south of the drain", 6.4, 3.3, "-0.331", False),
    ("middle", 4.2, 3.9, "-0.214", False),
    ("bench", 2.0, 3.1, "-0.052", False),
    ("path", 5.4, 1.8, "-0.177", False),
)
"""Along and across from the pump, and what the liquid level shows against its stud there."""
BEFORE = """point,along,across,height
1,0.0,0.0,-0.297
2,4.0,0.0,-0.322
3,8.0,0.0,-0.404
4,8.4,3.0,-0.540
5,8.4,6.0,-0.648
6,4.0,6.8,-0.553
7,0.0,6.0,-0.466
8,0.0,3.0,-0.352
9,2.0,2.6,-0.300
10,4.0,3.4,-0.468
11,6.2,4.4,-0.655
12,5.4,1.8,-0.474
"""
"""The yard as somebody levelled it in spring, before the carts."""


def levelled(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The same yard by a liquid level in autumn: the outline first, then inside, back to the stud; to fall to the drain; and as it was in spring."""
    body = {"name": "Drying yard in autumn", "type": "groundwork", "unit": "m"}
    (work,) = file.record([Draft(0, "work", body)])
    for fact, text, value in (
        ("for", "earth", 1.0),
        ("by", "hydrostatic level", 2.0),
        ("line", "-0.300", -0.3),
        ("plane", "-0.350", -0.35),
        ("fall", "2", 2.0),
        ("towards", "30", 30.0),
    ):
        file.record([Draft(work.id, "ground-fact", {"fact": fact, "text": text, "value": value})])

    def look(shown: str) -> None:
        reading = as_read(parse_length(shown, "m", "."))
        file.record([Draft(work.id, "ground-look", {"what": "zero", "reading": reading})])

    look("0.000")
    for name, x, y, shown, edge in LEVELLED:
        reading = as_read(parse_length(shown, "m", "."))
        file.record(
            [
                Draft(
                    work.id,
                    "ground-point",
                    {"name": name, "x_m": x, "y_m": y, "edge": edge, "reading": reading},
                )
            ]
        )
    look("0.003")
    raw = BEFORE.encode()
    told = {
        "name": "yard in spring.csv",
        "points": BEFORE.count("\n") - 1,
        "source": describe(raw, mapping_of(raw)),
    }
    file.record([Draft(work.id, "ground-before", told, source=raw)])


PARTS = {69: yard, 72: levelled}
"""By their place in the demo."""
