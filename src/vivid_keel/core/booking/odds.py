"""What a class of closing is worth: how often it fails an honest run, and which slip it lets through.

Source: the misclosure of an honest run is normal with the u of its readings; a slip shifts it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.quantities import round_half_away

SELDOM = 0.05
"""A class fits where an honest run fails it no oftener [1]."""
ONE_IN_TEN = 1.2815515655446004
"""Normal deviate that nine in ten lie below [1]."""


class Odds(Struct, frozen=True):
    """What a limit does with a run whose misclosure has a standard uncertainty u.

    Attributes
    ----------
    fails : float
        Share of honest runs of this length beyond the limit [1].
    through : float
        The greatest slip that still passes one time in ten [m]; greater ones are caught oftener.
    """

    fails: float
    through: float


def odds(allowed: float, u: float) -> Odds:
    """Return what a limit `allowed` [m] does with a misclosure of standard uncertainty `u` [m] > 0."""
    return Odds(math.erfc(allowed / u / math.sqrt(2)), allowed + ONE_IN_TEN * u)


def fitting(limits: Sequence[float | None], u: float) -> int | None:
    """Return which of some limits [m] is the tightest that honest runs seldom fail; None where none is, or none is known.

    Their misclosure has a standard uncertainty `u` [m].
    """
    good = [
        (limit, k) for k, limit in enumerate(limits) if limit is not None and odds(limit, u).fails <= SELDOM
    ]
    return min(good)[1] if good else None


def often(share: float) -> str:
    """Return a share [1] as people say it: 3 in 100, hardly ever."""
    return "hardly ever" if share < 0.005 else f"{round_half_away(100 * share):g} in 100"
