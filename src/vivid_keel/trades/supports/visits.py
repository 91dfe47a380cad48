"""The visits of a supports work side by side: heights on one datum, and what moved in between."""

from __future__ import annotations

import math
from datetime import datetime

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.trades.supports.book import Occasion, SupportsBook
from vivid_keel.trades.supports.line import u_of
from vivid_keel.trades.supports.reads import Read
from vivid_keel.trades.supports.result import SupportsResult


def tied(book: SupportsBook) -> bool:
    """Whether the watch mark was read with every set of readings, so that the visits hang together."""
    return all(
        phase in one.marks
        for one in book.occasions
        for phase, reads in ((FOUND, one.found), (LEFT, one.left))
        if reads
    )


def labels(book: SupportsBook) -> list[str]:
    """Return what the visits at which something was read are called: their months, oldest first."""
    return [f"{datetime.fromisoformat(one.began):%b %Y}" for one in book.occasions if one.found]


def visits_of(book: SupportsBook) -> list[Visit]:
    """Return the visits at which something was read, oldest first, heights over the watch mark.

    Where it wasn't read every time, over the mean of the points read at both ends: then only how they moved against one
    another can be told.
    """
    marked = tied(book)
    u = float(u_of(book, FOUND).max()) if len(book.points) else 0.0
    out = []
    for one in book.occasions:
        if not one.found:
            continue
        common = set.intersection(*(set(each.found) for each in book.occasions if each.found))
        found, left = (_heights(book, one, phase, common, marked) for phase in (FOUND, LEFT))
        began, ended = datetime.fromisoformat(one.began), datetime.fromisoformat(one.ended)
        spread = 1 + (1 if marked else 1 / max(len(common), 1))
        out.append(Visit(f"{began:%b %Y}", began, ended, found, left, u * math.sqrt(spread)))
    return out


def _heights(
    book: SupportsBook, one: Occasion, phase: str, common: set[int], marked: bool
) -> dict[str, float]:
    """Heights of one set of readings on the common datum [m]."""
    reads = one.found if phase == FOUND else one.left
    sign = dict(zip((point.id for point in book.points), signs([p.sense for p in book.points]), strict=True))

    def value(read: Read) -> float:
        return read.value - (read.own if book.use_staff else 0.0)

    heights = {
        point.name: float(sign[point.id]) * value(reads[point.id])
        for point in book.points
        if point.id in reads
    }
    if marked:
        base = -value(one.marks[phase]) if phase in one.marks else 0.0
    else:
        same = [heights[point.name] for point in book.points if point.id in common and point.name in heights]
        base = sum(same) / len(same) if same else 0.0
    return {name: height - base for name, height in heights.items()}


def drifts_of(result: SupportsResult) -> dict[str, Drift]:
    """Return what every support did between the visits."""
    now = {
        point.name: float(result.deviation_left(i) if point.left is not None else -result.moves[i])
        for i, point in enumerate(result.book.points)
    }
    return drifts(visits_of(result.book), now, result.book.limits.tolerance)
