"""An instrument's error over its life: the fitted line, and when it would cross the limit.

Source: a weighted straight line through checks, its forecast band with Student's t.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

if TYPE_CHECKING:
    import numpy.typing as npt

FEWEST = 3
"""Checks since the last break from which a line may be fitted."""
YEARS_AHEAD = 10
BELIEF = 2
"""The checks' own u is believed like a scatter of so many degrees of freedom [1]."""


class Drift(Struct, frozen=True):
    """A fitted line value(t) = value + slope·(t − t0) with its covariance; days and the error's own unit.

    Attributes
    ----------
    value, slope : float
        At t0, and per day.
    t0 : float
        [d]
    var_value, var_slope : float
    k : float
        So that k·u covers 95 in 100 (see `fit_drift`).
    n : int
    one : float
        u of one check that would be made, widened like the rest [the error's unit].
    """

    value: float
    slope: float
    t0: float
    var_value: float
    var_slope: float
    k: float
    n: int
    one: float = 0.0

    def at(self, t: npt.NDArray[np.float64]) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        """Return the line and the U of its prediction at times [d]: within it a check made then would lie."""
        dt = t - self.t0
        variance = self.var_value + self.var_slope * dt**2 + self.one**2
        return self.value + self.slope * dt, self.k * np.sqrt(variance)

    @property
    def tells(self) -> bool:
        """Whether the slope differs from none at all at 95 in 100."""
        return abs(self.slope) > self.k * math.sqrt(self.var_slope)


class Forecast(Struct, frozen=True):
    """Days from now until the line crosses the limit, and the interval of 95 in 100; inf: never within ten years."""

    days: float
    early: float
    late: float


def fit_drift(
    days: npt.NDArray[np.float64], values: npt.NDArray[np.float64], u: npt.NDArray[np.float64]
) -> Drift | None:
    """Fit a line to an error over time, by weights 1/u²; None for fewer than three checks.

    Where the checks scatter more than their own u says, the covariance is widened to that and U uses
    Student's t for n − 2 degrees of freedom. Few checks can scatter little by luck: U is never less than what their u,
    worth `BELIEF` degrees of freedom, and their scatter give together.

    Parameters
    ----------
    days, values, u : float array (n,)
        Times, errors since the last knock, adjustment or repair, and their standard uncertainties.

    References
    ----------
    Weighted least squares; t centred on its weighted mean, so that value and slope are independent.
    """
    n = len(days)
    if n < FEWEST or float(days.max() - days.min()) <= 0:
        return None
    from scipy.special import stdtrit

    w = 1 / np.maximum(u, 1e-12) ** 2
    t0 = float((w * days).sum() / w.sum())
    dt = days - t0
    value, slope = float((w * values).sum() / w.sum()), float((w * dt * values).sum() / (w * dt**2).sum())
    scatter = float((w * (values - value - slope * dt) ** 2).sum()) / (n - 2)
    # Checks that scatter no more than their own u says: k = 2. Else the scatter itself is the measure, known from few.
    k = 2.0 if scatter <= 1 else float(stdtrit(n - 2, 0.975))
    both = (BELIEF + (n - 2) * scatter) / (BELIEF + n - 2)
    reach = max(k * math.sqrt(max(scatter, 1.0)), float(stdtrit(BELIEF + n - 2, 0.975)) * math.sqrt(both))
    wider = (reach / k) ** 2
    one = math.sqrt(wider * n / float(w.sum()))
    return Drift(value, slope, t0, wider / float(w.sum()), wider / float((w * dt**2).sum()), k, n, one)


def forecast(drift: Drift, now: float, limit: float) -> Forecast:
    """Return when |error| crosses the limit, seen from `now` [d]."""
    ahead = np.arange(0.0, YEARS_AHEAD * 365.0, 0.5)
    line, U = drift.at(now + ahead)
    return Forecast(
        _first(ahead, np.abs(line) >= limit),
        _first(ahead, np.abs(line) + U >= limit),
        _first(ahead, np.abs(line) - U >= limit),
    )


def _first(ahead: npt.NDArray[np.float64], there: npt.NDArray[np.bool_]) -> float:
    return float(ahead[int(there.argmax())]) if there.any() else math.inf
