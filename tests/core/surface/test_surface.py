"""The surface through points: planes come out exact inside any outline, and what lies above and below a plane adds up."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.against import Plane, against, areas, balance
from vivid_keel.core.surface.outline import ears, inside, simple_outline
from vivid_keel.core.surface.tin import surface


def star(n, seed, size=10.0):
    """A crooked outline about the origin, in and out."""
    rng = np.random.default_rng(seed)
    turn = np.sort(rng.uniform(0, 2 * math.pi, n))
    return np.column_stack([np.cos(turn), np.sin(turn)]) * rng.uniform(0.35, 1.0, n)[:, None] * size


def shoelace(xy):
    x, y = xy.T
    return 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))


def centroid_moment(xy):
    """∫x dA and ∫y dA over a polygon, by Green."""
    x, y = xy.T
    c = x * np.roll(y, -1) - np.roll(x, -1) * y
    return float(((x + np.roll(x, -1)) * c).sum() / 6), float(((y + np.roll(y, -1)) * c).sum() / 6)


def ground(n, seed, size=12.0):
    rng = np.random.default_rng(seed)
    xy = rng.uniform(-size, size, (n, 2))
    corners = np.array([(-size, -size), (size, -size), (size, size), (-size, size)]) * 1.01
    return np.concatenate([xy, corners])


@settings(max_examples=60, deadline=None)
@given(st.integers(4, 14), st.integers(0, 10**6))
def test_a_plane_inside_a_crooked_outline_is_area_times_height_where_it_balances(n, seed):
    """Green's theorem knows nothing of triangles."""
    edge = star(n, seed)
    try:
        simple_outline(edge)
    except KeelError:
        return
    xy = ground(40, seed + 1)
    points = np.concatenate([edge, xy])
    z = 3.0 + 0.02 * points[:, 0] - 0.05 * points[:, 1]
    tin = surface(np.column_stack([points, z]), range(n))
    found = against(tin.pieces, Plane(0.0))
    mx, my = centroid_moment(tin.outline)
    assert found.area == pytest.approx(shoelace(tin.outline), rel=1e-9)
    assert found.cut == pytest.approx(3.0 * found.area + 0.02 * mx - 0.05 * my, rel=1e-9)
    assert found.fill == 0.0 and found.below_area == 0.0


@settings(max_examples=40, deadline=None)
@given(st.integers(6, 60), st.integers(0, 10**6), st.floats(-1.5, 1.5))
def test_above_less_below_is_the_volume_and_both_parts_cover_the_plan(n, seed, height):
    rng = np.random.default_rng(seed)
    tin = surface(np.column_stack([rng.uniform(0, 20, (n, 2)), rng.normal(0, 0.6, n)]))
    plane = Plane(height, (0.01, -0.02))
    found = against(tin.pieces, plane)
    d = tin.pieces[:, :, 2] - plane.at(tin.pieces[:, :, :2])
    assert found.cut - found.fill == pytest.approx(
        float((areas(tin.pieces) * d.mean(axis=1)).sum()), abs=1e-9
    )
    assert found.above_area + found.below_area == pytest.approx(found.area, rel=1e-12)
    assert found.cut >= 0 and found.fill >= 0


def test_what_is_above_agrees_with_a_fine_grid():
    """Told by a grid of a hundred thousand places, which knows a triangle's plane and no formula."""
    rng = np.random.default_rng(4)
    tin = surface(np.column_stack([rng.uniform(0, 20, (30, 2)), rng.normal(0, 0.6, 30)]))
    plane, n = Plane(0.1, (0.02, -0.03)), 400
    step = 20.0 / n
    at = (np.arange(n) + 0.5) * step
    places = np.array(np.meshgrid(at, at)).reshape(2, -1).T
    above, on = 0.0, 0.0
    for p, q, r in tin.pieces:
        base = np.column_stack([q[:2] - p[:2], r[:2] - p[:2]])
        share = np.linalg.solve(base, (places - p[:2]).T)
        held = (share[0] >= 0) & (share[1] >= 0) & (share.sum(axis=0) < 1)
        z = p[2] + share[0, held] * (q[2] - p[2]) + share[1, held] * (r[2] - p[2]) - plane.at(places[held])
        above, on = above + float(np.maximum(z, 0).sum()) * step**2, on + float((z > 0).sum()) * step**2
    found = against(tin.pieces, plane)
    assert found.cut == pytest.approx(above, rel=2e-3) and found.above_area == pytest.approx(on, rel=2e-3)


def test_an_outline_that_is_none_is_refused_with_its_place():
    square = np.array([(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0)])
    assert shoelace(simple_outline(square[::-1])) == shoelace(simple_outline(square)) == 16.0
    for order, says in (
        ([0, 1], "three points at least"),
        ([0, 2, 1, 3], "crosses itself"),
        ([0, 1, 0, 3], "one place twice"),
    ):
        with pytest.raises(KeelError, match=says) as refused:
            simple_outline(square[order])
        assert refused.value.code == "bad-outline"
    with pytest.raises(KeelError, match="goes back along itself|no area"):
        simple_outline(np.array([(0.0, 0.0), (4.0, 0.0), (2.0, 0.0)]))


@settings(max_examples=60, deadline=None)
@given(st.integers(3, 16), st.integers(0, 10**6))
def test_ears_cover_a_polygon_and_nothing_else(n, seed):
    edge = star(n, seed)
    try:
        edge = simple_outline(edge)
    except KeelError:
        return
    parts = ears(edge)
    assert sum(shoelace(part) for part in parts) == pytest.approx(shoelace(edge), rel=1e-9)
    assert inside(edge, np.array([part.mean(axis=0) for part in parts])).all()


@pytest.mark.parametrize(
    ("points", "code"),
    [
        ([(0, 0, 1), (1, 0, 1)], "too-few-points"),
        ([(0, 0, 1), (1, 1, 2), (5, 5, 1), (9, 9, 0)], "points-in-line"),
        ([(0, 0, 1), (1, 0, 2), (5, 5, 1), (1, 0, 3)], "bad-value"),
    ],
)
def test_points_that_carry_no_surface_are_refused(points, code):
    with pytest.raises(KeelError) as refused:
        surface(np.array(points, dtype=float))
    assert refused.value.code == code
    if code == "bad-value":
        assert "points 2 and 4" in refused.value.message


def test_far_from_the_origin_it_is_the_same_ground():
    rng = np.random.default_rng(1)
    xyz = np.column_stack([rng.uniform(0, 30, (200, 2)), rng.normal(0, 0.5, 200)])
    far = xyz + np.array([512_340.0, 5_203_990.0, 0.0])
    here, there = (against(surface(one).pieces, Plane(0.1)) for one in (xyz, far))
    assert there.cut == pytest.approx(here.cut, rel=1e-6) and there.fill == pytest.approx(here.fill, rel=1e-6)


def test_the_balance_plane_fills_with_what_it_cuts():
    rng = np.random.default_rng(2)
    tin = surface(np.column_stack([rng.uniform(0, 30, (80, 2)), rng.normal(0, 0.5, 80)]))
    for factor in (0.8, 1.0, 1.25):
        height = balance(tin.pieces, (0.01, 0.0), factor)
        found = against(tin.pieces, Plane(height, (0.01, 0.0)))
        assert factor * found.cut == pytest.approx(found.fill, abs=1e-9)
    flat = surface(np.array([(0, 0, 2.0), (4, 0, 2.0), (0, 4, 2.0)]))
    assert balance(flat.pieces, (0.0, 0.0), 1.0) == 2.0
