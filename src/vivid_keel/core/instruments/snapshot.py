"""The instrument of the kit that a work reads with, as it was on that day."""

from __future__ import annotations

import math
from datetime import datetime

from vivid_keel.core.instruments.defaults import WAY
from vivid_keel.core.instruments.outcome import CORRECT
from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.instruments.used import Instrument, Staff

OWN_ERROR = {"optical": "collimation", "rotary": "cone", "line": "cone"}
"""The error of a kind that grows with the length of the sight."""
AXES = {"rotary": ("x", "y"), "line": ("line",)}
"""The errors of a laser that tip its plane or line."""


def reads_heights(tool: Tool) -> bool:
    """Whether a job can be read with it: a staff, scale or mark on one line; stand-ins are for practice."""
    return bool(tool.kind.way) and tool.hidden is None


def taken_from(tool: Tool, now: datetime) -> Instrument:
    """Return the snapshot of an instrument of the kit on a day: what a reading is worth, its error, its state.

    Its collimation is known where it was checked since it was last knocked, adjusted or repaired.
    """
    t, way = tool.traits, WAY[tool.kind.way]
    state = tool.state(now)
    point = tool.worth(OWN_ERROR.get(tool.kind.key, ""), now)
    decision = next(
        (check.decided for check in tool.checks if point is not None and check.id == point.check), ""
    )
    stated = {k: k in tool.stated for k in ("u", "grows", "from")}
    start = t.number("from") if stated["from"] else way.from_distance
    return Instrument(
        tool.name,
        way.key,
        t.number("u") if stated["u"] else way.base,
        t.number("grows") if stated["grows"] else way.per_metre,
        start,
        max(way.reach, start),
        point.value if point is not None and decision else None,
        t.number("hair", 100.0),
        tool.texts.get("identity", ""),
        True,
        tool.id,
        state.key,
        state.words,
        point.U / 2 if point is not None and decision else None,
        decision if decision == CORRECT else "",
        *_axis(tool, now),
    )


def _axis(tool: Tool, now: datetime) -> tuple[float, tuple[float, float] | None]:
    """How far a laser's plane may be off level in any direction [rad]: the axes' errors as last checked, with their U; and both errors,
    where both were checked."""
    points = [tool.worth(key, now) for key in AXES.get(tool.kind.key, ())]
    known = [
        point
        for point in points
        if point is not None and next((c.decided for c in tool.checks if c.id == point.check), "")
    ]
    if not known:
        return 0.0, None
    both = (known[0].value, known[1].value) if len(known) == len(AXES["rotary"]) else None
    return math.hypot(*(point.value for point in known)) + max(point.U for point in known), both


def staff_from_kit(tool: Tool, now: datetime) -> Staff:
    """Return the snapshot of a staff of the kit on a day: by how much its foot makes every reading too long."""
    state, point = tool.state(now), tool.worth("foot", now)
    decision = next(
        (check.decided for check in tool.checks if point is not None and check.id == point.check), ""
    )
    known = point is not None and bool(decision)
    return Staff(
        tool.name,
        point.value if known and point else 0.0,
        point.U / 2 if known and point else 0.0,
        tool.id,
        state.key,
        state.words,
        decision if decision == CORRECT else "",
    )
