"""Ground that is looked at again: what its points did, and what went or came between two surfaces."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.core.surface.against import Plane, against
from vivid_keel.core.surface.between import changed, difference_known
from vivid_keel.core.surface.overlay import rise_between
from vivid_keel.core.surface.rolling import change_known
from vivid_keel.core.surface.tin import Tin
from vivid_keel.trades.ground.book import GroundBook
from vivid_keel.trades.ground.laid import surface_of

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

ALIKE = 4
"""So many points read at both visits tell whether all of them went alike."""
MOST_OF_THEM = 0.6
"""So large a part of them, and it isn't the ground [1]."""


def _occasions(book: GroundBook) -> list[GroundBook]:
    """When its points were read; a file's have no names."""
    earlier = [one for one in book.earlier if not one.file]
    return [*earlier, *([book] if not np.isnan(book.heights).all() else [])]


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


EXACT = 6000
"""Two surfaces of more triangles together are compared at the points of both: their crossings are too many to follow a hand [1]."""


class Since(Struct, frozen=True):
    """What came and what went since the visit before, or since an earlier surface from a file [m³], each ± U, over so much ground [m²]; what
    that was, and the points that moved for certain."""

    came: float
    went: float
    U: float
    area: float
    before: str
    moved: list[str]


def since(book: GroundBook, tin: Tin | None) -> Since | None:
    """Return what changed since the visit before; None where the two surfaces hardly overlap.

    Source: volumes exact on the pieces that triangles of both share; U by ground drawn between the points (`change_known`), else, along
    lines and through few or very many points, as `difference_known` has it.
    """
    if not book.earlier or tin is None:
        return None
    before = book.earlier[-1]
    try:
        then = surface_of(before)
    except KeelError:
        return None
    u = book.facts.values["good"] / 2
    exact = len(then.triangles) + len(tin.triangles) <= EXACT
    rise = None if exact else changed(then, tin)
    pieces = (
        rise_between(then.pieces, tin.pieces)
        if exact
        else np.empty((0, 3, 3))
        if rise is None
        else rise.pieces
    )
    if not len(pieces):
        return None
    found = against(pieces, Plane(0.0))
    U = change_known(then, tin, pieces, u) if exact else None
    if U is None:
        rise = changed(then, tin) if exact else rise
        if rise is None or not len(rise.pieces):
            return None
        U = difference_known(then, tin, rise, u)
    moved = [name for name, one in drifts_of(book).items() if one.moved == "moved"]
    return Since(found.cut, found.fill, U, found.area, before.file or f"{before.began:%b %Y}", moved)


class Together(Struct, frozen=True):
    """By how much most points went alike since the visit before, ± U [m], how many of how many, and those that went otherwise by name with how
    far they went against the others [m]."""

    by: float
    U: float
    count: int
    whole: int
    others: dict[str, float]


def together(book: GroundBook) -> Together | None:
    """Return by how much the points went alike since the visit before; None where they didn't, or went by less than U.

    Source: where six points in ten and four at least lie about one change, within what two readings of each are good to, that is rather the
    benchmark's or the line's than theirs; what they went against one another stands.
    """
    names = [p.name for p in book.points]
    earlier = [one for one in book.earlier if not one.file]
    if not earlier or len(set(names)) < len(names):
        return None
    before = {p.name: float(h) for p, h in zip(earlier[-1].points, earlier[-1].heights, strict=True)}
    went = {
        name: float(h) - before[name]
        for name, h in zip(names, book.heights, strict=True)
        if not is_missing(float(h)) and not is_missing(before.get(name, math.nan))
    }
    if len(went) < ALIKE:
        return None
    u = book.facts.values["good"] / 2 * math.sqrt(2)
    change = np.array(list(went.values()))
    # About each change in turn: the largest band that one rise explains.
    order = np.sort(change)
    near = np.searchsorted(order, order + 2 * u, "right") - np.searchsorted(order, order - 2 * u)
    alike = np.abs(change - order[int(near.argmax())]) <= 2 * u
    count, by = int(alike.sum()), float(change[alike].mean())
    U = 2 * u / math.sqrt(max(count, 1))
    if count < max(ALIKE, MOST_OF_THEM * len(went)) or abs(by) <= U:
        return None
    others = {
        name: rise - by for name, rise in went.items() if abs(rise - by) > 2 * u * math.sqrt(1 + 1 / count)
    }
    return Together(by, U, count, len(went), others)
