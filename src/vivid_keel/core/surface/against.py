"""A surface against a plane: what lies above and what below, exact on its triangles.

Source: above a plane that cuts a triangle of plan area a with heights d₁ ≤ d₂ ≤ 0 < d₃ over it lies a·d₃³/(3(d₃ − d₁)(d₃ − d₂)), on
a·d₃²/((d₃ − d₁)(d₃ − d₂)) of it; the same turned over where two lie above.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.surface.outline import side_of

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Plane(Struct, frozen=True):
    """A plane: its height at x = y = 0 [m] and what it rises along x and y [1]."""

    height: float
    gradient: tuple[float, float] = (0.0, 0.0)

    def at(self, xy: Floats) -> Floats:
        """Return its height at places xy (…, 2) [m]."""
        return np.asarray(self.height + xy[..., 0] * self.gradient[0] + xy[..., 1] * self.gradient[1])


class Against(Struct, frozen=True):
    """What lies above a plane and below it.

    Attributes
    ----------
    area, above_area, below_area : float
        In plan [m²].
    cut, fill : float
        Of ground above the plane, and of room below it [m³].
    highest, lowest : float
        How far the ground rises above the plane at most, and how far it lies below it, − [m].
    """

    area: float
    above_area: float
    below_area: float
    cut: float
    fill: float
    highest: float
    lowest: float


def areas(pieces: Floats) -> Floats:
    """Return the plan area of triangles, `pieces` (k, 3, …) [m²]."""
    return side_of(*(pieces[:, k, :2] for k in range(3))) / 2


def against(pieces: Floats, plane: Plane) -> Against:
    """Return what of triangles, `pieces` (k, 3, 3) [m], lies above a plane and below it."""
    if not len(pieces):
        return Against(0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    a, d = areas(pieces), pieces[:, :, 2] - plane.at(pieces[:, :, :2])
    cut, dry = (float(part.sum()) for part in _above(a, d))
    fill, wet = (float(part.sum()) for part in _above(a, -d))
    return Against(float(a.sum()), dry, wet, cut, fill, float(d.max()), float(d.min()))


def under(pieces: Floats, levels: Floats) -> tuple[Floats, Floats]:
    """Return what stands over each triangle, `pieces` (k, 3, 3), up to a level of its own, `levels` (k,) [m]: volume (k,) [m³], and the
    plan area under it (k,) [m²]."""
    return _above(areas(pieces), levels[:, None] - pieces[:, :, 2])


def _above(a: Floats, d: Floats) -> tuple[Floats, Floats]:
    """Volume above 0 and the part of the plan area it stands on, of each triangle: area (k,) [m²], heights (k, 3) [m]."""
    d = np.sort(d, axis=1)
    low, mid, high = d.T
    mean = d.mean(axis=1)
    volume, on = np.where(low >= 0, a * mean, 0.0), np.where((low >= 0) & (high > 0), a, 0.0)
    one = (mid <= 0) & (high > 0) & (low < 0)
    share = high[one] ** 2 / ((high[one] - low[one]) * (high[one] - mid[one]))
    volume[one], on[one] = a[one] * share * high[one] / 3, a[one] * share
    two = (mid > 0) & (low < 0)
    share = low[two] ** 2 / ((mid[two] - low[two]) * (high[two] - low[two]))
    volume[two], on[two] = a[two] * (mean[two] - share * low[two] / 3), a[two] * (1 - share)
    return volume, on


def balance(pieces: Floats, gradient: tuple[float, float], factor: float) -> float:
    """Return the height at x = y = 0 at which what is cut fills what is to be filled [m].

    Parameters
    ----------
    pieces : float array (k, 3, 3)
        Triangles [m].
    gradient : (float, float)
        What the plane rises along x and y [1].
    factor : float
        Volume that one of what was cut fills [1].
    """
    from scipy.optimize import brentq

    a, d = areas(pieces), pieces[:, :, 2] - Plane(0.0, gradient).at(pieces[:, :, :2])

    whole, mean = float(a.sum()), float((a * d.mean(axis=1)).sum())

    def lacks(height: float) -> float:
        cut = float(_above(a, d - height)[0].sum())
        return factor * cut - (cut - (mean - height * whole))

    low, high = float(d.min()), float(d.max())
    if high - low <= 0:
        return low
    return float(brentq(lacks, low, high, xtol=1e-13, rtol=1e-14))
