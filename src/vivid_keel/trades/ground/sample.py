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


def yard(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """Five stakes round, three places inside, read down from a string; water to stand a little above the pump's foot."""
    (work,) = file.record([Draft(0, "work", {"name": "Drying yard", "type": "groundwork", "unit": "m"})])
    file.record([Draft(work.id, "ground-fact", {"fact": "plane", "text": "-0.280", "value": -0.28})])
    for points, edge in ((ROUND, True), (INSIDE, False)):
        for name, x, y, down in points:
            reading = as_read(parse_length(down, "m", "."))
            body = {"name": name, "x_m": x, "y_m": y, "edge": edge, "reading": reading}
            file.record([Draft(work.id, "ground-point", body)])


PARTS = {69: yard}
"""By their place in the demo."""
