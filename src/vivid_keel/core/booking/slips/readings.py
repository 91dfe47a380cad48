"""Everything read in a book that can bear witness against a slip."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from vivid_keel.core.booking.layout import Layout

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class BookReadings(Struct, frozen=True):
    """The sights of a book with all that was read at them, n of them; nan where a thing was not read.

    Attributes
    ----------
    layout : Layout
    middle, look, upper, lower : float array (n,)
        The middle hair, the second look at it, and the outer hairs, as booked [m].
    distance : float array (n,)
        As booked, or from the hairs [m].
    sigma : float array (n,)
        Standard uncertainty of one reading [m].
    decimals : int
        Decimals a reading is written with in `unit`; 0 for feet and inches.
    unit : str
        Of the book: "m", "mm", "cm", "ft", "in" or "ft-in".
    """

    layout: Layout
    middle: Floats
    look: Floats
    upper: Floats
    lower: Floats
    distance: Floats
    sigma: Floats
    decimals: int
    unit: str
