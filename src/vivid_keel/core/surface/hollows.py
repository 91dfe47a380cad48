"""Where water stands on a surface: each hollow filled to the place where it spills.

Source: water at a corner rises to the lowest way out to the edge, and that way is known by its highest place; the lowest of all such
ways lie on the tree that joins all corners by their least sides (a side being as high as its higher end). On planes that meet at
corners no pass lies anywhere but at a corner.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.surface.against import Plane, against

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]
    Bools = npt.NDArray[np.bool_]

WET = 1e-6
"""Water that stands less deep doesn't stand [m]."""


@dataclass(frozen=True, slots=True)
class Hollow:
    """Water that stands: its level, the lowest place under it (along, across, how deep), where it spills (along, across) [m], how much
    it is [m³], and the area under it [m²]."""

    level: float
    lowest: tuple[float, float, float]
    spill: tuple[float, float]
    volume: float
    area: float


def hollows(xyz: Floats, triangles: Ints, walls: Bools | None = None) -> list[Hollow]:
    """Return where water stands on a surface, the most of it first.

    Parameters
    ----------
    xyz : float array (n, 3)
        Its corners [m].
    triangles : int array (k, 3)
    walls : bool array (n,), optional
        Corners at which it ends but no water leaves it, such as a house's.
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
    of = water[triangles].max(
        axis=1
    )  # no triangle stands under two waters: where both wet a side they are one
    order = np.argsort(of, kind="stable")[np.count_nonzero(of < 0) :]
    parts = np.split(order, np.flatnonzero(np.diff(of[order])) + 1) if len(order) else []
    return sorted(
        (_filled(xyz, triangles[part], level, water == of[part[0]]) for part in parts),
        key=lambda hollow: -hollow.volume,
    )


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
    joined = {(int(p), int(q)): float(h) for p, q, h in zip(sides.row, sides.col, sides.data, strict=True)}
    risen = np.full(n + 1, -np.inf)
    for k in order[1:].tolist():
        p = int(before[k])
        risen[k] = max(risen[p], joined.get((p, k), joined.get((k, p), -np.inf)))
    return np.asarray(np.maximum(risen[:n] + z.min() - 1.0, z))


def _waters(a: Ints, b: Ints, wet: Bools) -> Ints:
    """Which water stands over each corner, by number; −1 where none does."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    both = wet[a] & wet[b]
    joined = coo_array((np.ones(int(both.sum())), (a[both], b[both])), shape=(len(wet), len(wet)))
    return np.where(wet, connected_components(joined, directed=False)[1], -1)


def _filled(xyz: Floats, touched: Ints, level: Floats, under: Bools) -> Hollow:
    """What stands over corners that have one water, in the triangles (k, 3) that it touches."""
    corners = np.unique(touched)
    members, rim = corners[under[corners]], corners[~under[corners]]
    at = float(level[members].max())
    found = against(xyz[touched], Plane(at))
    x, y, z = xyz[members[xyz[members, 2].argmin()]].tolist()
    over = xyz[rim[np.abs(xyz[rim, 2] - at).argmin()]]
    return Hollow(at, (x, y, at - z), (float(over[0]), float(over[1])), found.fill, found.below_area)
