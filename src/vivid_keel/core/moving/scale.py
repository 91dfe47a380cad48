"""Readings of a scale against one level line, in both senses."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


STANDS = "stands"
"""The scale stands on the point and is read at the line: a larger reading is a lower point."""
HANGS = "hangs"
"""The scale hangs from the point down to the line: a larger reading is a higher point."""
SENSES = (STANDS, HANGS)


def signs(senses: Sequence[str]) -> Floats:
    """Return −1 for a standing scale and +1 for a hanging one (n,) [1], so height = line + sign × reading.

    Raises
    ------
    KeelError
        `bad-value`: a sense that is neither.
    """
    bad = [sense for sense in senses if sense not in SENSES]
    if bad:
        raise KeelError("bad-value", f"the scale stands or hangs; “{bad[0]}” is neither")
    return np.array([-1.0 if sense == STANDS else 1.0 for sense in senses])


def parse_sense(text: str) -> str:
    """Return the sense that a typed h… or s… means, or refuse it.

    Raises
    ------
    KeelError
        `bad-value`: no sense a scale can have.
    """
    sense = {"h": HANGS, "s": STANDS}.get(text.strip()[:1].lower())
    if sense is None:
        raise KeelError("bad-value", "h or s: does the scale hang from the point or stand on it?")
    return sense


def heights_from_scale(readings: Floats, senses: Sequence[str], line: float = 0.0) -> Floats:
    """Return heights [m] of n points from readings booked as read, positive [m].

    height = line − reading (standing), line + reading (hanging).
    """
    return np.asarray(line + signs(senses) * readings)


def reading_at(heights: Floats, senses: Sequence[str], line: float = 0.0) -> Floats:
    """Return what the scale shows when a point is at `heights` (n,) [m], its line at `line` [m]: the reading to stop at."""
    return np.asarray(signs(senses) * (heights - line))


AGREES, CONTRADICTS, UNSURE = "agrees", "contradicts", "can't tell"


def sense_by_eye(heights: Floats, judged_high: int, U: float) -> str:
    """Tell what the readings say about a point judged high by eye: AGREES, CONTRADICTS or UNSURE.

    It contradicts where the point comes out below the middle of all by more than that is uncertain: the
    sense of the scale is then likely turned round.

    Parameters
    ----------
    heights : float array (n,)
        [m]; nan where a point was not read.
    judged_high : int
    U : float
        Expanded uncertainty of a difference of two heights [m].
    """
    above = float(heights[judged_high] - np.nanmedian(heights))
    return UNSURE if abs(above) <= U else AGREES if above > 0 else CONTRADICTS
