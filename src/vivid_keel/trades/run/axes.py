"""A rotating laser's axes, taken off where the book says which side of it faced the staff.

Source: at azimuth α, counted from X+ towards Y+ as marked on the housing, a plane errs by X·cos α + Y·sin α (practice of the trade).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.trades.run.book import RunBook

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SIDES = {"x+": 0.0, "y+": 90.0, "x-": 180.0, "y-": 270.0}
"""The sides of a housing by their marks, as azimuths [°]."""
TURNED = math.radians(10)
"""A side is seen to face the staff to within so much [rad]."""
PACED = 0.06
"""U of a paced distance, as a share of it [1]."""


def azimuth_of(text: str) -> float:
    """Return the azimuth [°] that a `text` means: a side of the housing, or degrees from X+ towards Y+.

    Raises
    ------
    KeelError
        `bad-value`: neither a side nor degrees from 0 to 360.
    """
    clean = text.strip().lower().replace("−", "-").replace(" ", "").removesuffix("°")
    if clean in SIDES:
        return SIDES[clean]
    if clean[::-1] in SIDES:
        return SIDES[clean[::-1]]
    try:
        degrees = float(clean)
    except ValueError:
        degrees = math.nan
    if not 0 <= degrees <= 360:
        raise KeelError(
            "bad-value",
            f"{text.strip()}: expected the side of the housing that faces the staff (X+, Y+, X−, Y−), or degrees from X+ towards Y+",
        )
    return degrees % 360


def show_side(azimuth: float) -> str:
    """Return an `azimuth` [°] as a person marks it: a side of the housing where it is one; "" for nan."""
    if is_missing(azimuth):
        return ""
    side = next((side for side, at in SIDES.items() if abs(at - azimuth) < 1e-9), "")
    return side.upper().replace("-", "−") or f"{show_number(azimuth, 0)}°"


def tells_sides(book: RunBook) -> bool:
    """Whether it is worth asking for sides: an axis error is known, or a side was booked."""
    return any(i.tips is not None for i in book.instruments) or any(
        not is_missing(row.azimuth) for row in book.rows
    )


def axis_errors(book: RunBook, distances: Floats) -> Floats | None:
    """Return what the axes of the laser add to each reading (n,) [m], 0 where side or length isn't booked; None where none tells.

    `distances` are the sights' lengths (n,) [m].
    """
    slope = _slopes(book)
    if slope is None:
        return None
    return np.nan_to_num(slope * distances)


def axis_left(book: RunBook, distances: Floats) -> Floats:
    """Return how far off level the plane may still be for each sight (n,) [rad], what is taken off left out; `distances` (n,) [m]."""
    took = [book.rows[i].instrument for i in book.sights]
    left = np.array([i.axis for i in book.instruments])[took]
    slope = _slopes(book) if book.settings.use_axes else None
    if slope is None:
        return left
    known = np.array([0.0 if i.tips is None else math.hypot(*i.tips) for i in book.instruments])[took]
    told = ~np.isnan(slope * distances)
    return np.where(told, left - known * (1 - math.sin(TURNED)) + PACED * np.abs(slope), left)


def _slopes(book: RunBook) -> Floats | None:
    """By how much the plane rises towards each sight's staff (n,) [rad], nan where nobody booked the side; None where none is told."""
    out = np.full(len(book.sights), np.nan)
    for k, i in enumerate(book.sights):
        row = book.rows[i]
        tips = book.instruments[row.instrument].tips
        if tips is not None and not is_missing(row.azimuth):
            alpha = math.radians(row.azimuth)
            out[k] = tips[0] * math.cos(alpha) + tips[1] * math.sin(alpha)
    return None if np.isnan(out).all() else out
