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
    """Return −1 for a standing scale and +1 for a hanging one, so height = line + sign × reading."""
    bad = [s for s in senses if s not in SENSES]
    if bad:
        raise KeelError("bad-value", f"the scale stands or hangs; “{bad[0]}” is neither")
    return np.array([-1.0 if s == STANDS else 1.0 for s in senses])


def parse_sense(text: str) -> str:
    """Return the sense that a typed h… or s… means, or refuse it."""
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
    """Return what the scale shows when a point is at `heights` [m]: the reading to stop at."""
    return np.asarray(signs(senses) * (heights - line))


def sense_contradicted(heights: Floats, judged_high: int) -> bool:
    """Tell whether the point judged high by eye comes out in the lower half: the sense is mixed up."""
    return bool(heights[judged_high] < np.median(heights))
