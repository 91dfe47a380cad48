"""An axis of rotation: what turns along is harmless, the axis' tilt is what feet cure, the bearing's wobble is neither."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.core.body.axis import feet_for, read_round
from vivid_keel.core.errors import KeelError

FEET = np.array([(0.9, 0.0), (-0.45, 0.78), (-0.45, -0.78)])
SMALL = st.floats(-1e-3, 1e-3)


def shows(phi, zero, a, b, c=0.0, d=0.0):
    return zero + a * math.cos(phi) + b * math.sin(phi) + c * math.cos(2 * phi) + d * math.sin(2 * phi)


@given(SMALL, SMALL, SMALL, SMALL, SMALL)
def test_eight_azimuths_tell_axis_zero_and_wobble_apart(zero, a, b, c, d):
    phi = [k * math.pi / 4 + 0.1 for k in range(8)]
    found = read_round(phi, [shows(p, zero, a, b, c, d) for p in phi])
    assert (found.zero, found.x, found.y) == pytest.approx((zero, a, b), abs=1e-12)
    assert found.wobble == pytest.approx(math.hypot(c, d), abs=1e-12)


@given(SMALL, SMALL, SMALL)
def test_once_its_feet_are_moved_the_level_shows_one_number_all_round(zero, a, b):
    phi = [0.3, 2.0, 4.4]
    found = read_round(phi, [shows(p, zero, a, b) for p in phi])
    for raise_only in (True, False):
        moves = feet_for(found, FEET, raise_only=raise_only)
        assert (
            moves.min() == pytest.approx(0.0, abs=1e-15)
            if raise_only
            else moves.sum() == pytest.approx(0.0, abs=1e-12)
        )
        # The plane through the moved feet tips the axis by what it leant.
        _, more_x, more_y = np.linalg.solve(np.column_stack([np.ones(3), FEET]), moves)
        after = [shows(p, zero, a + more_x, b + more_y) for p in phi]
        assert after == pytest.approx([zero] * 3, abs=1e-12)


def test_two_opposite_readings_tell_their_mean_and_the_tilt_along_their_line():
    found = read_round([0.5, 0.5 + math.pi], [0.0004, -0.0002])
    assert found.zero == pytest.approx(0.0001) and found.tilt == pytest.approx(0.0003)
    assert found.direction == pytest.approx(0.5) and found.line == pytest.approx(0.5) and found.wobble is None


@pytest.mark.parametrize(
    ("azimuths", "says"),
    [([0.0, math.pi / 2], "only where they are opposite"), ([0.3, 0.3, 0.3 + 2 * math.pi], "one azimuth")],
)
def test_too_few_azimuths_are_said_with_what_to_do(azimuths, says):
    with pytest.raises(KeelError, match=says) as refused:
        read_round(azimuths, [0.0] * len(azimuths))
    assert refused.value.code == "too-few-azimuths"


def test_the_stated_covariance_is_that_of_many_rounds():
    rng, phi, u = np.random.default_rng(4), [k * math.pi / 2 for k in range(4)], 2e-5
    drawn = np.array(
        [[f.zero, f.x, f.y] for f in (read_round(phi, rng.normal(0, u, 4)) for _ in range(4000))]
    )
    stated = np.sqrt(np.diag(read_round(phi, [0.0] * 4).covariance)) * u
    assert drawn.std(axis=0) == pytest.approx(stated, rel=0.05)
