"""The outline of a piece of ground: a simple polygon in plan, cut into triangles, and what of other triangles lies inside.

Source: ears are cut off a simple polygon (Meisters); what of a convex piece lies in a convex one is left when it is cut along each side
(Sutherland and Hodgman).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Bools = npt.NDArray[np.bool_]

TOUCH = 1e-12
"""So much of the outline's own size is nothing [1]."""


def simple_outline(xy: Floats) -> Floats:
    """Return an outline, anticlockwise.

    Parameters
    ----------
    xy : float array (m, 2)
        Its corners in order, either way round [m].

    Raises
    ------
    KeelError
        `bad-outline`: fewer than three corners, one twice, no area, or it crosses itself; the message says where, by number from 1.
    """
    m = len(xy)
    if m < 3:
        raise KeelError("bad-outline", f"an outline has three points at least, this one has {m}")
    if len(np.unique(xy, axis=0)) < m:
        raise KeelError("bad-outline", "the outline comes to one place twice")
    begins, ends = xy, np.roll(xy, -1, axis=0)
    for i in range(m - 1):
        others = np.arange(i + 1, m)
        meets = _cross(begins[i], ends[i], begins[others], ends[others])
        for j in others[meets]:
            if (j - i) % m not in {1, m - 1}:
                raise KeelError(
                    "bad-outline",
                    f"the outline crosses itself: its side {i + 1} to {i + 2} meets its side {j + 1} to {(j + 1) % m + 1}",
                )
            if _folds(xy, i, int(j)):
                raise KeelError("bad-outline", f"the outline goes back along itself at its point {j + 1}")
    area = _twice(xy)
    if abs(area) <= TOUCH * float(np.ptp(xy, axis=0).max()) ** 2:
        raise KeelError("bad-outline", "the outline has no area: its points lie in a line")
    return xy if area > 0 else xy[::-1]


