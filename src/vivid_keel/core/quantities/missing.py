"""A value that is not there."""

from __future__ import annotations

import math


def is_missing(value: float) -> bool:
    """Return whether a number is not known: in arrays and computed values "not known" is not-a-number [any unit]."""
    return math.isnan(value)
