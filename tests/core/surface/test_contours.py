"""Contours lie at their height on the surface, end only at its edge, and part high from low."""

from __future__ import annotations

import numpy as np
import pytest

from vivid_keel.core.surface.contours import contours, levels_between
from vivid_keel.core.surface.tin import surface


def hill(n, seed):
    rng = np.random.default_rng(seed)
    xy = rng.uniform(-10, 10, (n, 2))
    return np.column_stack([xy, 3 * np.exp(-(xy**2).sum(axis=1) / 20)])


def test_a_cones_contours_are_closed_rings_at_their_height_and_in_order():
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    rings = [
        np.column_stack([r * np.cos(turn), r * np.sin(turn), np.full(40, 5.0 - r)])
        for r in (1.0, 2.0, 3.0, 4.0)
    ]
    tin = surface(np.concatenate([[(0.0, 0.0, 5.0)], *rings]))
    found = contours(tin.xyz, tin.triangles, [1.5, 2.5, 3.5])
    assert [(one.level, one.closed) for one in found] == [(1.5, True), (2.5, True), (3.5, True)]
    for one in found:
        far = np.hypot(*one.xy.T)
        assert far == pytest.approx(np.full(len(far), 5.0 - one.level), abs=0.02)


@pytest.mark.parametrize("seed", range(8))
def test_lines_lie_on_the_surface_and_end_only_at_its_edge(seed):
    tin = surface(hill(150, seed))
    sides = np.sort(
        np.concatenate([tin.triangles[:, [0, 1]], tin.triangles[:, [1, 2]], tin.triangles[:, [2, 0]]]), axis=1
    )
    names, times = np.unique(sides, axis=0, return_counts=True)
    edge = names[times == 1]
    for one in contours(tin.xyz, tin.triangles, levels_between(0.0, 3.0, 0.25)):
        assert len(one.xy) > 1
        if not one.closed:
            for end in (one.xy[0], one.xy[-1]):
                a, b = tin.xyz[edge[:, 0], :2], tin.xyz[edge[:, 1], :2]
                across = np.abs((b - a)[:, 0] * (end - a)[:, 1] - (b - a)[:, 1] * (end - a)[:, 0]) / np.hypot(
                    *(b - a).T
                )
                assert across.min() < 1e-9
        else:
            assert one.xy[0] == pytest.approx(one.xy[-1])


def test_points_that_stand_exactly_on_a_level_break_no_line():
    xy = np.array([(x, y) for x in range(7) for y in range(7)], dtype=float)
    tin = surface(np.column_stack([xy, np.abs(xy[:, 0] - 3) + np.abs(xy[:, 1] - 3)]))
    for one in contours(tin.xyz, tin.triangles, [1.0, 2.0]):
        assert one.closed


def test_steps_are_whole_and_too_many_are_none():
    assert levels_between(0.03, 0.31, 0.1) == pytest.approx([0.1, 0.2, 0.3])
    assert levels_between(-0.1, 0.1, 0.1) == pytest.approx([-0.1, 0.0, 0.1])
    assert levels_between(0.0, 100.0, 0.01) == []
