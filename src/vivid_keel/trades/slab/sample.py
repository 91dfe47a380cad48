"""The part of a table in the demo: the setting-out table in the mill shop."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.moving.plan import Point
from vivid_keel.core.quantities import parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.slab.book import fold_slab, l_order, usual_limits

DIVISION = parse_tilt("0.05 mm/m").value
FEET = (("A", 0.0, 0.0), ("B", 1.6, 0.0), ("C", 1.6, 0.9), ("D", 0.0, 0.9))
READ = ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6")
"""Bubbles as found, in the order in which the level is laid, its own error in them."""


def build(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A table on four feet, out of level and a little twisted."""
    (work,) = file.record([Draft(0, "work", {"name": "Setting-out table", "type": "slab", "unit": "m"})])
    id = work.id
    file.record([draft._replace(work=id) for draft in usual_limits("m")])
    facts = (("division", "0.05", DIVISION), ("read", "0.2", 0.2))
    file.record([Draft(id, "body-fact", {"fact": k, "text": t, "value": v}) for k, t, v in facts])
    feet = file.record([Draft(id, "foot", {"name": n, "x_m": x, "y_m": y}) for n, x, y in FEET])
    points = [Point(e.id, str(e.body["name"]), "feet", x, y) for e, (_, x, y) in zip(feet, FEET, strict=True)]
    for (start, to, way), text in zip(l_order(points), READ, strict=True):
        tilt = parse_tilt(text, "div", ".", DIVISION)
        body = {"from": start, "to": to, "way": way, "phase": "found", "text": text}
        file.record([Draft(id, "laid", {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution})])
    surface = [("long", "1.6", 1.6), ("wide", "0.9", 0.9), ("base", "0.2", 0.2)]
    file.record([Draft(id, "body-fact", {"fact": k, "text": t, "value": v}) for k, t, v in surface])
    file.record(_surface(file, id))


def _surface(file: JobLike, work: int) -> list[Draft]:
    """The level stepped along the eight lines of a plate that is a little hollow, and worn along one side."""

    def height(x: float, y: float) -> float:
        hollow = 9e-5 * ((x / 1.6 - 0.5) ** 2 + (y / 0.9 - 0.55) ** 2)
        return hollow + 1.3e-4 * x + 5e-5 * y - 2.5e-4 * x * y / 1.6 + 3e-5 * math.sin(5 * x) * y

    surface = fold_slab(file.journal, work).surface
    assert surface is not None
    places, node = surface.nodes
    drafts = []
    for at in surface.wanted:
        a, b = places[node[at.line, at.step]], places[node[at.line, at.step + 1]]
        divisions = (height(*b) - height(*a)) / math.dist(a, b) / DIVISION + 1.1
        text = f"{round(divisions / 0.2) * 0.2:.1f}"
        tilt = parse_tilt(text, "div", ".", DIVISION)
        body = {"line": at.line, "step": at.step, "way": at.way, "text": text}
        drafts.append(Draft(work, "surface", {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution}))
    return drafts


PARTS = {65: build}
"""By their place in the demo."""
