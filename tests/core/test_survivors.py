"""Facts that small faults put into the core had shown nobody held to (`./run mutants`)."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.instruments.test_kit_checks import booked, traits_of
from tests.trades.supports.test_works import Book
from vivid_keel.core.booking.uncertainty import student_k
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.reversal import reverse
from vivid_keel.core.instruments.outcome import Found, spans_of
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.procedures.lasers import NEAREST
from vivid_keel.core.moving.drawn import tipped
from vivid_keel.core.moving.means import SCREW, Means, instruct
from vivid_keel.core.moving.plan import MovingBook
from vivid_keel.core.problems.solving import solve
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.visits import _crossing
from vivid_keel.trades.registry import problem_kinds


def test_a_list_that_is_missing_is_missing_and_not_of_the_wrong_sort():
    with pytest.raises(KeelError) as refused:
        solve("stack", {"stock": []}, problem_kinds())
    assert (refused.value.code, refused.value.where) == ("missing-field", "/problem/points")


def test_what_is_out_already_crosses_today():
    assert _crossing((0.004, 0.0), (0.001, 0.00005), 0.003, 0.0) == (0.0, 0.0)
    early, late = _crossing((0.002, 0.0), (0.001, 0.00025), 0.003, 0.0)
    assert early == pytest.approx(0.001 / 0.0015) and late == pytest.approx(0.001 / 0.0005)


def test_two_cycles_that_read_alike_are_known_to_the_resolution_by_student():
    """d/√24 a cycle, two of them: Student's factor goes with its mean, for they may be alike by luck."""
    found = reverse([(1.0, 0.0), (1.0, 0.0)], 0.5)
    floor = 0.5 / math.sqrt(24)
    assert found.u == pytest.approx(floor)
    assert found.k * found.u == pytest.approx(student_k(2) * floor / math.sqrt(2))


def test_a_tilt_over_a_span_is_said_in_millimetres():
    found = Found("level", "level", "tilt", 0.0006, 0.0001, 0.001)
    assert spans_of(found, [("the sill", 2.4), ("the wall", 6.0)]) == [
        "over the sill (2.4 m) 1.4 mm",
        "over the wall (6 m) 3.6 mm",
    ]


def test_too_near_says_how_much_further():
    rows = booked(0.0001, d=10.0, xp_1=1.002, xm_1=1.0, yp_1=1.0, ym_1=1.0)
    near = PROCEDURES["axes"].outcome(traits_of("rotary"), "", rows)
    assert f"Stand {NEAREST - 10.0:.1f} m or more further off" in near.trouble.message and NEAREST > 10


@pytest.mark.parametrize("move", [0.0031, -0.0031])
def test_a_screw_stops_at_the_end_of_its_travel_whichever_way_it_goes(move):
    told = instruct(Means(SCREW, {"pitch": 2, "travel": 2, "back": 2, "parts": 8}), move, math.nan)
    assert told.refused
    assert abs(told.done) <= 0.002 + 1e-9
    assert math.copysign(1, told.done) == math.copysign(1, move)
    assert abs(told.done) > 0.0017  # as far as it goes, to an eighth


def test_a_line_is_tipped_about_the_beginning_of_the_rows_along_and_not_across():
    book = Book("supports")
    book.way(0.0001)
    for name, text, x, y in (
        ("A1", "1.2500", 2.0, 0.0),
        ("A2", "1.2460", 4.0, 0.0),
        ("B1", "1.2470", 2.0, 7.0),
    ):
        body = {"name": name, "row": name[0], "x_m": x, "y_m": y, "sense": "hangs"}
        point = book.add(Draft(book.work, "point", body))
        body = {"point": point, "phase": "found", "reading": book.read(text)}
        book.add(Draft(book.work, "reading", body))
    before = book.supports()
    after = book.supports(target=tipped(before, 0.001))
    assert after.targets[0] == pytest.approx(before.targets[0])  # the beginning, at 2 m, stays
    assert after.targets[1] - before.targets[1] == pytest.approx(0.002)


def test_a_work_without_points_has_its_means_all_the_same():
    book: MovingBook = Book("supports").supports().book
    assert book.points == [] and book.all_means == [book.means]


