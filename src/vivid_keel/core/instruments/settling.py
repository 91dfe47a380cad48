"""Has it settled? Judged on the numbers themselves, so that nobody reads while the bubble runs.

Source: a least-squares line through the last numbers; its slope against what noise explains.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

if TYPE_CHECKING:
    import numpy.typing as npt

FEWEST = 5
"""Numbers that must have come in while it stood still."""


class Stillness(Struct, frozen=True):
    """Whether a stream stands still, the mean it stands at, and the spread of a single number about it."""

    still: bool
    value: float
    spread: float
    n: int


def stillness(
    times: npt.NDArray[np.float64],
    values: npt.NDArray[np.float64],
    window: float,
    last_digit: float,
    noise: float,
) -> Stillness:
    """Judge the last `window` seconds of a stream.

    It stands still when five numbers or more fill the window, a fitted line climbs by less than what
    noise and last digit explain (or by less than the last digit), and so does their range.

    Parameters
    ----------
    times : float array (n,)
        When each number came in [s], ascending.
    values : float array (n,)
    window : float
        [s]
    last_digit, noise : float
        In the unit of the values.
    """
    if not len(times):
        return Stillness(False, math.nan, math.nan, 0)
    near = times >= times[-1] - window
    t, v = times[near] - times[-1], values[near]
    n = len(v)
    mean = float(v.mean())
    spread = float(v.std(ddof=1)) if n > 1 else math.nan
    if n < FEWEST or times[-1] - times[0] < 0.9 * window:
        return Stillness(False, mean, spread, n)
    own = math.hypot(noise, last_digit / math.sqrt(12))
    centred = t - t.mean()
    lever = float((centred**2).sum())
    slope = float((centred * (v - mean)).sum()) / lever if lever > 0 else 0.0
    climb, allowed = (
        abs(slope) * window,
        max(last_digit, 3 * own * window / math.sqrt(lever) if lever > 0 else 0.0),
    )
    span = float(v.max() - v.min())
    return Stillness(climb <= allowed and span <= max(2 * last_digit, 6 * own), mean, spread, n)
