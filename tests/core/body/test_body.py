"""A body read by bubble: facts of the trade, laws, and made-up bodies whose truth only the simulator knows."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.core.body.model import FREE, RIGID, TWIST, Body, Gap, Height, Step, Tilt, adjust
from vivid_keel.core.body.shapes import (
    from_plumb_frame,
    profile,
    straightness,
    twist_at_feet,
    warp,
    warp_from_gap,
)
from vivid_keel.core.errors import KeelError

XY = np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 0.6], [0.0, 0.6]])
NAMES = ("A", "B", "C", "D")
U = 1e-5


def read(rng, heights, pairs, zero=0.0, xy=XY, u=U):
    """Tilts between pairs of nodes, (start, to, way), by a level with a hidden zero."""
    out = []
    for start, to, way in pairs:
        d = math.hypot(*(xy[to] - xy[start]))
        true = (heights[to] - heights[start]) / d + way * zero
        out.append(Tilt("long", start, to, way, true + (rng.normal(0, u) if rng is not None else 0.0), u))
    return out


L_ORDER = [(0, 1, 1), (0, 1, -1), (1, 2, 1), (3, 2, 1), (0, 3, 1)]


@given(st.lists(st.floats(-1e-3, 1e-3), min_size=4, max_size=4), st.floats(-2e-3, 2e-3))
def test_a_level_turned_round_once_frees_every_reading_of_its_error(parts, zero):
    c, gx, gy, k = parts
    centred = XY - XY.mean(axis=0)
    true = c + XY @ np.array([gx, gy]) + k * centred[:, 0] * centred[:, 1]
    found = adjust(Body(NAMES, XY, TWIST), read(None, true, L_ORDER, zero))
    assert found.heights == pytest.approx(true - true[0], abs=1e-12)
    assert found.zeros["long"] == pytest.approx(zero, abs=1e-12)
    assert found.twist == pytest.approx(k, abs=1e-11)
    assert warp(found.heights) == pytest.approx(warp(true), abs=1e-12)


def test_a_larger_zero_changes_no_height_and_no_u():
    rng = np.random.default_rng(1)
    true = np.array([0.0, 2e-4, 3e-4, -1e-4])
    plain = read(rng, true, L_ORDER)
    shifted = [Tilt(o.level, o.start, o.to, o.way, o.tilt + o.way * 0.002, o.u) for o in plain]
    a, b = adjust(Body(NAMES, XY, TWIST), plain), adjust(Body(NAMES, XY, TWIST), shifted)
    assert b.heights == pytest.approx(a.heights, abs=1e-12)
    assert b.u == pytest.approx(a.u)
    assert b.zeros["long"] - a.zeros["long"] == pytest.approx(0.002)


def test_read_one_way_only_the_zero_and_the_tilt_are_named_and_neither_gets_a_number():
    once = [(0, 1, 1), (0, 3, 1)]
    with pytest.raises(KeelError, match="long's own zero and the tilt along x") as said:
        adjust(Body(NAMES, XY, RIGID), read(None, np.zeros(4), once))
    assert said.value.code == "not-observable" and "turned round once" in said.value.message
    assert adjust(Body(NAMES, XY, RIGID), read(None, np.zeros(4), once), {"long": (0.0, 1e-5)}).freedom == 0


def test_a_twist_that_nothing_was_read_of_is_named():
    along = [(0, 1, 1), (0, 1, -1), (0, 3, 1)]
    with pytest.raises(KeelError, match="and the twist"):
        adjust(Body(NAMES, XY, TWIST), read(None, np.zeros(4), along))


def test_a_free_node_that_nobody_read_is_named():
    with pytest.raises(KeelError, match="the height of C"):
        adjust(Body(NAMES, XY, FREE), read(None, np.zeros(4), [(0, 1, 1), (0, 1, -1), (0, 3, 1)]))


def test_a_straightedge_on_the_diagonal_tells_the_warp_as_the_rule_of_thumb_has_it():
    xy = np.vstack([XY, XY.mean(axis=0)])
    seen = [*read(None, np.zeros(4), [(0, 1, 1), (0, 1, -1), (0, 3, 1)], xy=xy), Gap(0, 2, 4, 0.00035, 2e-5)]
    found = adjust(Body((*NAMES, "M"), xy, TWIST), seen)
    assert warp(found.heights[:4]) == pytest.approx(warp_from_gap("AC", 0.00035, ends=False))
    assert warp_from_gap("AC", 0.00035, ends=False) == pytest.approx(4 * 0.00035)


def test_each_reading_counts_by_its_u():
    heights = [Height(0, 1.0, 0.001), Height(0, 1.003, 0.002), Height(1, 1.0, 0.001), Height(3, 1.0, 0.001)]
    found = adjust(Body(NAMES, XY, RIGID), heights)
    assert found.freedom == 1
    assert found.residuals[0] / found.residuals[1] == pytest.approx(-0.25)  # as their variances
    one = adjust(Body(NAMES, XY, FREE), [*heights, Step(1, 2, 0.0005, 1e-4)])
    assert one.heights[0] == pytest.approx((1.0 * 4 + 1.003) / 5)
    assert one.u[0] == pytest.approx(1 / math.sqrt(1 / 0.001**2 + 1 / 0.002**2))
    assert one.heights[2] - one.heights[1] == pytest.approx(0.0005)


@pytest.mark.parametrize("shape", [RIGID, TWIST, FREE])
def test_the_stated_uncertainty_covers_and_the_variance_factor_is_one(shape):
    """400 made-up bodies a shape, readings rounded as a level shows them, a hidden zero each."""
    inside, factors = [], []
    for seed in range(400):
        rng = np.random.default_rng([3, seed])
        centred = XY - XY.mean(axis=0)
        true = XY @ rng.normal(0, 3e-4, 2)
        if shape != RIGID:
            true = true + rng.normal(0, 2e-4) * centred[:, 0] * centred[:, 1]
        if shape == FREE:
            true = true + rng.normal(0, 1e-4, 4)
        pairs = [*L_ORDER, (1, 2, -1), (3, 2, -1), (0, 2, 1)]
        seen = read(rng, true, pairs, rng.normal(0, 5e-4))
        seen = [Tilt(o.level, o.start, o.to, o.way, round(o.tilt / 1e-6) * 1e-6, o.u) for o in seen]
        found = adjust(Body(NAMES, XY, shape), seen)
        inside += (np.abs(found.heights - (true - true[0]))[1:] <= 2 * found.u[1:]).tolist()
        factors.append(found.variance_factor)
    share, n = np.mean(inside), 400  # the three nodes of a body hang together
    assert abs(share - 0.9545) < 3 * math.sqrt(0.9545 * 0.0455 / n)
    assert np.mean(factors) == pytest.approx(1.0, abs=3 * math.sqrt(2 / (found.freedom * 400)))


# --- beds, tables, frames


def test_the_front_is_low_where_the_cross_arrow_rises_backwards():
    assert twist_at_feet([2e-5, 5e-5, 12e-5], 0.42) == pytest.approx([0.0, 1.26e-5, 4.2e-5])


@given(st.lists(st.floats(-1e-3, 1e-3), min_size=2, max_size=30), st.floats(-1e-3, 1e-3))
def test_a_steady_slope_adds_nothing_to_how_straight_a_way_is(tilts, slope):
    plain, sloped = profile(tilts, 0.2), profile([t + slope for t in tilts], 0.2)
    assert straightness(sloped) == pytest.approx(straightness(plain), abs=1e-12)
    assert straightness(profile([slope] * 5, 0.2)) == pytest.approx(0.0, abs=1e-12)


@given(st.lists(st.floats(-0.01, 0.01), min_size=4, max_size=4), st.floats(-0.01, 0.01))
def test_a_table_that_is_tilted_or_raised_has_the_same_warp(corners, slope):
    tilted = [z + slope * x + 0.3 * slope * y + 0.1 for z, (x, y) in zip(corners, XY, strict=True)]
    assert warp(tilted) == pytest.approx(warp(corners), abs=1e-12)


def test_a_frame_and_a_level_find_the_same_twist():
    """A bed twisted by 0.25 mm/m from head to tail: the bob goes 0.4 mm on 1.6 m, the bubble on its bridge by as much."""
    frame = from_plumb_frame(0.0004, 1.6, 0.45, 0.0015)
    assert frame.twist == pytest.approx(0.00025)
    assert frame.front_foot == pytest.approx(twist_at_feet([0.0, 0.00025], 0.45)[-1])
    assert frame.turns == pytest.approx(0.075)
    with pytest.raises(KeelError, match="longer than 0"):
        from_plumb_frame(0.0004, 0.0, 0.45)