def test_the_lowest_of_near_level_posts_was_picked_for_reading_low():
    for kind, side in (("lowest", "low"), ("highest", "high")):
        book = Book("supports")
        book.way(0.0005)
        rng = np.random.default_rng(3)
        for k in range(10):
            book.post(f"A{k}", f"{1.25 + rng.normal(0, 0.0001):.4f}", x=2.0 * k)
        book.add(Draft(book.work, "target", {"kind": kind}))
        from vivid_keel.core.moving.findings import _picking

        (found,) = _picking(book.supports())
        assert f"happens to be {side}" in found.text


@pytest.mark.parametrize(
    ("unit", "text", "step"), [("s", "12.5", 0.1), ("h", "3", 1.0), ("°C", "18.25", 0.01)]
)
def test_what_is_booked_is_known_to_its_last_digit(unit, text, step):
    from vivid_keel.core.instruments.booked import parse_step
    from vivid_keel.core.instruments.outcome import Step

    asked = Step("t", "", "", unit)
    assert parse_step(asked, text, traits_of("spirit"), "m", ".").step == pytest.approx(step)


def test_a_bubble_by_both_ends_is_known_to_its_coarser_end():
    """(a + b)/2, each to its last digit; the coarser decides: 0.1/√2 of 0.1."""
    from vivid_keel.core.instruments.booked import parse_step
    from vivid_keel.core.instruments.outcome import Step

    asked = Step("a", "", "", "div")
    one, both = (parse_step(asked, text, traits_of("spirit"), "m", ".") for text in ("1.50", "-3.4 6.65"))
    assert one.step == pytest.approx(0.01)
    assert both.value == pytest.approx(1.625) and both.step == pytest.approx(0.1 / math.sqrt(2))


def test_a_beam_is_never_taken_to_go_further_than_a_fifth_more_than_what_was_put_in():
    from vivid_keel.core.moving.response import Response

    moves, twice = [np.array([0.003, 0.0, 0.002])], [np.array([0.006, 0.0, 0.004])]
    assert Response.beams(3, [[0, 1, 2]], moves, twice).matrix.diagonal() == pytest.approx([1.2] * 3)


def test_a_run_that_closes_on_nothing_has_no_closing_sight():
    book = Book("run")
    book.known("BM", "50.000")
    book.sight("BS", "BM", "1.482", new=True)
    book.sight("FS", "sill", "1.117")
    closure = book.run().closure
    assert closure.misclosure is None and closure.row == -1 and closure.mark == ""


def test_a_limit_that_honest_runs_fail_just_seldom_enough_fits():
    from vivid_keel.core.booking.odds import SELDOM, fitting, odds

    u = 0.001
    low, high = 0.0, 0.01
    for _ in range(80):  # the limit that fails exactly so seldom, from the side where it does
        middle = (low + high) / 2
        low, high = (low, middle) if odds(middle, u).fails <= SELDOM else (middle, high)
    assert fitting([high], u) == 0 and fitting([low * 0.999], u) is None


def test_a_height_as_far_off_as_its_u_is_not_sure():
    from vivid_keel.core.moving.scale import AGREES, UNSURE, sense_by_eye

    heights = np.array([0.0, 0.002, 0.0])
    assert sense_by_eye(heights, 1, 0.002) == UNSURE and sense_by_eye(heights, 1, 0.001999) == AGREES


def test_student_holds_where_nothing_is_known_of_the_kind():
    from vivid_keel.core.instruments.repeats import of_repeats

    values = [1.0 + 0.001 * (-1) ** k for k in range(6)]
    found = of_repeats(values, 0.0, 0.0)
    s = float(np.std(values, ddof=1))
    n = len(values)
    assert found.k * found.u == pytest.approx(student_k(n) * s / math.sqrt(n))


def test_water_is_as_dense_as_the_tables_say():
    """Tanaka 2001, air-free at 101.325 kPa, to 1 ppm."""
    from vivid_keel.core.instruments.checks.tube import water_density

    for celsius, dense in ((4, 999.9750), (10, 999.7026), (20, 998.2067), (30, 995.6488), (40, 992.2152)):
        assert water_density(celsius) == pytest.approx(dense, abs=0.0005)


def test_a_place_in_a_feet_job_is_told_in_feet():
    from vivid_keel.core.quantities.show import LengthStyle

    assert LengthStyle("ft").place(12.34 * 0.3048) == "12.34" and LengthStyle("m").place(12.3456) == "12.346"


