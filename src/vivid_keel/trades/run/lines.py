"""A run as readings between marks and lines of sight, for a network."""

from __future__ import annotations

import math

from vivid_keel.core.record.lending import LentLine, own_name
from vivid_keel.trades.run.result import RunResult


def run_lines(result: RunResult) -> list[LentLine]:
    """Return every reading as a line from its mark to the line of sight of its set-up.

    So readings of one set-up hang together by its line, as they do in the field, and each is
    independent of the others. A change point with a name the program proposed (CP 1) is told apart by
    its run's name; every other name means the same mark in all runs.
    """
    book, layout = result.book, result.layout
    d = result.distances
    # What stays in one way is a bound: on top of U, as everywhere.
    u = result.u_readings + result.left_in_each() / 2
    out = []
    for i, mark in enumerate(layout.marks):
        if math.isnan(result.reduction.heights[i]):
            continue
        s = int(layout.setup[i])
        stand = f"set-up {s + 1} ({book.name})"
        rise = float(result.reduction.readings[i])
        out.append(LentLine(own_name(mark, book.name), stand, rise, float(u[i]), float(d[i]), s))
    return out
