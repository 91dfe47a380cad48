"""What it comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.body.told import body_told
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.told import RULE as MOVED
from vivid_keel.core.moving.told import moved_told
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.slab.result import SlabResult, twist_of


def told(result: SlabResult, journal: Journal) -> Tables:
    """Return how a table stood as found and as left, its twist, and its feet, moved and left."""
    return Tables(told_rows([*_shape(result), *moved_told(result)]), rule=RULE)


RULE = f"""A tilt that was read from one foot to another (way -1: with the level turned end for end) is (height to - height from) / their distance in plan
+ way * own error of the level; heights and own error by least squares, all readings of one level of one weight. On the line of the readings
heights are told from their mean.
{MOVED}"""


def _shape(result: SlabResult) -> Iterator[Told]:
    names = [point.name for point in result.book.points]
    for phase, body in ((FOUND, result.body), (LEFT, result.body_left)):
        yield from body_told(body, names, phase)
        if body is not None and len(names) == 4:
            value, U = twist_of(result.book, body)
            yield Told("table", f"twist as {phase}", value, "m", U, "one pair of opposite feet − the other")
