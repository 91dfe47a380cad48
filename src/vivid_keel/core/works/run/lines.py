"""A run as levelled lines between marks, for a network."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from vivid_keel.core.booking.layout import BS
from vivid_keel.core.works.run.result import RunResult

CHANGE_POINT = re.compile(r"CP\s*\d+", re.IGNORECASE)
"""Names the program proposes for change points: such a mark is of its own run, whatever others are called."""


@dataclass(frozen=True, slots=True)
class RunLine:
    """What one set-up says: `to` stands `rise` above `start`; σ of it and the length of both sights [m]."""

    start: str
    to: str
    rise: float
    sigma: float
    length: float
    setup: int
    row: int


def run_lines(result: RunResult) -> list[RunLine]:
    """Return a line from the backsight of every set-up to each mark read from it.

    A change point with a name the program proposed (CP 1) is told apart by its run's name; every
    other name means the same mark in all runs. Readings from one set-up share its backsight; that
    they hang together by it is left aside, which makes the stated uncertainty of a difference of two
    of them a little large.
    """
    book, layout = result.book, result.layout
    u, d = result.u_readings(), result.distances
    out = []
    for i in range(len(layout.kinds)):
        s = int(layout.setup[i])
        back = layout.backsight[s]
        if layout.kinds[i] == BS or back < 0 or math.isnan(result.reduction.heights[i]):
            continue
        start, to = (own_name(layout.marks[k], book.name) for k in (back, i))
        if start == to:
            continue  # a last look at the mark the set-up began on
        rise = float(result.reduction.readings[back] - result.reduction.readings[i])
        sigma = math.hypot(float(u[back]), float(u[i]))
        out.append(RunLine(start, to, rise, sigma, float(d[back] + d[i]), s, book.sights[i]))
    return out


def own_name(mark: str, run: str) -> str:
    """Return the name a mark has in the whole job."""
    return f"{mark} ({run})" if CHANGE_POINT.fullmatch(mark.strip()) else mark
