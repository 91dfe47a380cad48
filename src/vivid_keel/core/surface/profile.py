"""The ground along a line: where a way in plan crosses a surface's triangles.

Source: what of a straight way lies in a triangle is what lies on the inner side of all its three sides (Cyrus and Beck).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

TOUCHED = 1e-9
"""A triangle that a way only touches gives nothing to it, of the way's length [1]."""


def profile(pieces: Floats, way: Floats) -> Floats:
    """Return the ground along a way: how far along it, and how high (m, 2) [m], nan where it leaves the ground.

    Parameters
    ----------
    pieces : float array (k, 3, 3)
        Triangles of the surface, anticlockwise in plan [m].
    way : float array (n, 2)
        From place to place in plan [m].
    """
    out, gone = [], 0.0
    for a, b in zip(way, way[1:], strict=False):
        length = float(np.hypot(*(b - a)))
        if length > 0:
            out += _along(pieces, a, b, gone)
        gone += length
    if not out:
        return np.empty((0, 2))
    parts = [out[0]]
    for before, part in zip(out, out[1:], strict=False):
        if part[0, 0] - before[1, 0] > TOUCHED * gone:
            parts.append(np.full((1, 2), np.nan))
        parts.append(part)
    return np.concatenate(parts)


def _along(pieces: Floats, a: Floats, b: Floats, gone: float) -> list[Floats]:
    """The parts of one straight way, each its beginning and end: how far, how high (2, 2), in order."""
    plan, way = pieces[:, :, :2], b - a
    low, high = np.minimum(a, b), np.maximum(a, b)
    near = ((plan.min(axis=1) <= high) & (plan.max(axis=1) >= low)).all(axis=1)
    plan, z = plan[near], pieces[near, :, 2]
    enters, leaves = np.zeros(len(plan)), np.ones(len(plan))
    for k in range(3):
        p, side = plan[:, k], plan[:, (k + 1) % 3] - plan[:, k]
        there = side[:, 0] * (a[1] - p[:, 1]) - side[:, 1] * (a[0] - p[:, 0])
        turns = side[:, 0] * way[1] - side[:, 1] * way[0]
        nothing = TOUCHED * np.hypot(*side.T) * float(np.hypot(*way))
        beside = np.abs(turns) <= nothing  # along a side a way lies in both triangles, however it is rounded
        with np.errstate(divide="ignore", invalid="ignore"):
            at = -there / turns
        enters = np.where((turns > 0) & ~beside, np.maximum(enters, at), enters)
        leaves = np.where((turns < 0) & ~beside, np.minimum(leaves, at), leaves)
        leaves = np.where(beside & (there < -nothing), -1.0, leaves)
    some = leaves - enters > TOUCHED
    plan, z, enters, leaves = plan[some], z[some], enters[some], leaves[some]
    # A height on the plane of each triangle, by its gradient.
    one, two = plan[:, 1] - plan[:, 0], plan[:, 2] - plan[:, 0]
    twice = one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]
    rise1, rise2 = z[:, 1] - z[:, 0], z[:, 2] - z[:, 0]
    slope = np.column_stack(
        [(rise1 * two[:, 1] - rise2 * one[:, 1]) / twice, (rise2 * one[:, 0] - rise1 * two[:, 0]) / twice]
    )
    begin = z[:, 0] + ((a - plan[:, 0]) * slope).sum(axis=1)
    climb, length = slope @ way, float(np.hypot(*way))
    order = np.argsort((enters + leaves) / 2)
    ends = np.stack([enters, leaves], axis=1)[order]
    heights = begin[order, None] + climb[order, None] * ends
    kept, so_far = [], -1.0
    for (start, stop), h in zip(ends.tolist(), heights, strict=True):
        if stop > so_far + TOUCHED:  # along a side two triangles have the same part of it
            kept.append(np.column_stack([gone + np.array([start, stop]) * length, h]))
            so_far = stop
    return kept
