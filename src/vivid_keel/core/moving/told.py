"""What points that are brought level come to, as rows that outlive the program.

Source: the sums of `core.moving.reached` and `core.moving.result`, each told with its formula.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

from vivid_keel.core.moving.listing import move_lines
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.record.told import Told

RULE = """Deviation = height - target, move = -deviation. A target as left has come along with the point that its formula names: + what that one
moved. What is planned for a point: gap that remains = sum of shims that go in to stay - wanted - closing of each joint."""
"""What every body's results follow, once its heights are known."""


def moves_told(result: Moved) -> Iterator[Told]:
    """Tell every move of the round in hand: each shim, what the jack and the scale show; rows of one point and stage follow one another."""
    for line in move_lines(result) if result.read else []:
        name = line.point if line.stage is None else f"{line.point}, stage {line.stage}, {line.state}"
        for quantity, leaves in (
            ("shim that goes in to stay", line.shims_m),
            ("shim that goes in for now", line.for_now_m),
            ("shim that comes out", line.out_m),
        ):
            yield from (Told(name, quantity, leaf, formula="from the stock") for leaf in leaves)
        for quantity, value, unit, formula in (
            ("move at this stage, + up", line.move_m, "m", "its part of the move"),
            ("turns, + up", line.turns, "1", "move / pitch"),
            ("jack to", line.jack_to, "m", "reading that leaves slip in at"),
            ("finish at", line.finish_at, "m", "reading once let down"),
            ("gap that remains planned", line.left_m, "m", "Σ leaves − closing − wanted"),
        ):
            if value is not None and line.state != "stays":
                yield Told(name, quantity, value, unit, formula=formula)


def moved_told(result: Moved) -> Iterator[Told]:
    """Tell every point: height as found, target, deviation, move, what is to be put in, deviation as left."""
    done = set(result.to_move)
    for i, point in enumerate(result.book.points):
        if i >= len(result.heights):
            return
        name = point.name
        yield Told(name, "along", point.x, formula="where it stands")
        yield Told(name, "across", point.y, formula="where it stands")
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
        if not math.isnan(result.left[i]):
            keeper = result.aim.keeper if result.aim.by_keeper else -1
            came = f" + as left − as found of {result.book.points[keeper].name}" if keeper >= 0 else ""
            yield Told(name, "target as left", float(result.aim.left_targets[i]), formula=f"target{came}")
        yield Told(
            name, "height as left", float(result.left[i]), formula="as it was read again, on the same line"
        )
        yield Told(
            name,
            "deviation as left",
            result.deviation_left(i),
            U=2 * float(result.u_left[i]),
            formula="height as left − target as left",
        )
    yield from moves_told(result)
