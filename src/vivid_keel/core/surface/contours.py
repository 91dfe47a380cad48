"""Contours straight on the triangles: where each level cuts them, joined to lines.

Source: along a side from z₁ to z₂ a level lies at (level − z₁)/(z₂ − z₁) of it. A corner that stands exactly on a level counts as a
hair above it, so that no line runs out at one.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]

MOST_LEVELS = 400
"""More contours than this are no picture."""


class Contour(Struct, frozen=True):
    """One line of one height [m]: its places in order (k, 2) [m], and whether it comes back to where it began."""

    level: float
    xy: Floats
    closed: bool


def levels_between(low: float, high: float, step: float) -> list[float]:
    """Return the heights at which contours are drawn: whole multiples of step from low to high [m]; none where they would be too many."""
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [] if last - first >= MOST_LEVELS else [k * step for k in range(first, last + 1)]


def contours(xyz: Floats, triangles: Ints, levels: Sequence[float]) -> list[Contour]:
    """Return the contours of a surface.

    Parameters
    ----------
    xyz : float array (n, 3)
        Its points [m].
    triangles : int array (k, 3)
        Their corners by number.
    levels : sequence of float
        Heights [m].
    """
    out: list[Contour] = []
    z = xyz[triangles, 2]
    low, high = z.min(axis=1), z.max(axis=1)
    for level in levels:
        crossed = np.flatnonzero((low < level) & (high >= level))
        if len(crossed):
            out += _joined(level, xyz, triangles[crossed])
    return out


def _joined(level: float, xyz: Floats, triangles: Ints) -> list[Contour]:
    """The lines of one level through triangles that it cuts: each is left by the side through which the next is entered."""
    n = len(xyz)
    a, b = triangles, np.roll(triangles, -1, axis=1)
    cut = (xyz[a, 2] >= level) != (xyz[b, 2] >= level)
    sides = np.minimum(a, b).astype(np.int64) * n + np.maximum(a, b)
    pairs = sides[cut].reshape(-1, 2)  # a level cuts two sides of a triangle, or none
    names, ends = np.unique(pairs, return_inverse=True)
    ends = ends.reshape(-1, 2)
    begin, end = names // n, names % n
    share = (level - xyz[begin, 2]) / (xyz[end, 2] - xyz[begin, 2])
    places = xyz[begin, :2] + share[:, None] * (xyz[end, :2] - xyz[begin, :2])
    return [Contour(level, places[line], closed) for line, closed in _chains(ends, len(names))]


def _chains(ends: Ints, count: int) -> list[tuple[list[int], bool]]:
    """Chains of links (k, 2) between `count` nodes, each node on two links at most: open ones from their ends, then rings."""
    links: list[list[int]] = [[] for _ in range(count)]
    for k, (p, q) in enumerate(ends.tolist()):
        links[p].append(k)
        links[q].append(k)
    used, pairs = [False] * len(ends), ends.tolist()
    out = []
    starts = [node for node in range(count) if len(links[node]) == 1]
    for node in [*starts, *range(count)]:
        line = [node]
        while (link := next((k for k in links[line[-1]] if not used[k]), None)) is not None:
            used[link] = True
            p, q = pairs[link]
            line.append(q if p == line[-1] else p)
        if len(line) > 1:
            out.append((line, line[0] == line[-1]))
    return out