def test_six_azimuths_tell_a_wobble_and_five_do_not():
    from vivid_keel.core.body.axis import read_round

    def round_of(n):
        turns = [2 * math.pi * k / n for k in range(n)]
        return read_round(turns, [0.0002 * math.cos(2 * phi - 0.6) for phi in turns])

    assert round_of(5).twice is None
    assert math.hypot(*round_of(6).twice) == pytest.approx(0.0002)


def test_lines_between_known_marks_are_held_against_them():
    """With every height known χ² is Σ (v/σ)², v what each line misses by."""
    from vivid_keel.core.booking.network.adjust import LevelledLine, adjust

    known = {"A": (10.0, 0.0), "B": (12.0, 0.0)}
    net = adjust(known, [LevelledLine("A", "B", 2.003, 0.001), LevelledLine("B", "A", -1.996, 0.002)])
    assert net.sum_squares == pytest.approx((0.003 / 0.001) ** 2 + (0.004 / 0.002) ** 2)
    assert net.freedom == 2


def test_two_visits_within_a_week_tell_no_rate():
    from vivid_keel.core.record.visits import SHORTEST, drift, rate_of

    def rate(*at):
        return rate_of(np.array(at), np.array([0.0, 0.004, 0.006])[: len(at)], np.eye(len(at)) * 0.001**2 / 2)

    soon = drift("A", 0.004, 0.001, rate(0.0, SHORTEST * 0.99), 0.0, 0.01)
    assert soon.moved == "moved" and math.isnan(soon.rate)
    assert rate(0.0, SHORTEST * 1.01)[0] == pytest.approx(0.004 / (SHORTEST * 1.01))
    assert rate(0.0, 1.0, 2.0) == pytest.approx((0.003, 0.0005))


def test_how_unlikely_a_share_is_goes_by_squares_of_what_it_leaves():
    from vivid_keel.core.moving.response import SHARED, SPREAD, unlikely

    assert unlikely(8e-6, 0.001, SHARED) == pytest.approx(4.0)
    assert unlikely(0.0, 0.001, SHARED + SPREAD / 2) == pytest.approx(0.25)


def test_a_point_that_nobody_read_again_is_not_suspected():
    from vivid_keel.core.moving.response import reasons

    moves = np.array([math.nan, 0.004, math.nan, 0.003])
    change = np.array([0.0001, 0.0039, math.nan, 0.0031])
    assert reasons(moves, change, 0.0002) == []


def test_a_page_whose_two_ways_part_does_not_agree():
    from msgspec.structs import replace

    from vivid_keel.core.booking.checks import page_checks

    book = Book("run")
    book.known("BM", "50.000")
    book.sight("BS", "BM", "1.482", new=True)
    book.sight("FS", "sill", "1.117")
    good = page_checks(book.run().reduction)
    assert good.agree
    assert not replace(good, schools=0.00001).agree
    assert not replace(good, difference=replace(good.difference, left=good.difference.left + 0.00001)).agree


def test_a_foot_that_what_is_turned_would_carry_off_is_turned_too():
    from types import SimpleNamespace

    from vivid_keel.core.moving.engine import _carried_off
    from vivid_keel.core.moving.response import Response

    answer = np.array([[1.0, 0.0, 0.0], [0.5, 1.0, 0.0], [0.2, 0.0, 1.0]])
    learned = SimpleNamespace(carries=True, response=Response(answer))
    to = SimpleNamespace(keeper=2, by_keeper=False, moves=np.array([0.004, 0.0, 0.0]))
    lifts = np.array([0.004, 0.0, 0.0])
    assert _carried_off(learned, to, lifts, [0], [], 0.002) == [1]  # by 2 mm, more than half of two
    assert _carried_off(learned, to, lifts, [0], [1], 0.002) == []  # barred
    assert _carried_off(learned, to, lifts, [0], [], 0.0041) == []  # less than half of four
    assert _carried_off(learned, to, lifts, [0, 1], [], 0.001) == []  # the keeper is never turned
    assert _carried_off(learned, to, lifts, [], [], 0.001) == []
    loose = SimpleNamespace(carries=False, response=learned.response)
    assert _carried_off(loose, to, lifts, [0], [], 0.002) == []


def test_points_half_a_metre_apart_tell_a_place_and_what_is_wanting_is_told():
    from vivid_keel.core.surface.squared import tied

    a, b = np.array([1.0, 1.0]), np.array([1.5, 1.0])
    assert tied(a, b, 0.3, 0.4, left=True) == pytest.approx([1.18, 1.24])
    with pytest.raises(KeelError, match=r"meet: 0\.200 m are wanting; they lie 0\.500 m apart"):
        tied(a, b, 0.1, 0.2, left=True)
    with pytest.raises(KeelError, match=r"meet: 0\.300 m are wanting"):
        tied(a, b, 1.0, 0.2, left=True)


