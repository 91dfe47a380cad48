"""The line of the supports: where it was read from, its own slope at every post, what a reading is worth."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.instruments.used import Instrument
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.trades.supports.book import PointRow, SupportsBook

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


def distances(book: SupportsBook) -> Floats:
    """Return how far each point is from the instrument in plan [m]; nan while its station isn't known."""
    if book.station is None:
        return np.full(len(book.points), np.nan)
    x, y = book.station
    return np.array([np.hypot(point.x - x, point.y - y) for point in book.points], dtype=np.float64)


def line_error(book: SupportsBook, phase: str = FOUND) -> Floats:
    """Return c·D at each point [m]: how much higher the line of sight is there, 0 where it is left in."""
    if not book.use_collimation or book.station is None:
        return np.zeros(len(book.points))
    c = np.array([_taken_with(book, point, phase).collimation or 0.0 for point in book.points])
    return np.asarray(c * distances(book))


def _taken_with(book: SupportsBook, point: PointRow, phase: str) -> Instrument:
    """The instrument that took a point's reading; the one in hand where it isn't read yet."""
    read = point.read(phase)
    return book.instruments[read.instrument if read is not None else -1]


def u_of(book: SupportsBook, phase: str) -> Floats:
    """Standard uncertainty of every point's reading in a phase [m]."""
    each = [u_one(i) for i in book.instruments]
    reads = [point.read(phase) for point in book.points]
    return np.array(
        [each[reading.instrument if reading is not None else -1] for reading in reads], dtype=np.float64
    )


def collimation_left(book: SupportsBook) -> float:
    """Return u of what the collimation error leaves between the nearest and the furthest point [m]; 0 where nobody knows it."""
    i, d = book.instrument, distances(book)
    if i is None or i.u_collimation is None or not len(d) or np.isnan(d).any():
        return 0.0
    u = (
        i.u_collimation
        if book.use_collimation
        else float(np.hypot(i.u_collimation, (i.collimation or 0.0) / 3**0.5))
    )
    return u * float(d.max() - d.min())


def u_reading(book: SupportsBook) -> float:
    return u_one(book.instruments[-1]) if book.instruments else 0.0


def u_one(i: Instrument) -> float:
    return i.base + i.per_metre * max(i.reach - i.from_distance, 0.0)
