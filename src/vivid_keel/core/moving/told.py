"""What points that are brought level come to, as rows that outlive the program.

Source: the sums of `core.moving.reached` and `core.moving.result`, each told with its formula.
"""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.moving.result import Moved
from vivid_keel.core.record.told import Told


def moved_told(result: Moved) -> Iterator[Told]:
    """Tell every point: height as found, target, deviation, move, what is to be put in, deviation as left."""
    done = set(result.to_move)
    for i, point in enumerate(result.book.points):
        if i >= len(result.heights):
            return
        name = point.name
        yield Told(
            name,
            "height as found, on the line of the readings",
            float(result.heights[i]),
            formula="as it was read",
        )
        yield Told(name, "target", float(result.targets[i]), formula="the target chosen, at its place")
        yield Told(
            name,
            "deviation as found",
            -float(result.moves[i]),
            U=2 * float(result.u_deviation[i]),
            formula="height − target",
        )
        if i in done:
            yield Told(name, "move, + up", result.does(i), formula="target − height")
            yield Told(
                name, "to be put under it", float(result.lifts[i]), formula="what makes that move, as learned"
            )
        yield Told(
            name, "height as left", float(result.left[i]), formula="as it was read again, on the same line"
        )
        yield Told(
            name,
            "deviation as left",
            result.deviation_left(i),
            U=2 * float(result.u_left[i]),
            formula="height as left − target",
        )
