"""The engine by itself: what is judged and what is moved may be different places."""

from __future__ import annotations

import numpy as np
import pytest

from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.means import SCREW, Means
from vivid_keel.core.moving.plan import Limits, MovingBook, Point, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import learn
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import PROVEN_IN
from vivid_keel.core.quantities import LengthStyle

NAN = float("nan")


class Heights:
    """An instrument that shows heights as they are."""

    def at(self, place, height):
        return height

    nominal = at

    def read(self, place):
        return NAN

    def hangs(self, place):
        return True

    def height_of(self, reading):
        return reading


def work(feet, tolerance=0.0005, kind=SCREW, target=None):
    points = [Point(10 + i, f"F{i + 1}", "feet", x, 0.0) for i, x in enumerate(feet)]
    limits = Limits(tolerance, order="need")
    return MovingBook(
        1,
        "bed",
        "m",
        LengthStyle(),
        points,
        [],
        target or TargetChoice("height", reading=0.0),
        True,
        limits,
        means=Means(kind, {"pitch": 1.5}),
    )


def read(book, stations, heights, influence, happened=(), u=0.00005):
    n = len(stations)
    found = np.array(heights, dtype=float)
    has = ~np.isnan(found)
    names = [f"S{i + 1}" for i in range(n)]
    xy = np.array([(x, 0.0) for x in stations])
    us = np.full(n, u)
    return Task(
        [x for x, h in zip(names, has, strict=True) if h],
        xy[has],
        np.arange(n),
        has,
        found,
        np.full(n, NAN),
        found,
        us,
        us,
        0.0,
        0.0,
        0.0,
        0.0,
        learn(book, happened, u, influence),
        happened,
        Heights(),
        influence,
    )


def levers(stations, feet):
    """What stations of a stiff bar on its two feet answer to a turn of either (linear between them)."""
    a, b = feet
    share = (np.array(stations) - a) / (b - a)
    return np.column_stack([1 - share, share])


@pytest.mark.parametrize("tip", [(0.002, -0.001), (0.0, 0.003), (-0.004, -0.004)])
def test_stations_are_judged_and_feet_are_turned(tip):
    stations, feet = [0.0, 0.5, 1.0, 1.5, 2.0], [0.3, 1.7]
    s0 = levers(stations, feet)
    book = work(feet)
    moved = bring(Moved, book, read(book, stations, s0 @ np.array(tip), s0))
    assert moved.lifts == pytest.approx([-tip[0], -tip[1]], abs=1e-9)  # feet are turned by what they are out
    assert len(moved.moves) == 5
    assert moved.predicted(moved.lifts) == pytest.approx(np.zeros(5), abs=1e-12)
    asked = [i for i, t in enumerate(tip) if abs(t) > 1e-9]
    assert sorted(moved.to_move) == asked
    assert all("turn" in moved.instructions[i].words for i in moved.to_move)


def test_what_is_proven_in_asks_for_no_foot_to_be_turned():
    stations, feet = [0.0, 1.0, 2.0], [0.0, 2.0]
    s0 = levers(stations, feet)
    book = work(feet)
    moved = bring(Moved, book, read(book, stations, s0 @ np.array([0.0001, -0.0001]), s0))
    assert moved.verdicts == [PROVEN_IN] * 3
    assert moved.to_move == [] and not moved.lifts.any()


def test_a_station_that_was_not_read_is_left_out():
    stations, feet = [0.0, 1.0, 2.0], [0.0, 2.0]
    s0 = levers(stations, feet)
    book = work(feet)
    heights = s0 @ np.array([0.002, 0.001])
    heights[1] = NAN
    moved = bring(Moved, book, read(book, stations, heights, s0))
    assert moved.lifts == pytest.approx([-0.002, -0.001], abs=1e-9)
    assert np.isnan(moved.moves[1])


def test_a_round_teaches_what_the_feet_really_do():
    """A soft bed answers by six tenths: the second round's turns make up for it."""
    stations, feet = [0.0, 0.5, 1.0, 1.5, 2.0], [0.0, 2.0]
    s0 = levers(stations, feet)
    truth = 0.6 * s0
    book = work(feet)
    heights = s0 @ np.array([-0.004, -0.002])
    first = bring(Moved, book, read(book, stations, heights, s0))
    after = heights + truth @ first.lifts
    happened = ((first.lifts, np.zeros(2), truth @ first.lifts),)
    book_again = work(feet)
    second = bring(Moved, book_again, read(book_again, stations, after, s0, happened))
    left = after + truth @ second.lifts
    once = after + truth @ -np.linalg.lstsq(s0, after, rcond=None)[0]
    assert np.abs(left).max() < 0.35 * np.abs(once).max()
    assert second.learned.told[0].took == pytest.approx(0.6, abs=0.2)
