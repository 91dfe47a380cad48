"""A line of pegs down a slope, levelled from a mark to another with a staff holder who makes one mistake.

Source: a reading is the line's height less the peg's, and what the line is out over the distance.
"""

from __future__ import annotations

import math

from msgspec import Struct

STAFF, NEAREST, EYE = 4.0, 2.0, 1.5
"""The staff's length; nearer to the instrument it can't be read; the line over the ground [m]."""
FARTHEST = 60.0
"""Farther away it can't be read [m]."""


class Slope(Struct, frozen=True):
    """A slope with pegs.

    Attributes
    ----------
    along, heights : tuple of float
        Where each peg stands and how high it is [m]; the first and the last are marks with known heights.
    out : float
        What the line of the instrument is out [rad].
    fault : str
        What the holder does wrong: `BESIDE`, `LEANS` or `STONE`.
    at : int
        At the first sight of which set-up, from 1.
    by : float
        What that adds [m].
    """

    along: tuple[float, ...]
    heights: tuple[float, ...]
    out: float
    fault: str
    at: int
    by: float

    def ground(self, along: float) -> float:
        """How high the ground is there [m]."""
        k = max(0, min(len(self.along) - 2, sum(one <= along for one in self.along) - 1))
        a, b = self.along[k], self.along[k + 1]
        part = (along - a) / (b - a)
        return self.heights[k] + part * (self.heights[k + 1] - self.heights[k])

    def reads(self, stand: float, peg: int) -> float:
        """What a staff held plumb on a peg shows from where the instrument stands [m]; nan where it can't be read."""
        away = abs(self.along[peg] - stand)
        value = self.ground(stand) + EYE - self.heights[peg] + self.out * away
        return value if 0.0 < value < STAFF and NEAREST <= away <= FARTHEST else math.nan


BESIDE, LEANS, STONE = "beside", "leans", "stone"
FAULTS = {
    BESIDE: "the staff was set down beside the peg after the instrument had moved",
    LEANS: "the staff leaned",
    STONE: "the staff stood on a stone that lay on the peg",
}
"""What a holder does wrong, in words."""
