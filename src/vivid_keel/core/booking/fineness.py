"""How finely a book was read: not by the decimals of one value, but by the grid that all its readings lie on.

Source: rounding to a step spreads a reading by step/√12; a grid that chance alone would not make is a step.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities.length import INCH, UNIT_IN_M

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

CHANCE = 1e-4
"""A grid that readings of the usual step would lie on by chance less often than this is how they were read [1]."""
GRIDS = {
    "ft-in": (INCH, INCH / 2, INCH / 4),
    "in": (INCH, INCH / 2, INCH / 4, INCH / 8),
    "ft": tuple(UNIT_IN_M["ft"] * step for step in (0.1, 0.05, 0.02, 0.01, 0.005)),
}
METRIC = (0.01, 0.005, 0.002)
"""Steps that people read to [m], the coarsest first."""
FEW = 4
"""Fewer readings than this tell nothing of how they were read [1]."""


def read_to(readings: Floats, steps: Floats, unit: str, usual: float) -> float:
    """Return the step that a book's readings were taken to [m]; never below the usual one.

    Parameters
    ----------
    readings : float array (n,)
        As booked [m].
    steps : float array (n,)
        Of the last digit typed of each [m]: 1.48 was typed to 0.01.
    unit : str
        What the book is in.
    usual : float
        What such readings are usually taken to [m].

    Returns
    -------
    float
        The coarsest grid that all readings lie on, where chance would hardly make it, or every one was typed no finer. [m]
    """
    known = ~np.isnan(readings)
    n = int(known.sum())
    if n < FEW:
        return usual
    typed = float(steps[known].min())
    for grid in GRIDS.get(unit, METRIC):
        if grid <= usual * (1 + 1e-9):
            break
        parts = readings[known] / grid
        told = typed >= grid * (1 - 1e-9) or (usual / grid) ** n < CHANCE
        if told and np.abs(parts - np.rint(parts)).max() * grid < usual / 100:
            return grid
    return usual


def with_fineness(u: Floats, step: float, usual: float) -> Floats:
    """Return the standard uncertainty of readings (n,) [m] taken to a step [m] coarser than the usual one [m] that u holds."""
    return np.asarray(np.sqrt(u**2 + max(0.0, step**2 - usual**2) / 12))
