"""What one reading is worth until the owner's own checks say better (standard uncertainties)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities.length import INCH

if TYPE_CHECKING:
    import numpy.typing as npt


class WayOfReading(Struct, frozen=True):
    """How a kind of instrument is read: u = base + per_metre × (distance − from_distance), above it.

    Attributes
    ----------
    key, label : str
    base : float
        Standard uncertainty of one reading [m].
    per_metre : float
        Growth with distance [1].
    from_distance : float
        Distance from which it grows [m].
    reach : float
        Distance taken where none was booked: the worst ordinary sight [m].
    step : float
        What it is usually read to [m].
    """

    key: str
    label: str
    base: float
    per_metre: float
    from_distance: float
    reach: float
    step: float = 0.001


WAYS = (
    WayOfReading("optical", "optical level, metric staff", 0.0007, 0.00003, 30.0, 30.0),
    WayOfReading(
        "optical-fine", "optical level, fine scale (½ mm marks), to 10 m", 0.0002, 0.00003, 10.0, 10.0, 0.0005
    ),
    WayOfReading(
        "optical-eighths", "optical level, feet-inches staff in ⅛″", 0.0010, 0.00003, 30.0, 30.0, INCH / 8
    ),
    WayOfReading("rotary-eye", "rotating laser, tape read by eye", 0.0010, 0.00005, 0.0, 15.0),
    WayOfReading("rotary-receiver", "rotating laser with a receiver", 0.0007, 0.00003, 0.0, 15.0),
    WayOfReading("line-eye", "line laser, tape read by eye", 0.0007, 0.0001, 0.0, 8.0),
    WayOfReading("water", "water tube", 0.0010, 0.0, 0.0, 0.0),
)
WAY = {way.key: way for way in WAYS}


def reading_uncertainty(
    base: float, per_metre: float, from_distance: float, reach: float, distances: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    """Return u of each reading [m].

    Parameters
    ----------
    base : float
        [m]
    per_metre : float
        [1]
    from_distance, reach : float
        [m]; `reach` stands in for a distance that was not booked (nan).
    distances : float array (n,)
        [m]
    """
    known = np.where(np.isnan(distances), reach, distances)
    return np.asarray(base + per_metre * np.maximum(known - from_distance, 0.0))
