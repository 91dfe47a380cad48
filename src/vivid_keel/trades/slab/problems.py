"""The problem of a table: its warp."""

from __future__ import annotations

from vivid_keel.core.body import shapes
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, numbers


def warp(f: Fields) -> Solved:
    """Warp of a four-cornered table.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    if f.has("corners_m"):
        corners = numbers(f, "corners_m")
        if len(corners) != 4:
            raise KeelError("bad-value", "a table has four corners, in order round it", "/problem/corners_m")
        found = shapes.warp(corners)
    else:
        diagonal = f.text("diagonal", (shapes.AC, shapes.BD))
        ends = f.has("gap_ends_m")
        gap = f.number("gap_ends_m" if ends else "gap_middle_m", least=0.0)
        found = shapes.warp_from_gap(diagonal, gap, ends=ends)
    f.done()
    return {"warp_m": found, "one_foot_m": -found}, []


PROBLEMS = {"warp": warp}
