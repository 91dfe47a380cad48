"""Places from a walk round a piece of ground, closed and squared up; and from two distances.

Source: least squares over the sides' lengths and the turns at the corners, each with its own uncertainty; corners that are square are
square. A place from two distances is where two circles meet (the cosine rule).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SQUARE = 1e-5
"""How well a corner that is square is square [rad]."""
TURNED = math.radians(30)
"""Turns that don't come to a whole one by more than this weren't all of one walk [rad]."""


class Walk(Struct, frozen=True):
    """A walk closed: its corners' places, the first at 0 and the first side along (n, 2) [m]; by how much it missed its beginning as it was
    walked, nan where a turn wasn't told [m]; and what each side is longer than it was measured (n,) [m]."""

    xy: Floats
    missed: float
    longer: Floats


def closed_walk(
    lengths: Floats, turns: Floats, square: Sequence[bool], u_length: float, u_turn: float
) -> Walk:
    """Return the places of a walk's corners.

    Parameters
    ----------
    lengths : float array (n,)
        Of the sides, the last back to the first corner [m].
    turns : float array (n,)
        At the corner behind each side, + to the left [rad]; nan where nobody said.
    square : sequence of bool, length n
        Which of those corners are square.
    u_length : float
        Standard uncertainty of a side, of its length [1].
    u_turn : float
        Standard uncertainty of a turn that isn't square [rad].

    Raises
    ------
    KeelError
        `too-few-points`: fewer than three sides; `not-observable`: too few turns tell its shape; `bad-value`: they are no walk that
        comes back.
    """
    n = len(lengths)
    if n < 3:
        raise KeelError("too-few-points", f"a walk round has three sides at least, this one has {n}")
    told = ~np.isnan(turns)
    if told.sum() < n - 3:
        raise KeelError(
            "not-observable",
            f"{n} lengths leave its shape open: say of {n - 3 - int(told.sum())} corners more that they are square, or by how much it turns there",
        )
    if 2 * lengths.max() >= lengths.sum():
        raise KeelError(
            "bad-value", "one side is as long as all the others together: no walk comes back along them"
        )
    way = 1.0 if not told.any() or np.nansum(turns) >= 0 else -1.0
    over = way * 2 * math.pi - float(np.nansum(turns))
    if told.all() and abs(over) > TURNED:
        whole = math.degrees(float(turns.sum()))
        raise KeelError(
            "bad-value",
            f"it turns by {whole:.0f}° in all, and a walk that comes back turns by 360°; − is to the right",
        )
    start = np.where(told, turns, over / max(int((~told).sum()), 1))
    walked = _walked(lengths, start)
    missed = float(np.hypot(*walked[-1])) if told.all() else math.nan
    # Closed by the share of the way gone: where the adjustment begins.
    gone = np.cumsum(lengths) / lengths.sum()
    near = np.vstack([np.zeros(2), walked[:-1] - gone[:-1, None] * walked[-1]])
    xy = _adjusted(near, lengths, turns, told, np.array(square), u_length, u_turn)
    longer = np.hypot(*(np.roll(xy, -1, axis=0) - xy).T) - lengths
    return Walk(xy, missed, longer)


def _walked(lengths: Floats, turns: Floats) -> Floats:
    """Where each side ends (n, 2) [m], as it was walked from 0."""
    heading = np.concatenate([[0.0], np.cumsum(turns)[:-1]])
    return np.cumsum(lengths[:, None] * np.column_stack([np.cos(heading), np.sin(heading)]), axis=0)


def _adjusted(
    near: Floats,
    lengths: Floats,
    turns: Floats,
    told: npt.NDArray[np.bool_],
    square: npt.NDArray[np.bool_],
    u_length: float,
    u_turn: float,
) -> Floats:
    from scipy.optimize import least_squares

    n = len(lengths)
    u_turns = np.where(square, SQUARE, u_turn)[told]

    def places(free: Floats) -> Floats:
        return np.vstack([np.zeros(2), [free[0], 0.0], free[1:].reshape(-1, 2)])

    def off(free: Floats) -> Floats:
        sides = np.roll(xy := places(free), -1, axis=0) - xy
        after = np.roll(sides, -1, axis=0)
        turned = np.arctan2(
            sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0], (sides * after).sum(axis=1)
        )
        apart = (turned - turns + math.pi) % (2 * math.pi) - math.pi
        return np.concatenate([(np.hypot(*sides.T) - lengths) / (u_length * lengths), apart[told] / u_turns])

    turn = math.atan2(near[1, 1], near[1, 0])
    c, s = math.cos(-turn), math.sin(-turn)
    level = near @ np.array([[c, s], [-s, c]])
    found = least_squares(
        off, np.concatenate([[level[1, 0]], level[2:].reshape(-1)]), x_scale="jac", max_nfev=50 * n
    )
    return places(found.x)


def tied(a: Floats, b: Floats, from_a: float, from_b: float, *, left: bool) -> Floats:
    """Return the place that lies so far from two others, to the left of the way from a to b or to its right (2,) [m].

    Parameters
    ----------
    a, b : float array (2,)
        Places [m].
    from_a, from_b : float
        Distances [m].
    left : bool

    Raises
    ------
    KeelError
        `bad-value`: the two distances don't meet, by how much.
    """
    way = b - a
    base = float(np.hypot(*way))
    if base <= 0:
        raise KeelError(
            "bad-value", "the two points lie at one place; two distances from one place tell no other"
        )
    along = (from_a**2 - from_b**2 + base**2) / (2 * base)
    beside = from_a**2 - along**2
    if beside < 0:
        lacks = base - from_a - from_b if from_a + from_b < base else abs(from_a - from_b) - base
        raise KeelError(
            "bad-value",
            f"the two distances don't meet: {lacks:.3f} m are wanting; they lie {base:.3f} m apart",
        )
    unit = way / base
    normal = np.array([-unit[1], unit[0]]) * (1 if left else -1)
    return np.asarray(a + along * unit + math.sqrt(beside) * normal)
