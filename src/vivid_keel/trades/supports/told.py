"""What it comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.moving.told import RULE as MOVED
from vivid_keel.core.moving.told import moved_told
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.supports.result import SupportsResult

RULE = f"""A height is the reading, below zero where the staff hangs (overhead); of several as found the mean. As left, by how much a reference is read
higher than as found is added: the line has moved. A lean read by a level at
both of its ends is (first + second) / 2, the second taken with the level turned end for end; off plumb = length * tan(lean).
{MOVED}"""


def told(result: SupportsResult, journal: Journal) -> Tables:
    """Return how posts lean, and the supports as found, packed and left."""
    return Tables(told_rows([*_leans(result), *moved_told(result)]), rule=RULE)


def _leans(result: SupportsResult) -> Iterator[Told]:
    names = {point.id: point.name for point in result.book.points}
    for one in result.book.leans:
        for name, lean in (("lean", one.lean), ("lean as first read", one.found)):
            how = f"{name}, {one.way}"
            yield Told(names[one.point], how, lean.tilt, "rad", 2 * lean.u, f"by {one.read_with}")
            yield Told(
                names[one.point],
                f"{how}: the head off plumb",
                lean.off,
                "m",
                2 * lean.u_off,
                "length · tan lean",
            )
