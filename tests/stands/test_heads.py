"""Heads on foot screws behave as their equations: planes, pairs, half a circle, snugness, and the least that need be turned."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.stands.heads import BENDS, LOOSE, PITCH, RADIUS, TIGHT, TRAVEL, Head, turns_for

tilts = st.tuples(*[st.floats(-0.02, 0.02)] * 2)
errors = st.tuples(*[st.floats(-0.003, 0.003)] * 2)


def turns(n):
    return st.tuples(*[st.floats(-2, 2)] * n)


@given(turns(3), tilts)
def test_three_screws_carry_the_plane_through_their_tops(by, ground):
    head = Head(by, ground, (0.0, 0.0))
    right, away = head.tilt
    tops = [turn * PITCH for turn in by]
    mean = sum(tops) / 3
    for top, (x, y) in zip(tops, head.places, strict=True):
        assert (right - ground[0]) * x + (away - ground[1]) * y == pytest.approx(top - mean, abs=1e-12)


@given(turns(4), tilts)
def test_a_pair_of_four_tips_by_its_difference_and_nothing_across(by, ground):
    head = Head(by, ground, (0.0, 0.0))
    assert head.tilt[0] - ground[0] == pytest.approx((by[0] - by[2]) * PITCH / (2 * RADIUS), abs=1e-12)
    assert head.tilt[1] - ground[1] == pytest.approx((by[3] - by[1]) * PITCH / (2 * RADIUS), abs=1e-12)


@given(tilts, errors)
def test_turned_by_half_a_circle_the_half_sum_is_the_bubbles_error_and_the_half_difference_the_axis(
    ground, error
):
    """The whole of levelling by reversal: half of what it moved is the axis, and the other half stays."""
    head = Head((0.0, 0.0, 0.0), ground, error)
    first, second = head.looking(0.0).shown, head.looking(math.pi).shown
    for a, b, own, leans in zip(first, second, error, (ground[1], ground[0]), strict=True):
        assert (a + b) / 2 == pytest.approx(own, abs=1e-12)
        assert (a - b) / 2 == pytest.approx(leans, abs=1e-12)


@given(st.sampled_from([3, 4]), tilts, errors)
def test_the_least_turns_stand_it_upright_and_then_the_bubble_stays_where_its_error_puts_it(n, ground, error):
    head = Head((0.0,) * n, ground, error)
    by = turns_for(head)
    upright = head.turned(by)
    if max(map(abs, by)) < TRAVEL:
        assert upright.lean < 1e-9
        for azimuth in (0.0, 1.0, 2.0, 4.0):
            assert upright.looking(azimuth).shown == pytest.approx(error, abs=1e-9)


@given(tilts)
def test_no_other_way_of_turning_three_screws_turns_less_in_all(ground):
    head = Head((0.0,) * 3, ground, (0.0, 0.0))
    by = turns_for(head)
    least = sum(map(abs, by))
    for shift in np.linspace(-3, 3, 61):
        assert sum(abs(turn + shift) for turn in by) >= least - 1e-9


def test_a_loose_pair_rocks_and_a_tight_one_makes_the_bubble_lie_by_what_it_is_bent():
    level = Head((0.0,) * 4, (0.0, 0.0), (0.0, 0.0))
    loose = level.turned((LOOSE, 0.0, LOOSE, 0.0))
    assert loose.rocks and loose.lean == pytest.approx(0.0)
    there, back = loose.looking(0.0).shown, loose.looking(math.pi).shown
    assert (
        there[1] * back[1] > 0
    )  # it stands towards the same side of the telescope both ways: it fell over between
    tight = level.turned((0.5, 0.0, 0.5, 0.0))
    assert not tight.rocks
    assert tight.shown[1] == pytest.approx(BENDS * (1.0 - TIGHT) * PITCH / (2 * RADIUS))
    assert level.turned((0.1, 0.0, 0.1, 0.0)).shown == pytest.approx((0.0, 0.0), abs=1e-12)


def test_a_screw_stops_at_the_end_of_its_travel():
    head = Head((5.5, 0.0, 0.0), (0.0, 0.0), (0.0, 0.0)).turned((2.0, -9.0, 0.0))
    assert head.turns == (TRAVEL, -TRAVEL, 0.0)


def test_every_order_of_the_same_turns_ends_alike():
    steps = [(0.5, 0.0, 0.0), (0.0, -0.25, 0.25), (0.1, 0.1, 0.0)]
    ends = set()
    for order in itertools.permutations(steps):
        head = Head((0.0,) * 3, (0.01, -0.004), (0.0, 0.0))
        for by in order:
            head = head.turned(by)
        ends.add(tuple(round(t, 12) for t in head.tilt))
    assert len(ends) == 1
