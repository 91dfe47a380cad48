"""A lift in stages: what goes in adds up, nothing goes further at once, and what went in to stay stays."""

from __future__ import annotations

import math
from collections import Counter

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from vivid_keel.core.moving.means import LEAVES, SCREW, Means
from vivid_keel.core.moving.walk import Way, walk

MM = 0.001
DELTA = 0.00002


def up(stack, per, lift=None, now=0.0, stage=0, for_now=(), place=0):
    net = sum(stack) - DELTA * len(stack)
    return Way(
        place,
        net if lift is None else lift,
        per,
        stage,
        now,
        for_now,
        tuple(stack),
        0.0,
        Means(LEAVES),
        math.nan,
    )


def leaves(*millimetres):
    return tuple(t * MM for t in millimetres)


def in_mm(some):
    return [round(t / MM, 3) for t in some]


def test_the_final_stack_goes_in_leaf_by_leaf_and_none_comes_out_again():
    told = walk([up(leaves(4, 4, 3), 5 * MM)], Counter(), DELTA, 4)
    assert [[in_mm(s.into) for s in steps] for steps in told.values()] == [[[4.0]], [[4.0]], [[3.0]]]
    assert not any(s.out or s.for_now for steps in told.values() for s in steps)
    assert [steps[0].last for steps in told.values()] == [False, False, True]


def test_a_leaf_thicker_than_a_stage_is_waited_for_on_others():
    told = walk([up(leaves(12), 6 * MM)], Counter({0.006: 1, 0.002: 3}), 0.0, 4)
    first, second = (steps[0] for steps in told.values())
    assert in_mm(first.into) == in_mm(first.for_now) == [6.0] and not first.last
    assert (in_mm(second.into), in_mm(second.out), second.last) == ([12.0], [6.0], True)
    assert second.put == pytest.approx(6 * MM) and second.leaves == 0


def test_where_nothing_holds_it_between_that_is_said():
    (steps,) = walk([up(leaves(12), 6 * MM)], Counter(), DELTA, 4).values()
    assert steps[0].beyond and steps[0].last


def test_two_points_do_not_hold_themselves_on_one_leaf():
    ways = [up(leaves(12), 6 * MM, place=0), up(leaves(12), 6 * MM, place=1)]
    told = walk(ways, Counter({0.006: 1, 0.005: 1}), DELTA, 4)
    assert [in_mm(step.for_now) for step in told[1]] == [[6.0], [5.0]]


def test_without_a_limit_all_goes_in_at_once():
    ((step,),) = walk([up(leaves(12, 6, 3), math.inf)], Counter(), DELTA, 4).values()
    assert step.last and in_mm(step.into) == [12.0, 6.0, 3.0] and step.before == 0.0


def test_a_point_comes_down_over_thinner_and_thinner_stacks():
    way = Way(0, -9 * MM, 4 * MM, 0, 0.0, (), leaves(3), 12 * MM, Means(LEAVES), math.nan)
    told = walk([way], Counter({0.006: 2, 0.002: 4, 0.001: 1}), DELTA, 4)
    levels = [steps[0].after for steps in told.values()]
    assert levels[-1] == pytest.approx(-9 * MM) and len(levels) == 3
    assert all(a - b <= 4 * MM + 1e-9 for a, b in zip([0.0, *levels], levels, strict=False))
    steps = [steps[0] for steps in told.values()]
    assert in_mm(steps[0].into) == [6.0, 2.0] and steps[0].put == pytest.approx(-4 * MM)
    assert steps[1].out == steps[0].into and steps[2].out == steps[1].into


def test_a_screw_goes_in_whole_parts_of_a_turn_and_ends_where_it_would_at_once():
    way = Way(0, 13 * MM, 5 * MM, 0, 0.0, (), None, 0.0, Means(SCREW, {"pitch": 2.0}), math.nan)
    steps = [steps[0] for steps in walk([way], Counter(), DELTA, 4).values()]
    assert [step.told.words for step in steps] == [
        "2½ turns clockwise",
        "2½ turns clockwise",
        "1½ turns clockwise",
    ]
    assert steps[-1].after == pytest.approx(13 * MM) and steps[-1].last


