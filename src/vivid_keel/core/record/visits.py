"""What moved between visits: the same points as found and as left on every occasion, their change, rate and forecast.

Source: changes of unmoved points between two occasions, least squares for a constant rate; the three-valued verdict.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from vivid_keel.core.quantities import EQUAL, is_missing

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
        gaps = [
            (
                later.found[name] - earlier.last(name),
                years(earlier.ended, later.began),
                math.hypot(earlier.u, later.u),
            )
            for earlier, later in zip(read, read[1:], strict=False)
        ]
        if gaps:
            out[name] = _drift(name, gaps, deviations.get(name, math.nan), tolerance)
    return out


def years(earlier: datetime, later: datetime) -> float:
    """Return the time from one to the other [years]."""
    return (later - earlier).total_seconds() / YEAR


def _drift(
    name: str, gaps: Sequence[tuple[float, float, float]], deviation: float, tolerance: float
) -> Drift:
    change, _, u = gaps[-1]
    moved = "moved" if abs(change) > 2 * u + EQUAL else "not-proven"
    unsure = NO_LIMIT if math.isinf(tolerance) else UNSURE
    # r = Σ w·c·t / Σ w·t² with w = 1/u²: a constant rate through every gap.
    weight = sum((t / each) ** 2 for _, t, each in gaps if t >= SHORTEST and each > 0)
    if weight <= 0:
        return Drift(name, change, 2 * u, moved, math.nan, math.nan, unsure, math.nan, math.nan)
    rate = sum(c * t / each**2 for c, t, each in gaps if t >= SHORTEST and each > 0) / weight
    U_rate = 2 / math.sqrt(weight)
    earliest, latest = _crossing(deviation, rate, U_rate, tolerance)
    crosses = unsure
    if not is_missing(earliest) and crosses != NO_LIMIT:
        crosses = HOLDS if earliest > HORIZON else CROSSES if latest <= HORIZON else UNSURE
    return Drift(name, change, 2 * u, moved, rate, U_rate, crosses, earliest, latest)


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
