"""Reduction in both schools: height of collimation, and rise and fall.

Source: height = HC − reading; curvature and refraction (1 − k)·D²/(2R) with k = 0.13, the textbook mean.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import BS, FS, IS, Layout
from vivid_keel.core.quantities import is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Reduction(Struct, frozen=True):
    """Heights of a book with n sights on m set-ups; nan where a sight can't be reduced.

    Attributes
    ----------
    readings : float array (n,)
        As reduced: as read, less collimation × distance where asked for [m].
    collimation_height : float array (m,)
        HC = H(known) + BS [m].
    heights : float array (n,)
        H = HC − reading; for a backsight the height it started from [m].
    rise, fall : float array (n,)
        Against the sight before on the same set-up, 0 at the first [m].
    sum_bs, sum_is, sum_fs, sum_rise, sum_fall : float
        Over all sights that can be reduced [m].
    undistanced : int array
        Rows without a distance while a collimation correction was asked for.
    """

    layout: Layout
    readings: Floats
    collimation_height: Floats
    heights: Floats
    rise: Floats
    fall: Floats
    sum_bs: float
    sum_is: float
    sum_fs: float
    sum_rise: float
    sum_fall: float
    undistanced: npt.NDArray[np.intp]

    def observed(self) -> dict[str, float]:
        """Return the height of every mark: of the sight that it has it from (see `Layout.holds`), else as listed [m]."""
        out = {name: mark.height for name, mark in self.layout.listed.items()}
        for mark, row in self.layout.holds.items():
            height = float(self.heights[row])
            if not is_missing(height) and (mark not in out or self.layout.kinds[row] != BS):
                out[mark] = height
        return out


def reduce(
    layout: Layout,
    readings: Floats,
    distances: Floats | None = None,
    collimation: float | Floats | None = None,
    *,
    curvature: bool = False,
    own: Floats | None = None,
) -> Reduction:
    """Return the heights of a book.

    Parameters
    ----------
    layout : Layout
        For n sights on m set-ups.
    readings : float array (n,)
        As booked [m]; an overhead (inverted) staff negative.
    distances : float array (n,), optional
        Length of each sight [m], nan where unknown.
    collimation : float or float array (n,), optional
        Slope c of the line of sight [rad], of all sights or of each, rising away from the instrument
        positive; each reading with a distance loses c·D.
    curvature : bool
        Take curvature and refraction out of each reading with a distance (see `curvature_of`).
    own : float array (n,), optional
        What the staff's own error adds to each reading [m], taken off it.

    References
    ----------
    HC = H + BS and H = HC − reading: the line of sight is level, so all points on it are one height.
    """
    used = readings if own is None else readings - own
    undistanced: npt.NDArray[np.intp] = np.empty(0, dtype=np.intp)
    if collimation is not None or curvature:
        if distances is None:
            distances = np.full(len(readings), np.nan)
        undistanced = np.flatnonzero(np.isnan(distances))
        known = np.nan_to_num(distances)
        used = used - (0.0 if collimation is None else collimation) * known
        if curvature:
            used = used - curvature_of(known)
    hc = _collimation_heights(layout, used)
    heights = hc[layout.setup] - used if len(used) else np.empty(0)
    for trouble in layout.troubles:
        if trouble.code == "wrong-order":
            heights[trouble.row] = np.nan
    step = np.zeros(len(used))
    step[1:] = np.where(layout.follows, used[:-1] - used[1:], 0.0)
    weights = used
    bad = np.isnan(heights)
    if bad.any():
        step[bad] = 0.0
        step[1:][bad[:-1]] = 0.0
        weights = np.where(bad, 0.0, used)
    rise = np.maximum(step, 0.0)
    fall = rise - step
    sums = np.bincount(layout.kinds, weights, minlength=3).tolist() if len(used) else [0.0, 0.0, 0.0]
    return Reduction(
        layout,
        used,
        hc,
        heights,
        rise,
        fall,
        sums[BS],
        sums[IS],
        sums[FS],
        float(rise.sum()),
        float(fall.sum()),
        undistanced,
    )


REFRACTION = 0.13
EARTH_RADIUS = 6_371_000.0


def curvature_of(distance: Floats) -> Floats:
    """Return what sights of a distance [m] (n,) read high by [m]: (1 − k)·D²/(2R), k = 0.13.

    0.68 mm at 100 m. The level line curves down and the sight is bent after it by k of that.
    """
    return np.asarray((1 - REFRACTION) * distance**2 / (2 * EARTH_RADIUS))


def curvature_at(distance: float) -> float:
    """Return `curvature_of` [m] one sight of a distance [m]."""
    return (1 - REFRACTION) * distance**2 / (2 * EARTH_RADIUS)


def _collimation_heights(layout: Layout, used: Floats) -> Floats:
    """HC of each set-up: its own start + BS, or handed on from an earlier sight."""
    if not layout.setups:
        return np.empty(0)
    source = layout.sources
    handed = np.where(source >= 0, used[source], 0.0)
    return layout.along(np.where(layout.backs >= 0, used[layout.backs] - handed, np.nan), layout.start)


def rise_and_fall_heights(reduction: Reduction) -> Floats:
    """Return the heights by the other school: each from the sight before it on its set-up [m].

    Computed from rises and falls alone, so that its agreement with `Reduction.heights` is a check.
    A set-up read before its backsight is reckoned back from it.
    """
    layout = reduction.layout
    out = np.full(len(reduction.readings), np.nan)
    ok = np.flatnonzero(~np.isnan(reduction.heights))
    if not len(ok):
        return out
    climbed = np.cumsum(np.where(np.isnan(reduction.heights), 0.0, reduction.rise - reduction.fall))
    first, _ = first_and_last(reduction)
    begin: list[float] = []  # height of each set-up's first sight
    at = climbed.tolist()
    for s, back in enumerate(layout.backsight):
        if back < 0 or first[s] < 0:
            begin.append(float("nan"))
            continue
        source, p = layout.source[s], layout.parent[s]
        known = layout.start[s] if source < 0 else begin[p] + at[source] - at[first[p]]
        begin.append(known - (at[back] - at[first[s]]))
    setup = layout.setup[ok]
    out[ok] = np.asarray(begin)[setup] + climbed[ok] - climbed[np.asarray(first)[setup]]
    return out


def first_and_last(reduction: Reduction) -> tuple[list[int], list[int]]:
    """Return the first and the last row of every set-up that can be reduced, -1 where there is none."""
    m = reduction.layout.setups
    rows = np.flatnonzero(~np.isnan(reduction.heights))
    setup = reduction.layout.setup[rows]
    first, last = np.full(m, -1), np.full(m, -1)
    last[setup] = rows  # of equal places the one assigned last stays
    first[setup[::-1]] = rows[::-1]
    return first.tolist(), last.tolist()
