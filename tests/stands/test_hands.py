"""Tripods, telescopes and what comes to rest, against closed forms and against a mechanism solved by itself."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.optimize import fsolve

from vivid_keel.stands.resting import BOB, PLANE, STRING, TUBE, WARMS, Mark, Vial
from vivid_keel.stands.staves import JOINT, NAIL, SIDEWAYS, HeldStaff
from vivid_keel.stands.telescopes import Telescope
from vivid_keel.stands.tripods import FIRM, HINGE, SINKS, SLIDES, SMOOTH, SOFT, Tripod

EVEN = Tripod((1.4, 1.4, 1.4), 0.3, 0.6, (0.0, 0.0), FIRM)


def mechanism(tripod: Tripod) -> tuple[float, float]:
    """What the head rises to the right and ahead, with each leg hinged square to its own radius: solved outright.

    Unknown are how far and how deep each foot lies in the head's own frame; given are the distances between feet.
    """
    feet = [np.array([x, y, tripod.slope[0] * x + tripod.slope[1] * y]) for x, y in tripod.feet]
    pairs = [(0, 1), (1, 2), (0, 2)]
    apart = [float(np.sum((feet[i] - feet[j]) ** 2)) for i, j in pairs]
    bearings = [2 * math.pi * k / 3 for k in range(3)]

    def own(angles):
        return [
            np.array(
                [
                    (HINGE + leg * math.cos(a)) * math.sin(b),
                    (HINGE + leg * math.cos(a)) * math.cos(b),
                    -leg * math.sin(a),
                ]
            )
            for leg, a, b in zip(tripod.legs, angles, bearings, strict=True)
        ]

    def off(angles):
        p = own(angles)
        return [float(np.sum((p[i] - p[j]) ** 2)) - d for (i, j), d in zip(pairs, apart, strict=True)]

    angles = fsolve(off, [math.acos((tripod.spread - HINGE) / 1.4)] * 3, xtol=1e-12)
    mine, theirs = np.array(own(angles)), np.array(feet)
    # The turn that brings the head's frame onto the ground's (Kabsch).
    a, b = mine - mine.mean(0), theirs - theirs.mean(0)
    u, _, vt = np.linalg.svd(a.T @ b)
    d = np.sign(np.linalg.det(u @ vt))
    turn = (u @ np.diag([1, 1, d]) @ vt).T
    normal = turn @ np.array([0.0, 0.0, 1.0])
    return -normal[0] / normal[2], -normal[1] / normal[2]


def test_three_equal_legs_on_level_ground_carry_a_level_head_as_high_as_pythagoras_says():
    assert EVEN.tilt == pytest.approx((0, 0), abs=1e-12)
    assert EVEN.height == pytest.approx(math.sqrt(1.4**2 - (0.6 - HINGE) ** 2))


@given(
    legs=st.tuples(*[st.floats(1.37, 1.43)] * 3),
    turned=st.floats(0, 2 * math.pi),
    spread=st.floats(0.5, 0.8),
    slope=st.tuples(st.floats(-0.05, 0.05), st.floats(-0.05, 0.05)),
)
def test_the_head_leans_as_the_hinged_mechanism_does(legs, turned, spread, slope):
    tripod = Tripod(legs, turned, spread, slope, FIRM)
    found, exact = np.array(tripod.tilt), np.array(mechanism(tripod))
    assert np.hypot(*(found - exact)) <= 0.08 * np.hypot(*exact) + 4e-4


def test_a_leg_pulled_out_lifts_its_own_side_by_the_closed_form():
    longer = EVEN.longer(0, 0.01)
    to = np.array([math.sin(0.3), math.cos(0.3)])
    deep = math.sqrt(1.4**2 - 0.54**2)
    assert float(np.array(longer.tilt) @ to) == pytest.approx(0.01 * 1.4 / deep / (1.5 * 0.6), rel=0.01)
    assert EVEN.longer(1, 99).legs[1] == 1.75 and EVEN.longer(1, -99).legs[1] == 0.95


def test_feet_creep_where_nothing_holds_them():
    smooth, soft = replace(EVEN, ground=SMOOTH), replace(EVEN, ground=SOFT)
    out = replace(EVEN, spread=EVEN.spread + SLIDES)
    assert smooth.creeps == pytest.approx(EVEN.height - out.height, rel=0.01)
    assert soft.creeps == SINKS and EVEN.creeps == 0
    assert replace(smooth, stopped=True).creeps == 0 == replace(soft, trodden=True).creeps
    assert replace(smooth, trodden=True).creeps > 0  # treading holds nothing on a floor
    assert not replace(soft, trodden=True).turned_by(0.1).holds


def test_parallax_is_what_the_eye_moves_times_what_the_image_is_off():
    # A turn: 0.4 mm off the hairs; the eye 1 mm aside, 12 mm behind: 1/30 mm in the image, over 30 m by 250 mm: 4 mm.
    off = Telescope(1.0, 1.0, 30.0, 1.482, eye=1.0)
    assert off.moves == pytest.approx(0.004) and off.shows == pytest.approx(1.486)
    assert off.staff_soft == 0 and off.hairs_soft > 0  # sharp to look at, and wrong
    assert replace(off, eye=0.0).shows == replace(off, image=0.0, eye=-1.0).shows == 1.482


def test_a_compensator_hangs_until_it_is_tapped():
    hung = Telescope(0.0, 0.0, 30.0, 1.482, hangs=0.01)
    assert hung.shows == pytest.approx(1.492) and replace(hung, tapped=True).shows == 1.482


@given(settles=st.floats(5, 40), start=st.floats(-8, 8))
def test_a_bubble_creeps_to_its_rest_and_a_warm_hand_bows_the_vial(settles, start):
    vial = Vial(1.0, start, 4.0, settles)
    assert vial.shows == pytest.approx(start + WARMS)
    off = vial.let_go().later(settles)
    assert off.shows - off.warm == pytest.approx(1.0 + (start - 1.0) / 100, abs=1e-9)
    assert off.warm == pytest.approx(WARMS * math.exp(-settles / 12.0))
    assert vial.later(600).warm == pytest.approx(WARMS)  # as long as the hand lies on it
    assert off.ends[1] - off.ends[0] == pytest.approx(8.0)


@pytest.mark.parametrize(("what", "turns"), [(STRING, 0.7), (BOB, 0.4)])
def test_string_and_bob_swing_as_damped_pendulums(what, turns):
    mark = Mark(what, 0.2, 0.004, 0.02, 10.0)
    assert mark.swing == pytest.approx(0.02)
    assert mark.later(1 / turns).swing == pytest.approx(0.02 * 0.1 ** (1 / turns / 10))
    assert mark.later(0.25 / turns).swing == pytest.approx(0, abs=1e-12)
    assert mark.later(10.0).widest <= 0.1 * 0.02 + 1e-9


def test_water_in_a_tube_swings_as_a_column_and_light_comes_to_stand():
    mark = Mark(TUBE, 0.2, 0.004, 0.02, 10.0)
    period = 2 * math.pi / math.sqrt(2 * 9.80665 / 8.0 - (4e-6 / 0.005**2) ** 2)
    assert mark.later(period).swing == pytest.approx(0.02 * math.exp(-4e-6 / 0.005**2 * period), rel=1e-6)
    light = Mark(PLANE, 0.2, 0.004, 0.02, 8.0)
    assert light.later(4).swing == pytest.approx(0.01) and light.later(8).swing == 0 == light.later(99).widest
    assert light.later(99).edges == pytest.approx((0.2, 0.204))


def test_a_staff_reads_as_it_is_held():
    plumb = HeldStaff(2.0, 0.0)
    assert plumb.shows == 2.0 and plumb.wrong == 0
    assert HeldStaff(2.0, math.radians(5)).shows == pytest.approx(2.0 / math.cos(math.radians(5)))
    assert HeldStaff(2.0, 0.0, SIDEWAYS).shows == pytest.approx(2.0 / math.cos(math.radians(6)))
    assert HeldStaff(2.5, 0.0, JOINT).shows == pytest.approx(2.512)
    assert HeldStaff(2.5, 0.0, NAIL).shows == pytest.approx(2.482)


@given(height=st.floats(0.5, 4), leans=st.lists(st.floats(-0.1, 0.1), min_size=1))
def test_of_a_rocked_staff_the_lowest_reading_is_nearest_to_plumb(height, leans):
    reads = [HeldStaff(height, lean).shows for lean in leans]
    assert min(reads) == pytest.approx(height / math.cos(min(map(abs, leans)))) and min(reads) >= height


@given(seconds=st.floats(0, 100))
def test_an_image_trembles_no_further_than_it_may(seconds):
    one = Telescope(0, 0, 30, 1.482, swims=0.002, shimmers=0.001)
    assert abs(one.trembles(seconds)) <= 0.003 + 1e-12
    assert Telescope(0, 0, 30, 1.482).trembles(seconds) == 0
    assert replace(one, shimmers=0.0).trembles(0.225) == pytest.approx(0.002)