def test_a_slow_climb_stands_still_only_while_the_noise_explains_it():
    """A line through n numbers over a window w is told to σ/√Σ(t − t̄)²; three times that over the window is noise."""
    from vivid_keel.core.instruments.settling import stillness

    t = np.linspace(0.0, 10.0, 21)
    noise, digit = 0.02, 0.001
    told = 3 * math.hypot(noise, digit / math.sqrt(12)) * 10 / math.sqrt(float(((t - 5) ** 2).sum()))
    assert stillness(t, 0.9 * told * t / 10, 10.0, digit, noise).still
    assert not stillness(t, 1.1 * told * t / 10, 10.0, digit, noise).still


def test_leaves_are_taken_as_lying_close_where_nothing_is_said_of_interfaces():
    from vivid_keel.core.moving.stacks import choose_leaves

    chosen = choose_leaves(np.array([0.003]), [0.001, 0.002], [3, 3])
    assert chosen.residuals == pytest.approx([0.0], abs=1e-9)


def test_wedges_in_inches_are_driven_by_eighths():
    from dataclasses import replace

    from vivid_keel.core.moving.means import WEDGE
    from vivid_keel.core.quantities import LengthStyle

    means = replace(Means(WEDGE), style=LengthStyle("in", 2))
    taper = means.value("taper")
    told = instruct(means, 0.0254 / taper * 0.70)
    assert told.words.startswith("drive them ¾ in")
    assert told.done == pytest.approx(0.75 * 0.0254 / taper)


def test_six_feet_say_how_much_of_a_turn_tips_the_whole():
    """n feet of one body: the trace of the answer is n − (n − 3)·share."""
    from tests import measure_bodies
    from vivid_keel.core.body.standing import answer_findings, answer_of

    body = measure_bodies.Table(6, (0.4, 0.4), [3, 1])
    result = body.read("found")
    measure_bodies.keep_it(body, result)
    for i in result.to_do:
        body.of.turn(i, float(result.lifts[i]))
    result = body.read("left")
    put, leaves = result.put_in()
    entry = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    body.book.add(Draft(body.book.work, "pass", entry))
    result = body.result()
    share = (6 - float(np.trace(answer_of(result)))) / 3
    assert share == pytest.approx(0.4, abs=0.1)
    (said,) = [f for f in answer_findings(result) if "tips the whole" in f.title]
    assert f"{share * 100:.0f} " in said.title


def test_where_nothing_can_go_in_no_leaf_is_chosen():
    from vivid_keel.core.moving.stacks import Room, choose_leaves

    for most, stack in ((0, ()), (1, (0.001,)), (3, (0.001, 0.001))):
        room = Room(np.array([most]), np.array([1.0]))
        assert choose_leaves(np.array([0.002]), [0.001], [9], room=room).stacks == [stack]


def test_a_plot_of_half_a_square_metre_goes_anticlockwise_too():
    from vivid_keel.core.surface.outline import simple_outline

    small = np.array([(0.0, 0.0), (0.5, 0.0), (0.5, 0.5), (0.0, 0.5)])
    assert simple_outline(small).tolist() == small.tolist()
    assert simple_outline(small[::-1]).tolist() == small.tolist()


def test_an_outline_names_the_first_point_that_there_is_none_of():
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
    with pytest.raises(KeelError, match="no point 4") as refused:
        solve("depth", {"points": points, "outline": [0, 1, 2, 4], "water_m": 1.0}, problem_kinds())
    assert refused.value.where == "/problem/outline/3"


def test_a_budget_is_halved_by_one_line_where_one_is_enough():
    from vivid_keel.core.instruments.budget import to_halve
    from vivid_keel.core.proof import Budget, BudgetLine

    found = to_halve(Budget((BudgetLine("large", 1.0), BudgetLine("small", 0.1))))
    assert [line.name for line, _ in found] == ["large"]
    assert found[0][1] ** 2 + 0.1**2 == pytest.approx(1.01 / 4)
    assert len(to_halve(Budget((BudgetLine("a", 1.0), BudgetLine("b", 1.0))))) == 2
    assert to_halve(Budget((BudgetLine("a", 0.0),))) == []


