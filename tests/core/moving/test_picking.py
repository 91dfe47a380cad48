"""A target picked from noisy readings: U holds what picking adds, and keeps its word against simulated floors."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import linprog

from tests.core.moving.test_moving import Heights
from vivid_keel.core.moving.aim import aim
from vivid_keel.core.moving.picking import covering
from vivid_keel.core.moving.plan import Limits, MovingBook, Point, TargetChoice
from vivid_keel.core.moving.rounds import learn
from vivid_keel.core.moving.task import Task
from vivid_keel.core.quantities import LengthStyle

U = 0.0003
FLOORS = {
    "all level": lambda rng, n: np.zeros(n),
    "nearly level": lambda rng, n: rng.normal(0, 0.0003, n),
    "gone by millimetres": lambda rng, n: rng.normal(0, 0.004, n),
    "half of it sunk": lambda rng, n: np.where(np.arange(n) % 2, -0.02 + rng.normal(0, 0.002, n), 0.0),
}


def aimed(heights, kind, xy):
    n = len(heights)
    points = [Point(10 + i, f"P{i}", "A", float(x), float(y)) for i, (x, y) in enumerate(xy)]
    book = MovingBook(1, "floor", "m", LengthStyle(), points, [], TargetChoice(kind), True, Limits())
    us = np.full(n, U)
    task = Task(
        [point.name for point in points],
        xy,
        np.arange(n),
        np.full(n, True),
        heights,
        np.full(n, np.nan),
        heights,
        us,
        us,
        0.0,
        0.0,
        0.0,
        0.0,
        learn(book, (), U),
        (),
        Heights(),
    )
    return aim(book, task)


def true_target(kind, heights, xy, keeper):
    """What the target is of the true heights, reckoned here by itself; of a picked point, that point's own height."""
    if kind in {"highest", "lowest"}:
        return heights[keeper]
    if kind == "least-greatest":
        return (heights.max() + heights.min()) / 2
    if kind == "least-total":
        return np.sort(heights)[(len(heights) - 1) // 2]
    assert kind == "minimum-zone"
    # The flattest band; of the planes in its middle the one nearest to all points together.
    n, mm = len(heights), heights * 1e3
    design = np.column_stack([xy, np.ones(n)])
    both, ends = np.vstack([design, -design]), np.concatenate([mm, -mm])
    band = linprog([0, 0, 0, 1], np.hstack([both, -np.ones((2 * n, 1))]), ends, bounds=[(None, None)] * 4).x[
        3
    ]
    each = np.vstack([np.eye(n), np.eye(n)])
    cost = np.r_[np.zeros(3), np.ones(n)]
    limits = [(None, None)] * 3 + [(0, band + 1e-6)] * n
    return design @ linprog(cost, np.hstack([both, -each]), ends, bounds=limits).x[:3] / 1e3


@pytest.mark.parametrize("floor", FLOORS)
@pytest.mark.parametrize(
    ("kind", "floors"),
    [("highest", 120), ("lowest", 60), ("least-greatest", 60), ("least-total", 60), ("minimum-zone", 10)],
)
def test_the_stated_U_of_a_picked_target_covers_the_truth(floor, kind, floors):
    rng = np.random.default_rng(11)
    xy = np.array([(2.4 * k, 3.0 * r) for r in range(2) for k in range(6)])
    covered = counted = 0
    for _ in range(floors):
        truth = FLOORS[floor](rng, 12)
        seen = aimed(truth + rng.normal(0, U, 12), kind, xy)
        off = -seen.moves - (truth - true_target(kind, truth, xy, seen.keeper))
        asked = seen.u_deviation > 0
        covered += int((np.abs(off) <= 2 * seen.u_deviation)[asked].sum())
        counted += int(asked.sum())
    # Deviations of one floor share the target's error: a floor counts as three readings, not twelve.
    slack = 3 * math.sqrt(0.05 * 0.95 / (3 * floors))
    assert 0.93 - slack < covered / counted < 0.98 + slack


def test_a_post_far_above_the_rest_is_picked_for_certain():
    heights = np.array([0.0, -0.004, -0.006, -0.009])
    xy = np.array([(2.4 * k, 0.0) for k in range(4)])
    seen = aimed(heights, "highest", xy)
    assert seen.keeper == 0 and not seen.fixed
    assert seen.picking == pytest.approx(0.0, abs=1e-12)
    assert seen.u_deviation == pytest.approx([0.0, *[U * 2**0.5] * 3], rel=1e-6)


def test_among_twelve_level_posts_the_highest_reading_is_too_high_by_its_expected_excess():
    """The greatest of twelve normal errors is 1.63 of them, says any table of order statistics."""
    rng = np.random.default_rng(4)
    xy = np.array([(2.4 * k, 0.0) for k in range(12)])
    found = [aimed(rng.normal(0, U, 12), "highest", xy).picking / U for _ in range(60)]
    assert np.mean(found) == pytest.approx(1.63, abs=0.25)


@pytest.mark.parametrize("bias", [0.0, 0.5, 1.0, 3.0])
def test_an_interval_about_a_biased_value_covers_as_often_as_it_says(bias):
    errors = np.random.default_rng(2).normal(bias, 1.0, 400_000)
    u = float(covering(np.array([bias]), np.array([1.0]))[0])
    assert np.mean(np.abs(errors) <= 2 * u) == pytest.approx(0.9545, abs=0.002)
