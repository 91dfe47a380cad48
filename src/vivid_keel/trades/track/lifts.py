"""How many measures of chips go under each sleeper: the rule of the sighting boards and of the void gauges.

Source: practice 07. A sight every few sleepers, between them a straight line; to the quarter, half up; the void likewise; then added.
The datum rail is lifted by its sights; the other one by as much more as brings it to the wanted cross level, never below nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

QUARTER = 0.25
"""Chips are given out in quarters of a can [1]."""


def quarters(measures: Floats) -> Floats:
    """Return measures (n,) [1] to the nearest quarter, half a quarter up."""
    return np.asarray(np.floor(measures / QUARTER + 0.5 + 1e-9) * QUARTER)


def between(n: int, read: Mapping[int, float]) -> Floats:
    """Return what was read at some of n sleepers, numbered from 0, at all of them (n,) [as read]: a straight line between two that were
    read, 0 outside them."""
    if not read:
        return np.zeros(n)
    at = sorted(read)
    return np.asarray(np.interp(np.arange(n), at, [read[k] for k in at], left=0.0, right=0.0))


def measures(
    n: int, sighted: Mapping[int, float], voids: Mapping[int, float], *, quarter: bool = True
) -> Floats:
    """Return what goes under each of n sleepers (n,) [measures]: sighted part and void, by sleeper from 0."""
    rest, hollow = between(n, sighted), np.zeros(n)
    for k, void in voids.items():
        hollow[k] = void
    return quarters(rest) + quarters(hollow) if quarter else rest + hollow


def other_rail(datum: Floats, cross: Floats, wanted: float, measure: float, *, datum_right: bool) -> Floats:
    """Return by how much the other rail is lifted at rest (n,) [measures].

    Parameters
    ----------
    datum : float array (n,)
        Lift of the datum rail [measures].
    cross : float array (n,)
        Cross level as found, + right rail high [m].
    wanted : float
        Cross level wanted, + right rail high [m].
    measure : float
        What one measure lifts [m].
    datum_right : bool
        Whether the datum rail is the right one.
    """
    low = (cross - wanted) if datum_right else (wanted - cross)
    return np.asarray(np.maximum(datum + low / measure, 0.0))


def gave(before: Floats, after: Floats, put: Floats) -> tuple[float, float]:
    """Return what one measure of chips really gave [measures], and its u; nan where too few tell.

    Source: least squares through nothing: dip taken out = share · put in.

    Parameters
    ----------
    before, after, put : float array (n,)
        Dips sighted before and after traffic, and what was put in [measures].
    """
    told = put > 0
    m = int(told.sum())
    if m < 2:
        return math.nan, math.nan
    out, x = (before - after)[told], put[told]
    share = float(out @ x / (x @ x))
    left = out - share * x
    return share, math.sqrt(float(left @ left) / (m - 1) / float(x @ x))


def in_words(cans: float) -> str:
    """Return cans of chips [measures] in words, without nothings behind the point."""
    return show_number(cans, 2).rstrip("0").rstrip(".")