def test_two_levels_that_lie_on_one_body_have_each_their_own_error_and_its_u():
    from vivid_keel.core.body.model import Body, Tilt, adjust

    body = Body(("a", "b", "c"), np.array([(0.0, 0.0), (1.0, 0.0), (0.0, 1.0)]), "rigid")
    seen = [
        Tilt(level, a, b, way, tilt + way * own, u)
        for level, own, u in (("fine", 1e-4, 1e-6), ("coarse", -3e-4, 1e-5))
        for a, b, tilt in ((0, 1, 2e-4), (0, 2, -1e-4))
        for way in (1, -1)
    ]
    found = adjust(body, seen)
    assert found.zeros == pytest.approx({"fine": 1e-4, "coarse": -3e-4}, abs=1e-12)
    # A reversal of two places: u of the zero is u/√4.
    assert found.u_zeros["fine"] == pytest.approx(0.5e-6, rel=0.01)
    assert found.u_zeros["coarse"] == pytest.approx(0.5e-5, rel=0.01)


def test_a_way_across_is_found_among_more_corners_than_are_joined():
    from vivid_keel.core.surface.tin import MOST_CORNERS, blindest, surface

    n = 3 * MOST_CORNERS
    ring = np.array(
        [(10 * math.cos(2 * math.pi * k / n), 10 * math.sin(2 * math.pi * k / n)) for k in range(n)]
    )
    rng = np.random.default_rng(8)
    inside = rng.uniform((-9, 1), (9, 4), (60, 2))  # nothing is known of the half below
    inside = inside[np.hypot(*inside.T) < 9]
    xyz = np.column_stack([np.concatenate([ring, inside]), np.zeros(n + len(inside))])
    a, b = blindest(surface(xyz, list(range(n))), ring)
    assert a != b and (ring[a, 1] + ring[b, 1]) / 2 < 0


def test_how_many_legs_a_string_has_is_said_with_the_numbers():
    from vivid_keel.core.surface.walks import walk_string

    with pytest.raises(KeelError, match="3 stakes have 2 legs, or 3 where"):
        walk_string(0.0, [("a", 0.1), ("b", 0.2), ("c", 0.3)], [5.0], closing=math.nan, allowed=0.01)


def test_a_reversal_without_a_stated_resolution_is_known_by_its_spread_alone():
    from vivid_keel.core.booking.uncertainty import student_k

    found = reverse([(1.0, 0.6), (1.2, 0.6), (1.1, 0.6)], None)
    errors = [0.2, 0.3, 0.25]
    spread = float(np.std(errors, ddof=1)) / math.sqrt(3)
    assert found.u == pytest.approx(spread) and found.k == pytest.approx(student_k(3))


def test_two_surfaces_that_share_three_points_tell_what_changed_between_them():
    from vivid_keel.core.surface.between import changed
    from vivid_keel.core.surface.tin import surface

    one = np.array([(0.0, 0.0, 0.0), (4.0, 0.0, 0.0), (0.0, 4.0, 0.0)])
    rise = changed(surface(one), surface(one + np.array([0.0, 0.0, 0.3])))
    assert rise is not None and rise.xyz[:, 2] == pytest.approx(0.3)


def test_a_fall_of_one_to_one_and_steeper_is_a_fall_and_to_nothing_is_none():
    from vivid_keel.core.quantities import parse_tilt

    for text, angle in (("1:1", math.atan(1.0)), ("1:0.5", math.atan(2.0)), ("-1:0.8", -math.atan(1 / 0.8))):
        assert parse_tilt(text, "mm/m", ".").value == pytest.approx(angle)
    with pytest.raises(KeelError, match="must be above 0"):
        parse_tilt("1:0", "mm/m", ".")


@pytest.mark.parametrize(("n", "words"), [(0, "there are 0"), (1, "there is 1"), (2, "there are 2")])
def test_too_few_points_are_counted_as_one_says_it(n, words):
    from vivid_keel.core.surface.tin import surface

    with pytest.raises(KeelError, match=words):
        surface(np.zeros((n, 3)))


