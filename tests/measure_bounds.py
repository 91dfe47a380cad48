"""Do the bounds of amounts that can't be negative, and of the greatest of several, hold? A part of ./run measure cover.

The pieces are those of the trades' own tests, whose truth only they know, read with a level that is laid a little differently each
time and read to a fifth of a division. Pieces with truly nothing to find stand among them.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from tests.trades.axis.test_axis_trade import DIVISION, Stone
from tests.trades.bed.test_bed import ACROSS, Bed
from tests.trades.bed.test_bed import DIVISION as OF_BED
from tests.trades.panels.test_panels import LONG as PANEL
from tests.trades.panels.test_panels import Table
from tests.trades.slab.test_surface import Plate, band
from vivid_keel.core.bounds import Bounds
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.trades.axis.result import lean_of
from vivid_keel.trades.panels.findings import falls_most

Rng = np.random.Generator
Case = Callable[[Rng], tuple[Bounds, float]]
PLACING, STEP = 0.15, 0.2
STATIONS = 6


def axis(size: float, azimuths: int) -> Case:
    """An axis that leans by so many divisions."""

    def one(rng: Rng) -> tuple[Bounds, float]:
        way, lean = rng.uniform(0, 2 * math.pi), size * DIVISION
        x, y, zero = lean * math.cos(way), lean * math.sin(way), rng.normal(0, 2e-4)
        result = Stone(x, y, zero, azimuths=azimuths, rng=rng).read()
        return lean_of(result.axis, result.book.u_tilt), lean

    return one


class Shaky(Bed):
    """A bed read as hands read."""

    def __init__(self, cross: np.ndarray, rng: Rng) -> None:
        super().__init__(cross, xs=tuple(0.4 * k for k in range(len(cross))), zero=rng.uniform(-2, 2))
        self.rng = rng

    def seen(self, tilt: float) -> float:
        """A tilt as it is read [rad]."""
        return round((tilt / OF_BED + self.zero + self.rng.normal(0, PLACING)) / STEP) * STEP * OF_BED

    def read_across(self) -> None:
        for k, tilt in enumerate(self.cross):
            self.add(ACROSS, self.ids[k], 1, self.seen(tilt), "x", step=STEP * OF_BED)

    def read_along(self, slopes: np.ndarray) -> None:
        for k, slope in enumerate(slopes):
            self.add("along", k, 1, self.seen(slope), "x", step=STEP * OF_BED)


def twist(shape: Callable[[np.ndarray], np.ndarray]) -> Case:
    """A bed whose cross tilts run along it so [divisions]; what is asked is the greatest difference between two stations."""

    def one(rng: Rng) -> tuple[Bounds, float]:
        cross = shape(np.linspace(0, 1, STATIONS)) * OF_BED
        bed = Shaky(cross, rng)
        bed.read_across()
        result = bed.result()
        return result.twist(result.body).bounds, float(np.ptp(cross))

    return one


def bow(shape: Callable[[np.ndarray], np.ndarray]) -> Case:
    """A bed whose front way runs so along it [divisions × a step]; what is asked is the band about its chord."""

    def one(rng: Rng) -> tuple[Bounds, float]:
        bed = Shaky(np.zeros(STATIONS), rng)
        bed.read_across()
        n = bed.result().book.steps
        heights = shape(np.linspace(0, 1, n + 1)) * 0.2 * OF_BED
        bed.read_along(np.diff(heights) / 0.2)
        off = heights - np.linspace(heights[0], heights[-1], n + 1)
        return bed.result().bow(FOUND).bounds, float(np.ptp(off))

    return one


def flatness(size: float, shape: Callable[[float, float], float]) -> Case:
    """A surface of a shape, so much of it [m]; what is asked is the least band."""

    def one(rng: Rng) -> tuple[Bounds, float]:
        def ground(x: float, y: float) -> float:
            return size * shape(x, y)

        surface = Plate(ground, rng=rng).all()
        xy = np.array(surface.nodes[0])
        return surface.flatness, band(xy, np.array([ground(x, y) for x, y in xy])) if size else 0.0

    return one


def fall(sizes: tuple[float, ...]) -> Case:
    """A top whose panels fall by so many divisions each, any way; what is asked is the greatest."""

    def one(rng: Rng) -> tuple[Bounds, float]:
        planes, end = [], 0.0
        for size in sizes:
            way = rng.uniform(0, 2 * math.pi)
            planes.append((end, *(size * 5e-5 * np.array([math.cos(way), math.sin(way)]))))
            end += planes[-1][1] * PANEL
        result = Table(planes, rng=rng, names="ABCD"[: len(sizes)]).read()
        return falls_most(result, result.of(FOUND)), max(sizes) * 5e-5

    return one


CASES: dict[str, Case] = {
    "lean of an axis, four azimuths: none": axis(0.0, 4),
    "lean of an axis: a tenth of a division": axis(0.1, 4),
    "lean of an axis: a division": axis(1.0, 4),
    "lean of an axis, eight azimuths: none": axis(0.0, 8),
    "lean of an axis, eight azimuths: a division": axis(1.0, 8),
    "greatest twist of a bed: none": twist(lambda x: 0.0 * x),
    "greatest twist: even along it": twist(lambda x: 3 * x),
    "greatest twist: up and down": twist(lambda x: 2.0 * (np.arange(len(x)) % 2)),
    "greatest twist: one station": twist(lambda x: 2.0 * (np.arange(len(x)) == 3)),
    "bow of a bed: none": bow(lambda x: 0.0 * x),
    "bow of a bed: hollow": bow(lambda x: 12 * x * (1 - x)),
    "bow of a bed: up and down": bow(lambda x: 3 * np.sin(2 * np.pi * x)),
    "flatness: none": flatness(0.0, lambda x, y: 0.0),
    "flatness: a bowl of 40 µm": flatness(4e-5, lambda x, y: 4 * ((x - 0.5) ** 2 + (y - 0.4) ** 2)),
    "flatness: a saddle of 20 µm": flatness(2e-5, lambda x, y: 4 * (x - 0.5) * (y - 0.4)),
    "fall of the panel that falls most: none": fall((0.0, 0.0, 0.0)),
    "fall of the panel that falls most: one": fall((0.0, 2.0, 0.0)),
    "fall of the panel that falls most: alike": fall((1.0, 1.0, 1.0)),
}


def holds(what: tuple[str, int, int]) -> tuple[str, float, float]:
    """Of a case, how often the truth lies within the bounds, and how often only the upper one was told."""
    name, times, seed = what
    rng, inside, nought = np.random.default_rng([seed, list(CASES).index(name)]), 0, 0
    for _ in range(times):
        bounds, true = CASES[name](rng)
        inside += bounds.low <= true + 1e-12 and true <= bounds.high + 1e-12
        nought += bounds.may_be_nought
    return name, inside / times, nought / times
