"""How well a surface is known between points that lie anyhow: on made-up ground that shares nothing with the process fitted to it."""

from __future__ import annotations

import numpy as np
import pytest

from tests.measure_grounds import LAYOUTS, scattered
from vivid_keel.core.surface.against import Plane
from vivid_keel.core.surface.rolling import FEWEST, MANY, ground_of
from vivid_keel.core.surface.tin import surface


@pytest.mark.parametrize("layout", LAYOUTS)
def test_u_covers_ground_told_at_points_that_lie_anyhow(layout):
    """It was 50 to 88 in 100 of volumes, by one root mean square that close neighbours ruled."""
    came = np.array(
        [scattered(layout, 30, rough, [33, k], 80) for k in range(4) for rough in (0.3, 2.0)], dtype=float
    )
    assert len(came) == 8
    assert came[:, 0].sum() >= 6  # 93 in 100, and three standard errors
    assert came[:, 2].mean() >= 0.88


def test_a_plane_is_known_by_its_points_alone():
    rng = np.random.default_rng(3)
    xy = rng.uniform((0, 0), (20, 15), (40, 2))
    ground = ground_of(surface(np.column_stack([xy, 0.02 * xy[:, 0] - 0.01 * xy[:, 1]])), 0.002)
    U = ground.heights(rng.uniform((5, 5), (15, 10), (20, 2)))
    assert (U < 4 * 0.002).all()  # flat as it is told, there is nothing between the points
    assert (U > 0.9 * 2 * 0.002 / 40**0.5).all()  # as the middle of 40 such points is known


def test_where_no_point_is_near_u_grows():
    rng = np.random.default_rng(4)
    xy = np.concatenate([rng.uniform((0, 0), (8, 15), (40, 2)), [[20, 0], [20, 15], [14, 7]]])
    z = 0.1 * np.sin(xy[:, 0]) + 0.1 * np.cos(xy[:, 1])
    ground = ground_of(surface(np.column_stack([xy, z])), 0.002)
    near, far = ground.heights(np.array([[4.0, 7.0], [17.0, 6.0]]))
    assert far > 1.5 * near


def test_too_few_points_tell_nothing_of_how_the_ground_rolls():
    rng = np.random.default_rng(5)
    xy = rng.uniform(0, 20, (FEWEST - 2, 2))
    assert ground_of(surface(np.column_stack([xy, rng.normal(0, 0.1, FEWEST - 2)])), 0.002) is None


def test_u_covers_ground_of_more_points_than_are_told_all_at_once():
    """By the nearest points it was 34 in 100 of rough ground."""
    came = np.array([scattered(LAYOUTS[1], MANY + 100, 2.0, [34, k], 80) for k in range(4)], dtype=float)
    assert came[:, 0].sum() >= 3
    assert came[:, 2].mean() >= 0.88


def test_the_same_points_give_the_same_u_whatever_else_was_asked():
    rng = np.random.default_rng(6)
    xyz = np.column_stack([rng.uniform(0, 20, (25, 2)), rng.normal(0, 0.1, 25)])
    one, other = ground_of(surface(xyz), 0.002), ground_of(surface(xyz), 0.002)
    one.volume(Plane(0.3))
    assert one.volume(Plane(0.05)) == other.volume(Plane(0.05))
