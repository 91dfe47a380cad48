"""The part of a top in the demo: the sorting table in the drying yard, three panels on one frame."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.body.facts import LEVEL_FACTS, u_of_a_reading
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.panels.book import ACROSS, ALONG, OVER, PANEL_FACTS, SEAM

DIVISION = parse_tilt("0.05 mm/m").value
FRAME = (
    ("along", 0, "0.5"),
    ("along", 1, "-0.5"),
    ("along", 2, "1.0"),
    *(("across", k, t) for k, t in enumerate(("0.5", "0", "-0.5", "0.5"))),
)
SEEN = (
    (ALONG, 0, 1, "6.2"),
    (ALONG, 0, -1, "4.6"),
    (ACROSS, 0, 1, "-2.2"),
    (SEAM, 0, 0, "-0.35"),
    (SEAM, 0, 1, "-0.20"),
    (ALONG, 1, 1, "-3.0"),
    (ACROSS, 1, 1, "0.8"),
    (OVER, 0, 1, "-3.2"),
    (SEAM, 1, 0, "high"),
    (SEAM, 1, 1, "0.10"),
    (ALONG, 2, 1, "2.4"),
    (ACROSS, 2, 1, "1.8"),
    (OVER, 1, 1, "0.9"),
)
"""What the level shows and the finger feels as found; the level's own error of about 0.8 in the tilts."""


def build(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A top whose first panel climbs to the seam."""
    (work,) = file.record([Draft(0, "work", {"name": "Sorting table", "type": "panels", "unit": "m"})])
    id = work.id
    legs = [("legs", "4", 4.0), ("legs_span", "1.2", 1.2), ("legs_apart", "0.8", 0.8)]
    file.record([Draft(id, "body-fact", {"fact": k, "text": t, "value": v}) for k, t, v in legs])
    for what, at, text in FRAME:
        body = {"what": what, "at": at, "phase": "found", "text": text}
        file.record([Draft(id, "frame-reading", {**body, "tilt_rad": parse_tilt(text, "mm/m", ".").value})])
    size = {"long_m": 1.2, "wide_m": 0.9, "along": 2, "across": 2}
    panels = [file.record([Draft(id, "panel", {"name": name, **size})])[0].id for name in "ABC"]
    u_tilt = u_of_a_reading(usual_facts(LEVEL_FACTS).values)
    usual = usual_facts(PANEL_FACTS).values
    nail = usual["nail"]
    for what, k, which, text in SEEN:
        if what != SEAM:
            value, u = parse_tilt(text, "div", ".", DIVISION).value, u_tilt
        elif text == "high":
            value, u = nail, nail / math.sqrt(3)
        else:
            value, u = parse_length(text, "mm", ".").value, usual["feeler"] / math.sqrt(12)
        body = {"what": what, "panel": panels[k], "which": which, "phase": "found", "text": text}
        file.record([Draft(id, "panel-reading", {**body, "value": value, "u": u})])


PARTS = {68: build}
"""By their place in the demo."""
