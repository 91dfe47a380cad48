"""What repeating a measurement makes of it: the mean, and a U that still covers for few repeats.

Source: the mean of repeats, their scatter pooled with what is known of the kind, never below its own rounding.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.booking.uncertainty import student_k

STATED = 4
"""How many looks the kind's own repeatability is worth beside those that were taken [1]."""
LEAST = 0.5
"""Share of the stated variance below which the scatter of repeats that agree well is not believed [1]."""
WIDE = 2.326
"""How far, in standard deviations of its cube root, scatter lies beyond what chance makes of the stated one once in a hundred [1]."""


def pooled(squares: float, freedom: int, stated: float) -> float:
    """Return the standard deviation of one look [any unit], from those taken and from what is known of the kind.

    s² = (4·u₀² + Σr²)/(4 + ν), never below half of u₀²; the observed scatter alone where it is wider than chance makes of u₀. A look
    within u₀ of the mean of the others never makes s/√n larger.

    Parameters
    ----------
    squares : float
        Σr² of the looks about what was fitted to them [unit²].
    freedom : int
        ν, how many of them are left over.
    stated : float
        u₀ [the same unit].
    """
    own = (STATED * stated**2 + squares) / (STATED + freedom)
    if freedom > 0 and squares > beyond_chance(freedom) * stated**2:
        own = max(own, squares / freedom)
    return math.sqrt(max(own, LEAST * stated**2))


def beyond_chance(freedom: int) -> float:
    """Return what a sum of ν squares of unit variance exceeds once in a hundred [1] (Wilson and Hilferty's cube root)."""
    part = 2 / (9 * freedom)
    return float(freedom * (1 - part + WIDE * math.sqrt(part)) ** 3)


class Repeats(Struct, frozen=True):
    """The mean of n repeats, its standard uncertainty u, and k so that U = k·u; in the unit of the values."""

    mean: float
    u: float
    k: float
    n: int
    spread: float

    @property
    def U(self) -> float:
        """The uncertainty U = k·u of the mean [its own unit]."""
        return self.k * self.u


def of_repeats(values: Sequence[float], stated: float, floor: float) -> Repeats:
    """Return the mean of repeats with its uncertainty.

    Where the kind's repeatability is known its scatter is pooled with theirs (see `pooled`): U = 2·max(s/√n, floor), repeats that read
    alike don't average the resolution away. Where nothing is known of it U = t₀.₉₇₅(n − 1)·s/√n, never below 2·floor.

    Parameters
    ----------
    values : sequence of float
        At least one [any unit].
    stated : float
        Standard uncertainty of a single result, from the kind's repeatability; 0 where it isn't known [the same unit].
    floor : float
        What the resolution alone makes of a single result [the same unit].

    References
    ----------
    Pooling of variances; Student's t for a mean whose spread is estimated from the repeats themselves.
    """
    n = len(values)
    mean = sum(values) / n
    one = math.hypot(stated, floor)
    if n == 1:
        return Repeats(mean, one, 2.0, 1, math.nan)
    squares = sum((v - mean) ** 2 for v in values)
    s = math.sqrt(squares / (n - 1))
    if stated > 0:
        u = max(pooled(squares, n - 1, one) / math.sqrt(n), floor)
        return Repeats(mean, u, 2.0, n, s)
    u = max(s / math.sqrt(n), floor)
    U = max(student_k(n) * s / math.sqrt(n), 2 * floor)
    # Alike to the last bit, and no resolution stated: u says nothing, U still does.
    u = u if u > 1e-9 * U else U / 2
    return Repeats(mean, u, U / u if u > 0 else 2.0, n, s)
