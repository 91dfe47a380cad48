"""Ground that is looked at again: what its points did, and what went or came between two surfaces."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.core.surface.against import Plane, against, areas
from vivid_keel.core.surface.tin import surface
from vivid_keel.trades.ground.book import GroundBook

FEWEST = 3
"""So many points read at both visits carry a surface of what changed."""


def _occasions(book: GroundBook) -> list[GroundBook]:
    return [*book.earlier, *([book] if not np.isnan(book.heights).all() else [])]


def labels(book: GroundBook) -> list[str]:
    """Return what its visits are called: their months, oldest first."""
    return [f"{one.began:%b %Y}" for one in _occasions(book)]


def visits_of(book: GroundBook) -> list[Visit]:
    """Return the visits at which it was read: the points' heights [m]."""
    u = book.facts.values["good"] / 2
    out = []
    for one in _occasions(book):
        heights = {
            p.name: float(h) for p, h in zip(one.points, one.heights, strict=True) if not is_missing(h)
        }
        out.append(Visit(f"{one.began:%b %Y}", one.began, one.began, heights, {}, u))
    return out


def drifts_of(book: GroundBook) -> dict[str, Drift]:
    """Return what every point did between the visits; nothing is a limit to it."""
    visits = visits_of(book)
    return drifts(visits, {}, math.inf) if len(visits) > 1 else {}


@dataclass(frozen=True, slots=True)
class Since:
    """What came and what went since the visit before, on the surface of what changed [m³], each ± U, over so much ground [m²]; and the
    points that moved for certain."""

    came: float
    went: float
    U: float
    area: float
    moved: list[str]


def since(book: GroundBook) -> Since | None:
    """Return what changed since the visit before, where the same points were read at both; None where too few were.

    Source: volumes on the triangles through the changes; U: each change is of two readings, with the third of the plan area that
    hangs on its point.
    """
    if not book.earlier:
        return None
    before = {
        p.name: float(h) for p, h in zip(book.earlier[-1].points, book.earlier[-1].heights, strict=True)
    }
    both = [
        (p.x, p.y, float(h) - before[p.name])
        for p, h in zip(book.points, book.heights, strict=True)
        if not is_missing(h) and not is_missing(before.get(p.name, math.nan))
    ]
    if len(both) < FEWEST:
        return None
    try:
        tin = surface(np.array(both))
    except KeelError:
        return None
    found = against(tin.pieces, Plane(0.0))
    weight = np.bincount(tin.nearest, np.repeat(areas(tin.pieces) / 3, 3), len(tin.xyz))
    u = book.facts.values["good"] / 2 * math.sqrt(2)
    moved = [name for name, one in drifts_of(book).items() if one.moved == "moved"]
    return Since(found.cut, found.fill, 2 * u * float(np.sqrt((weight**2).sum())), found.area, moved)
