"""What an axis comes to, as rows that outlive the program."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.told import RULE as MOVED
from vivid_keel.core.moving.told import moved_told
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, bounds_told, told_rows
from vivid_keel.trades.axis.result import AxisResult, lean_of


def told(result: AxisResult, journal: Journal) -> Tables:
    """Return its lean as found and as left, and its feet."""
    return Tables(told_rows([*_lean(result), *moved_told(result)]), rule=RULE)


RULE = f"""A reading at azimuth a is zero + along * cos(a) + across * sin(a), by least squares, all of one weight; lean = root(along^2 + across^2).
{MOVED}"""


def _lean(result: AxisResult) -> Iterator[Told]:
    for phase in (FOUND, LEFT):
        axis = result.of(phase)
        if axis is None:
            continue
        how = "least squares: zero + x·cos φ + y·sin φ"
        yield Told("axis", f"lean as {phase}, along", axis.x, "rad", math.nan, how)
        yield Told("axis", f"lean as {phase}, across", axis.y, "rad", math.nan, how)
        if is_missing(axis.line):
            yield Told("axis", f"lean as {phase}", axis.tilt, "rad", math.nan, "√(along² + across²)")
            yield from bounds_told("axis", f"lean as {phase}", lean_of(axis, result.book.u_tilt), "rad")
        yield Told("axis", f"the level's own zero as {phase}", axis.zero, "rad", math.nan, how)
