"""A lift in stages: how far each point goes in each round, so that neighbours stay together.

Source: a lift parted so that neighbours never differ by more than the limit; the widest triangle of feet.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import EQUAL, is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BUILDING_SPAN = 500.0
BUILDING_MOST = 0.006
"""Under a building no neighbours' lifts of a round differ by more than the lesser of spacing/500 and 6 mm."""
MOST_STAGES = 10_000
"""Nothing is lifted in more stages than that [1]."""


def neighbour_limit(spacing: float) -> float:
    """Return how far neighbours may differ in one round under a building [m]; spacing [m]."""
    return min(spacing / BUILDING_SPAN, BUILDING_MOST)


def stage(moves: Floats, limit: float | None, clearance: float = 0.0) -> list[Floats]:
    """Return how far each point has been moved after each round [m]; the last round ends at the whole move.

    In a round every point goes up by at most limit − clearance: whichever of two neighbours is lifted
    first, their lifts of that round never differ by more than the limit, the jack's clearance above
    the leaf counted.

    Parameters
    ----------
    moves : float array (n,)
        Raise + [m]; nan where nothing is to be done.
    limit : float or None
        [m]; None for a free-standing frame: everything in one round.
    clearance : float
        How far the jack goes above the leaf to slip it in [m].

    Raises
    ------
    KeelError
        `bad-value` where the clearance uses up the limit, or more stages would be taken than anybody takes.
    """
    whole = np.nan_to_num(moves)
    most = float(np.abs(whole).max()) if len(whole) else 0.0
    if most <= EQUAL:
        return []
    if limit is None:
        return [whole]
    step = limit - clearance
    if step <= EQUAL:
        raise KeelError(
            "bad-value",
            f"the jack's clearance of {clearance * 1000:g} mm uses up the {limit * 1000:g} mm that neighbours may differ; "
            "allow more, or slip the leaves in with less",
        )
    if most / step > MOST_STAGES:
        raise KeelError(
            "bad-value",
            f"that would take {most / step:.0f} stages of {step * 1000:g} mm; is a height, a place or a limit off by a thousand?",
        )
    rounds = math.ceil(most / step - 1e-9)
    return [np.sign(whole) * np.minimum(np.abs(whole), step * k) for k in range(1, rounds + 1)]


ORDERS = {
    "need": "from the highest need to the lowest",
    "round": "round about, and back across the diagonal",
    "three": "three feet first, the middle ones last",
}


def three_feet(xy: Floats, *, corners: bool = False) -> tuple[int, int, int] | None:
    """Return the three points that carry the rest best: those between which the middle of all lies furthest inside, of them those
    furthest apart. None where all stand in line. `corners` takes those furthest apart, of what is heavy and bolted down.

    Set on three feet a frame is statically determinate: it stands firm however crooked the others are. Three corners of four carry it
    on their edge only.

    Parameters
    ----------
    xy : float array (n, 2)
        [m]
    """
    if len(xy) < 3:
        return None
    middle, best, widest = xy.mean(axis=0), None, (-math.inf, 0.0)
    for at in combinations(_outermost(xy), 3):
        ends = xy[list(at)]
        sides = np.roll(ends, -1, axis=0) - ends
        area = float(sides[0, 0] * sides[1, 1] - sides[0, 1] * sides[1, 0]) / 2
        if abs(area) <= 1e-9:
            continue
        to_middle = middle - ends
        inside = math.copysign(1.0, area) * (sides[:, 0] * to_middle[:, 1] - sides[:, 1] * to_middle[:, 0])
        stands = (
            0.0 if corners else round(float((inside / np.hypot(*sides.T)).min()), 9),
            round(abs(area), 9),
        )
        if stands > widest:
            widest, best = stands, at
    return best


MANY_FEET = 16
"""Among so many feet every three are looked at; among more, so many of those on the outline."""


def _outermost(xy: Floats) -> Sequence[int]:
    from scipy.spatial import ConvexHull, QhullError

    if len(xy) <= MANY_FEET:
        return range(len(xy))
    try:
        at = np.sort(ConvexHull(xy).vertices)
        return [int(i) for i in at[:: math.ceil(len(at) / MANY_FEET)]]
    except QhullError:
        return ()


def order(
    moves: Floats, xy: Floats, how: str = "need", carry: Sequence[int] = (), *, corners: bool = False
) -> list[int]:
    """Return the points to be moved in the order of a round.

    Parameters
    ----------
    moves : float array (n,)
        [m]; points that stay (0 or nan) are left out.
    xy : float array (n, 2)
        [m]
    how : str
        A key of ORDERS.
    carry : sequence of int
        The feet that carry, where a person said which; else three do (see `three_feet`).
    corners : bool
        Whether those are the three that stand furthest apart.
    """
    points = [i for i, m in enumerate(moves.tolist()) if not is_missing(m) and abs(m) > EQUAL]
    feet = (tuple(carry) or three_feet(xy, corners=corners)) if how == "three" else None
    if feet is not None:
        middle = xy.mean(axis=0)
        far = np.hypot(*(xy - middle).T)
        rest = sorted((i for i in points if i not in feet), key=lambda i: (-float(far[i]), i))
        return [i for i in feet if i in points] + rest
    if how != "round" or len(points) < 3:
        # Of equal needs the first in the list goes first, whatever the last bits of a machine say.
        return sorted(points, key=lambda i: (-round(abs(float(moves[i])), 9), i))
    middle = xy[points].mean(axis=0)
    about = sorted(points, key=lambda i: math.atan2(float(xy[i, 1] - middle[1]), float(xy[i, 0] - middle[0])))
    # Across the diagonal each time: opposite ones follow each other.
    half = (len(about) + 1) // 2
    out = []
    for k in range(half):
        out.append(about[k])
        if k + half < len(about):
            out.append(about[k + half])
    return out
