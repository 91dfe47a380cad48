"""What feet do to a body and to the bubbles on it; which reading would tell most."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.body.test_body import NAMES, XY, U
from vivid_keel.core.body.feet import bubble_after, follows, tilts_by_feet
from vivid_keel.core.body.model import FREE, RIGID, TWIST, Body, Tilt, adjust
from vivid_keel.core.body.propose import most_telling, next_reading
from vivid_keel.core.body.shapes import warp
from vivid_keel.core.errors import KeelError

THREE = np.array([[0.0, 0.0], [2.0, 0.0], [1.0, 0.6]])
SIX = np.array([[0.0, 0.0], [1.0, 0.0], [2.0, 0.0], [0.0, 0.6], [1.0, 0.6], [2.0, 0.6]])
moves = st.lists(st.floats(-0.005, 0.005), min_size=3, max_size=3).map(np.array)


@given(moves)
def test_three_feet_carry_it_as_it_is(lifted):
    assert follows(THREE, THREE) @ lifted == pytest.approx(lifted, abs=1e-12)
    four = follows(XY, THREE) @ lifted
    assert warp(four) == pytest.approx(0.0, abs=1e-12)  # what is rigid doesn't twist


@pytest.mark.parametrize("feet", [THREE, XY, SIX])
def test_all_feet_alike_raise_all_alike_and_no_bubble_stirs(feet):
    influence = follows(XY, feet)
    assert influence.sum(axis=1) == pytest.approx(np.ones(4))
    assert tilts_by_feet(influence, XY, [(0, 1), (1, 2)]).sum(axis=1) == pytest.approx([0.0, 0.0], abs=1e-12)


@pytest.mark.parametrize("feet", [XY, SIX])
def test_feet_wound_up_in_a_plane_tilt_it_by_that_plane(feet):
    plane = feet @ np.array([0.001, -0.002])
    assert follows(XY, feet) @ plane == pytest.approx(XY @ np.array([0.001, -0.002]), abs=1e-12)


def test_one_of_four_feet_takes_the_warp_out():
    influence = follows(XY, XY)
    assert warp(influence @ np.array([0.001, 0, 0, 0])) == pytest.approx(0.001)
    assert influence == pytest.approx(np.eye(4), abs=1e-12)


def test_feet_in_a_line_are_refused():
    with pytest.raises(KeelError, match="the feet stand in one line") as said:
        follows(XY, np.array([[0.0, 0.0], [1.0, 0.5], [2.0, 1.0]]))
    assert said.value.code == "points-in-line"
    with pytest.raises(KeelError, match="fewer than three"):
        follows(XY, XY[:2])


def test_the_bubble_is_told_after_each_foot_and_comes_to_rest_where_all_are_turned():
    laid = [(0, 1), (3, 2), (0, 3)]
    by_feet = tilts_by_feet(follows(XY, XY), XY, laid)
    heights = np.array([0.0, 4e-4, 9e-4, -2e-4])
    now = np.array([(heights[b] - heights[a]) / np.hypot(*(XY[b] - XY[a])) for a, b in laid])
    after = bubble_after(now, by_feet, -heights, [2, 1, 3, 0])
    assert after[-1] == pytest.approx(np.zeros(3), abs=1e-12)
    first = heights + np.array([0, 0, -9e-4, 0.0])
    assert after[0] == pytest.approx([(first[b] - first[a]) / np.hypot(*(XY[b] - XY[a])) for a, b in laid])
    assert after[0][0] == pytest.approx(now[0])  # the level on the other side doesn't stir


def lay(start, to, way=1, u=U):
    return Tilt("long", start, to, way, 0.0, u)


def test_read_turned_round_is_what_would_tell_most_where_the_zero_is_not_known():
    read = [lay(0, 1), lay(0, 3)]
    found = next_reading(Body(NAMES, XY, RIGID), read, [lay(0, 1), lay(1, 2), lay(0, 1, -1)])
    assert found.which == 2 and found.u_without == float("inf") and found.u_with < float("inf")


def test_the_node_that_is_least_known_is_read_next_and_a_coarse_reading_is_worth_nothing():
    read = [lay(0, 1), lay(0, 1, -1), lay(1, 2, u=20 * U), lay(0, 3)]
    body = Body(NAMES, XY, FREE)
    found = next_reading(body, read, [lay(0, 1), lay(3, 2), lay(0, 3, -1)])
    assert found.which == 1 and found.u_with < 0.5 * found.u_without
    assert next_reading(body, read, [lay(3, 2, u=1e3)]) is None
    assert next_reading(body, read, []) is None


def test_what_was_proposed_does_lessen_the_greatest_u():
    rng = np.random.default_rng(8)
    pairs = [(a, b, w) for a in range(4) for b in range(4) if a != b for w in (1, -1)]
    for _ in range(40):
        chosen = rng.permutation(len(pairs))
        read = [lay(*pairs[k]) for k in chosen[:6]]
        could = [lay(*pairs[k]) for k in chosen[6:]]
        found = next_reading(Body(NAMES, XY, TWIST), read, could)
        assert found is None or found.u_with < found.u_without


def test_what_a_reading_more_lessens_is_what_an_adjustment_with_it_says():
    """By the update of rank one, against the adjustment made anew; a level's own error goes with it."""
    body = Body(NAMES, XY, FREE)
    read = [lay(0, 1), lay(0, 1, -1), lay(1, 2), lay(2, 3), lay(3, 0), lay(0, 2)]
    could = [lay(1, 2, -1), lay(2, 3, -1), lay(3, 0, -1), lay(1, 3, -1)]
    found, row = adjust(body, read), np.array([[-1.0, 0.0, 0.0, 1.0]])
    first, second = most_telling(body, found, could, row)

    def u_with(*more):
        cov = adjust(body, [*read, *more]).covariance
        return math.sqrt(float((row @ cov @ row.T)[0, 0]))

    assert first.u_without == pytest.approx(u_with())
    assert first.u_with == pytest.approx(min(u_with(one) for one in could))
    assert first.u_with == pytest.approx(u_with(could[first.which]))
    assert second.u_with == pytest.approx(u_with(could[first.which], could[second.which]))
    assert most_telling(body, found, [], row) == [] and most_telling(body, found, could, row[:0]) == []
