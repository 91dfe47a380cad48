"""What a hand put in, as typed: leaves, turns, or how far."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.booking import read_put
from vivid_keel.core.moving.means import JACK, LEAVES, SCREW, Means, instruct
from vivid_keel.core.moving.plan import Leaf, Limits, Point, TargetChoice
from vivid_keel.core.quantities import LengthStyle

STOCK = [Leaf(1, 0.006, "6 mm", 9), Leaf(2, 0.003, "3 mm", 9), Leaf(3, 0.0015, "1.5 mm", 9)]


def result(kind=LEAVES, lift=0.009, stack=0.0, sense=0.0):
    book = SimpleNamespace(
        limits=Limits(),
        means=Means(kind, {"pitch": 2.0, "sense": sense}),
        stock=STOCK,
        unit="m",
        style=LengthStyle(),
        points=[Point(1, "A1", "A", 0.0, 0.0, stack)],
    )
    book.means_at = lambda point: book.means
    return SimpleNamespace(book=book, lifts=[lift])


@pytest.mark.parametrize("text", ["6 + 3", "3+6", " 3 mm +6 mm"])
def test_leaves_are_typed_with_plus_signs_in_any_order(text):
    put = read_put(result(), 0, text)
    assert (put.put, put.leaves, put.words) == (pytest.approx(0.009), 2, "6 + 3")
    assert put.used == {"6000": 1, "3000": 1}


def test_two_alike_are_two_out_of_the_stock():
    put = read_put(result(), 0, "3 + 3 + 1.5")
    assert put.used == {"3000": 2, "1500": 1} and put.leaves == 3


def test_downward_the_old_packing_came_out_and_the_typed_one_went_in():
    put = read_put(result(lift=-0.003, stack=0.009), 0, "6")
    assert put.put == pytest.approx(-0.003) and put.leaves == 0
    assert put.words == "change for 6" and put.used == {"6000": 1}


@pytest.mark.parametrize("text", ["0", "nothing", "None", "–"])
def test_nothing_is_nothing(text):
    put = read_put(result(), 0, text)
    assert (put.put, put.leaves, put.used, put.words) == (0.0, 0, {}, "nothing")


def test_a_leaf_that_is_not_in_stock_is_refused_with_what_there_is():
    with pytest.raises(KeelError, match=r"no leaf in the stock; there are 6 mm, 3 mm, 1.5 mm"):
        read_put(result(), 0, "6 + 2")


@pytest.mark.parametrize(
    ("text", "up", "words"),
    [
        ("1 3/8", 0.00275, "1 3/8 turns clockwise"),
        ("3/4 turn", 0.0015, "3/4 turn clockwise"),
        ("-1 1/2 turns", -0.003, "1 1/2 turns anticlockwise"),
        ("−2", -0.004, "2 turns anticlockwise"),
        ("1", 0.002, "1 turn clockwise"),
        ("0.5", 0.001, "0.5 turn clockwise"),
    ],
)
def test_turns_are_typed_in_fractions_down_with_a_minus(text, up, words):
    put = read_put(result(SCREW), 0, text)
    assert put.put == pytest.approx(up) and put.words == words and put.leaves == 0 and put.used == {}


def test_a_screw_that_lowers_clockwise_is_said_the_other_way_round():
    assert read_put(result(SCREW, sense=1.0), 0, "1").words == "1 turn anticlockwise"
    assert read_put(result(SCREW, sense=1.0), 0, "-1").words == "1 turn clockwise"


@pytest.mark.parametrize("text", ["turns", "1/0", "one", "1 3/8 in", "+"])
def test_what_is_no_number_of_turns_is_refused(text):
    with pytest.raises(KeelError, match="no number of turns"):
        read_put(result(SCREW), 0, text)


def test_whatever_else_moves_it_is_booked_by_how_far():
    put = read_put(result(JACK), 0, "4.5")
    assert put.put == pytest.approx(0.0045) and put.words == "+4.5 mm"
    assert read_put(result(JACK), 0, "-2 mm").words == "−2.0 mm"


def test_the_reading_to_stop_at_is_over_the_line_hung_and_under_it_stood():
    from vivid_keel.core.moving.scale import heights_from_scale, reading_at

    heights = [1.0, 1.0]
    assert reading_at(np.array(heights), ["hangs", "stands"], 0.25) == pytest.approx([0.75, -0.75])
    assert heights_from_scale(np.array([0.75, -0.75]), ["hangs", "stands"], 0.25) == pytest.approx(heights)


def test_a_jack_that_is_overloaded_says_both_loads_and_travel_both_lengths():
    said = instruct(Means(JACK, {"rating": 50, "load": 80}), 0.006).refused
    assert "rated for 50 kN and 80 kN stand on it" in said
    assert instruct(Means(JACK, {"rating": 80, "load": 50}), 0.006).refused == ""
    assert "go up 30.0 mm and 25.0 mm are left" in instruct(Means(JACK), 0.030).refused
    assert "come down 30.0 mm and 25.0 mm are left" in instruct(Means(JACK), -0.030).refused
    assert instruct(Means(JACK), 0.025).refused == "" and instruct(Means(JACK), -0.025).refused == ""


def test_limits_of_moves_name_who_breaks_them_and_let_the_limit_itself_pass():
    from vivid_keel.core.moving.targets import Target, work_out

    heights = np.array([0.0, -0.004, -0.010])
    assert work_out(["A", "B", "C"], heights, Target("highest"), highest=0.010).moves == pytest.approx(
        -heights
    )
    with pytest.raises(KeelError, match=r"C by 10.0 mm up"):
        work_out(["A", "B", "C"], heights, Target("highest"), highest=0.0099)
    with pytest.raises(KeelError, match=r"A by 10.0 mm down, B by 6.0 mm down"):
        work_out(["A", "B", "C"], heights, Target("lowest"), lowest=0.0)


def test_what_a_finished_round_took_is_of_the_packing_less_what_its_interfaces_close():
    """Two posts, 10 mm each of four leaves that close 0.1 mm apiece: 9.6 mm is all of it."""
    from vivid_keel.core.moving.plan import Limits, MovingBook
    from vivid_keel.core.moving.rounds import learn

    points = [Point(k, f"P{k}", "A", 2.4 * k, 0.0) for k in range(4)]
    book = MovingBook(1, "f", "m", LengthStyle(), points, [], TargetChoice(), True, Limits(interface=0.0001))
    put, leaves, change = (
        np.array([0.01, 0.01, 0.01, 0.0]),
        np.array([4.0, 4.0, 4.0, 0.0]),
        np.array([0.0096, 0.0096, 0.0096, 0.0]),
    )
    told = learn(book, [(put, leaves, change)], 0.00005).told[0]
    assert told.took == pytest.approx(1.0, abs=0.003) and told.moved == 3 and told.reasons == []
