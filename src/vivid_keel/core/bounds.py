"""Amounts that can't be negative, and the greatest of several: noise alone makes them larger than nought, so they get bounds for a U.

Source: simultaneous bounds, their width from the greatest of the joint errors, drawn from a fixed seed (Monte Carlo, as JCGM 101);
the length of a vector by inverting the Rice distribution.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import EQUAL, at_most

if TYPE_CHECKING:
    from collections.abc import Callable

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SEED = 2026
DRAWS = 2000
ABOVE = 1.7
ABOVE_NOUGHT = 2.0
"""So many u above what was read the true amount lies in 4 of 100; in 2, where only that is said: how finely is read doesn't average
out where the bubble never moves [1]."""
NOUGHT = 0.97
"""Where nothing is there, the greatest of the joint errors stays below what is taken for noise so often [1]."""
BELOW = (0.91, 1.9)
"""Where something is there: it is read too large by no more than so often the greatest of the joint errors, or so many u [1]. Few of
the differences come near the greatest then (simulated: tests)."""
RICE = 0.975
"""A vector of the lower bound's length is read no longer than this one so often [1]."""


class Bounds(Struct, frozen=True):
    """An amount as read, and between what it lies 95 times of 100; `low` is 0 where noise alone may have made it. All in its own unit."""

    value: float
    low: float
    high: float

    @property
    def may_be_nought(self) -> bool:
        """Whether noise alone may have made it: then only the upper bound says anything, and it covers 95 or more of 100."""
        return self.low <= 0

    def verdict(self, allowed: float) -> str:
        """Return PROVEN_IN, PROVEN_OUT or NOT_PROVEN against what is `allowed` [the amount's unit]."""
        if at_most(self.high, allowed):
            return PROVEN_IN
        return PROVEN_OUT if self.low > allowed + EQUAL else NOT_PROVEN

    def show(self, told: Callable[[float], str]) -> str:
        """Return the bounds as the beginning of a sentence, each amount [the amount's unit] as `told` shows it."""
        if self.may_be_nought:
            return f"At most {told(self.high)} (it may be nothing)"
        return f"Between {told(self.low)} and {told(self.high)}"


def above(low: float) -> float:
    """Return how many u the upper bound lies above what was read, where the lower one is `low` [its own unit]."""
    return ABOVE if low > 0 else ABOVE_NOUGHT


def greatest_apart(values: Floats, covariance: Floats) -> Bounds:
    """Return the greatest difference between any two of several numbers, whichever way round.

    Parameters
    ----------
    values : float array (n,)
        The numbers [any unit].
    covariance : float array (n, n)
        Theirs [the unit squared].
    """
    apart = np.abs(values[:, None] - values[None, :])
    variance = np.diag(covariance)
    u = np.sqrt(np.maximum(variance[:, None] + variance[None, :] - 2 * covariance, 0.0))
    told = np.triu(u > 1e-9 * u.max(initial=0.0), 1)
    if not told.any():
        return Bounds(*[float(apart.max(initial=0.0))] * 3)
    errors = _errors(covariance)
    a, b = np.nonzero(told)
    width = np.zeros(len(errors))
    for start in range(0, len(a), PAIRS):
        i, j = a[start : start + PAIRS], b[start : start + PAIRS]
        np.maximum(width, (np.abs(errors[:, i] - errors[:, j]) / u[i, j]).max(axis=1), out=width)
    nought, below = np.quantile(width, [NOUGHT, BELOW[0]])
    by_noise = float((apart - nought * u)[told].max()) <= 0
    low = 0.0 if by_noise else float((apart - max(below, BELOW[1]) * u)[told].max())
    return Bounds(float(apart.max()), max(low, 0.0), float((apart + above(low) * u)[told].max()))


PAIRS = 512
"""So many pairs are looked at together."""


def least_band(off: Floats, covariance: Floats, band_of: Callable[[Floats], Floats]) -> Bounds:
    """Return the width of the least band that holds several points.

    Parameters
    ----------
    off : float array (n,)
        How far each lies off the plane midway in it [m].
    covariance : float array (n, n)
        Of the points' heights [m²].
    band_of : callable
        The least bands (k,) of heights (k, n) [m].

    The band of read heights is at most the true one's and the errors' together, so the errors' own band bounds it from below.
    """
    band = float(np.ptp(off))
    nought, below = np.quantile(band_of(_errors(covariance)[:FEWER]), [NOUGHT, BELOW[0]])
    low = 0.0 if band <= nought else band - float(below)
    variance = np.diag(covariance)
    u = np.sqrt(np.maximum(variance[:, None] + variance[None, :] - 2 * covariance, 0.0))
    return Bounds(band, max(low, 0.0), float((off[:, None] - off[None, :] + above(low) * u).max()))


FEWER = 300
"""Draws of a band: each is a search of its own."""


def length_of(vector: Floats, covariance: Floats) -> Bounds:
    """Return the length of a vector in a plane.

    Parameters
    ----------
    vector : float array (2,)
        Its parts [any unit].
    covariance : float array (2, 2)
        Theirs [the unit squared]; the larger axis of its ellipse is taken all round.
    """
    from scipy.special import chndtr, chndtrinc

    length = math.hypot(*vector)
    u = math.sqrt(max(float(np.linalg.eigvalsh(covariance).max()), 0.0))
    if u <= 0:
        return Bounds(length, length, length)
    seen = (length / u) ** 2
    nought = chndtr(seen, 2, 0.0) <= RICE
    # Far out the distribution is a normal one, and the series behind its inverse no longer ends.
    low = 0.0 if nought else length - 2 * u if seen > FAR else u * math.sqrt(float(chndtrinc(seen, 2, RICE)))
    return Bounds(length, low, length + above(low) * u)


def longest_of(vectors: Floats, covariance: Floats) -> Bounds:
    """Return the length of the longest of several vectors in a plane.

    Parameters
    ----------
    vectors : float array (n, 2)
        Their parts [any unit].
    covariance : float array (2n, 2n)
        Of all parts, a vector's two side by side [the unit squared].
    """
    if len(vectors) == 1:
        return length_of(vectors[0], covariance)
    length = np.hypot(*vectors.T)
    blocks = [covariance[2 * k : 2 * k + 2, 2 * k : 2 * k + 2] for k in range(len(vectors))]
    u = np.sqrt([max(float(np.linalg.eigvalsh(block).max()), 0.0) for block in blocks])
    if u.min() <= 0:
        return Bounds(*[float(length.max())] * 3)
    width = (np.hypot(*_errors(covariance).reshape(DRAWS, -1, 2).transpose(2, 0, 1)) / u).max(axis=1)
    nought, below = np.quantile(width, [NOUGHT, BELOW[0]])
    low = 0.0 if (length - nought * u).max() <= 0 else float((length - max(below, BELOW[1]) * u).max())
    return Bounds(float(length.max()), max(low, 0.0), float((length + above(low) * u).max()))


FAR = 400.0
"""Squares of a length in units of u from which it is as good as normal [1]."""


def _errors(covariance: Floats) -> Floats:
    """Errors of a covariance (n, n), drawn (DRAWS, n)."""
    values, ways = np.linalg.eigh(covariance)
    return np.asarray(_drawn(len(values)) @ (ways * np.sqrt(np.maximum(values, 0.0))).T)


@lru_cache(maxsize=8)
def _drawn(n: int) -> Floats:
    return np.random.default_rng(SEED).standard_normal((DRAWS, n))
