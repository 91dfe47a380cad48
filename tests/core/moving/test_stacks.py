"""Leaves from one stock: the residuals least from the worst down, then the fewest leaves, against every choice there is."""

from __future__ import annotations

from collections import Counter
from itertools import combinations_with_replacement, product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.stacks import Room, choose_leaves


def every_choice(wanted, leaves, counts, most):
    """All stacks for all points that the stock allows."""
    alone = [c for n in range(most + 1) for c in combinations_with_replacement(range(len(leaves)), n)]
    for choice in product(alone, repeat=len(wanted)):
        used = Counter(k for stack in choice for k in stack)
        if all(used[k] <= counts[k] for k in used):
            yield [tuple(leaves[k] for k in stack) for stack in choice]


def rank(choice, wanted, gap, tolerance, aside=()):
    """What makes a choice better than another: |residuals| in whole micrometres from the worst down, then leaves;
    of the points that can be brought in first, then of those set aside."""
    left = [abs(sum(stack) - gap * len(stack) - want) for stack, want in zip(choice, wanted, strict=True)]
    out = []
    for part in ([i for i in range(len(wanted)) if i not in aside], aside):
        worst_down = sorted((round(max(left[i], tolerance) * 1e6) for i in part), reverse=True)
        out += [worst_down, sum(len(choice[i]) for i in part)]
    return out


def out_of_reach(wanted, leaves, counts, most, gap, tolerance):
    """The points that the whole stock, all for itself, can't bring within tolerance."""
    alone = [c for n in range(most + 1) for c in combinations_with_replacement(range(len(leaves)), n)]
    reached = [
        sum(leaves[k] for k in stack) - gap * len(stack)
        for stack in alone
        if all(stack.count(k) <= counts[k] for k in stack)
    ]
    return [i for i, want in enumerate(wanted) if min(abs(r - want) for r in reached) > tolerance + 1e-9]


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
        np.array(wanted), leaves, counts, 0.00002, most, lambda: 20.0, tolerance=tolerance / 1e4, alike=True
    )
    aside = out_of_reach(wanted, leaves, counts, most, 0.00002, tolerance / 1e4)
    best = min(
        rank(choice, wanted, 0.00002, tolerance / 1e4, aside)
        for choice in every_choice(wanted, leaves, counts, most)
    )
    assert rank(found.stacks, wanted, 0.00002, tolerance / 1e4, aside) == best
    assert found.proven
    assert list(found.aside) == aside


def test_a_post_out_of_reach_leaves_the_others_as_good_as_without_it():
    # ¼, ⅛ and 1/16 in, four a stack at most: only W2 is out of reach.
    leaves, counts = [0.00635, 0.003175, 0.0015875], [200, 200, 200]
    wanted = np.array([0.0286, 0.0031, 0.0044, 0.0118, 0.0002, 0.0090, 0.0154, 0.0063])
    found = choose_leaves(wanted, leaves, counts, 0.00002, 4, tolerance=0.0004)
    without = choose_leaves(wanted[1:], leaves, counts, 0.00002, 4, tolerance=0.0004)
    assert found.stacks[0] == (0.00635,) * 4
    assert found.residuals[1:] == pytest.approx(without.residuals)
    assert np.abs(found.residuals[1:]).max() < 0.0008  # half the thinnest leaf


def test_where_leaves_are_scarce_a_post_out_of_reach_gets_what_the_others_leave():
    found = choose_leaves(
        np.array([0.010, 0.002, 0.002]), [0.006, 0.002, 0.001], [1, 1, 2], 0.0, 2, tolerance=0.0001
    )
    assert found.stacks == [(0.006,), (0.002,), (0.001, 0.001)] or found.stacks == [
        (0.006,),
        (0.001, 0.001),
        (0.002,),
    ]
    assert found.aside == (0,)


