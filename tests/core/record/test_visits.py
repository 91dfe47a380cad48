"""What moved between visits: changes, rates and forecasts, against sums done here and simulated sinking."""

from __future__ import annotations

import math
from datetime import datetime, timedelta

import numpy as np
import pytest

from vivid_keel.core.record.visits import CROSSES, HOLDS, UNSURE, Visit, drift, drifts, rate_of, slope_weights

START = datetime(2026, 5, 1)


def visit(years, found, left=None, u=0.0002):
    when = START + timedelta(days=365.25 * years)
    return Visit(f"{when:%b %Y}", when, when, found, left or {}, u)


def test_what_moved_is_told_from_the_end_of_one_visit_to_the_beginning_of_the_next():
    told = drifts([visit(0, {"A1": -0.008}, {"A1": 0.0}), visit(2, {"A1": -0.0012})], {"A1": -0.0012}, 0.003)[
        "A1"
    ]
    assert told.change == pytest.approx(-0.0012)  # not the 6.8 mm that the packing made
    assert pytest.approx(2 * math.sqrt(2) * 0.0002) == told.U
    assert told.moved == "moved"
    assert told.rate == pytest.approx(-0.0006) and told.U_rate == pytest.approx(told.U / 2)


def test_the_forecast_is_the_day_it_crosses_at_the_slow_and_at_the_fast_rate():
    told = drifts([visit(0, {"A1": 0.0}), visit(2, {"A1": -0.0012})], {"A1": -0.0012}, 0.003)["A1"]
    slow, fast = 0.0006 - told.U_rate, 0.0006 + told.U_rate
    assert (told.earliest, told.latest) == pytest.approx((0.0018 / fast, 0.0018 / slow))
    assert told.crosses == CROSSES


def test_too_little_is_too_few_to_tell_and_a_still_point_holds():
    told = drifts([visit(0, {"A1": 0.0}), visit(0.2, {"A1": -0.0002})], {"A1": 0.0}, 0.003)["A1"]
    assert told.crosses == UNSURE and told.latest == math.inf
    still = drifts(
        [visit(0, {"A1": 0.0}, u=0.00002), visit(5, {"A1": 0.00001}, u=0.00002)], {"A1": 0.0}, 0.003
    )["A1"]
    assert still.crosses == HOLDS
    out = drifts([visit(0, {"A1": 0.0}), visit(1, {"A1": -0.004})], {"A1": -0.004}, 0.003)["A1"]
    assert out.crosses == CROSSES and out.latest == 0.0


def test_a_point_read_at_one_visit_only_tells_nothing():
    assert set(drifts([visit(0, {"A1": 0.0, "A2": 0.0}), visit(1, {"A1": 0.0})], {}, 0.003)) == {"A1"}


def test_the_stated_rate_and_its_U_cover_what_really_sinks():
    rng = np.random.default_rng(8)
    inside = 0
    for _ in range(600):
        rate, at, left, visits = rng.uniform(-0.001, 0.001), 0.0, 0.0, []
        for k, years in enumerate([0, 1.0, 2.5, 4.0]):
            at = left + rate * (years - [0, 0, 1.0, 2.5][k])
            put = rng.uniform(0, 0.003)
            found, left = at, at + put
            visits.append(
                visit(years, {"A": found + rng.normal(0, 0.0002)}, {"A": left + rng.normal(0, 0.0002)})
            )
        told = drifts(visits, {"A": 0.0}, 0.003)["A"]
        inside += abs(told.rate - rate) <= told.U_rate
    assert 0.93 - 0.027 < inside / 600 < 0.98 + 0.018


def test_the_forecast_covers_the_day_on_which_it_really_leaves():
    """Where a point will be is told by its readings alone: the deviation is as uncertain as the rate, and hangs together with it."""
    rng = np.random.default_rng(12)
    covered = told = 0
    u, tolerance = 0.0005, 0.02
    at = np.array([0.0, 1.0, 2.2])
    for _ in range(500):
        rate = float(rng.choice([-1, 1]) * rng.uniform(0.003, 0.006))
        heights = rate * at + rng.normal(0, u, 3)
        covariance = u * u * np.eye(3)
        weights = slope_weights(at, covariance)
        ends = np.array([-1.0, 0.0, 1.0])
        one = drift(
            "p",
            float(heights[2] - heights[1]),
            u * math.sqrt(2),
            rate_of(at, heights, covariance),
            float(heights[2] - heights[0]),
            tolerance,
            u * math.sqrt(2),
            float(ends @ covariance @ weights),
        )
        if one.latest == math.inf:
            continue
        told += 1
        truly = tolerance / abs(rate) - at[2]
        covered += one.earliest <= truly <= one.latest
    assert told > 450
    assert abs(covered / told - 0.955) < 3 * math.sqrt(0.955 * 0.045 / told) + 0.015
