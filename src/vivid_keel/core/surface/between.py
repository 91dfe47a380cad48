"""How high a surface lies between its points, how well that is known there, and what changed from one surface to another.

Source: over a triangle whose circle has the middle c and radius R a field of curvature ∇²z lies ∇²z/4·(R² − |x − c|²) off the plane through its
corners; a point left out is off those round it by as much again as the planes are on the mean, four times over (see `uncertainty`).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.surface.against import areas
from vivid_keel.core.surface.tin import Tin, circles, surface
from vivid_keel.core.surface.uncertainty import EACH, QUARTER, foretold, scatter

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]

SKEW = 1.6
"""Ground that bends one way along and the other across hides from points left out: so much worse it is between them [1]."""
NEAR = 12
"""So many triangles about a place are tried before it counts as outside."""
EDGE = 1e-9
"""A place on a side lies in both triangles [1]."""


def corners_of(tin: Tin, xy: Floats) -> tuple[Ints, Floats]:
    """Return the triangle that each place `xy` (m, 2) [m] lies in (m,), −1 outside, and the shares of its corners (m, 3) [1]."""
    plan = tin.xyz[tin.triangles, :2]
    at, shares = np.full(len(xy), -1), np.zeros((len(xy), 3))
    if not len(plan) or not len(xy):
        return at, shares
    left, many = np.arange(len(xy)), min(NEAR, len(plan))
    while len(left):
        near = tin.middles.query(xy[left], k=many)[1].reshape(len(left), many)
        a, b, c = plan[near, 0], plan[near, 1] - plan[near, 0], plan[near, 2] - plan[near, 0]
        p = xy[left, None] - a
        twice = b[..., 0] * c[..., 1] - b[..., 1] * c[..., 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            second = (p[..., 0] * c[..., 1] - p[..., 1] * c[..., 0]) / twice
            third = (b[..., 0] * p[..., 1] - b[..., 1] * p[..., 0]) / twice
        every = np.stack([1 - second - third, second, third], axis=-1)
        least = np.nan_to_num(every.min(axis=-1), nan=-np.inf)
        best = least.argmax(axis=1)
        rows = np.arange(len(left))
        inside = least[rows, best] >= -EDGE
        at[left[inside]] = near[rows, best][inside]
        shares[left[inside]] = every[rows, best][inside]
        if many == len(plan):
            break
        left, many = left[~inside], min(many * 8, len(plan))
    return at, shares


def heights_at(tin: Tin, xy: Floats) -> Floats:
    """Return how high a surface lies at places `xy` (m, 2) [m]; nan where it has no triangle (m,) [m]."""
    at, shares = corners_of(tin, xy)
    z = (shares * tin.xyz[tin.triangles[at], 2]).sum(axis=1)
    return np.where(at < 0, np.nan, z)


def heights_known(tin: Tin, xy: Floats, u: float, off: Floats) -> Floats:
    """Return how well the height of a surface is known at places: standard uncertainties (m,) [m], nan outside.

    Parameters
    ----------
    tin : Tin
    xy : float array (m, 2)
        Places [m].
    u : float
        Standard uncertainty of one point's height [m].
    off : float array (n,)
        As `foretold` has it [m]; where no point tells what lies between, that is in no number.
    """
    at, shares = corners_of(tin, xy)
    _, told, rms, few = scatter(tin, off)
    middle, square = circles(tin.xyz[tin.triangles[at], :2])
    deep = np.maximum(square - ((xy - middle) ** 2).sum(axis=1), 0.0)
    between = (
        SKEW * QUARTER * few * rms * deep / max(tin.usual_power, 1e-12) if told.any() else np.zeros(len(xy))
    )
    return np.where(at < 0, np.nan, np.hypot(u * np.sqrt((shares**2).sum(axis=1)), between))


def changed(then: Tin, now: Tin) -> Tin | None:
    """Return what a surface rose by since another, as a surface through the points of both where both have ground [m]; None where they
    hardly overlap. Between those points either may bend otherwise; exact where both have the same points."""
    xy = np.unique(np.concatenate([then.xyz[:, :2], now.xyz[:, :2]]).round(6), axis=0)
    rise = heights_at(now, xy) - heights_at(then, xy)
    both = ~np.isnan(rise)
    xyz = np.column_stack([xy[both], rise[both]])
    if len(xyz) < 3 or np.linalg.matrix_rank(xyz[1:, :2] - xyz[0, :2], tol=1e-6) < 2:
        return None
    out = surface(xyz)
    if now.whole:
        return out
    return Tin(out.xyz, out.triangles, now.outline, None, now.holes)


def difference_known(then: Tin, now: Tin, rise: Tin, u: float) -> float:
    """Return U of a volume between two surfaces [m³]: of their points' heights, each good to `u` [m], and of what may have come or gone between
    the points, as far as the `rise` at each is foretold by those round it."""
    off, told, rms, few = scatter(rise, foretold(rise))
    part, points = areas(rise.pieces), 0.0
    whole, told_by = float(part.sum()), int(told.sum())
    for tin in (then, now):
        mine = areas(tin.pieces)
        hung = np.bincount(tin.nearest, np.repeat(mine / 3, 3), len(tin.xyz))
        points += float((hung**2).sum()) * u**2
    if not told_by or whole <= 0:
        return 2 * math.sqrt(points)
    spread = few * rms * QUARTER * whole / math.sqrt(told_by)
    each = EACH * rms * math.sqrt(float((part**2).sum()))
    return 2 * math.sqrt(points + spread**2 + each**2) + abs(float(off[told].mean())) * QUARTER * whole
