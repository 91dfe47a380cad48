"""What moved between visits: the same points as found and as left on every occasion, their change, rate and forecast.

Source: changes of points between two occasions, generalised least squares for a constant rate; the three-valued verdict.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import EQUAL, is_missing, show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

YEAR = 365.25 * 86400
HORIZON = 30.0
"""No forecast looks further ahead than this [years]."""
SHORTEST = 7 / 365.25
"""A rate from less than a week would be a rate of the readings' noise [years]."""
CROSSES, HOLDS, UNSURE, NO_LIMIT = "crosses", "holds", "too few to tell", ""


class Visit(Struct, frozen=True):
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


class Drift(Struct, frozen=True):
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
    weights = slope_weights(at, covariance, stands)
    if weights is None:
        return math.nan, math.nan
    return float(weights @ heights), math.sqrt(max(float(weights @ covariance @ weights), 0.0))


def slope_weights(at: Floats, covariance: Floats, stands: Sequence[int] = ()) -> Floats | None:
    """Return by how much each height goes into the rate (k,) [1/year]; None where nothing tells one. See `rate_of`.

    Parameters
    ----------
    at : float array (k,)
        [years]
    covariance : float array (k, k)
        [m²]
    stands : sequence of int
    """
    of = np.array(stands) if len(stands) else np.zeros(len(at), dtype=int)
    longest = max((float(np.ptp(at[of == one])) for one in set(of.tolist())), default=0.0)
    whole = float(np.trace(covariance))
    if longest < SHORTEST or len(at) < 2 or whole <= 0:
        return None
    spread = covariance + whole / len(at) * 1e-9 * np.eye(len(at))
    design = np.column_stack([at, *(of == one for one in sorted(set(of.tolist())))]).astype(np.float64)
    weighed = np.linalg.solve(spread, design)
    return np.asarray((np.linalg.inv(design.T @ weighed) @ weighed.T)[0])


def years(earlier: datetime, later: datetime) -> float:
    """Return the time from one to the other [years]."""
    return (later - earlier).total_seconds() / YEAR


def drift(
    name: str,
    change: float,
    u: float,
    rate: tuple[float, float],
    deviation: float,
    tolerance: float,
    u_deviation: float = 0.0,
    together: float = 0.0,
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
    u_deviation : float
        Standard uncertainty of the deviation [m], 0 where it is taken as it stands.
    together : float
        Covariance of deviation and rate [m²/year].
    """
    moved = "moved" if abs(change) > 2 * u + EQUAL else "not-proven"
    unsure = NO_LIMIT if math.isinf(tolerance) else UNSURE
    if is_missing(rate[0]):
        return Drift(name, change, 2 * u, moved, math.nan, math.nan, unsure, math.nan, math.nan)
    speed, U_rate = rate[0], 2 * rate[1]
    earliest, latest = _crossing((deviation, u_deviation), rate, tolerance, together)
    crosses = unsure
    if not is_missing(earliest) and crosses != NO_LIMIT:
        crosses = HOLDS if earliest > HORIZON else CROSSES if latest <= HORIZON else UNSURE
    return Drift(name, change, 2 * u, moved, speed, U_rate, crosses, earliest, latest)


def crossing_words(drift: Drift) -> str:
    """Return when a point leaves its tolerance, in words; "" where there is none."""
    if drift.crosses == NO_LIMIT:
        return ""
    if drift.crosses == HOLDS:
        return f"not within {HORIZON:g} years"
    if drift.crosses == CROSSES:
        if drift.latest <= 0:
            return "is out already"
        return f"in {show_number(drift.earliest, 1)} to {show_number(drift.latest, 1)} years"
    if is_missing(drift.earliest) or drift.earliest > HORIZON:
        return drift.crosses
    return f"in {show_number(drift.earliest, 1)} years at the earliest"


def _crossing(
    deviation: tuple[float, float], rate: tuple[float, float], tolerance: float, together: float
) -> tuple[float, float]:
    """When a deviation leaves the tolerance, at the earliest and at the latest [years]; 0 where it has, inf where it never does.

    Its way is d + r·t ± 2·√(u_d² + 2·t·cov + t²·u_r²): at the earliest where the first of that fan leaves, at the latest where the last does.
    """
    d, u = deviation
    if is_missing(d):
        return math.nan, math.nan
    if abs(d) > tolerance:
        return 0.0, 0.0
    if math.isinf(tolerance):
        return math.inf, math.inf
    earliest, latest = math.inf, math.inf
    for side in (1.0, -1.0):
        left, speed = tolerance - side * d, side * rate[0]
        for t in _meets(left, speed, u, rate[1], together):
            # Which edge of the fan meets the limit there: what is left of it is 2σ on this side of it, or beyond.
            if left - speed * t >= -EQUAL:
                earliest = min(earliest, t)
            if left - speed * t <= EQUAL:
                latest = min(latest, t)
        if left <= 2 * u:
            earliest = 0.0
    return earliest, latest


def _meets(left: float, speed: float, u: float, u_speed: float, together: float) -> list[float]:
    """Times from now on at which (left − speed·t)² = 4·(u² + 2·t·cov + t²·u_r²) [years]."""
    a = speed**2 - 4 * u_speed**2
    b = -2 * left * speed - 8 * together
    c = left**2 - 4 * u**2
    if abs(a) < 1e-300:
        return [t for t in ([-c / b] if b else []) if t >= 0]
    inside = b * b - 4 * a * c
    if inside < 0:
        return []
    root = math.sqrt(inside)
    q = -(b + math.copysign(root, b)) / 2
    return [t for t in (q / a, c / q if q else math.inf) if t >= 0 and math.isfinite(t)]
