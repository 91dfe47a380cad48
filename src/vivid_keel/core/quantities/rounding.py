"""Rounding as people do it on paper: halves go away from zero.

Source: halves away from zero, as people round by hand.
"""

from __future__ import annotations

import math

EQUAL = 1e-9
"""Values closer than this, in the field's own unit, count as equal where a comparison decides."""


def round_half_away(value: float, step: float = 1.0) -> int:
    """Return how many whole steps `value` is, halves away from zero.

    A value within 1e-9 of a half (in `value`'s unit, and never more than 1e-6 of a step) counts
    as the half: 0.0005 held in float64 is a half of 0.001, whichever side of it the bits fall.

    Parameters
    ----------
    value, step : float
        In the same unit [1]; step above 0.
    """
    slack = min(EQUAL / step, 1e-6)
    return int(math.copysign(math.floor(abs(value) / step + 0.5 + slack), value))


def at_most(value: float, limit: float) -> bool:
    """Tell whether value ≤ limit [any unit, the same], values within 1e-9 counting as equal."""
    return value <= limit + EQUAL
