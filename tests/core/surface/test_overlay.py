"""What lies between two surfaces of other points: exact on what their triangles share, and its U holds."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.measure_grounds import twice
from vivid_keel.core.surface.against import Plane, against, areas
from vivid_keel.core.surface.between import heights_at
from vivid_keel.core.surface.overlay import rise_between
from vivid_keel.core.surface.tin import surface

CORNERS = [[0, 0, 0], [6, 0, 0], [6, 4, 0], [0, 4, 0]]


def test_one_pyramid_over_another_with_its_top_elsewhere():
    """Volumes of pyramids: area times height over three, wherever the top stands."""
    then = surface(np.array([*CORNERS, [2, 1, 0.9]], dtype=float))
    now = surface(np.array([*CORNERS, [4, 3, 1.5]], dtype=float))
    pieces = rise_between(then.pieces, now.pieces)
    found = against(pieces, Plane(0.0))
    assert found.area == pytest.approx(24)
    assert found.cut - found.fill == pytest.approx(24 * (1.5 - 0.9) / 3, rel=1e-12)
    # What came and what went, by a fine grid.
    grid = np.stack(
        [a.ravel() for a in np.meshgrid((np.arange(600) + 0.5) / 100, (np.arange(400) + 0.5) / 100)], axis=1
    )
    rise = heights_at(now, grid) - heights_at(then, grid)
    assert found.cut == pytest.approx(np.maximum(rise, 0).sum() / 1e4, rel=1e-4)
    assert found.fill == pytest.approx(np.maximum(-rise, 0).sum() / 1e4, rel=1e-4) and found.fill > 0.1


def test_only_where_both_have_ground():
    then = surface(np.array([[0, 0, 1], [2, 0, 1], [2, 2, 1], [0, 2, 1.0]]))
    now = surface(np.array([[1, 1, 3], [5, 1, 3], [5, 5, 3], [1, 5, 3.0]]))
    found = against(rise_between(then.pieces, now.pieces), Plane(0.0))
    assert found.area == pytest.approx(1) and found.cut == pytest.approx(2)
    far = now.pieces + np.array([10.0, 0, 0])
    assert len(rise_between(then.pieces, far)) == 0
    assert len(rise_between(then.pieces, np.empty((0, 3, 3)))) == 0


@given(st.integers(0, 10_000), st.integers(4, 40), st.integers(4, 40))
def test_the_difference_is_that_of_the_volumes_and_nothing_is_counted_twice(seed, n, m):
    rng = np.random.default_rng(seed)
    one, two = (
        surface(
            np.column_stack(
                [
                    np.vstack([np.array(CORNERS)[:, :2], rng.uniform((0, 0), (6, 4), (k, 2))]),
                    rng.normal(0, 1, k + 4),
                ]
            )
        )
        for k in (n, m)
    )
    pieces = rise_between(one.pieces, two.pieces)
    assert float(areas(pieces).sum()) == pytest.approx(24, rel=1e-9)
    volume = [float((areas(t.pieces) * t.pieces[:, :, 2].mean(axis=1)).sum()) for t in (one, two)]
    net = float((areas(pieces) * pieces[:, :, 2].mean(axis=1)).sum())
    assert net == pytest.approx(volume[1] - volume[0], abs=1e-8)
    turned = rise_between(two.pieces, one.pieces)
    assert float(areas(turned).sum()) == pytest.approx(24, rel=1e-9)


@pytest.mark.parametrize("same", [True, False])
@pytest.mark.parametrize("rough", [0.3, 2.0])
def test_u_of_what_came_or_went_holds(rough, same):
    n = 20
    held = [twice(6, rough, [4, k], same=same) for k in range(n)]
    inside = [abs(told - true) <= U for told, U, true in held]
    assert np.mean(inside) >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / n)
