"""What a class of closing is worth: against runs that were really made."""

from __future__ import annotations

import math

import numpy as np
import pytest

from vivid_keel.core.booking.odds import SELDOM, fitting, odds, often


def misclosures(rng, runs, setups, u, slip=0.0):
    """Of runs read with noise of a standard deviation [m], one sight of each with a slip."""
    return rng.normal(0, u, (runs, 2 * setups)).sum(1) + slip


@pytest.mark.parametrize(("setups", "coefficient"), [(2, 0.002), (6, 0.002), (6, 0.0015), (12, 0.005)])
def test_honest_runs_fail_and_slips_pass_as_often_as_is_said(setups, coefficient):
    rng, runs, u = np.random.default_rng(4), 40_000, 0.0007
    limit = coefficient * math.sqrt(setups)
    said = odds(limit, u * math.sqrt(2 * setups))
    failed = np.mean(np.abs(misclosures(rng, runs, setups, u)) > limit)
    assert failed == pytest.approx(said.fails, abs=3 * math.sqrt(max(said.fails, 1e-4) / runs))
    passed = np.mean(np.abs(misclosures(rng, runs, setups, u, said.through)) <= limit)
    assert passed == pytest.approx(0.1, abs=3 * math.sqrt(0.09 / runs))


def test_the_class_that_fits_is_the_tightest_that_honest_runs_seldom_fail():
    u = 0.0017
    limits = [None, 0.0054, 0.0087, 0.0035, 0.0021]
    assert fitting(limits, u) == 3
    assert odds(0.0035, u).fails <= SELDOM < odds(0.0021, u).fails
    assert fitting([None, 0.001], u) is None


def test_a_share_is_said_as_people_say_it():
    assert [often(x) for x in (0.001, 0.0315, 0.045, 0.4)] == [
        "hardly ever",
        "3 in 100",
        "5 in 100",
        "40 in 100",
    ]
