"""A value that is not there."""

from __future__ import annotations

import math


def is_missing(value: float) -> bool:
    """Return whether a value [any unit] is not known: in arrays and computed values "not known" is not-a-number."""
    return math.isnan(value)
