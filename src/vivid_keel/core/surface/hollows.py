"""Where water stands on a surface: each hollow filled to the place where it spills.

Source: water at a corner rises to the lowest way out to the edge, and that way is known by its highest place; the lowest of all such
ways lie on the tree that joins all corners by their least sides (a side being as high as its higher end). On planes that meet at
corners no pass lies anywhere but at a corner.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.surface.against import under

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]
    Bools = npt.NDArray[np.bool_]

WET = 1e-6
"""Water that stands less deep doesn't stand [m]."""


class Hollow(Struct, frozen=True):
    """Water that stands: its level, the lowest place under it (along, across, how deep), where it spills (along, across) [m], how much
    it is [m³], and the area under it [m²]."""

    level: float
    lowest: tuple[float, float, float]
    spill: tuple[float, float]
    volume: float
    area: float


def hollows(xyz: Floats, triangles: Ints, walls: Bools | None = None, *, deeper: float = WET) -> list[Hollow]:
    """Return where water stands on a surface, the most of it first.

    Parameters
    ----------
    xyz : float array (n, 3)
        Its corners [m].
    triangles : int array (k, 3)
    walls : bool array (n,), optional
        Corners at which it ends but no water leaves it, such as a house's.
    deeper : float
        What is nowhere deeper than that isn't told [m].
    """
    if not len(triangles):
        return []
    a, b = np.concatenate([np.roll(triangles, -k, axis=1)[:, :2] for k in range(3)]).T
    sides = np.minimum(a, b).astype(np.int64) * len(xyz) + np.maximum(a, b)
    names, times = np.unique(sides, return_counts=True)
    a, b = names // len(xyz), names % len(xyz)
    out = np.zeros(len(xyz), dtype=bool)
    out[a[times == 1]] = out[b[times == 1]] = True
    if walls is not None:
        out &= ~walls
    if not out.any():
        return []
    level = _risen(xyz[:, 2], a, b, out)
    water = _waters(a, b, level > xyz[:, 2] + WET)
    wet = water >= 0
    depth = np.zeros(int(water.max(initial=0)) + 1)
    np.maximum.at(depth, water[wet], (level - xyz[:, 2])[wet])
    water = np.where(wet & (depth[water] > deeper), water, -1)
    # No triangle stands under two waters: where both wet a side they are one.
    of = water[triangles].max(axis=1)
    touched = of >= 0
    return _told(xyz, triangles[touched], of[touched], water, level)


def _risen(z: Floats, a: Ints, b: Ints, out: Bools) -> Floats:
    """How high water rises at each corner (n,) [m], that may leave at some of them."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import breadth_first_order, minimum_spanning_tree

    n, ways = len(z), np.flatnonzero(out)
    begin, end = np.concatenate([a, np.full(len(ways), n)]), np.concatenate([b, ways])
    # The graph's package takes a side of length 0 for none: heights above a place below the lowest.
    high = np.concatenate([np.maximum(z[a], z[b]), z[ways]]) - z.min() + 1.0
    tree = minimum_spanning_tree(coo_array((high, (begin, end)), shape=(n + 1, n + 1)).tocsr())
    order, before = breadth_first_order(tree, n, directed=False)
    sides = tree.tocoo()
    far = np.where(
        before[sides.col] == sides.row, sides.col, sides.row
    )  # the end that is reached by the side
    up = np.full(n + 1, -np.inf)
    up[far] = sides.data
    risen, parents = up.tolist(), before.tolist()
    for k in order[1:].tolist():
        risen[k] = max(risen[parents[k]], risen[k])
    return np.asarray(np.maximum(np.array(risen[:n]) + z.min() - 1.0, z))


def _waters(a: Ints, b: Ints, wet: Bools) -> Ints:
    """Which water stands over each corner, by number; −1 where none does."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    both = wet[a] & wet[b]
    joined = coo_array((np.ones(int(both.sum())), (a[both], b[both])), shape=(len(wet), len(wet)))
    return np.where(wet, connected_components(joined, directed=False)[1], -1)


def _told(xyz: Floats, triangles: Ints, of: Ints, water: Ints, level: Floats) -> list[Hollow]:
    """What stands over triangles (k, 3) under one water each (k,)."""
    if not len(of):
        return []
    wet = np.flatnonzero(water >= 0)
    lowest_first = wet[np.lexsort((xyz[wet, 2], water[wet]))]
    numbers, begins = np.unique(water[lowest_first], return_index=True)
    lowest = lowest_first[begins]
    high, turn = level[lowest], np.searchsorted(numbers, of)
    volumes, areas = (np.bincount(turn, part, len(numbers)) for part in under(xyz[triangles], high[turn]))
    # It runs over at a corner beside it that stands at its level.
    corners, beside = triangles.reshape(-1), np.repeat(turn, 3)
    rim = water[corners] < 0
    corners, beside = corners[rim], beside[rim]
    order = np.lexsort((np.abs(xyz[corners, 2] - high[beside]), beside))
    spill = corners[order][np.unique(beside[order], return_index=True)[1]]
    deep = high - xyz[lowest, 2]
    return [
        Hollow(
            float(high[k]),
            (float(xyz[lowest[k], 0]), float(xyz[lowest[k], 1]), float(deep[k])),
            (float(xyz[spill[k], 0]), float(xyz[spill[k], 1])),
            float(volumes[k]),
            float(areas[k]),
        )
        for k in np.argsort(-volumes, kind="stable").tolist()
    ]
