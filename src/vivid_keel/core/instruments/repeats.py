"""What repeating a measurement makes of it: the mean, and a U that still covers for few repeats.

Source: the mean of repeats, s/√n with Student's t, never below its own rounding.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.booking.uncertainty import student_k

LUCK = 0.5
"""Share of the stated repeatability below which the spread of a few repeats is not believed (simulated: tests)."""


FEW = 5
"""Up to so many repeats the kind's own repeatability is believed beside their scatter [1]."""
CHANCE = {2: 2.576, 3: 2.146, 4: 1.945, 5: 1.822}
"""√(χ²₀.₉₉(n − 1)/(n − 1)): by how much n repeats of a known kind scatter too widely once in a hundred [1]."""


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

    One: u is the stated one of a single result with its rounding, u₁ = √(stated² + floor²). More:
    u = max(s/√n, floor), and U is the largest of t₀.₉₇₅(n − 1)·s/√n, of 2·floor (repeats that read
    alike don't average the resolution away), and of u₁/√n: repeats that agree better than half of what the kind is
    known for do so by luck.

    Of few repeats of a kind that is known the scatter tells little: U = 2·max(s, u₁)/√n, and never more than that of one
    result alone, unless they scatter by more than chance makes of u₁ once in a hundred.

    Parameters
    ----------
    values : sequence of float, length n
        [any unit]
    stated, floor : float
        u of a single result, and of its rounding [the same unit].
    values : sequence of float
        At least one.
    stated : float
        Standard uncertainty of a single result, from the kind's repeatability.
    floor : float
        What the resolution alone makes of a single result.

    References
    ----------
    Student's t for a mean whose spread is estimated from the repeats themselves.
    """
    n = len(values)
    mean = sum(values) / n
    if n == 1:
        return Repeats(mean, math.hypot(stated, floor), 2.0, 1, math.nan)
    s = math.sqrt(sum((v - mean) ** 2 for v in values) / (n - 1))
    u = max(s / math.sqrt(n), floor)
    one = math.hypot(stated, floor)
    if stated > 0 and n <= FEW:
        U = max(2 * max(s, one) / math.sqrt(n), 2 * floor)
        if s <= CHANCE[n] * one:
            U = min(U, 2 * one)
    else:
        U = max(student_k(n) * s / math.sqrt(n), 2 * floor, 2 * LUCK * one / math.sqrt(n))
    # Alike to the last bit, and no resolution stated: u says nothing, U still does.
    u = u if u > 1e-9 * U else U / 2
    return Repeats(mean, u, U / u if u > 0 else 2.0, n, s)