@pytest.mark.parametrize("size", [0.01, 1.0, 1000.0])
def test_points_in_a_line_are_in_a_line_however_large_the_ground(size):
    """What counts is how wide they lie against how long."""
    from vivid_keel.core.surface.tin import FLAT, surface

    long = np.array([0.0, 0.5, 1.0, 0.25]) * size
    for wide, flat in ((0.3 * FLAT, True), (30 * FLAT, False)):
        xyz = np.column_stack([long, np.array([0.0, 1.0, 0.0, -1.0]) * wide * size, np.zeros(4)])
        if flat:
            with pytest.raises(KeelError, match="in a line"):
                surface(xyz)
        else:
            assert len(surface(xyz).triangles) == 2


def test_where_too_many_places_could_be_watched_each_foot_is_watched_where_it_shows_most():
    from vivid_keel.core.body.feet import MOST_TRIED, where_to_watch

    rng = np.random.default_rng(3)
    by_feet = rng.normal(size=(9, 12))
    assert by_feet.shape[0] ** by_feet.shape[1] > MOST_TRIED
    found = where_to_watch(by_feet, np.zeros(9))
    assert found == [max(range(9), key=lambda i: abs(by_feet[i, j])) for j in range(12)]


def test_in_a_long_book_a_joint_that_is_not_home_is_found_wherever_it_begins():
    """Of more than sixty set-ups not each is tried as its beginning, but places all along the book are."""
    from tests.measure_slips import Made, as_booked
    from vivid_keel.core.booking.layout import BS, FS, IS
    from vivid_keel.core.booking.slips.rank import find_slips

    rng, made, height = np.random.default_rng(7), Made(known={"T0": 50.0}), 50.0
    for s in range(90):
        back, between, fore = rng.uniform(0.4, 3.8, 3)
        made.known[f"T{s + 1}"], made.known[f"m{s}"] = height + back - fore, height + back - between
        height += back - fore
        for kind, mark, true in ((BS, f"T{s}", back), (IS, f"m{s}", between), (FS, f"T{s + 1}", fore)):
            if s >= 45 and true > 2.0:
                true += 0.012
                made.wrong.add(len(made.kinds))
            made.kinds.append(kind)
            made.marks.append(mark)
            made.setup.append(s)
            made.middle.append(round(float(true + rng.normal(0, 0.0004)), 3))
    for part in (made.look, made.upper, made.lower, made.far):
        part += [math.nan] * len(made.kinds)
    first = find_slips(as_booked(made)).suggestions[0]
    assert first.kind == "joint"
    assert len(made.wrong ^ set(first.rows)) <= 0.05 * len(made.wrong)


def test_heights_near_either_edge_of_a_band_are_drawn_together_alike():
    """By as much as noise spread them, about their own middle; up is to down as down is to up."""
    from vivid_keel.core.moving.picking import _drawn_together, _edges_together

    rng = np.random.default_rng(4)
    u = np.full(9, 0.0004)
    high = 5.0 + rng.normal(0, 0.002, 9)
    drawn = _drawn_together(high, u)
    assert drawn.mean() == pytest.approx(high.mean(), abs=1e-12)
    assert drawn.var(ddof=1) == pytest.approx(high.var(ddof=1) - 0.0004**2)
    band = np.concatenate(
        [rng.uniform(0.0091, 0.0099, 3), rng.uniform(-0.004, 0.0048, 4), [-0.0093, -0.0097]]
    )
    assert _edges_together(-band, u) == pytest.approx(-_edges_together(band, u), abs=1e-12)
    assert _edges_together(band, u)[3:7] == pytest.approx(band[3:7])  # nothing near an edge


def test_whether_all_went_at_once_is_reckoned_with_what_was_really_put_in():
    """Thickness less what hung under it and what its leaves close; then what was moved and what wasn't went alike."""
    from types import SimpleNamespace

    from vivid_keel.core.moving.result import Moved

    heights, moved = np.array([0.0, -0.010, -0.012, -0.008, 0.001, -0.011]), [1, 2, 3, 5]
    put, hung, leaves, closes = 0.0115, 0.0006, 3, 0.0002
    made = np.zeros(6)
    made[moved] = put - hung - closes * leaves
    for sank in (0.0, -0.004):
        result = SimpleNamespace(
            task=SimpleNamespace(one_line=True, both=False, influence=None, u_again=np.full(6, 0.0001)),
            heights=heights,
            left=heights + made + sank,
            to_move=moved,
            booked=lambda i: SimpleNamespace(put=put, hung=hung, leaves=leaves),
            learned=SimpleNamespace(interface=closes),
            predicted=lambda what: heights + what,
        )
        assert Moved.line_in_doubt.func(result) == pytest.approx(sank, abs=1e-12)


