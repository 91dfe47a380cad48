"""Laws of the small pieces: what holds whatever the numbers are."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from vivid_keel.core.instruments.drift import fit_drift, forecast
from vivid_keel.core.instruments.outcome import (
    ADJUST,
    CORRECT,
    MOST_CYCLES,
    OUT_OF_USE,
    SETTLE,
    TRUST,
    Found,
    Outcome,
    Seen,
    cycles_of,
    open_cycle,
    resolution,
    show_in,
    spans_of,
)
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.instruments.settling import stillness
from vivid_keel.core.moving.response import Response, passes_to_go, took
from vivid_keel.core.moving.stages import neighbour_limit, order
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import EQUAL, is_missing
from vivid_keel.core.quantities.rounding import at_most, round_half_away
from vivid_keel.trades.marks.carry import CHAIN, STAR, Measured, carry, closed_chain_u, order_of_carrying
from vivid_keel.trades.vehicle.wheels import at_jockey, board_side, nearest_step, wheels

small = st.floats(-0.05, 0.05)


# --- repeats ---


@given(
    st.lists(st.floats(-5, 5), min_size=2, max_size=8),
    st.floats(0.01, 1),
    st.floats(0, 0.5),
    st.floats(-9, 9),
)
def test_repeats_move_with_their_values_and_do_not_care_about_order(values, stated, floor, shift):
    plain = of_repeats(values, stated, floor)
    assert min(values) - 1e-9 <= plain.mean <= max(values) + 1e-9
    shuffled = random.Random(1).sample(values, len(values))
    moved = of_repeats([v + shift for v in shuffled], stated, floor)
    assert moved.mean == pytest.approx(plain.mean + shift, abs=1e-9)
    assert pytest.approx(plain.U, abs=1e-7) == moved.U


@given(st.floats(-5, 5), st.floats(0.01, 1), st.floats(0, 0.5), st.integers(1, 10))
def test_repeats_that_agree_never_average_the_resolution_away(value, stated, floor, n):
    r = of_repeats([value] * n, stated, floor)
    assert 2 * floor - 1e-12 <= r.U
    assert 0.99 * math.hypot(stated, floor) / math.sqrt(n) <= r.U


def test_one_repeat_has_what_the_kind_is_known_for():
    r = of_repeats([1.25], 0.3, 0.4)
    assert (r.mean, r.u, r.k) == (1.25, pytest.approx(0.5), 2.0)
    assert math.isnan(r.spread)


# --- drift ---


@given(st.floats(-1e-3, 1e-3), st.floats(-1e-6, 1e-6), st.integers(3, 9))
def test_checks_on_a_line_give_that_line_back(value, slope, n):
    days = np.arange(n) * 30.0
    fit = fit_drift(days, value + slope * days, np.full(n, 1e-5))
    assert fit is not None
    line, U = fit.at(np.array([0.0, 400.0]))
    assert line == pytest.approx([value, value + 400 * slope], abs=1e-9)
    # Beyond the checks the line is known worse than among them.
    assert U[1] > fit.at(np.array([fit.t0]))[1][0]


def test_a_forecast_brackets_the_day_of_crossing():
    days = np.array([0.0, 30.0, 60.0, 90.0])
    fit = fit_drift(days, 1e-6 * days, np.full(4, 5e-6))
    assert fit is not None and fit.tells
    f = forecast(fit, 90.0, 2e-4)
    assert f.days == pytest.approx(110.0, abs=0.5)
    assert f.early < f.days < f.late
    still = fit_drift(days, np.zeros(4), np.full(4, 5e-6))
    assert still is not None and not still.tells
    assert forecast(still, 90.0, 2e-4).days == math.inf


def test_what_is_over_the_limit_already_crosses_today():
    days = np.array([0.0, 30.0, 60.0])
    fit = fit_drift(days, np.full(3, 3e-4), np.full(3, 1e-5))
    assert fit is not None
    assert forecast(fit, 60.0, 2e-4).days == 0.0


# --- settling ---


@given(st.floats(-10, 10), st.integers(5, 40))
def test_a_stream_that_stands_is_still(value, n):
    s = stillness(np.linspace(0, 4, n), np.full(n, value), 4.0, 0.01, 0.01)
    assert s.still and s.value == pytest.approx(value) and s.n == n


@given(st.floats(0.05, 5), st.sampled_from([-1, 1]))
def test_a_stream_that_runs_is_not(speed, way):
    t = np.linspace(0, 4, 20)
    assert not stillness(t, way * speed * t, 4.0, 0.01, 0.01).still


def test_few_numbers_or_a_short_while_are_not_enough():
    assert not stillness(np.array([]), np.array([]), 4.0, 0.01, 0.01).still
    assert not stillness(np.linspace(0, 4, 4), np.zeros(4), 4.0, 0.01, 0.01).still
    assert not stillness(np.linspace(0, 2, 20), np.zeros(20), 4.0, 0.01, 0.01).still


def test_only_the_last_seconds_count():
    t = np.linspace(0, 20, 101)
    v = np.where(t < 12, 12 - t, 0.0)
    assert stillness(t, v, 4.0, 0.01, 0.01).still
    assert not stillness(t[:58], v[:58], 4.0, 0.01, 0.01).still


# --- what follows from what was found ---


def found(value, U, limit=1e-4, *, correctable=True, adjust="turn the screw"):
    return Found(
        "collimation", "line of sight", "tilt", value, U, limit, correctable=correctable, adjust=adjust
    )


@pytest.mark.parametrize(
    ("one", "verdict", "decision"),
    [
        (found(2e-5, 2e-5), PROVEN_IN, TRUST),
        (found(9e-5, 2e-5), NOT_PROVEN, SETTLE),
        (found(3e-4, 2e-5), PROVEN_OUT, ADJUST),
        (found(3e-4, 2e-5, adjust=""), PROVEN_OUT, CORRECT),
        (found(3e-4, 2e-5, adjust="", correctable=False), PROVEN_OUT, OUT_OF_USE),
        # Its own U is wider than what is allowed: not proven is no fault, it wants settling.
        (found(1e-5, 2e-4), NOT_PROVEN, SETTLE),
        (found(1e-5, math.nan), NOT_PROVEN, SETTLE),
    ],
)
def test_the_decision_follows_from_error_and_uncertainty(one, verdict, decision):
    assert (one.verdict, one.decision) == (verdict, decision)


@given(small, st.floats(1e-6, 1e-2), st.floats(1e-6, 1e-2))
def test_the_sign_of_an_error_makes_no_difference_to_what_follows(value, U, limit):
    plus, minus = found(value, U, limit), found(-value, U, limit)
    assert (plus.verdict, plus.decision) == (minus.verdict, minus.decision)


def test_the_gravest_decides_for_the_whole_instrument():
    good, bad, bent = found(0, 1e-5), found(3e-4, 1e-5), found(3e-4, 1e-5, adjust="", correctable=False)
    assert Outcome([good]).decision == TRUST
    assert Outcome([good, bad]).decision == ADJUST
    assert Outcome([good, bad, bent]).decision == OUT_OF_USE
    assert Outcome([good, bad]).verdict == PROVEN_OUT
    assert Outcome([]).verdict == Outcome([]).decision == ""


def test_an_error_is_shown_to_as_many_digits_as_are_worth_it():
    assert show_in(1.2345e-4, "tilt", 2e-5) == "+0.123 mm/m"
    assert show_in(1.2345e-3, "length", 4e-4, signed=False) == "1.23 mm"
    assert show_in(0.5, "div") == "+0.50 div"
    assert show_in(math.nan, "tilt") == "not known"


def test_a_tilt_is_put_in_millimetres_over_the_spans_at_hand():
    assert spans_of(found(1e-4, 1e-5), [("the bedstone", 2.0)]) == ["over the bedstone (2 m) 0.2 mm"]


def seen(*keys, step=0.1):
    return {k: Seen(n, "1", 1.0, step) for n, k in enumerate(keys)}


def test_a_cycle_counts_once_all_of_it_is_booked():
    booked = seen("a/1", "b/1", "a/2", "a/3", "b/3", "d")
    assert cycles_of(booked, ["a", "b"]) == [1, 3]
    assert open_cycle(booked, ["a", "b"]) == 3
    many = seen(*(f"a/{n}" for n in range(1, 30)))
    assert open_cycle(many, ["a"]) == MOST_CYCLES


def test_the_coarsest_of_what_was_read_is_the_resolution():
    booked = seen("a/1", step=0.1) | seen("a/2", step=0.5) | seen("d", step=5.0)
    assert resolution(booked, ["a"]) == 0.5
    assert resolution(booked, ["none"]) == 0.0


# --- moves and passes ---


@given(st.lists(st.floats(0.001, 0.03), min_size=1, max_size=9))
def test_points_that_answer_for_themselves_get_what_they_want(wanted):
    want = np.array(wanted)
    assert Response.rigid(len(want)).moves_for(want) == pytest.approx(want, abs=1e-6)


@given(st.lists(small, min_size=1, max_size=9))
def test_where_nothing_can_come_down_nothing_is_told_to(wanted):
    moves = Response.rigid(len(wanted)).moves_for(np.array(wanted))
    assert (moves >= 0).all()
    down = Response.rigid(len(wanted)).moves_for(np.array(wanted), raise_only=False)
    assert down == pytest.approx(np.array(wanted), abs=1e-5)


@given(st.lists(st.floats(0.001, 0.03), min_size=1, max_size=9), st.floats(0.1, 1.5))
def test_a_share_of_every_move_is_the_share_that_took(moves, share):
    m = np.array(moves)
    assert took(m, share * m) == pytest.approx(share)
    assert math.isnan(took(np.zeros(3), np.zeros(3)))


def test_passes_to_go_follow_from_how_fast_it_shrinks():
    assert passes_to_go(0.001, 0.010, 0.0015, 0.0001) == 0
    assert passes_to_go(0.004, 0.008, 0.0015, 0.00025) == 2
    assert passes_to_go(0.008, 0.004, 0.0015, 0.0003) == math.inf
    assert passes_to_go(0.004, 0.0, 0.0015, 0.0003) == math.inf


@given(st.floats(0.1, 50))
def test_neighbours_never_differ_by_more_than_six_millimetres_in_a_round(spacing):
    assert neighbour_limit(spacing) <= 0.006
    assert neighbour_limit(spacing) <= spacing / 500 + EQUAL


@given(st.lists(st.one_of(st.just(0.0), small, st.just(math.nan)), min_size=1, max_size=12))
def test_each_point_to_move_comes_once_whatever_the_order(moves):
    m = np.array(moves)
    xy = np.array([(math.cos(k), math.sin(2 * k)) for k in range(len(moves))])
    mine = [i for i, v in enumerate(moves) if not is_missing(v) and abs(v) > EQUAL]
    assert sorted(order(m, xy, "need")) == sorted(order(m, xy, "round")) == mine


# --- wheels ---


@given(st.floats(-0.08, 0.08), st.floats(-0.08, 0.08), st.floats(1.2, 2.4), st.floats(2.0, 5.0))
def test_four_wheels_lifted_as_said_stand_level_and_one_stays(roll, pitch, track, base):
    places = [(0.0, 0.0), (0.0, track), (base, 0.0), (base, track)]
    w = wheels(roll, pitch, places)
    assert min(w.lifts) == pytest.approx(0, abs=1e-12)
    assert abs(w.roll_left) < 1e-9 and abs(w.pitch_left) < 1e-9


@given(st.floats(0, 0.3), st.lists(st.floats(0.01, 0.3), min_size=1, max_size=6))
def test_no_step_comes_nearer_than_the_one_named(want, steps):
    best = nearest_step(want, steps)
    assert all(abs(best - want) <= abs(s - want) + EQUAL for s in [0.0, *steps])


def test_of_two_steps_as_near_the_lower_is_taken():
    assert nearest_step(0.05, [0.04, 0.06]) == 0.04
    assert nearest_step(0.02, [0.04]) == 0.0


def test_the_jockey_wheel_goes_by_its_share_and_a_board_by_its_load():
    assert at_jockey(0.10, 4.0, 3.0) == pytest.approx(0.075)
    # 8 kN on wet turf of 50 kPa wants 0.16 m², a board of 400 mm.
    assert board_side(8000, 50e3) == pytest.approx(0.4)


# --- a mark carried round ---

columns = st.lists(
    st.tuples(small, st.floats(0.5, 1.5), st.floats(0.5, 2.0), st.floats(0.1, 1.5)), max_size=6
)


@given(st.floats(-5, 90), columns)
def test_what_is_cut_and_what_is_left_make_up_the_design(reference, parts):
    marks = [Measured(f"P{n}", o, down, reference + up, top) for n, (o, down, up, top) in enumerate(parts)]
    for got, c in zip(carry(reference, marks, 0.001), marks, strict=True):
        assert got.slab is not None and c.to_slab is not None and got.cut is not None and c.top is not None
        assert got.slab + c.to_slab == pytest.approx(reference + c.offset)
        assert got.mark + c.top - got.cut == pytest.approx(c.design)


def test_a_chain_is_less_sure_at_every_step_and_a_star_is_not():
    marks = [Measured(f"P{n}") for n in range(4)]
    assert [c.u for c in carry(10.0, marks, 0.001, STAR)] == [0.001] * 4
    assert [c.u for c in carry(10.0, marks, 0.001, CHAIN)] == pytest.approx(
        [0.001 * math.sqrt(k) for k in (1, 2, 3, 4)]
    )


@given(st.integers(2, 20), st.floats(1e-4, 1e-2))
def test_closing_a_chain_helps_everywhere_and_most_at_its_end(n, u):
    closed = [closed_chain_u(u, k, n) for k in range(1, n + 1)]
    assert all(c <= u * math.sqrt(k) + 1e-15 for k, c in enumerate(closed, 1))
    assert closed[-1] == 0
    assert closed[:-1] == pytest.approx(closed[:-1][::-1])


@given(st.lists(st.tuples(st.floats(-20, 20), st.floats(-20, 20)), min_size=1, max_size=9), st.floats(3, 30))
def test_no_carrying_is_longer_than_the_tube_and_none_starts_from_nowhere(places, reach):
    named = {"first": (0.0, 0.0)} | {f"P{n}": p for n, p in enumerate(places)}
    known = {"first": 0}
    for step in order_of_carrying(named, "first", reach):
        assert step.length <= reach + 1e-6
        assert step.depth == known[step.start] + 1
        assert step.to not in known
        known[step.to] = step.depth
    # Whatever the tube spans from the first mark is carried from it.
    for name, (x, y) in named.items():
        if name != "first" and math.hypot(x, y) <= reach:
            assert known[name] == 1


# --- rounding ---


@given(st.integers(-(10**6), 10**6), st.sampled_from([1.0, 0.1, 0.01, 0.001, 0.0005]))
def test_halves_go_away_from_zero_whatever_the_bits_say(n, step):
    assert round_half_away(n * step, step) == n
    half = (abs(n) + 0.5) * step
    assert round_half_away(half, step) == abs(n) + 1
    assert round_half_away(-half, step) == -(abs(n) + 1)


@given(st.floats(-1e3, 1e3), st.floats(-1e3, 1e3))
def test_a_limit_that_is_met_exactly_is_kept(value, limit):
    assume(abs(value - limit) > 1e-6)
    assert at_most(value, limit) == (value < limit)
    assert at_most(limit, limit)
