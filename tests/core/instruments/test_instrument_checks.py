"""Checks of instruments: facts of the trade, laws, and that the stated uncertainty covers a hidden error."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.booking.reduction import curvature_of
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks import PegSetUp, reverse, rotary_axis, settle, two_peg

divisions = st.floats(-5, 5)


@given(divisions, divisions)
@settings(deadline=None)
def test_a_level_in_adjustment_reads_alike_both_ways(slope, error):
    found = reverse([(slope + error, slope - error)])
    assert found.slope == pytest.approx(slope, abs=1e-12)
    assert found.error == pytest.approx(error, abs=1e-12)
    assert found.target == found.slope  # half the way back, never all the way


@given(st.lists(st.tuples(divisions, divisions), min_size=1, max_size=6))
@settings(deadline=None)
def test_reversing_a_reversal_turns_the_error_and_keeps_the_slope(cycles):
    found, turned = reverse(cycles, 0.1), reverse([(b, a) for a, b in cycles], 0.1)
    assert turned.error == pytest.approx(-found.error)
    assert turned.slope == pytest.approx(found.slope)
    assert turned.u == pytest.approx(found.u)


@pytest.mark.parametrize(
    ("cycles", "noise"), [(1, 0.0), (2, 0.15), (2, 0.6), (3, 0.15), (3, 0.6), (10, 0.15)]
)
def test_a_reversal_covers_the_hidden_error_as_often_as_it_says(cycles, noise, capsys):
    """1,000 simulated levels read to 0.1 division; where the resolution dominates it may cover more, never less."""
    rng = np.random.default_rng(cycles)
    covered = 0
    for _ in range(1000):
        error, slope = rng.normal(0, 1.5), rng.normal(0, 2)
        read = [
            tuple(round(slope + way * error + rng.normal(0, noise), 1) for way in (1, -1))
            for _ in range(cycles)
        ]
        found = reverse(read, 0.1)
        covered += abs(found.error - error) <= found.expanded
    with capsys.disabled():
        print(f"\nreversal, {cycles} cycles, noise {noise} division: covers {covered / 10:.1f} in 100")
    assert covered >= 930
    assert covered <= 980 or cycles * noise < 0.5


def test_without_a_resolution_one_cycle_has_no_uncertainty():
    assert reverse([(1.0, 0.5)]).expanded is None
    with pytest.raises(KeelError, match="at least one cycle"):
        reverse([])


pegs = st.tuples(st.floats(5, 60), st.floats(5, 60), st.floats(5, 60), st.floats(5, 60))


@given(pegs, st.floats(-5e-4, 5e-4), st.floats(-1, 1), st.booleans())
@settings(deadline=None)
def test_any_layout_with_a_lever_finds_the_collimation(distances, c, difference, curvature):
    d1a, d1b, d2a, d2b = distances
    if abs((d2a - d2b) - (d1a - d1b)) < 5:
        with pytest.raises(KeelError, match="move the second"):
            two_peg(PegSetUp(d1a, d1b, 1, 1), PegSetUp(d2a, d2b, 1, 1), curvature=curvature)
        return

    def read(height, d):
        bend = float(curvature_of(np.array([d]))[0]) if curvature else 0.0
        return 2.0 - height + c * d + bend

    first = PegSetUp(d1a, d1b, read(0, d1a), read(difference, d1b))
    second = PegSetUp(d2a, d2b, read(0, d2a), read(difference, d2b))
    found = two_peg(first, second, curvature=curvature)
    assert found.collimation == pytest.approx(c, abs=1e-9)
    assert found.difference == pytest.approx(difference, abs=1e-7)
    assert found.adjust_a == pytest.approx(second.a - c * d2a, abs=1e-7)


def test_midway_the_error_cancels_whatever_it_is():
    for c in (-1e-3, 0.0, 2e-3):
        found = two_peg(
            PegSetUp(30, 30, 1.5 + 30 * c, 1.2 + 30 * c),
            PegSetUp(64, 4, 1.6 + 64 * c, 1.3 + 4 * c),
            curvature=False,
        )
        assert found.difference == pytest.approx(0.3)


def test_a_two_peg_check_covers_the_hidden_collimation(capsys):
    rng = np.random.default_rng(7)
    covered = 0
    for _ in range(1000):
        c, noise = rng.normal(0, 1e-4), rng.normal(0, 0.0007, 4)
        first = PegSetUp(30, 30, 1.5 + 30 * c + noise[0], 1.2 + 30 * c + noise[1])
        second = PegSetUp(64, 4, 1.6 + 64 * c + noise[2], 1.3 + 4 * c + noise[3])
        found = two_peg(first, second, curvature=False, u_reading=0.0007)
        covered += abs(found.collimation - c) <= 2 * found.u
    with capsys.disabled():
        print(f"\ntwo pegs: covers {covered / 10:.1f} in 100")
    assert 930 <= covered <= 980


def test_a_laser_needs_fifteen_metres():
    assert rotary_axis(15.0, 1.201, 1.198, 1.2, 1.2).x == pytest.approx(1e-4)
    assert rotary_axis(15.0, 1, 1, 1, 1).resolved
    assert not rotary_axis(14.9, 1, 1, 1, 1).resolved


def test_a_fine_bore_creeps_and_a_wide_one_swings():
    wide, fine = settle(10, 0.005, 0.05, 0.0005), settle(12, 0.0015, 0.03, 0.001)
    assert wide.period == pytest.approx(2 * math.pi / math.sqrt(2 * 9.80665 / 10))
    assert fine.period is None
    assert settle(10, 0.005, 0.0005, 0.0005).wait == 0
    near = settle(10.0, 0.0017, 0.05, 0.0005)
    assert 0.5 <= near.damping <= 2
    assert near.advised == pytest.approx(1.7 * near.wait)


@pytest.mark.parametrize("bore", [0.0009, 0.0015, 0.0022, 0.004])
def test_the_wait_is_what_the_equation_of_the_water_says(bore):
    """Solved step by step: ẍ + 2β·ẋ + ω²·x = 0 from rest at 50 mm; at the wait its envelope is at the resolution."""
    found = settle(10.0, bore, 0.05, 0.0005)
    omega, beta = math.sqrt(2 * 9.80665 / 10), 4e-6 / bore**2
    x, v, dt, last = 0.05, 0.0, 1e-3, 0.0
    for n in range(int(1.7 * found.wait / dt) + 4000):
        v += (-2 * beta * v - omega**2 * x) * dt
        x += v * dt
        if abs(x) > 0.0005:
            last = n * dt
    assert last <= found.advised + 0.6 * (found.period or 0) + 0.3
