"""A run as readings between marks and lines of sight, for a network."""

from __future__ import annotations

import math
import re

from vivid_keel.core.record.lending import LentLine
from vivid_keel.trades.run.result import RunResult

CHANGE_POINT = re.compile(r"CP\s*\d+", re.IGNORECASE)
"""Names the program proposes for change points: such a mark is of its own run, whatever others are called."""


def run_lines(result: RunResult) -> list[LentLine]:
    """Return every reading as a line from its mark to the line of sight of its set-up.

    So readings of one set-up hang together by its line, as they do in the field, and each is
    independent of the others. A change point with a name the program proposed (CP 1) is told apart by
    its run's name; every other name means the same mark in all runs.
    """
    book, layout = result.book, result.layout
    d = result.distances
    # What stays in one way is a bound: on top of U, as everywhere.
    u = result.u_readings() + result.left_in_each() / 2
    out = []
    for i, mark in enumerate(layout.marks):
        if math.isnan(result.reduction.heights[i]):
            continue
        s = int(layout.setup[i])
        stand = f"set-up {s + 1} ({book.name})"
        rise = float(result.reduction.readings[i])
        out.append(LentLine(own_name(mark, book.name), stand, rise, float(u[i]), float(d[i]), s))
    return out


def own_name(mark: str, run: str) -> str:
    """Return the name a mark has in the whole job."""
    return f"{mark} ({run})" if CHANGE_POINT.fullmatch(mark.strip()) else mark
