"""Between the points: a surface's height at any place, how well it is known there, and what changed from one to another."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import measure_grounds
from vivid_keel.core.surface.against import Plane, against, areas
from vivid_keel.core.surface.between import changed, difference_known, heights_at, heights_known
from vivid_keel.core.surface.tin import surface
from vivid_keel.core.surface.uncertainty import foretold

slopes = st.floats(-0.2, 0.2)
rises = st.integers(-500, 500).map(lambda mm: mm / 1000)


def points(n, seed, of=lambda x, y: 0 * x):
    rng = np.random.default_rng(seed)
    xy = np.concatenate([[[0, 0], [10, 0], [10, 8], [0, 8]], rng.uniform((0, 0), (10, 8), (n, 2))])
    return np.column_stack([xy, of(*xy.T)])


@given(slopes, slopes, st.integers(0, 40), st.integers(0, 99))
def test_on_a_plane_every_place_lies_on_it_and_outside_there_is_none(a, b, n, seed):
    tin = surface(points(n, seed, lambda x, y: 1.0 + a * x + b * y))
    inside = np.random.default_rng(seed).uniform((0, 0), (10, 8), (30, 2))
    assert heights_at(tin, inside) == pytest.approx(1.0 + a * inside[:, 0] + b * inside[:, 1], abs=1e-9)
    assert np.isnan(heights_at(tin, np.array([[-0.1, 4.0], [5.0, 8.1]]))).all()


def test_at_a_point_its_own_height_stands_with_its_own_u_and_between_them_less_is_known():
    tin = surface(points(20, 5, lambda x, y: 0.05 * np.sin(x) * np.cos(y)))
    off = foretold(tin)
    assert heights_at(tin, tin.xyz[:, :2]) == pytest.approx(tin.xyz[:, 2])
    assert heights_known(tin, tin.xyz[4:, :2], 0.002, off) == pytest.approx(0.002)
    middles = tin.xyz[tin.triangles].mean(axis=1)[:, :2]
    assert np.median(heights_known(tin, middles, 0.002, off)) > 0.004
    flat = surface(points(20, 5))
    assert heights_known(flat, middles, 0.002, foretold(flat)) == pytest.approx(0.002 / np.sqrt(3))


@given(rises, st.integers(0, 30), st.integers(0, 30), st.integers(0, 9))
def test_ground_that_rose_alike_rose_by_its_area_whatever_points_tell_it(by, n, m, seed):
    def of(x, y):
        return 0.1 * x - 0.03 * y

    then, now = surface(points(n, seed, of)), surface(points(m, seed + 50, lambda x, y: of(x, y) + by))
    rise = changed(then, now)
    found = against(rise.pieces, Plane(0.0))
    assert found.cut - found.fill == pytest.approx(80 * by, abs=1e-6)
    assert heights_at(rise, np.array([[5.0, 4.0]])) == pytest.approx([by], abs=1e-9)


def test_a_yard_that_lies_elsewhere_tells_no_change():
    far = points(5, 1) + np.array([50.0, 0.0, 0.0])
    assert changed(surface(points(5, 1)), surface(far)) is None


def test_what_changed_alike_owes_the_points_heights_and_no_more():
    one = surface(points(30, 1, lambda x, y: 0.1 * np.sin(x) * np.cos(y)))
    risen = surface(one.xyz + np.array([0.0, 0.0, 0.2]))
    U = difference_known(one, risen, changed(one, risen), 0.001)
    part = np.bincount(one.nearest, np.repeat(areas(one.pieces) / 3, 3))
    assert pytest.approx(2 * 0.001 * np.sqrt(2 * (part**2).sum())) == U
    heaped = surface(one.xyz + np.where(np.arange(34) == 12, 0.2, 0.0)[:, None] * [0, 0, 1])
    assert (
        difference_known(one, heaped, changed(one, heaped), 0.001) > 3 * U
    )  # who knows what else came between


@pytest.mark.parametrize("n", [6, 8])
def test_heights_between_points_of_made_up_ground_lie_within_their_u(n):
    """`./run measure grounds` has 300 a cell; here 12 with 40 places each, 93 less three binomial σ of the 12."""
    came = [measure_grounds.places(n, 1.0, [31, n, k]) for k in range(12)]
    assert np.mean([covers for covers, _ in came]) >= 0.93 - 3 * np.sqrt(0.93 * 0.07 / 12)
    assert all(U < 0.5 for _, U in came)


def test_what_changed_on_made_up_ground_lies_within_its_u():
    """Two visits with points of their own each: `./run measure grounds` has 300; here 30."""
    came = [measure_grounds.twice(8, 1.0, [32, k], same=k % 2 == 0) for k in range(30)]
    assert np.mean([abs(told - true) <= U for told, U, true in came]) >= 0.93 - 3 * np.sqrt(0.93 * 0.07 / 30)