def test_of_many_pieces_that_hang_on_nothing_four_are_named():
    from vivid_keel.core.booking.network.adjust import LevelledLine, adjust

    lines = [LevelledLine(f"a{k}", f"b{k}", 1.0, 0.001) for k in range(7)]
    with pytest.raises(KeelError) as refused:
        adjust({"a0": (10.0, 0.0)}, lines)
    assert [f"a{k}, b{k}" in refused.value.message for k in range(7)] == [k in (1, 2, 3, 4) for k in range(7)]


def test_a_string_between_stakes_half_a_metre_apart_is_levelled_and_none_at_no_distance():
    problem = {
        "start_m": 1.0,
        "stakes": [{"name": "A", "down_m": 0.2}, {"name": "B", "down_m": 0.3}],
        "lengths_m": [0.5, 0.25],
        "closing_m": 0.0,
    }
    solved, _ = solve("string_walk", problem, problem_kinds())
    assert solved["ground_m"] == pytest.approx({"A": 0.8, "B": 0.7})
    with pytest.raises(KeelError, match="above 0"):
        solve("string_walk", {**problem, "lengths_m": [0.5, 0.0]}, problem_kinds())


def test_a_spread_has_no_sign_and_is_told_beside_what_is_kept():
    one = {
        f"{p}{w}_{k}": 1.4 + (p == "p") * 0.1 + 0.0004 * (k % 3)
        for w in (1, 2)
        for k in range(1, 11)
        for p in "pq"
    }
    one |= {f"p{w}_{k}": 1.5 + 0.0007 * (k % 2) for w in (1, 2) for k in range(1, 11)}
    outcome = PROCEDURES["field"].outcome(traits_of("optical"), "", booked(0.0001, both=60.0, **one))
    (spread,) = [line for line in outcome.lines if line[0] == "Spread of one difference"]
    assert spread[1][0].isdigit() and spread[2].startswith("kept up to")
    (double,) = [line for line in outcome.lines if line[0] == "1 km double run"]
    assert double[1][0].isdigit()


def test_a_fan_as_steep_as_its_way_leaves_once():
    """Speed just twice its own u: (left − s·t)² = 4·u² + s²·t² has one answer, t = (left² − 4·u²) / (2·left·s)."""
    # Powers of two, for their squares are exact.
    early, late = _crossing((0.002, 0.001), (2**-9, 2**-10), 0.01, 0.0)
    assert early == pytest.approx((0.008**2 - 4 * 0.001**2) / (2 * 0.008 * 2**-9))
    assert late == math.inf


def test_of_more_points_than_are_drawn_some_are_foretold(monkeypatch):
    from vivid_keel.core.surface import uncertainty
    from vivid_keel.core.surface.tin import surface

    rng = np.random.default_rng(4)
    tin = surface(np.column_stack([rng.uniform(0, 20, (300, 2)), rng.normal(0, 0.01, 300)]))
    monkeypatch.setattr(uncertainty, "SAMPLE", 120)
    told = np.isfinite(uncertainty.foretold(tin)).sum()
    assert 80 <= told <= 120


def test_nothing_lies_over_and_under_nothing():
    from vivid_keel.core.surface.against import Against, Plane, against

    assert against(np.empty((0, 3, 3)), Plane(1.0)) == Against(*[0.0] * 7)


def test_leaves_that_come_within_are_not_yet_proven_within():
    """What is left over is less than the tolerance, with its U it isn't: the stock comes within, no more."""
    from tests.saying import what_is_said
    from vivid_keel.core.moving.choosing import pack

    floor = Book("supports")
    floor.post("A1", "1.2600")
    floor.post("A2", "1.2700", x=2.4)
    floor.stock(("10 mm", 1), ("3 mm", 1))
    for u, title in ((0.0003, "Stock is enough"), (0.0009, "Stock comes within")):
        floor.way(u)
        result = floor.supports(packing=pack(floor.supports()))
        assert [f.title for f in what_is_said("supports", result, "Moves") if f.title.startswith(title)]


def test_a_single_post_that_was_read_twice_is_proven():
    floor = Book("supports")
    floor.post("A1", "1.2600", "1.2600")
    assert floor.supports().all_proven
    floor.post("A2", "1.2700", x=2.4)
    assert not floor.supports().all_proven
