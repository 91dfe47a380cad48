"""Where to stand: facts of the trade, and that every plan could really be read."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.booking.planning import LOWEST, Reach, Waypoint, plan_standing
from vivid_keel.core.errors import KeelError


def test_a_flat_room_is_read_from_one_place():
    way = [Waypoint("BM", 50.0), Waypoint("a", 50.3), Waypoint("b", 49.6)]
    (one,) = plan_standing(way).setups
    assert (one.low, one.high) == (pytest.approx(50.3 + LOWEST), pytest.approx(49.6 + 4.0))
    assert one.reads == ("a",)
    assert math.isnan(one.stand)


def test_a_long_level_street_goes_by_the_longest_sight():
    way = [Waypoint("BM", 50.0, 0.0), Waypoint("end", 50.0, 400.0)]
    plan = plan_standing(way, Reach(longest=40.0))
    assert len(plan.setups) == 5
    assert all(s.back == pytest.approx(s.fore) for s in plan.setups)
    assert all(not s.unbalanced for s in plan.setups)


def test_no_length_of_the_longest_sights_is_given_away_where_a_mark_lies_between():
    # 120 m is two set-ups of 30 + 30, though a mark at 50 m parts the way elsewhere.
    way = [Waypoint("BM", 50.0, 0.0), Waypoint("a", 50.0, 50.0), Waypoint("end", 50.0, 120.0)]
    plan = plan_standing(way, Reach(longest=30.0))
    assert [(s.back, s.fore) for s in plan.setups] == [(30.0, 30.0), (30.0, 30.0)]


def test_on_a_slope_the_step_is_twice_what_stands_over_the_lowest_reading():
    # Midway on an even slope: FS = eye − R/2 ≥ lowest, so R ≤ 2·(eye − lowest), if the staff is long enough.
    way = [Waypoint("BM", 50.0, 0.0), Waypoint("top", 60.0, 100.0)]
    plan = plan_standing(way, Reach(staff=5.0, eye=1.5, longest=50.0))
    rises = [s.end[1] - s.start[1] for s in plan.setups]
    assert max(rises) <= 5.0 - LOWEST
    balanced = [r for r, s in zip(rises, plan.setups, strict=True) if not s.unbalanced]
    assert all(r <= 2 * (1.5 - LOWEST) + 0.51 for r in balanced)  # to a twentieth of the leg
    assert sum(rises) == pytest.approx(10.0)


def test_a_way_of_hundreds_of_set_ups_is_not_planned_at_once():
    way = [Waypoint("BM", 50.0, 0.0), Waypoint("end", 50.0, 85.0)]
    with pytest.raises(KeelError, match="sights of 0.0005 m a way of 85 m takes more than 200 set-ups"):
        plan_standing(way, Reach(longest=0.0005))
    assert len(plan_standing(way, Reach(longest=85 / 400)).setups) == 200


@pytest.mark.parametrize("longest", [11.0, 23.0, 37.0])
def test_every_change_point_lies_on_the_ground(longest):
    way = [Waypoint("BM", 50.0, 0.0), Waypoint("bend", 51.0, 90.0), Waypoint("weir", 47.0, 170.0)]
    plan = plan_standing(way, Reach(longest=longest))
    for s in plan.setups:
        for along, height in (s.start, s.end):
            ground = 50.0 + along / 90 if along <= 90 else 51.0 - (along - 90) / 20
            assert height == pytest.approx(ground, abs=1e-9)
        assert s.end[0] - s.start[0] <= 2 * longest + 1e-9


def test_a_wall_too_high_for_the_staff_is_named():
    plan = plan_standing([Waypoint("foot", 50.0, 0.0), Waypoint("parapet", 150.0, 1.0)])
    assert plan.steep == ["foot to parapet"]


@pytest.mark.parametrize(
    ("way", "means", "said"),
    [
        ([Waypoint("BM", 50.0)], Reach(), "at least one mark"),
        ([Waypoint("BM", 50.0, 10.0), Waypoint("a", 50.0, 5.0)], Reach(), "order of walking"),
        ([Waypoint("BM", 50.0), Waypoint("a", 50.0)], Reach(staff=1.0), "shorter than"),
    ],
)
def test_what_can_not_be_planned_is_said(way, means, said):
    with pytest.raises(KeelError, match=said):
        plan_standing(way, means)


steps = st.lists(st.tuples(st.floats(-1.5, 1.5), st.floats(5, 60)), min_size=1, max_size=8)


@given(steps, st.floats(3, 5), st.floats(1.3, 1.8), st.floats(20, 60))
@settings(max_examples=80, deadline=None)
def test_every_planned_set_up_can_be_read(drawn, staff, eye, longest):
    way, height, along = [Waypoint("BM", 50.0, 0.0)], 50.0, 0.0
    for k, (rise, length) in enumerate(drawn):
        height, along = height + rise, along + length
        way.append(Waypoint(f"m{k}", height, along))
    means = Reach(staff, eye, 1.0, longest)
    plan = plan_standing(way, means)
    assert plan.setups[0].start == (0.0, 50.0) or plan.steep
    heights = {p.name: p.height for p in way}
    for s in plan.setups:
        seen = [s.start[1], s.end[1], *(heights[name] for name in s.reads)]
        for hc in (s.low, s.high):
            assert all(LOWEST - 1e-9 <= hc - h <= staff + 1e-9 for h in seen)
        assert max(s.back, s.fore) <= longest + 1e-6
    if not plan.steep:
        assert [s.start for s in plan.setups[1:]] == [s.end for s in plan.setups[:-1]]
        assert plan.setups[-1].end == (pytest.approx(along), pytest.approx(height))
        read = {name for s in plan.setups for name in (s.first, s.last, *s.reads)}
        assert {p.name for p in way} <= read
