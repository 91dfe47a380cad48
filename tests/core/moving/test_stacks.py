"""Leaves from one stock: the residuals least from the worst down, then the fewest leaves, against every choice there is."""

from __future__ import annotations

from collections import Counter
from itertools import combinations_with_replacement, product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.stacks import choose_leaves


def every_choice(wanted, leaves, counts, most):
    """All stacks for all points that the stock allows."""
    alone = [c for n in range(most + 1) for c in combinations_with_replacement(range(len(leaves)), n)]
    for choice in product(alone, repeat=len(wanted)):
        used = Counter(k for stack in choice for k in stack)
        if all(used[k] <= counts[k] for k in used):
            yield [tuple(leaves[k] for k in stack) for stack in choice]


def rank(choice, wanted, gap, tolerance):
    """What makes a choice better than another: |residuals| in whole micrometres from the worst down, then leaves."""
    left = [abs(sum(stack) - gap * len(stack) - want) for stack, want in zip(choice, wanted, strict=True)]
    return sorted((round(max(x, tolerance) * 1e6) for x in left), reverse=True), sum(map(len, choice))


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.integers(0, 60), min_size=2, max_size=3),
    st.lists(st.integers(1, 3), min_size=3, max_size=3),
    st.integers(1, 3),
    st.sampled_from([0, 2, 4, 9]),
)
def test_no_choice_is_better_from_the_worst_down(wanted, counts, most, tolerance):
    wanted, leaves = [w / 1e4 for w in wanted], [0.0030, 0.0012, 0.0005]
    found = choose_leaves(
        np.array(wanted), leaves, counts, 0.00002, most, lambda: 20.0, tolerance=tolerance / 1e4
    )
    best = min(
        (
            rank(choice, wanted, 0.00002, tolerance / 1e4)
            for choice in every_choice(wanted, leaves, counts, most)
        ),
    )
    assert rank(found.stacks, wanted, 0.00002, tolerance / 1e4) == best
    assert found.proven


def test_a_post_out_of_reach_leaves_the_others_as_good_as_without_it():
    # ¼, ⅛ and 1/16 in, four a stack at most: only W2 is out of reach.
    leaves, counts = [0.00635, 0.003175, 0.0015875], [200, 200, 200]
    wanted = np.array([0.0286, 0.0031, 0.0044, 0.0118, 0.0002, 0.0090, 0.0154, 0.0063])
    found = choose_leaves(wanted, leaves, counts, 0.00002, 4, tolerance=0.0004)
    without = choose_leaves(wanted[1:], leaves, counts, 0.00002, 4, tolerance=0.0004)
    assert found.stacks[0] == (0.00635,) * 4
    assert found.residuals[1:] == pytest.approx(without.residuals)
    assert np.abs(found.residuals[1:]).max() < 0.0008  # half the thinnest leaf


def test_a_post_out_of_reach_with_scarce_leaves_too():
    # One thick leaf: it goes where nothing else helps, and the two others share what is left evenly.
    found = choose_leaves(
        np.array([0.010, 0.002, 0.002]), [0.006, 0.002, 0.001], [1, 1, 2], 0.0, 2, tolerance=0.0001
    )
    assert sorted(np.abs(found.residuals).round(6)) == [0.001, 0.001, 0.002]


def test_a_tolerance_below_nothing_is_refused():
    with pytest.raises(KeelError, match="0 or more"):
        choose_leaves(np.array([0.001]), [0.001], [1], tolerance=-0.001)


def scarce(n, each):
    wanted = np.random.default_rng(7).uniform(0, 0.014, n)
    leaves = [0.010, 0.008, 0.006, 0.005, 0.004, 0.003, 0.002, 0.0015, 0.001, 0.0005]
    return wanted, leaves, [each] * len(leaves)


def test_where_the_stock_binds_the_greatest_residual_is_proven():
    wanted, leaves, counts = scarce(40, 6)
    found = choose_leaves(wanted, leaves, counts, 0.00002, 4)
    assert found.proven
    assert found.greatest_residual == pytest.approx(found.bound, abs=1e-9)  # no residual lies between them
    used = found.by_thickness()
    assert all(used.get(t, 0) <= c for t, c in zip(leaves, counts, strict=True))


def test_listing_every_stack_and_counting_leaves_say_the_same(monkeypatch):
    from vivid_keel.core.moving import programme

    wanted, leaves, counts = scarce(7, 2)
    for tolerance in (None, 0.0008):
        listed = choose_leaves(wanted, leaves, counts, 0.00002, 4, tolerance=tolerance)
        with monkeypatch.context() as patched:
            patched.setattr(programme, "MOST_COLUMNS", 0)
            counted = choose_leaves(wanted, leaves, counts, 0.00002, 4, lambda: 60.0, tolerance=tolerance)
        assert listed.proven and counted.proven
        assert listed.leaves == counted.leaves
        assert sorted(np.abs(listed.residuals)) == pytest.approx(
            sorted(np.abs(counted.residuals)), abs=2e-7
        ) or (listed.greatest_residual == pytest.approx(counted.greatest_residual, abs=2e-7))


def test_once_it_is_stopped_nothing_more_is_solved(monkeypatch):
    import scipy.optimize

    solved, left = [], [20.0]
    milp = scipy.optimize.milp

    def counting(*given, **named):
        solved.append(left[0])
        if len(solved) == 3:
            left[0] = 0.0  # the person presses Stop while it is being solved
        return milp(*given, **named)

    monkeypatch.setattr(scipy.optimize, "milp", counting)
    wanted, leaves, counts = scarce(40, 6)
    found = choose_leaves(wanted, leaves, counts, 0.00002, 4, lambda: left[0])
    assert solved == [20.0] * 3
    assert not found.proven and len(found.stacks) == 40
