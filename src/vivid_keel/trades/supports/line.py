"""The line of the supports: where it was read from, its own slope at every post, what a reading is worth."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.booking.fineness import read_to, with_fineness
from vivid_keel.core.instruments.defaults import WAY
from vivid_keel.core.instruments.used import Instrument
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.core.quantities import is_missing
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
    c = np.array(
        [
            0.0 if _elsewhere(point, phase) else _taken_with(book, point, phase).collimation or 0.0
            for point in book.points
        ]
    )
    return np.asarray(c * distances(book))


def _elsewhere(point: PointRow, phase: str) -> bool:
    """Whether a point is read from another station, whose sights nobody knows."""
    read = point.read(phase)
    return read is not None and bool(read.station)


def _taken_with(book: SupportsBook, point: PointRow, phase: str) -> Instrument:
    """The instrument that took a point's reading; the one in hand where it isn't read yet."""
    read = point.read(phase)
    return book.instruments[read.instrument if read is not None else -1]


def u_of(book: SupportsBook, phase: str) -> Floats:
    """Standard uncertainty of every point's reading in a phase [m], how finely they were read with it."""
    reads, far = [point.read(phase) for point in book.points], distances(book)
    took = [book.instruments[reading.instrument if reading is not None else -1] for reading in reads]
    if len({id(i) for i in took}) == 1:
        i = took[0]
        away = np.where(np.isnan(far), i.reach, far)
        u = np.asarray(i.base + i.per_metre * np.maximum(away - i.from_distance, 0.0), dtype=np.float64)
    else:
        u = np.array([u_one(i, d) for i, d in zip(took, far.tolist(), strict=True)], dtype=np.float64)
    usual = _usual(book)
    return with_fineness(u, read_to_step(book), usual) if len(u) else u


def _usual(book: SupportsBook) -> float:
    i = book.instruments[-1] if book.instruments else None
    return WAY[i.way].step if i is not None and i.way in WAY else 0.001


def read_to_step(book: SupportsBook) -> float:
    """Return what all the readings of a work were taken to [m], not below what is usual for what reads them."""
    reads = [
        read
        for point in book.points
        for read in (point.found, point.left, point.first, point.since)
        if read is not None
    ]
    reads += [read for done in book.passes for side in (done.before, done.after) for read in side.values()]
    each = {read.id: read for read in reads}
    values = np.array([read.value for read in each.values()], dtype=np.float64)
    steps = np.array([read.step for read in each.values()], dtype=np.float64)
    return read_to(values, steps, book.style.unit, _usual(book))


def collimation_left(book: SupportsBook) -> float:
    """Return u of how well the collimation error is known, between the nearest and the furthest point [m]."""
    i = book.instrument
    if i is None or len(book.points) < 2:
        return 0.0
    return (i.u_collimation or 0.0) * _unequal(book)


def left_bound(book: SupportsBook) -> float:
    """Return how far what stays in may put one point out against another [m]: a collimation error that is known and not
    taken out over unequal sights, and a laser's axes over the points' whole extent.

    Where nobody said where the instrument stood, the worst unbalance that these points can have: how far apart they are.
    """
    i = book.instrument
    if i is None or len(book.points) < 2:
        return 0.0
    taken_out = book.use_collimation and book.station is not None and not book.ties
    left_in = 0.0 if taken_out else abs(i.collimation or 0.0) * _unequal(book)
    return left_in + i.axis * extent(book)


def _unequal(book: SupportsBook) -> float:
    """By how much two sights at points may differ [m]."""
    d = distances(book)
    return float(d.max() - d.min()) if book.station is not None else extent(book)


def extent(book: SupportsBook) -> float:
    """Return how far apart the points are at most, corner to corner [m]."""
    xy = np.array([(point.x, point.y) for point in book.points]).reshape(-1, 2)
    return float(np.hypot(*np.ptp(xy, axis=0))) if len(xy) else 0.0


def u_reading(book: SupportsBook) -> float:
    return u_one(book.instruments[-1]) if book.instruments else 0.0


def u_one(i: Instrument, distance: float = math.nan) -> float:
    """Return u of one reading [m] at a distance [m]; at the instrument's reach where nobody knows it (nan)."""
    far = i.reach if is_missing(distance) else distance
    return i.base + i.per_metre * max(far - i.from_distance, 0.0)