def _twice(xy: Floats) -> float:
    """Twice the area of a polygon (m, 2), + anticlockwise [m²]."""
    x, y = (xy - xy[0]).T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def side_of(a: Floats, b: Floats, p: Floats) -> Floats:
    """Twice the area of a, b, p: + where p lies to the left of a to b [m²]; arrays (…, 2)."""
    return np.asarray(
        (b[..., 0] - a[..., 0]) * (p[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (p[..., 0] - a[..., 0])
    )


def _cross(a: Floats, b: Floats, c: Floats, d: Floats) -> Bools:
    """Whether the way from a to b meets those from c to d (k, 2), touching included."""
    one, two = side_of(a, b, c) * side_of(a, b, d), side_of(c, d, a) * side_of(c, d, b)
    lowest = np.maximum(np.minimum(a, b), np.minimum(c, d))
    highest = np.minimum(np.maximum(a, b), np.maximum(c, d))
    return np.asarray((one <= 0) & (two <= 0) & (lowest <= highest).all(axis=-1))


def _folds(xy: Floats, i: int, j: int) -> bool:
    """Whether two neighbouring sides lie on one another."""
    first, second = (i, j) if j == i + 1 else (j, i)
    at = xy[second]
    before, after = xy[first] - at, xy[(second + 1) % len(xy)] - at
    along = float(before @ after)
    across = float(before[0] * after[1] - before[1] * after[0])
    return along > 0 and abs(across) <= TOUCH * along


def ears(xy: Floats) -> list[Floats]:
    """Return a simple polygon xy, anticlockwise (m, 2) [m], as triangles (3, 2), by cutting ears off it."""
    left, out = list(range(len(xy))), []
    while len(left) > 3:
        k = next((k for k in range(len(left)) if _is_ear(xy, left, k)), None)
        if k is None:  # rounding: the flattest corner goes
            k = int(np.argmin([abs(_corner(xy, left, k)) for k in range(len(left))]))
        if _corner(xy, left, k) > 0:
            out.append(xy[[left[k - 1], left[k], left[(k + 1) % len(left)]]])
        left.pop(k)
    if float(side_of(xy[left[0]], xy[left[1]], xy[left[2]])) > 0:
        out.append(xy[left])
    return out


def _corner(xy: Floats, left: list[int], k: int) -> float:
    return float(side_of(xy[left[k - 1]], xy[left[k]], xy[left[(k + 1) % len(left)]]))


def _is_ear(xy: Floats, left: list[int], k: int) -> bool:
    corner = [left[k - 1], left[k], left[(k + 1) % len(left)]]
    if _corner(xy, left, k) <= 0:
        return False
    rest = xy[[i for i in left if i not in corner]]
    a, b, c = xy[corner]
    held = (side_of(a, b, rest) >= 0) & (side_of(b, c, rest) >= 0) & (side_of(c, a, rest) >= 0)
    return not bool(held.any())


def inside(xy: Floats, points: Floats) -> Bools:
    """Return which points (n, 2) lie inside a simple polygon xy, anticlockwise (m, 2), or on its edge [m]."""
    on, size = np.zeros(len(points), dtype=bool), float(np.ptp(xy, axis=0).max())
    for a, b in zip(xy, np.roll(xy, -1, axis=0), strict=True):
        near = np.abs(side_of(a, b, points)) <= TOUCH * size * float(np.hypot(*(b - a)))
        low, high = np.minimum(a, b) - TOUCH * size, np.maximum(a, b) + TOUCH * size
        on |= near & ((points >= low) & (points <= high)).all(axis=1)
    return np.asarray(_odd(xy, points) | on)


def _odd(xy: Floats, points: Floats) -> Bools:
    """Which points a ray to the right leaves a polygon from, an odd number of sides being crossed."""
    odd, (x, y) = np.zeros(len(points), dtype=bool), points.T
    for a, b in zip(xy, np.roll(xy, -1, axis=0), strict=True):
        over = np.flatnonzero((a[1] > y) != (b[1] > y))
        odd[over] ^= x[over] < a[0] + (y[over] - a[1]) / (b[1] - a[1]) * (b[0] - a[0])
    return odd


def cut_to(pieces: Floats, outline: Floats) -> Floats:
    """Return what of triangles lies inside an outline, as triangles again; their planes stay as they are.

    Parameters
    ----------
    pieces : float array (k, 3, 3)
        Corners of triangles, anticlockwise in plan: x, y, z [m].
    outline : float array (m, 2)
        A simple polygon, anticlockwise [m].
    """
    plan = pieces[:, :, :2]
    touched = np.zeros(len(pieces), dtype=bool)
    low, high = plan.min(axis=1), plan.max(axis=1)
    for a, b in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        near = np.flatnonzero(((low <= np.maximum(a, b)) & (high >= np.minimum(a, b))).all(axis=1))
        sides = side_of(a, b, plan[near])
        touched[near[(sides.min(axis=1) < 0) & (sides.max(axis=1) > 0)]] = True
    whole = ~touched
    whole[whole] = _odd(outline, plan[whole].mean(axis=1))
    left, out = pieces[touched], [pieces[whole]]
    low, high = low[touched], high[touched]
    for ear in ears(outline):
        near = ((low < ear.max(axis=0)) & (high > ear.min(axis=0))).all(axis=1)
        inner = left[near]
        for a, b in zip(ear, np.roll(ear, -1, axis=0), strict=True):
            inner = left_of(inner, a, b)
        out.append(inner)
    return np.concatenate(out)


def cut_out(pieces: Floats, ring: Floats) -> Floats:
    """Return what of triangles lies outside a hole, as triangles again; `pieces` (k, 3, 3), `ring` (m, 2), anticlockwise [m]."""
    low, high = pieces[:, :, :2].min(axis=1), pieces[:, :, :2].max(axis=1)
    near = ((low < ring.max(axis=0)) & (high > ring.min(axis=0))).all(axis=1)
    out, left = [pieces[~near]], pieces[near]
    for ear in ears(ring):
        # What lies right of one of its sides lies outside this ear; what is left of all of them is in the hole.
        outside = []
        for a, b in zip(ear, np.roll(ear, -1, axis=0), strict=True):
            outside.append(left_of(left, b, a))
            left = left_of(left, a, b)
        left = np.concatenate(outside)
    return np.concatenate([*out, left])


def left_of(pieces: Floats, a: Floats, b: Floats) -> Floats:
    """Return what of triangles, `pieces` (k, 3, 3) [m], lies to the left of the line from a to b (2,) [m], as triangles."""
    sides = side_of(a, b, pieces[:, :, :2])
    over = sides > 0
    whole = (sides >= 0).all(axis=1)
    cut = over.any(axis=1) & ~whole
    tips = over.sum(axis=1)
    out = [pieces[whole]]
    for count in (
        1,
        2,
    ):  # one corner over the line: a triangle is left; two: a triangle is cut off, and two are left
        some = cut & (tips == count)
        odd = (over[some] if count == 1 else ~over[some]).argmax(axis=1)
        order = (odd[:, None] + np.arange(3)) % 3
        p = np.take_along_axis(pieces[some], order[:, :, None], axis=1)
        s = np.take_along_axis(sides[some], order, axis=1)
        to_next, to_last = (s[:, 0] / (s[:, 0] - s[:, k]) for k in (1, 2))
        one = p[:, 0] + to_next[:, None] * (p[:, 1] - p[:, 0])
        two = p[:, 0] + to_last[:, None] * (p[:, 2] - p[:, 0])
        if count == 1:
            out.append(np.stack([p[:, 0], one, two], axis=1))
        else:
            out += [np.stack([one, p[:, 1], p[:, 2]], axis=1), np.stack([one, p[:, 2], two], axis=1)]
    return np.concatenate(out)