def test_travel_that_a_stage_used_is_gone_for_the_next():
    way = Way(0, 13 * MM, 5 * MM, 0, 0.0, (), None, 0.0, Means(SCREW, {"pitch": 2.0}), 8 * MM)
    steps = [steps[0] for steps in walk([way], Counter(), DELTA, 4).values()]
    assert "are left" in steps[-1].told.refused and steps[-1].last
    assert steps[-1].after <= 8 * MM + 1e-9


THICK = [0.2, 0.4, 0.8, 1.5, 3.0, 5.0, 6.0, 10.0]
STACKS = st.lists(st.sampled_from(THICK), min_size=1, max_size=5)


@given(
    st.lists(st.tuples(STACKS, st.sampled_from([2.0, 4.8, 6.0])), min_size=1, max_size=4),
    st.lists(st.sampled_from(THICK), max_size=12),
)
def test_every_walk_adds_up_and_goes_no_further_at_once(posts, spare):
    ways = [up(leaves(*stack), per * MM, place=k) for k, (stack, per) in enumerate(posts)]
    stock = Counter(t * MM for t in spare)
    told = walk(ways, stock, DELTA, 6)
    for way in ways:
        assert way.stack is not None
        mine = [step for steps in told.values() for step in steps if step.place == way.place]
        lying: Counter[float] = Counter()
        staying: Counter[float] = Counter()
        level = 0.0
        for step in mine:
            assert step.before == pytest.approx(level, abs=1e-12)
            assert step.after > level  # nothing is let down on the way up
            assert step.beyond or step.after - level <= way.per + 1e-9
            assert not Counter(step.out) - lying  # only what lies there comes out
            assert not Counter(step.out) & staying or Counter(step.out) <= lying - staying
            lying = lying - Counter(step.out) + Counter(step.into)
            staying += Counter(step.into) - Counter(step.for_now)
            level = step.after
            assert sum(lying.values()) <= 6
        assert [step.last for step in mine] == [False] * (len(mine) - 1) + [True]
        assert lying == Counter(way.stack)
        assert level == pytest.approx(sum(way.stack) - DELTA * len(way.stack), abs=1e-12)
    held: dict[int, Counter[float]] = {}
    for (
        steps
    ) in told.values():  # what is held for now comes out of what is spare, in whatever order a stage is done
        at_once = {**held, **{s.place: Counter(s.for_now) | held.get(s.place, Counter()) for s in steps}}
        assert not sum(at_once.values(), Counter()) - stock
        held |= {step.place: Counter(step.for_now) for step in steps}


@example([1.5, 6.0, 6.0], 2.0, [0.4, 0.8, 3.0, 5.0])
@given(STACKS, st.sampled_from([2.0, 4.8]), st.lists(st.sampled_from(THICK), max_size=8))
def test_a_walk_broken_off_goes_on_as_it_would_have(stack, per, spare):
    """Booked stage by stage: what is still to be done is worked out anew after each, from what lies there."""
    stock = Counter(t * MM for t in spare)
    whole = [steps[0] for steps in walk([up(leaves(*stack), per * MM)], stock, DELTA, 6).values()]
    left, now = list(leaves(*stack)), 0.0
    lift = sum(left) - DELTA * len(left)
    for n, step in enumerate(whole[:-1]):
        for leaf in (Counter(step.into) - Counter(step.for_now)).elements():
            left.remove(leaf)
        now = step.after
        lying = 6 - (len(stack) - len(left))
        back = stock - Counter(step.for_now)
        way = up(left, per * MM, lift, now, step.stage, step.for_now)
        on = [steps[0] for steps in walk([way], back, DELTA, lying).values()]
        assert on[0].stage == whole[n + 1].stage and in_mm(on[0].into) == in_mm(whole[n + 1].into)


def test_a_wedge_that_would_have_to_go_down_in_stages_is_refused_in_one():
    way = Way(3, -4.4 * MM, 3.8 * MM, 0, 0.0, (), None, 0.0, Means("wedge"), math.nan)
    ((step,),) = walk([way], Counter(), DELTA, 4).values()
    assert step.last
    assert step.told.refused
    assert step.after == step.before == 0.0
