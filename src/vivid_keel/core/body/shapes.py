"""What beds, tables and plumb frames make of a few readings.

Source: twist as a difference of cross tilts by the feet's spacing; a plate that twists evenly under a straightedge; a bob's
shift over its string.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

AC, BD = "AC", "BD"
"""The two diagonals of a four-cornered table, its corners A, B, C, D in order round it."""


def twist_at_feet(cross: Sequence[float], spacing: float) -> Floats:
    """Return the twist of a bed at each station against the first, front to back at the feet (n,) [m]; + the front is low.

    Parameters
    ----------
    cross : sequence of float
        Cross tilts [rad], their arrow from front to back.
    spacing : float
        Of the feet, front to back [m].
    """
    tilts = np.array(cross, dtype=np.float64)
    return np.asarray((tilts - tilts[0]) * spacing)


def profile(along: Sequence[float], step: float) -> Floats:
    """Return the profile of a way from tilts stepped along it, beginning at 0 (n + 1,) [m].

    Parameters
    ----------
    along : sequence of float
        [rad]
    step : float
        From place to place [m]: the level's own base.
    """
    return np.concatenate([[0.0], np.cumsum(np.array(along, dtype=np.float64) * step)])


def straightness(heights: Floats) -> float:
    """Return the band between the highest and the lowest departure of a profile from its end-to-end chord [m].

    `heights` are the profile's (n,) [m].
    """
    off = heights - np.linspace(heights[0], heights[-1], len(heights))
    return float(off.max() - off.min())


def warp(corners: Sequence[float]) -> float:
    """Return the warp of four corners, in order round the table, by their heights [m]: A and C against B and D [m]."""
    a, b, c, d = corners
    return a + c - b - d


def warp_from_gap(diagonal: str, gap: float, *, ends: bool) -> float:
    """Return the warp of a plate that twists evenly, by the light under a straightedge on a diagonal [m].

    Parameters
    ----------
    diagonal : {"AC", "BD"}
    gap : float
        In the middle [m]; where it rocks on the middle, of both `ends` together [m].
    """
    along = -2 * gap if ends else 4 * gap
    return along if diagonal == AC else -along


class FrameTwist(Struct, frozen=True):
    """What a plumb frame tells of a bed: its twist [rad], the move of the front tail foot, raise + [m], and turns of its screw
    [1], None without one."""

    twist: float
    front_foot: float
    turns: float | None


def from_plumb_frame(shift: float, string: float, spacing: float, pitch: float | None = None) -> FrameTwist:
    """Return the twist that a plumb frame shows.

    Parameters
    ----------
    shift : float
        How far the bob's mark stands further towards the operator at the tail than at the head [m].
    string : float
        Length of the bob's string [m].
    spacing : float
        Of the feet, front to back [m].
    pitch : float, optional
        What a turn raises [m].

    Raises
    ------
    KeelError
        `bad-value`: no string.
    """
    if string <= 0:
        raise KeelError("bad-value", "a bob hangs on a string longer than 0")
    twist = shift / string
    move = twist * spacing
    return FrameTwist(twist, move, None if pitch is None else move / pitch)
