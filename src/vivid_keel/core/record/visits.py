"""What moved between visits: the same points as found and as left on every occasion, their change, rate and forecast.

Source: changes of points between two occasions, generalised least squares for a constant rate; the three-valued verdict.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import EQUAL, is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

YEAR = 365.25 * 86400
HORIZON = 30.0
"""No forecast looks further ahead than this [years]."""
SHORTEST = 7 / 365.25
"""A rate from less than a week would be a rate of the readings' noise [years]."""
CROSSES, HOLDS, UNSURE, NO_LIMIT = "crosses", "holds", "too few to tell", ""


@dataclass(frozen=True)
class Visit:
    """One occasion: heights as found and as left by name [m], on one datum with the other visits, and when.

    `u` is the standard uncertainty of one of its heights against that datum [m].
    """

    label: str
    began: datetime
    ended: datetime
    found: Mapping[str, float]
    left: Mapping[str, float]
    u: float

    def last(self, name: str) -> float:
        """Return the height a point had when the visit ended [m]: as left, else as found; nan where it wasn't read."""
        return self.left.get(name, self.found.get(name, math.nan))


@dataclass(frozen=True)
class Drift:
    """What a point did while nobody was there, from the end of a visit to the beginning of a later one.

    Attributes
    ----------
    name : str
    change, U : float
        Over the last gap between two visits at which it was read, up + [m].
    moved : str
        "moved", or "not-proven".
    rate, U_rate : float
        Over all gaps [m/year].
    crosses : str
        CROSSES, HOLDS or UNSURE: whether it leaves the tolerance within 30 years; NO_LIMIT where there is none.
    earliest, latest : float
        Years from the last visit until it does [years]; inf where it may never, nan where nothing can be told.
    """

    name: str
    change: float
    U: float
    moved: str
    rate: float
    U_rate: float
    crosses: str
    earliest: float
    latest: float


def drifts(visits: Sequence[Visit], deviations: Mapping[str, float], tolerance: float) -> dict[str, Drift]:
    """Return what every point did between the visits.

    Parameters
    ----------
    visits : sequence of Visit
        Oldest first.
    deviations : mapping of str to float
        How far each stands from its target now, high + [m].
    tolerance : float
        [m]; inf where there is none to leave.
    """
    names = list(dict.fromkeys(name for visit in visits for name in visit.found))
    out = {}
    for name in names:
        read = [visit for visit in visits if not is_missing(visit.found.get(name, math.nan))]
        if len(read) < 2:
            continue
        earlier, later = read[-2:]
        change, u = later.found[name] - earlier.last(name), math.hypot(earlier.u, later.u)
        out[name] = drift(name, change, u, _rate(name, read), deviations.get(name, math.nan), tolerance)
    return out


def _rate(name: str, read: Sequence[Visit]) -> tuple[float, float]:
    """Return a point's rate and its standard uncertainty [m/year], (nan, nan) where nothing tells it: what was done at a visit begins anew."""
    at, heights, us, stands = [], [], [], []
    stand = 0
    for visit in read:
        at.append(years(read[0].began, visit.began))
        heights.append(visit.found[name])
        us.append(visit.u)
        stands.append(stand)
        if not is_missing(visit.left.get(name, math.nan)):
            stand += 1
            at.append(years(read[0].began, visit.ended))
            heights.append(visit.left[name])
            us.append(visit.u)
            stands.append(stand)
    return rate_of(np.array(at), np.array(heights), np.diag(np.square(us)), stands)


def rate_of(
    at: Floats, heights: Floats, covariance: Floats, stands: Sequence[int] = ()
) -> tuple[float, float]:
    """Return a constant rate through heights and its standard uncertainty [m/year]; (nan, nan) where less than a week or no σ tells it.

    Parameters
    ----------
    at : float array (k,)
        When [years].
    heights : float array (k,)
        [m]
    covariance : float array (k, k)
        [m²]
    stands : sequence of int
        Which of them belong to one stand of the point: where it was moved on purpose another begins, with a height of its own.

    References
    ----------
    Generalised least squares for a slope common to all stands (Gauss-Markov).
    """
    of = np.array(stands) if len(stands) else np.zeros(len(at), dtype=int)
    longest = max((float(np.ptp(at[of == one])) for one in set(of.tolist())), default=0.0)
    spread = covariance + float(np.trace(covariance)) / max(len(at), 1) * 1e-9 * np.eye(len(at))
    if longest < SHORTEST or len(at) < 2 or float(np.trace(covariance)) <= 0:
        return math.nan, math.nan
    design = np.column_stack([at, *(of == one for one in sorted(set(of.tolist())))]).astype(np.float64)
    weighed = np.linalg.solve(spread, design)
    normal = design.T @ weighed
    inverse = np.linalg.inv(normal)
    return float((inverse @ weighed.T @ heights)[0]), math.sqrt(max(float(inverse[0, 0]), 0.0))


def years(earlier: datetime, later: datetime) -> float:
    """Return the time from one to the other [years]."""
    return (later - earlier).total_seconds() / YEAR


def drift(
    name: str, change: float, u: float, rate: tuple[float, float], deviation: float, tolerance: float
) -> Drift:
    """Return what a point did, and when it leaves its tolerance at that rate.

    Parameters
    ----------
    name : str
    change, u : float
        Over the last gap, up +, and its standard uncertainty [m].
    rate : (float, float)
        With its standard uncertainty [m/year]; nan where nothing tells it.
    deviation, tolerance : float
        How far it is off now, and how far it may be [m]; nan and inf where there is none.
    """
    moved = "moved" if abs(change) > 2 * u + EQUAL else "not-proven"
    unsure = NO_LIMIT if math.isinf(tolerance) else UNSURE
    if is_missing(rate[0]):
        return Drift(name, change, 2 * u, moved, math.nan, math.nan, unsure, math.nan, math.nan)
    speed, U_rate = rate[0], 2 * rate[1]
    earliest, latest = _crossing(deviation, speed, U_rate, tolerance)
    crosses = unsure
    if not is_missing(earliest) and crosses != NO_LIMIT:
        crosses = HOLDS if earliest > HORIZON else CROSSES if latest <= HORIZON else UNSURE
    return Drift(name, change, 2 * u, moved, speed, U_rate, crosses, earliest, latest)


def _crossing(deviation: float, rate: float, U_rate: float, tolerance: float) -> tuple[float, float]:
    """When a deviation leaves the tolerance, at the earliest and at the latest [years]; 0 where it has, inf where it never does."""
    if is_missing(deviation):
        return math.nan, math.nan
    if abs(deviation) > tolerance:
        return 0.0, 0.0

    def at(speed: float) -> float:
        return math.inf if speed == 0 else (math.copysign(tolerance, speed) - deviation) / speed

    slow, fast = rate - U_rate, rate + U_rate
    if slow <= 0 <= fast:
        return min(at(slow), at(fast)), math.inf
    return min(at(slow), at(fast)), max(at(slow), at(fast))
