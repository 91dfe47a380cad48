"""Means, limits, order, partial targets, what to buy: facts and laws of moving supports."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.saying import what_is_said
from tests.trades.supports.test_works import Book
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import parse_fact
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.moving.means import (
    FILL,
    HIGH,
    JACK,
    KIND,
    KINDS,
    LEAVES,
    SCREW,
    TRIM,
    WEDGE,
    Means,
    instruct,
)
from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.moving.result import target_words
from vivid_keel.core.moving.screws import in_parts
from vivid_keel.core.moving.stacks import choose_leaves, shopping
from vivid_keel.core.moving.stages import order, three_feet
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.supports.findings import eye_check

MOVES = st.integers(-15000, 15000).map(lambda k: k / 1e6)


@pytest.fixture
def floor():
    b = Book("supports")
    b.way(0.0001)
    b.tolerance("1 mm")
    for name, found, x in (
        ("A1", "1.2500", 0.0),
        ("A2", "1.2460", 2.0),
        ("A3", "1.2400", 4.0),
        ("A4", "1.2490", 6.0),
    ):
        b.post(name, found, x=x)
    return b


def limits(book, **change):
    old = book.journal.latest(book.work, "limits")
    book.add(Draft(book.work, "limits", {**old.body, **change}))


# Means


def test_a_screw_of_two_millimetres_goes_up_by_a_turn_and_three_eighths():
    told = instruct(Means(SCREW, {"pitch": 2.0}), 0.0027)
    assert told.words == "1⅜ turns clockwise"
    assert told.done == pytest.approx(0.00275)


def test_the_sense_of_a_screw_turns_the_words_round():
    up = {"pitch": 2.0, "sense": 1.0}
    assert instruct(Means(SCREW, up), 0.001).words == "½ turn anticlockwise"
    down = instruct(Means(SCREW, up), -0.001)
    assert down.whole == "½ turn clockwise, a hair past, then up to the mark"


def test_flats_of_a_nut_are_counted():
    assert instruct(Means(SCREW, {"pitch": 1.5, "parts": 6}), 0.001).words == "4 flats clockwise"
    assert instruct(Means(SCREW, {"pitch": 1.5, "parts": 6}), 0.00025).words == "1 flat clockwise"


def test_two_schools_of_coming_to_the_mark():
    below, high = Means(SCREW, {"pitch": 1.0}), Means(SCREW, {"pitch": 1.0, "school": 1.0})
    assert high.choice("school") == HIGH
    # Always from below: upward straight to it, downward past it and up again.
    assert np.isnan(instruct(below, 0.002).first)
    assert instruct(below, -0.002).first == pytest.approx(-0.0022)
    # A hair high, then drawn down: past it whichever way.
    assert instruct(high, 0.002).first == pytest.approx(0.0022)
    assert instruct(high, -0.002).first == pytest.approx(-0.0018)


def test_what_the_lock_nut_lifts_is_taken_off_beforehand():
    told = instruct(Means(SCREW, {"pitch": 1.0, "lock": 0.25}), 0.00125)
    assert told.whole == "1 turn clockwise, then lock it"
    assert told.done == pytest.approx(0.00125)


def test_travel_that_ends_is_said_with_the_amounts():
    told = instruct(Means(SCREW, {"pitch": 2.0, "travel": 3.0}), 0.0101)
    assert "10.1 mm and 3.0 mm are left" in told.refused
    assert told.done <= 0.003
    assert instruct(Means(SCREW, {"pitch": 2.0}), 0.010, travel=0.002).refused
    assert "come down" in instruct(Means(JACK, {"back": 1.0}), -0.004).refused


def test_a_jack_lifts_to_a_reading_and_knows_its_rating():
    assert "to the reading" in instruct(Means(JACK), 0.006).words
    assert "rated for 50 kN" in instruct(Means(JACK, {"rating": 50, "load": 80}), 0.006).refused


def test_wedges_are_driven_by_their_taper():
    told = instruct(Means(WEDGE, {"taper": 20}), 0.0023)
    assert told.words == "drive them 46 mm"
    assert told.done == pytest.approx(0.0023)
    assert instruct(Means(WEDGE, {"taper": 20, "length": 30}), 0.0023).refused
    assert instruct(Means(WEDGE), -0.001).refused  # not drawn back under load


def test_fill_is_measured_loose():
    # 20 mm over 2 m² packed is 40 l, loose 50 l: five buckets of ten.
    told = instruct(Means(FILL, {"area": 2, "factor": 1.25, "measure": 10}), 0.020)
    assert told.whole == "5 measures in, tamp it"
    assert (
        instruct(Means(FILL, {"area": 2, "factor": 1.25, "measure": 10}), -0.010).words == "2½ measures out"
    )


def test_trimming_only_takes_off():
    assert instruct(Means(TRIM), -0.002).words == "take off 2.0 mm"
    assert "only takes off" in instruct(Means(TRIM), 0.002).refused
    assert "3.0 mm are left" in instruct(Means(TRIM), -0.005).refused


def test_leaves_are_not_told_one_by_one():
    with pytest.raises(KeelError, match="all points together"):
        instruct(Means(LEAVES), 0.001)


@given(
    MOVES, st.sampled_from([SCREW, WEDGE, JACK, FILL, TRIM]), st.integers(2, 12), st.sampled_from([0.0, 1.0])
)
def test_what_a_hand_does_is_the_move_to_half_a_step_or_it_is_refused(move, kind, parts, school):
    means = Means(
        kind, {"parts": parts, "school": school, "length": 400, "back": 20} if kind in {SCREW, WEDGE} else {}
    )
    told = instruct(means, move)
    step = {SCREW: 0.002 / parts, WEDGE: 0.001 / 20, FILL: 0.010 / 1.25, JACK: 0.0, TRIM: 0.0}[kind]
    if told.refused:
        assert abs(told.done) <= abs(move) + step / 2 + 1e-12
    else:
        assert abs(told.done - move) <= step / 2 + 1e-12


def test_every_means_has_its_usual_numbers_within_its_own_bounds():
    for kind in KINDS:
        for asked in kind.asked:
            assert asked.choices or asked.allows(float(asked.usual)), (kind.key, asked.key)
            Means(kind.key).value(asked.key)


@pytest.mark.parametrize(
    ("steps", "parts", "text"), [(11, 8, "1⅜"), (4, 8, "½"), (16, 8, "2"), (21, 16, "1 5/16"), (0, 8, "0")]
)
def test_fractions_are_set_as_in_print(steps, parts, text):
    assert in_parts(steps, parts) == text


# Order


def test_three_feet_carry_it_with_its_middle_well_inside_and_the_middle_feet_come_last():
    xy = np.array([(0, 0), (1, 0), (2, 0), (3, 0), (0, 1), (1, 1), (2, 1), (3, 1)], dtype=float)
    feet = three_feet(xy)
    corners, middle = xy[list(feet)], xy.mean(axis=0)
    shares = np.linalg.solve(np.vstack([corners.T, np.ones(3)]), [*middle, 1.0])
    assert (
        shares.min() > 0.15
    )  # the middle of its weight lies inside: three corners carry it on their edge only
    assert np.ptp(corners[:, 0]) == 3
    work = order(np.full(8, 0.003), xy, "three")
    assert set(work[:3]) == set(feet)
    assert set(work[-3:]) <= {1, 2, 5, 6}
    assert sorted(work) == list(range(8))


def test_of_a_triangle_on_its_edge_none_is_better_and_any_three_corners_serve():
    xy = np.array([(0, 0), (1.6, 0), (1.6, 0.9), (0, 0.9)])
    assert three_feet(xy) == (0, 1, 2)


def test_points_in_line_have_no_three_feet():
    xy = np.array([(k, 2.0) for k in range(5)], dtype=float)
    assert three_feet(xy) is None
    assert order(np.array([0.001, 0.003, 0.0, 0.002, np.nan]), xy, "three") == [1, 3, 0]


def test_round_about_goes_across_each_time():
    xy = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], dtype=float)
    work = order(np.full(4, 0.002), xy, "round")
    assert [tuple(np.abs(xy[b] - xy[a])) for a, b in ((work[0], work[1]), (work[2], work[3]))] == [
        (1, 1),
        (1, 1),
    ]


# What to buy


@settings(max_examples=40)
@given(st.lists(st.integers(1, 90), min_size=1, max_size=5))
def test_with_what_is_bought_every_point_is_within_its_bound(wanted):
    thick, counts, within = [0.006, 0.003, 0.001], [1, 0, 1], 0.0006
    want = np.array(wanted) / 10000
    buy = shopping(want, within, thick, counts, 0.0, 4)
    assert buy is not None
    more = [c + dict(buy).get(t, 0) for t, c in zip(thick, counts, strict=True)]
    assert choose_leaves(want, thick, more, 0.0, 4).greatest_residual <= within + 1e-9
    if not buy:
        assert choose_leaves(want, thick, counts, 0.0, 4).greatest_residual <= within + 1e-9


def test_no_number_of_thick_leaves_reaches_a_fine_bound():
    assert shopping(np.array([0.0025]), 0.0002, [0.002], [4]) is None
    assert shopping(np.array([]), 0.0002, [0.002], [4]) is None


def test_a_search_tells_how_near_it_has_come():
    rng = np.random.default_rng(3)
    heard = []
    found = choose_leaves(
        rng.uniform(0, 0.01, 10), [0.004, 0.0017, 0.0009], [6, 5, 4], 0.0, 4, lambda: 8.0, heard.append
    )
    assert heard and all(
        b.greatest_residual < a.greatest_residual for a, b in zip(heard, heard[1:], strict=False)
    )
    assert found.greatest_residual <= heard[-1].greatest_residual + 1e-12


def test_a_stock_that_can_not_reach_says_what_to_buy(floor):
    floor.stock(("5 mm", 1), ("1 mm", 1))
    bare = floor.supports()
    packing = pack(bare)
    said = [
        f
        for f in what_is_said("supports", floor.supports(packing=packing), "Moves")
        if "is not enough" in f.title
    ]
    assert len(said) == 1 and "To buy: " in said[0].text and "of 5 mm" in said[0].text
    have = dict(packing.to_buy)
    more = [1 + have.get(0.005, 0), 1 + have.get(0.001, 0)]
    assert choose_leaves(bare.wanted, [0.005, 0.001], more, 0.0, 4).greatest_residual <= 0.001


def test_what_was_proven_is_there_at_once_and_only_that(floor, monkeypatch):
    from vivid_keel.core.moving import choosing as engine

    solved = []

    def counting(*given):
        solved.append(given)
        return choose_leaves(*given)

    monkeypatch.setattr(engine, "choose_leaves", counting)
    monkeypatch.setattr(engine, "_proven", {})
    monkeypatch.setattr(engine, "REMEMBERED", 2)
    floor.stock(("4 mm", 3), ("0.7 mm", 2))
    assert not pack(floor.supports(), lambda: 0.0).proven
    first = pack(floor.supports())
    assert first.proven and len(solved) == 2  # hurried and not
    assert pack(floor.supports()) == first and len(solved) == 2
    floor.stock(("0.3 mm", 5))
    other = pack(floor.supports())
    assert len(solved) == 3 and other.stacks != first.stacks
    limits(floor, **{"tolerance": floor.read("0.8 mm")})
    pack(floor.supports())
    assert len(solved) == 4
    pack(floor.supports())
    assert len(solved) == 4 and len(engine._proven) == 2
    with pytest.raises(ValueError, match="read-only"):
        first.residuals[0] = 0.0


def test_a_round_takes_its_leaves_from_the_stock(floor):
    floor.stock(("4 mm", 3), ("1 mm", 9))
    r = floor.supports(packing=pack(floor.supports()))
    put, leaves = r.put_in()
    for p in r.book.points:
        floor.add(
            Draft(floor.work, "reading", {"point": p.id, "phase": "left", "reading": floor.read("1.2500")})
        )
    body = {
        "put": {str(k): v for k, v in put.items()},
        "leaves": {str(k): v for k, v in leaves.items()},
        "used": r.used(),
    }
    floor.add(Draft(floor.work, "pass", body))
    book = floor.supports().book
    assert {leaf.text: leaf.count + leaf.used for leaf in book.stock} == {"4 mm": 3, "1 mm": 9}
    assert sum(leaf.used for leaf in book.stock) == sum(leaves.values()) > 0
    # A count typed afterwards is a count of what is there now.
    old = floor.journal.standing(floor.work, "leaf")[0]
    floor.add(Draft(floor.work, "leaf", {**old.body, "count": 20}, strikes=old.id))
    assert {leaf.text: (leaf.count, leaf.used) for leaf in floor.supports().book.stock}["4 mm"] == (20, 0)


# Limits, partial targets, as drawn


def test_raise_only_refuses_a_keeper_that_stands_below_others(floor):
    limits(floor, ways="raise only")
    keep = next(p.id for p in floor.supports().book.points if p.name == "A2")
    r = floor.supports(target=TargetChoice("keep", keep))
    assert [r.book.points[i].name for i in r.broken] == ["A1", "A4"]
    assert "A1 by 4.0 mm down" in r.limits_said and "raise only" in r.limits_said
    assert not floor.supports(target=TargetChoice("highest")).broken


def test_the_largest_move_bounds_a_target(floor):
    limits(floor, most_m=0.006)
    r = floor.supports()
    assert [r.book.points[i].name for i in r.broken] == ["A3"] and "10.0 mm up" in r.limits_said
    assert is_missing(r.first_to(r.broken[0]))  # nothing is offered there
    floor.stock(("4 mm", 9))
    packed = floor.supports(packing=pack(floor.supports()))
    assert packed.stack(r.broken[0]) == ()


def test_a_partial_target_goes_its_share_of_the_way_and_keeps_to_it_round_by_round(floor):
    whole = floor.supports()
    limits(floor, share=0.5)
    half = floor.supports()
    assert half.moves == pytest.approx(whole.moves / 2, abs=1e-12)
    assert (half.u_deviation < whole.u_deviation + 1e-12).all()
    # A round that did it exactly leaves nothing to do: the goal stays that of the sag as it first was.
    for p, move in zip(half.book.points, half.moves, strict=True):
        text = f"{p.found.value + move:.4f}"
        floor.add(Draft(floor.work, "reading", {"point": p.id, "phase": "left", "reading": floor.read(text)}))
    floor.add(Draft(floor.work, "pass", {"put": {}, "leaves": {}}))
    again = floor.supports()
    assert again.moves == pytest.approx(np.zeros(4), abs=1e-9)
    assert again.to_move == []


def test_the_stated_uncertainty_of_a_partial_target_covers(floor):
    limits(floor, share=0.6)
    u = floor.supports().u_deviation
    rng = np.random.default_rng(5)
    heights = np.array([1.2500, 1.2460, 1.2400, 1.2490]) + rng.normal(0, 0.0001, (20000, 4))
    full = heights[:, :1]  # the highest by far is always the first
    moves = heights + 0.6 * (full - heights) - heights
    assert moves.std(axis=0)[1:] == pytest.approx(u[1:], rel=0.05)


def test_as_drawn_brings_each_to_its_own_height(floor):
    for e in floor.journal.standing(floor.work, "point"):
        camber = {"A2": 0.004, "A3": 0.004}.get(e.body["name"], 0.0)
        floor.add(Draft(floor.work, "point", {**e.body, "wanted_m": camber}, strikes=e.id))
    r = floor.supports(target=TargetChoice("given"))
    after = dict(zip("1234", r.heights + r.moves, strict=True))
    assert after["2"] - after["1"] == pytest.approx(0.004) and after["3"] - after["4"] == pytest.approx(0.004)
    assert (r.moves >= -1e-12).all() and r.moves.min() == pytest.approx(0, abs=1e-12)


def test_a_reading_set_by_hand_moves_with_the_line(floor):
    floor.add(Draft(floor.work, "reference", {"phase": "found", "reading": floor.read("0.8000")}))
    floor.add(Draft(floor.work, "target", {"kind": "height", "reading": floor.read("1.2500")}))
    before = floor.supports()
    # The instrument is set up 12 mm higher: scales that hang from the beam read 12 mm less.
    floor.add(Draft(floor.work, "reference", {"phase": "left", "reading": floor.read("0.8120")}))
    for p in before.book.points:
        floor.add(
            Draft(
                floor.work,
                "reading",
                {"point": p.id, "phase": "left", "reading": floor.read(f"{p.found.value - 0.012:.4f}")},
            )
        )
    floor.add(Draft(floor.work, "pass", {"put": {}, "leaves": {}}))
    after = floor.supports()
    assert after.book.target.reading == pytest.approx(1.238)
    assert after.moves == pytest.approx(before.moves, abs=1e-9)


def test_what_no_means_can_have_is_left_out_of_a_file_made_elsewhere(floor):
    floor.add(
        Draft(
            floor.work,
            "mover",
            {"what": "screw", "values": {"sense": 7, "parts": 0, "pitch": -3, "travel": 12, "colour": 2}},
        )
    )
    floor.add(Draft(floor.work, "look-again", {"due": "soon"}))
    limits(floor, ways="sideways", share=9, order="as it comes")
    book = floor.supports().book
    assert (book.means.kind, book.means.values) == ("screw", {"travel": 12.0})
    assert (book.limits.ways, book.limits.share, book.limits.order, book.looks) == (
        "raise or lower",
        1.0,
        "need",
        [],
    )
    floor.add(Draft(floor.work, "mover", {"what": "balloon", "values": {}}))
    assert floor.supports().book.means.kind == LEAVES


# The jack's own reading, screws in a work, the eye


def test_the_jack_reads_more_than_the_reading_to_stop_at(floor):
    floor.stock(("4 mm", 9), ("1 mm", 9))
    limits(floor, interface_m=0.0001, clearance_m=0.001, neighbours_m=0.0)
    r = floor.supports(packing=pack(floor.supports()))
    i = r.to_move[0]
    stack = r.stack(i)
    assert r.first_to(i) == pytest.approx(r.book.points[i].found.value + sum(stack) + 0.001)
    assert r.first_to(i) - r.stop_at(i) == pytest.approx(
        0.001 + 0.0001 * len(stack)
    )  # hung from the beam: higher reads more


def test_supports_on_screws_say_turns_and_where_to_stop(floor):
    floor.add(Draft(floor.work, "mover", {"what": "screw", "values": {"pitch": 2.0}}))
    r = floor.supports()
    i = next(k for k, p in enumerate(r.book.points) if p.name == "A3")
    assert r.instructions[i].words == "5 turns clockwise"
    assert r.stop_at(i) == pytest.approx(1.25)
    assert pack(r) is None
    assert r.put_in()[0][r.book.points[i].id] == pytest.approx(0.010)


def test_a_post_with_less_travel_says_so_and_has_less_after_a_round(floor):
    for e in floor.journal.standing(floor.work, "point"):
        if e.body["name"] == "A3":
            floor.add(Draft(floor.work, "point", {**e.body, "travel_m": 0.004}, strikes=e.id))
    floor.add(Draft(floor.work, "mover", {"what": "screw", "values": {"pitch": 2.0}}))
    r = floor.supports()
    assert [r.book.points[i].name for i, _ in r.can_not] == ["A3"]
    assert any(
        f.verdict == "out" and "A3" in f.title and "4.0 mm are left" in f.text
        for f in what_is_said("supports", r, "Moves")
    )
    put = r.put_in()[0]
    floor.add(Draft(floor.work, "pass", {"put": {str(k): v for k, v in put.items()}, "leaves": {}}))
    assert next(p.travel for p in floor.supports().book.points if p.name == "A3") == pytest.approx(0.0)


@pytest.mark.parametrize(("name", "says"), [("A1", "agrees"), ("A3", "contradicts")])
def test_the_post_that_looks_high_tells_a_sense_turned_round(floor, name, says):
    assert eye_check(floor.supports()) == ""
    titles = [f.title for f in what_is_said("supports", floor.supports(), "Readings")]
    assert "Which post looks high?" in titles
    point = next(p.id for p in floor.supports().book.points if p.name == name)
    floor.add(Draft(floor.work, "by-eye", {"point": point}))
    assert eye_check(floor.supports()) == says
    said = [f for f in what_is_said("supports", floor.supports(), "Readings") if "looks high" in f.title]
    assert bool(said) == (says == "contradicts") and all(f.verdict == "out" for f in said)


def test_a_post_near_the_middle_can_not_tell(floor):
    floor.post("A5", "1.2476")
    point = next(p.id for p in floor.supports().book.points if p.name == "A5")
    floor.add(Draft(floor.work, "by-eye", {"point": point}))
    floor.way(0.002)
    assert eye_check(floor.supports()) == "can't tell"


# The line in the hand


@given(
    st.floats(-0.01, 0.01), st.floats(-0.005, 0.005), st.sampled_from(["highest", "mean", "best-fit", "fall"])
)
def test_a_tipped_line_turns_about_the_beginning_and_a_raised_one_goes_up_as_it_is(gradient, up, kind):
    from vivid_keel.core.moving.drawn import as_fall, raised, tipped

    b = Book("supports")
    b.way(0.0001)
    b.tolerance("1 mm")
    for k, text in enumerate(("1.2500", "1.2460", "1.2400", "1.2490")):
        b.post(f"A{k}", text, x=2.0 * k)
    b.add(Draft(b.work, "point", {"name": "B", "row": "B", "x_m": 1.0, "y_m": 3.0}))
    last = b.journal.standing(b.work, "point")[-1].id
    b.add(Draft(b.work, "reading", {"point": last, "phase": "found", "reading": b.read("1.2450")}))
    before = b.supports(target=TargetChoice(kind, gradient=(0.001, 0.0)))
    after = b.supports(target=tipped(before, gradient))
    assert after.targets[0] == pytest.approx(before.targets[0], abs=1e-9)
    assert (after.targets[3] - after.targets[0]) / 6.0 == pytest.approx(round(gradient, 4), abs=1e-9)
    higher = b.supports(target=raised(after, after.target + up))
    assert higher.targets - after.targets == pytest.approx(np.full(5, up), abs=1e-9)
    assert as_fall(higher)[0] == as_fall(after)[0]
    assert tipped(before, 0.3) is None


@pytest.mark.parametrize("school", [0, 1])
@pytest.mark.parametrize("move", [0.0, 0.00004, -0.00004])
def test_a_screw_that_is_left_has_nowhere_to_go_first(school, move):
    told = instruct(Means(SCREW, {"pitch": 2.0, "school": float(school)}), move)
    assert told.words == "leave the screw"
    assert is_missing(told.first)
    assert told.done == 0.0


def test_a_screw_goes_past_its_mark_first_where_that_is_the_school_or_the_way_down():
    hair = 0.0001  # m, told in mm
    for school, move, past in ((0, 0.01, None), (0, -0.01, -hair), (1, 0.01, hair), (1, -0.01, hair)):
        told = instruct(Means(SCREW, {"pitch": 2.0, "school": float(school), "hair": 1000 * hair}), move)
        assert told.done == pytest.approx(move)
        if past is None:
            assert is_missing(told.first)
        else:
            assert told.first == pytest.approx(move + past)


def test_a_target_is_named_with_its_share_only_where_it_is_not_the_whole_way(floor):
    assert target_words(floor.supports().book, floor.supports()).startswith("the highest")
    limits(floor, share=0.4)
    assert target_words(floor.supports().book, floor.supports()).startswith("40 % of the way to the highest")


@pytest.mark.parametrize(
    ("move", "words"),
    [
        (0.0126, "jack up 3 turns, to the reading"),
        (-0.0022, "let down ½ turn, to the reading"),
        (0.0042, "jack up 1 turn, to the reading"),
    ],
)
def test_a_screw_jack_is_wound_by_turns(move, words):
    jack = Means("jack", {"turn": 4.2333, "travel": 50, "back": 50})
    assert instruct(jack, move).words == words
    assert instruct(Means("jack", {}), move).words in {"jack up to the reading", "let down to the reading"}
    assert parse_fact(next(a for a in KIND["jack"].asked if a.key == "turn"), "6 tpi").value == pytest.approx(
        0.0254 / 6
    )


def test_of_equal_needs_the_first_in_the_list_goes_first_on_any_machine():
    moves = np.array([0.001, 0.008 - 1e-15, -0.008, 0.008 + 1e-15])
    xy = np.column_stack([np.arange(4.0), np.zeros(4)])
    assert order(moves, xy) == [1, 2, 3, 0]
