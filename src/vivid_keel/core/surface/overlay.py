"""One surface over another: where their triangles cross, and by how much the one lies above the other there, exactly.

Source: every two triangles that meet in plan share a convex piece (Sutherland and Hodgman: cut by one side after the other), over which
the difference of two planes is a plane.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.surface.against import areas
from vivid_keel.core.surface.outline import side_of

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]

AT_A_TIME = 100_000
"""So many pairs are cut together."""
NOTHING = 1e-14
"""A piece that is so small a part of the larger surface is none [1]."""


def rise_between(then: Floats, now: Floats) -> Floats:
    """Return by how much one surface lies above another where both are.

    Parameters
    ----------
    then, now : float array (k, 3, 3), (m, 3, 3)
        Their triangles, anticlockwise in plan [m].

    Returns
    -------
    pieces : float array (p, 3, 3)
        Triangles in plan, their third coordinate the rise from `then` to `now` at the corners [m].
    """
    then, now = (part[np.abs(areas(part)) > 0] for part in (then, now))
    if not len(then) or not len(now):
        return np.empty((0, 3, 3))
    middle = now[:, :, :2].mean(axis=(0, 1))
    plan_then, plan_now = then[:, :, :2] - middle, now[:, :, :2] - middle
    planes_then, planes_now = _planes(plan_then, then[:, :, 2]), _planes(plan_now, now[:, :, 2])
    least = NOTHING * float(np.abs(areas(now)).sum())
    out = []
    a, b = _near(plan_then, plan_now)
    for start in range(0, len(a), AT_A_TIME):
        i, j = a[start : start + AT_A_TIME], b[start : start + AT_A_TIME]
        poly = _shared(plan_then[i], plan_now[j])
        rise = planes_now[j] - planes_then[i]
        z = rise[:, None, 0] + (poly * rise[:, None, 1:]).sum(axis=2)
        corners = np.concatenate([poly + middle, z[:, :, None]], axis=2)
        for k in range(1, poly.shape[1] - 1):
            fan = corners[:, [0, k, k + 1]]
            out.append(fan[areas(fan) > least])
    return np.concatenate(out) if out else np.empty((0, 3, 3))


def _planes(plan: Floats, z: Floats) -> Floats:
    """Height at the middle and slopes along and across of each triangle (k, 3)."""
    one, two = plan[:, 1] - plan[:, 0], plan[:, 2] - plan[:, 0]
    twice = one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]
    first, second = z[:, 1] - z[:, 0], z[:, 2] - z[:, 0]
    along = (first * two[:, 1] - second * one[:, 1]) / twice
    across = (second * one[:, 0] - first * two[:, 0]) / twice
    return np.column_stack([z[:, 0] - along * plan[:, 0, 0] - across * plan[:, 0, 1], along, across])


def _near(first: Floats, second: Floats) -> tuple[Ints, Ints]:
    """Which triangles of one (k, 3, 2) may meet which of another (m, 3, 2), by the boxes round them."""
    boxes = [(part.min(axis=1), part.max(axis=1)) for part in (first, second)]
    low = np.minimum(*(box[0].min(axis=0) for box in boxes))
    wide = np.maximum(*(box[1].max(axis=0) for box in boxes)) - low
    size = max(float(np.sqrt(wide[0] * wide[1] / max(len(first), len(second)))), float(wide.max()) / 2000)
    across = int(wide[1] / size) + 1
    told = [
        _cells(((least - low) / size).astype(int), ((most - low) / size).astype(int), across)
        for least, most in boxes
    ]
    (of_first, cell_first), (of_second, cell_second) = told
    order = np.argsort(cell_second, kind="stable")
    of_second, cell_second = of_second[order], cell_second[order]
    begin = np.searchsorted(cell_second, cell_first, "left")
    many = np.searchsorted(cell_second, cell_first, "right") - begin
    a = np.repeat(of_first, many)
    b = of_second[np.repeat(begin, many) + _count(many)]
    a, b = np.divmod(np.unique(a * len(second) + b), len(second))
    (low_a, high_a), (low_b, high_b) = boxes
    meet = ((low_a[a] < high_b[b]) & (low_b[b] < high_a[a])).all(axis=1)
    return a[meet], b[meet]


def _count(many: Ints) -> Ints:
    """0, 1 … up to each of several numbers (k,), one run after the other."""
    return np.arange(int(many.sum())) - np.repeat(np.cumsum(many) - many, many)


def _cells(low: Ints, high: Ints, across: int) -> tuple[Ints, Ints]:
    """The cells of a net that boxes cover: which box, and which cell by number."""
    along, wide = high[:, 0] - low[:, 0] + 1, high[:, 1] - low[:, 1] + 1
    many = along * wide
    of, k = np.repeat(np.arange(len(low)), many), _count(many)
    x, y = low[of, 0] + k // wide[of], low[of, 1] + k % wide[of]
    return of, x * (across + 1) + y


def _shared(poly: Floats, by: Floats) -> Floats:
    """What triangles (p, 3, 2) share with others (p, 3, 2): corners (p, 6, 2), the last one standing for those there are fewer."""
    for side in range(3):
        a, b = by[:, side, None], by[:, (side + 1) % 3, None]
        off = side_of(a, b, poly)
        then, off_then = np.roll(poly, -1, axis=1), np.roll(off, -1, axis=1)
        crosses = (off > 0) != (off_then > 0)
        share = np.where(crosses, off / np.where(crosses, off - off_then, 1.0), 0.0)
        # Each corner that is inside, then where the way to the next one crosses the side.
        both = np.stack([poly, poly + share[:, :, None] * (then - poly)], axis=2)
        kept = np.stack([off > 0, crosses], axis=2)
        p, n = off.shape
        both, kept = both.reshape(p, 2 * n, 2), kept.reshape(p, 2 * n)
        order = np.argsort(~kept, axis=1, kind="stable")[:, : n + 1]
        last = np.maximum(kept.sum(axis=1) - 1, 0)
        order = order[np.arange(p)[:, None], np.minimum(np.arange(n + 1), last[:, None])]
        poly = both[np.arange(p)[:, None], order]
    return poly
