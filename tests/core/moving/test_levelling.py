"""Targets, packing, screws, proof: facts and laws."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.scale import HANGS, STANDS, heights_from_scale, reading_at, sense_by_eye
from vivid_keel.core.moving.screws import hand_turns
from vivid_keel.core.moving.stacks import choose_leaves
from vivid_keel.core.moving.targets import Target, weights, work_out
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT, Budget, BudgetLine, judge

LEVEL = ["highest", "lowest", "mean", "least-total", "least-greatest"]
HEIGHTS = st.lists(st.integers(-500, 500), min_size=1, max_size=12).map(lambda h: np.array(h) / 10000)


def names(n):
    return [f"P{i}" for i in range(n)]


def test_a_larger_reading_is_lower_standing_and_higher_hanging():
    readings = np.array([1.25, 1.26])
    stands = heights_from_scale(readings, [STANDS, STANDS])
    hangs = heights_from_scale(readings, [HANGS, HANGS])
    assert stands[1] < stands[0]
    assert hangs[1] > hangs[0]
    assert reading_at(stands, [STANDS, STANDS]) == pytest.approx(readings)
    assert reading_at(hangs, [HANGS, HANGS]) == pytest.approx(readings)
    assert sense_by_eye(stands, 1, 0.001) == "contradicts"
    assert sense_by_eye(hangs, 1, 0.001) == "agrees"
    assert sense_by_eye(hangs, 1, 0.02) == "can't tell"
    with pytest.raises(KeelError, match="neither"):
        heights_from_scale(readings, ["leans", STANDS])


@given(HEIGHTS, st.sampled_from(LEVEL))
def test_moves_applied_give_the_target(heights, kind):
    done = work_out(names(len(heights)), heights, Target(kind))
    assert heights + done.moves == pytest.approx(done.target, abs=1e-12)
    assert np.ptp(done.target) == 0
    again = work_out(names(len(heights)), heights + done.moves, Target(kind))
    assert again.greatest == pytest.approx(0, abs=1e-12)


@given(HEIGHTS)
def test_what_each_target_promises(heights):
    n = names(len(heights))
    cost = {kind: work_out(n, heights, Target(kind)) for kind in LEVEL}
    assert (cost["highest"].moves >= 0).all()
    assert (cost["lowest"].moves <= 0).all()
    assert cost["mean"].moves.sum() == pytest.approx(0, abs=1e-9)
    assert min(c.total for c in cost.values()) == pytest.approx(cost["least-total"].total, abs=1e-9)
    assert min(c.greatest for c in cost.values()) == pytest.approx(cost["least-greatest"].greatest, abs=1e-9)


@given(HEIGHTS, st.sampled_from(LEVEL))
def test_target_is_its_weights_times_the_heights(heights, kind):
    w = weights(names(len(heights)), heights, Target(kind))
    done = work_out(names(len(heights)), heights, Target(kind))
    assert w.sum() == pytest.approx(1)
    assert float(w @ heights) == pytest.approx(float(done.target[0]), abs=1e-12)


def test_keep_and_limits():
    h = np.array([0.012, -0.004, 0.007])
    done = work_out(["a", "b", "c"], h, Target("keep", name="c"))
    assert done.moves == pytest.approx([-0.005, 0.011, 0])
    with pytest.raises(KeelError, match=r"a by 5\.0 mm down"):
        work_out(["a", "b", "c"], h, Target("keep", name="c"), lowest=0.0)
    with pytest.raises(KeelError, match="not among the points"):
        work_out(["a", "b", "c"], h, Target("keep", name="d"))


def brute(wanted, leaves, counts, interface, most):
    """Every way to deal the stock out, the slow sure way."""
    best = None
    options = [
        c for c in itertools.product(*(range(n + 1) for n in counts)) if most is None or sum(c) <= most
    ]
    for choice in itertools.product(options, repeat=len(wanted)):
        if any(sum(c[k] for c in choice) > counts[k] for k in range(len(leaves))):
            continue
        worst = max(
            abs(sum(n * (t - interface) for n, t in zip(c, leaves, strict=True)) - w)
            for c, w in zip(choice, wanted, strict=True)
        )
        key = (round(worst, 9), sum(map(sum, choice)))
        best = key if best is None or key < best else best
    return best


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.integers(0, 60), min_size=1, max_size=2),
    st.lists(
        st.tuples(st.sampled_from([1, 2, 3, 5, 8, 15, 20]), st.integers(1, 2)),
        min_size=1,
        max_size=3,
        unique_by=lambda p: p[0],
    ),
    st.sampled_from([0.0, 0.00002]),
    st.sampled_from([None, 1, 2, 3]),
)
def test_packing_is_as_good_as_trying_everything(wanted, stock, interface, most):
    wanted = [w / 10000 for w in wanted]
    leaves, counts = [t / 10000 for t, _ in stock], [c for _, c in stock]
    found = choose_leaves(np.array(wanted), leaves, counts, interface, most)
    worst, fewest = brute(wanted, leaves, counts, interface, most)
    assert found.greatest_residual == pytest.approx(worst, abs=2e-9)
    assert found.leaves == fewest
    assert found.proven


def test_no_stock_and_no_time():
    bare = choose_leaves(np.array([0.003]), [], [])
    assert bare.stacks == [()]
    assert bare.residuals == pytest.approx([-0.003])
    hurried = choose_leaves(np.array([0.00123] * 30), [0.001, 0.0002], [10, 3], seconds_left=lambda: 0.0)
    assert hurried.bound <= hurried.greatest_residual


def test_turns_a_hand_can_do():
    assert hand_turns(1.375) == "1 3/8 turns"
    assert hand_turns(-0.5, 6) == "-1/2 turns"
    assert hand_turns(0.01) == "0 turns"


def test_three_verdicts_with_the_guard_band_between():
    t, U = 0.0015, 0.0005
    assert judge(0.001, U, t) == PROVEN_IN  # exactly at the guard
    assert judge(0.00101, U, t) == NOT_PROVEN
    assert judge(-0.002, U, t) == NOT_PROVEN
    assert judge(-0.00201, U, t) == PROVEN_OUT


def test_budget_combines_by_root_of_squares_and_names_the_largest():
    budget = Budget((BudgetLine("vial", 3e-4), BudgetLine("staff", 4e-4)))
    assert pytest.approx(1e-3) == budget.U
    assert budget.dominant.name == "staff"
