"""The part of an axis in the demo: the runner stone's spindle over the bedstone."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.axis.book import usual_limits

DIVISION = parse_tilt("0.05 mm/m").value
FEET = (("N", 0.0, 0.9), ("W", -0.78, -0.45), ("E", 0.78, -0.45))
READ = ((0.0, "5.4"), (180.0, "1.8"), (90.0, "2.2"), (270.0, "4.8"), (360.0, "5.4"))
"""Azimuth and bubble as found; the stone itself lies skew, which turns along."""


def build(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A spindle on three feet that leans to the east."""
    (work,) = file.record([Draft(0, "work", {"name": "Runner stone spindle", "type": "axis", "unit": "m"})])
    id = work.id
    file.record([Draft(id, "limits", draft.body) for draft in usual_limits("m")])
    file.record([Draft(id, "foot", {"name": n, "x_m": x, "y_m": y}) for n, x, y in FEET])
    for azimuth, text in READ:
        tilt = parse_tilt(text, "div", ".", DIVISION)
        body = {"azimuth": azimuth, "phase": "found", "text": text}
        file.record([Draft(id, "turned", {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution})])


PARTS = {67: build}
"""By their place in the demo."""
