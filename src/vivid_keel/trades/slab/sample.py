"""The part of a table in the demo: the setting-out table in the mill shop."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.moving.plan import Point
from vivid_keel.core.quantities import parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.slab.book import l_order, usual_limits

DIVISION = parse_tilt("0.05 mm/m").value
FEET = (("A", 0.0, 0.0), ("B", 1.6, 0.0), ("C", 1.6, 0.9), ("D", 0.0, 0.9))
READ = ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6")
"""Bubbles as found, in the order in which the level is laid, its own error in them."""


def build(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A table on four feet, out of level and a little twisted."""
    (work,) = file.record([Draft(0, "work", {"name": "Setting-out table", "type": "slab", "unit": "m"})])
    id = work.id
    file.record([replace(draft, work=id) for draft in usual_limits("m")])
    facts = (("division", "0.05", DIVISION), ("read", "0.2", 0.2))
    file.record([Draft(id, "body-fact", {"fact": k, "text": t, "value": v}) for k, t, v in facts])
    feet = file.record([Draft(id, "foot", {"name": n, "x_m": x, "y_m": y}) for n, x, y in FEET])
    points = [Point(e.id, str(e.body["name"]), "feet", x, y) for e, (_, x, y) in zip(feet, FEET, strict=True)]
    for (start, to, way), text in zip(l_order(points), READ, strict=True):
        tilt = parse_tilt(text, "div", ".", DIVISION)
        body = {"from": start, "to": to, "way": way, "phase": "found", "text": text}
        file.record([Draft(id, "laid", {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution})])


PARTS = {65: build}
"""By their place in the demo."""
