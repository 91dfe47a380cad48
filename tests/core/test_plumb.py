"""Plumb: reversal, the bob, and what a foot, a wedge or a brace has to do."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.plumb import by_bob, by_level

TILT = st.floats(-0.02, 0.02)


@given(TILT, st.floats(-0.005, 0.005), st.floats(0.3, 8))
def test_turned_round_the_levels_own_error_is_parted_off(tilt, zero, length):
    lean = by_level(tilt + zero, tilt - zero, length)
    assert lean.tilt == pytest.approx(tilt, abs=1e-12)
    assert lean.zero == pytest.approx(zero, abs=1e-12)
    assert lean.off == pytest.approx(math.tan(tilt) * length)


def test_read_one_way_only_its_own_error_stays_in_u():
    once, both = by_level(0.002, None, 2.4), by_level(0.002, 0.002, 2.4)
    assert math.isnan(once.zero) and once.u > 3 * both.u


@given(TILT, st.floats(0.02, 0.2), st.floats(0.5, 3), st.floats(0.5, 6))
def test_a_bob_shows_the_same_lean_however_far_out_it_hangs(tilt, out, string, length):
    # The string is plumb; the face goes away from it above where the post leans from it.
    lean = by_bob(out, out + math.tan(tilt) * string, string, length)
    assert lean.tilt == pytest.approx(tilt, abs=1e-12)
    assert lean.off == pytest.approx(math.tan(tilt) * length, abs=1e-12)


def test_a_post_of_two_forty_that_leans_five_in_a_thousand():
    lean = by_level(math.atan(0.005), math.atan(0.005), 2.4)
    assert lean.off == pytest.approx(0.012)
    assert lean.under_edge(0.2) == pytest.approx(0.001)
    # A brace at 45°: moved square to the post by 5 mm at 1 m up it changes by cos 45° of that.
    assert lean.brace(1.0, 1.0) == pytest.approx(0.005 / math.sqrt(2))


@given(st.floats(-0.01, 0.01), st.floats(0.3, 2.0), st.floats(0.3, 2.0))
def test_a_brace_turned_by_its_change_of_length_sets_the_post_plumb(tilt, height, reach):
    lean = by_level(tilt, tilt, 2.0)
    shift = math.tan(tilt) * height
    # Drawn out: head fixing leans by `shift` towards the brace's foot, the brace is shorter by so much.
    leaning, plumb = math.hypot(height, reach - abs(shift)), math.hypot(height, reach)
    assert lean.brace(height, reach) == pytest.approx(plumb - leaning, abs=2e-4)


def test_what_can_not_be_is_refused():
    with pytest.raises(KeelError, match="longer than 0"):
        by_level(0.001, 0.001, 0.0)
    with pytest.raises(KeelError, match="string between"):
        by_bob(0.05, 0.05, 0.0, 2.0)
    with pytest.raises(KeelError, match="both above 0"):
        by_level(0.001, 0.001, 2.0).brace(0.0, 1.0)


@pytest.mark.parametrize("step", [0.0005, 0.002])
def test_the_stated_u_covers_leans_read_by_hands_that_know_nothing_of_it(step):
    """2,000 posts, levels out by up to 2 mm/m, read to `step`, 2 % of the readings at three times the noise."""
    rng = np.random.default_rng(17)
    n = 2000
    tilt, zero = rng.uniform(-0.01, 0.01, n), rng.uniform(-0.002, 0.002, n)
    noise = rng.normal(0, 0.0005, (2, n)) * np.where(rng.random((2, n)) < 0.02, 3.0, 1.0)
    first = np.round((tilt + zero + noise[0]) / step) * step
    turned = np.round((tilt - zero + noise[1]) / step) * step
    inside = [
        abs(lean.tilt - t) <= 2 * lean.u
        for lean, t in ((by_level(a, b, 2.4, step), t) for a, b, t in zip(first, turned, tilt, strict=True))
    ]
    assert 0.93 - 3 * math.sqrt(0.05 * 0.95 / n) <= np.mean(inside) <= 0.98 + 3 * math.sqrt(0.02 * 0.98 / n)
    once = [
        abs(lean.tilt - t) <= 2 * lean.u
        for lean, t in ((by_level(a, None, 2.4, step), t) for a, t in zip(first, tilt, strict=True))
    ]
    assert np.mean(once) >= 0.93