def random_floor(rng):
    """A floor, a stock, limits and stages, drawn from anywhere a person could be."""
    n = int(rng.integers(1, 13))
    leaves = sorted(
        set(rng.choice([10, 8, 6, 5, 4, 3, 2, 1.5, 1, 0.8, 0.5, 0.2], int(rng.integers(2, 7))) / 1e3)
    )
    wanted = rng.uniform(0, 0.018, n)
    most, gap = int(rng.integers(2, 6)), float(rng.choice([0.0, 0.00002, 0.0001]))
    stage = np.where(rng.random(n) < 0.5, np.inf, rng.uniform(0.002, 0.006, n))
    room = Room(rng.integers(1, most + 1, n), stage)
    tolerance = float(rng.choice([0.0005, 0.001, 0.0015, 0.003]))
    guard = max(tolerance - float(rng.uniform(0, 0.002)), tolerance / 4)
    return wanted, leaves, gap, most, room, tolerance, guard


def test_a_post_that_cant_be_cured_or_has_a_full_stack_changes_nobody_elses_packing():
    rng = np.random.default_rng(31)
    for _ in range(120):
        wanted, leaves, gap, most, room, tolerance, guard = random_floor(rng)
        ample = [int(most * (len(wanted) + 1))] * len(leaves)
        alone = choose_leaves(wanted, leaves, ample, gap, most, tolerance=guard, room=room, reach=tolerance)
        for more, free in ((-0.012, most), (0.2, most), (0.009, 0)):
            at = int(rng.integers(0, len(wanted) + 1))
            with_it = choose_leaves(
                np.insert(wanted, at, more),
                leaves,
                ample,
                gap,
                most,
                tolerance=guard,
                room=Room(np.insert(room.most, at, free), np.insert(room.stage, at, 0.003)),
                reach=tolerance,
            )
            assert at in with_it.aside
            others = np.delete(with_it.residuals, at)
            assert np.abs(others - alone.residuals).max() <= min(leaves) / 4


def test_where_the_stock_is_scarce_the_points_set_aside_are_served_last():
    rng = np.random.default_rng(32)
    for _ in range(25):
        wanted, leaves, gap, most, room, tolerance, guard = random_floor(rng)
        counts = [int(c) for c in rng.integers(0, 4, len(leaves))]
        asked = {"tolerance": guard, "reach": tolerance}
        alone = choose_leaves(wanted, leaves, counts, gap, most, room=room, **asked)
        more = Room(np.append(room.most, most), np.append(room.stage, np.inf))
        with_it = choose_leaves(np.append(wanted, 0.3), leaves, counts, gap, most, room=more, **asked)
        can = [i for i in range(len(wanted)) if i not in alone.aside]
        assert np.abs(with_it.residuals[can] - alone.residuals[can]).max(initial=0.0) <= 1e-9


def test_the_fewest_leaves_within_the_guard_then_the_fewest_handlings_then_the_nearest():
    thick = choose_leaves(np.array([0.0060]), [0.006, 0.003], [4, 4], 0.0, 4, tolerance=0.0005)
    assert thick.stacks == [(0.006,)]
    # 6 or 3 + 3: two leaves of a stage go in and stay, one thick one is held up by others first; one leaf is fewer.
    staged = Room(np.array([4]), np.array([0.004]))
    assert choose_leaves(
        np.array([0.0060]), [0.006, 0.003], [4, 4], 0.0, 4, tolerance=0.0005, room=staged
    ).stacks == [(0.006,)]
    # 5 + 1 or 3 + 3: equally few, so those that need no holding.
    equal = choose_leaves(
        np.array([0.0060]), [0.005, 0.003, 0.001], [4, 4, 4], 0.0, 4, tolerance=0.0005, room=staged
    )
    assert equal.stacks == [(0.003, 0.003)]
    # 1.9 or 2.1 would do within the guard of 0.2: the nearer one.
    near = choose_leaves(np.array([0.00205]), [0.0021, 0.0019], [1, 1], 0.0, 4, tolerance=0.0002)
    assert near.stacks == [(0.0021,)]


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
        good = tolerance or 0.0
        assert sorted(np.maximum(np.abs(listed.residuals), good)) == pytest.approx(
            sorted(np.maximum(np.abs(counted.residuals), good)), abs=2e-7
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
