"""Amounts that can't be negative, and the greatest of several: their bounds hold, and what is flat is never said to be bent."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.measure_bounds import CASES, holds
from vivid_keel.core.bounds import Bounds, greatest_apart, length_of, longest_of

TIMES = 40


@pytest.mark.parametrize("name", sorted(CASES))
def test_the_truth_lies_within_the_bounds_as_often_as_is_said(name):
    _, inside, nought = holds((name, TIMES, 2))
    assert inside >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / TIMES)
    if name.endswith("none"):
        assert nought >= 0.95 - 3 * math.sqrt(0.95 * 0.05 / TIMES)


@pytest.mark.parametrize("length", [0.0, 0.5, 1.0, 2.0, 3.0, 10.0, 30.0])
def test_the_length_of_a_vector_is_bounded_as_rice_has_it(length):
    rng, n = np.random.default_rng(4), 2000
    inside = 0
    for error in rng.normal(0, 1, (n, 2)):
        found = length_of(np.array([length, 0.0]) + error, np.eye(2))
        inside += found.low <= length <= found.high
    assert 0.93 <= inside / n <= (1.0 if length < 3 else 0.98)


def test_one_difference_has_bounds_about_as_wide_as_its_u_on_both_sides():
    found = greatest_apart(np.array([0.0, 10.0]), np.eye(2))
    assert found.value == 10 and 10 - found.low == pytest.approx(1.9 * math.sqrt(2), rel=0.05)
    assert found.high == pytest.approx(10 + 1.7 * math.sqrt(2))


def test_what_hangs_together_has_no_doubt_of_its_own():
    """Errors that all share don't tell one number from another."""
    found = greatest_apart(np.array([1.0, 3.0, 2.0]), np.ones((3, 3)))
    assert found == Bounds(2.0, 2.0, 2.0)


def test_of_several_vectors_the_bounds_are_wider_than_of_one():
    one = length_of(np.array([3.0, 0.0]), np.eye(2))
    several = longest_of(np.array([[3.0, 0.0], [0.0, 0.0], [0.0, 1.0], [0.0, 0.0]]), np.eye(8))
    assert several.value == one.value and several.low < one.low


def test_three_verdicts_and_words():
    told = Bounds(1.0, 0.5, 1.4)
    assert [told.verdict(t) for t in (1.4, 1.3, 0.5, 0.4)] == ["in", "open", "open", "out"]
    assert told.show(lambda v: f"{v:g} mm") == "Between 0.5 mm and 1.4 mm"
    assert Bounds(1.0, 0.0, 1.4).show(lambda v: f"{v:g} mm").startswith("At most 1.4 mm")
