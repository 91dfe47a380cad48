"""Places from a walk that is closed and squared up, and from two distances: against places that were known before."""

from __future__ import annotations

import math

import numpy as np
import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.squared import closed_walk, tied


def measured(xy):
    """Lengths of the sides and turns behind them of a polygon."""
    sides = np.roll(xy, -1, axis=0) - xy
    after = np.roll(sides, -1, axis=0)
    turns = np.arctan2(sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0], (sides * after).sum(axis=1))
    return np.hypot(*sides.T), turns


HOUSE = np.array(
    [[0, 0], [8, 0], [8, 3], [5, 3], [5, 7], [0, 7]], dtype=float
)  # an L: one corner turns right


def test_what_was_walked_without_error_comes_back_as_it_was():
    for xy in (HOUSE, np.array([[0, 0], [6, 0], [7, 4], [1, 5]], dtype=float)):
        lengths, turns = measured(xy)
        walk = closed_walk(lengths, turns, [False] * len(xy), 0.01, 0.05)
        assert walk.xy == pytest.approx(xy, abs=1e-6) and walk.missed == pytest.approx(0, abs=1e-9)
        lengths, turns = measured(xy[::-1] - xy[-1])
        assert np.hypot(
            *np.diff(closed_walk(lengths, turns, [False] * len(xy), 0.01, 0.05).xy, axis=0).T
        ) == pytest.approx(lengths[:-1])


def test_square_corners_are_square_and_the_error_goes_into_the_sides():
    lengths, turns = measured(HOUSE)
    rng = np.random.default_rng(3)
    paced = lengths * (1 + 0.01 * rng.standard_normal(6))
    walk = closed_walk(paced, turns, [True] * 6, 0.01, 0.05)
    _, got = measured(walk.xy)
    assert np.degrees(got) == pytest.approx(np.degrees(turns), abs=0.01)
    assert walk.missed > 0.01
    # What it comes to of each side: the longer ones take more, and those across one another none of each other's.
    along, across = [0, 2, 4], [1, 3, 5]
    sign = np.array([1, 1, -1, 1, -1, -1])
    for some in (along, across):
        gap = float((sign * paced)[some].sum())
        share = -sign * lengths**2 * gap / (lengths[some] ** 2).sum()
        assert walk.longer[some] == pytest.approx(share[some], rel=0.05, abs=1e-4)


def test_squaring_up_brings_the_corners_nearer_to_where_they_are():
    """Two hundred yards paced to 1 % and turned to 5°: told that its corners are square, the walk is several times better."""
    rng = np.random.default_rng(8)
    by_turns, squared = [], []
    for _ in range(200):
        xy = np.array([[0, 0], [rng.uniform(5, 12), 0], [0, 0], [0, rng.uniform(4, 9)]])
        xy[2] = [xy[1, 0], xy[3, 1]]
        lengths, turns = measured(xy)
        lengths = lengths * (1 + 0.01 * rng.standard_normal(4))
        turned = turns + math.radians(5) * rng.standard_normal(4)
        walk = closed_walk(lengths, turned, [False] * 4, 0.01, math.radians(5))
        by_turns.append(np.hypot(*(walk.xy - xy).T)[2])
        squared.append(
            np.hypot(*(closed_walk(lengths, turns, [True] * 4, 0.01, math.radians(5)).xy - xy).T)[2]
        )
    assert np.median(squared) < 0.4 * np.median(by_turns)


def test_turns_that_nobody_told_are_found_where_the_others_tell_them():
    xy = np.array([[0, 0], [6, 0], [6.5, 4], [1, 5]], dtype=float)
    lengths, turns = measured(xy)
    walk = closed_walk(lengths, np.where(np.arange(4) == 1, turns, np.nan), [False] * 4, 0.01, 0.05)
    assert walk.xy == pytest.approx(xy, abs=1e-3) and math.isnan(walk.missed)


@pytest.mark.parametrize(
    ("lengths", "turns", "code", "said"),
    [
        ([3, 4], [90, 90], "too-few-points", "three sides"),
        ([3, 4, 3, 4, 2], [90, None, None, None, None], "not-observable", "1 corners more"),
        ([3, 4, 3, 20], [90, 90, 90, 90], "bad-value", "all the others together"),
        ([3, 4, 3, 4], [90, 90, -90, 90], "bad-value", "by 180° in all"),
    ],
)
def test_what_is_no_walk_is_refused(lengths, turns, code, said):
    given = np.radians([math.nan if t is None else t for t in turns])
    with pytest.raises(KeelError, match=said) as refused:
        closed_walk(np.array(lengths, dtype=float), given, [False] * len(lengths), 0.01, 0.05)
    assert refused.value.code == code


def test_a_place_tied_to_two_others_lies_so_far_from_both_and_on_the_side_that_was_said():
    a, b = np.array([1.0, 2.0]), np.array([7.0, 4.0])
    for left in (True, False):
        p = tied(a, b, 4.0, 5.0, left=left)
        assert np.hypot(*(p - a)) == pytest.approx(4) and np.hypot(*(p - b)) == pytest.approx(5)
        assert ((b - a)[0] * (p - a)[1] - (b - a)[1] * (p - a)[0] > 0) == left
    with pytest.raises(KeelError, match="0.325 m are wanting"):
        tied(a, b, 3.0, 3.0, left=True)
    with pytest.raises(KeelError, match="don't meet"):
        tied(a, b, 20.0, 3.0, left=True)
