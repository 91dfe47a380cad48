"""Reversal: a level turned end for end on the same spot tells its own error from the surface's slope."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.booking.uncertainty import student_k
from vivid_keel.core.errors import KeelError


class Reversal(Struct, frozen=True):
    """What a reversal found, in divisions of the vial [div].

    Attributes
    ----------
    slope : float
        Of the surface, right end high positive.
    error : float
        The level's own, towards its end A.
    u : float or None
        Standard uncertainty of the error; None for one cycle read to no stated resolution.
    k : float
        U = k·u, the larger of Student's t times the spread and twice the resolution's part.
    target : float
        Where to set the bubble in the second position: the slope, half the way back.
    """

    slope: float
    error: float
    u: float | None
    k: float
    target: float

    @property
    def expanded(self) -> float | None:
        """U of the error [div]."""
        return None if self.u is None else self.k * self.u


def reverse(cycles: Sequence[tuple[float, float]], resolution: float | None = None) -> Reversal:
    """Return slope and error from bubble readings with end A to the right, then to the left.

    s = (a₁ + a₂)/2 and e = (a₁ − a₂)/2, means over the cycles. u(e) = max(s_e/√n, d/√24): cycles that
    all read alike don't average the resolution away; one cycle: d/√24.

    Parameters
    ----------
    cycles : sequence of (a1, a2)
        Observer's right positive [div].
    resolution : float, optional
        Of one reading [div].

    Raises
    ------
    KeelError
        `bad-value` without a cycle.

    References
    ----------
    The level's error changes sign when it is turned, the surface's slope does not; a reading rounded to
    d has a standard deviation of d/√12, half the difference of two d/√24.
    """
    n = len(cycles)
    if not n:
        raise KeelError("bad-value", "a reversal takes at least one cycle: a reading each way round")
    errors = [(a - b) / 2 for a, b in cycles]
    slope, error = sum((a + b) / 2 for a, b in cycles) / n, sum(errors) / n
    floor = None if resolution is None else resolution / math.sqrt(24)
    if n == 1:
        return Reversal(slope, error, floor, 2.0, slope)
    spread = math.sqrt(sum((e - error) ** 2 for e in errors) / (n - 1)) / math.sqrt(n)
    u = max(spread, floor or 0.0)
    # Two cycles may read alike by luck: the spread is never known better than the resolution. Student's t goes
    # with it, 2 with the resolution of the mean; the larger U holds.
    expanded = max(student_k(n) * max(spread, (floor or 0.0) / math.sqrt(n)), 2 * (floor or 0.0))
    return Reversal(slope, error, u, expanded / u if u > 0 else 2.0, slope)
