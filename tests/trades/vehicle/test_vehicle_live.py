"""A vehicle whose two-way level sends its numbers: read, led and read again without a key; a stand-in that answers."""

from __future__ import annotations

import math

import pytest

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.vehicle.desk import lift_does
from vivid_keel.trades.vehicle.wheels import trailer, wheels

DEGREE = math.pi / 180


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Trailer", "type": "vehicle", "unit": "m"})])[0].id
        made = desk_for(file, work)
        yield made
        made.close()


@pytest.mark.parametrize(("roll", "pitch"), [(2.0, -1.0), (-1.4, 1.3)])
def test_what_a_lift_does_is_what_the_rules_of_the_trailer_undo(desk, roll, pitch):
    """The rules of levelling say how much; the stand-in's answer to just that is level, to what small angles leave."""
    v = desk.book.values
    told = trailer(roll * DEGREE, pitch * DEGREE, v["track"], v["length"], None)
    lean, tip = lift_does(desk.book, f"{told.wheel} wheel")
    nose = told.nose_raise * v["jockey"] / v["length"]
    assert roll * DEGREE + lean * told.wheel_raise == pytest.approx(0.0, abs=1e-4)
    up = lift_does(desk.book, "jockey wheel")[1]
    assert pitch * DEGREE + tip * told.wheel_raise + up * nose == pytest.approx(0.0, abs=1e-4)


def test_four_wheels_lifted_as_told_stand_level(desk):
    take(desk.sheets("Set-up")[0], 0, 1, "four")
    v = desk.book.values
    at = [(x * v["length"] / 2, y * v["track"] / 2) for x, y in ((1, -1), (1, 1), (-1, -1), (-1, 1))]
    told = wheels(1.2 * DEGREE, -0.8 * DEGREE, at, None, v["springs"])
    names = ("front left", "front right", "rear left", "rear right")
    made = [
        [lift * does for does in lift_does(desk.book, n)] for n, lift in zip(names, told.lifts, strict=True)
    ]
    assert 1.2 * DEGREE + sum(m[0] for m in made) == pytest.approx(0.0, abs=1e-4)
    assert -0.8 * DEGREE + sum(m[1] for m in made) == pytest.approx(0.0, abs=1e-4)


def test_a_stand_in_is_read_lifted_and_comes_level_and_the_real_one_stays_as_it_was(desk):
    with pytest.raises(KeelError, match="a real vehicle answers"):
        desk.answer()
    take(desk.sheets("Set-up")[0], 0, 1, "trailer")
    led = desk.practise()
    practice = desk_for(desk.file, led.work)
    assert practice.book.name == "Practice: Trailer" and desk.practise().work != led.work
    assert practice.next("Readings").key == "answer"
    practice.go("answer")
    hidden = practice.hidden
    assert practice.book.found.roll == pytest.approx(hidden["roll"], abs=0.051 * DEGREE)
    assert practice.next("Readings").key == "moves" and practice.next("Moves").key == "cautions"
    practice.acknowledge(practice.cautions("Moves")[0])
    assert practice.next("Moves").key == "answer"
    practice.go("answer")
    # What sank in is seen: less than a twelfth of it is left, and nothing else.
    left, found = practice.book.left, practice.book.found
    assert abs(left.roll) <= hidden["sinks"] * abs(found.roll) + 0.2 * DEGREE
    assert not desk.book.found and desk.hidden is None
    practice.close()


def test_the_stream_reads_both_ways_leads_move_after_move_and_reads_again(desk):
    practice = desk_for(desk.file, desk.practise().work)
    clock = practice.live
    practice.on_view("Readings", practice.live_view("Readings"))
    assert practice.lies_at() == (FOUND, 0) and practice.pattern == "pattern"
    practice.record(*practice.taken_at((FOUND, 0), FOUND, "1.5°"))
    assert practice.book.found is None and practice.lies_at() == (FOUND, 1) and practice.pattern == "nose"
    assert practice.live is not clock  # the other number of the line is looked for
    practice.record(*practice.taken_at((FOUND, 1), FOUND, "-0.8°"))
    assert practice.book.found.roll == pytest.approx(1.5 * DEGREE) and practice.lies_at() is None
    practice.on_view("Moves", practice.live_view("Moves"))
    assert practice.foot_in_hand == -1  # the cautions first
    practice.acknowledge(practice.cautions("Moves")[0])
    places = []
    while (i := practice.foot_in_hand) >= 0:
        place, _ = practice.told(i)
        seen = practice.number()
        assert seen.foot == practice.result.instructions[i].where and practice.lies_at() == place
        # What is to be lifted shows in this number, and the way it must.
        assert seen.planned * seen.by != 0
        before = practice._true(place)
        for k in (1, 2):  # two presses of an arrow key, each let go of
            practice.drag(k * 0.002 * math.copysign(1, seen.planned), done=True)
        sunk = 0.004 * math.copysign(1, seen.planned) * (1 - practice.hidden["sinks"])
        assert practice._true(place) - before == pytest.approx(sunk * seen.by)
        places.append(place[1])
        practice.set_at(i)
    assert places == [0, 1] and practice.lies_at() is None
    practice.on_view("Proof", practice.live_view("Proof"))
    assert practice.lies_at() == (LEFT, 0)
    practice.close()


def test_steep_ground_is_taken_and_nonsense_refused(desk):
    assert desk.steepest == pytest.approx(0.5)
    with pytest.raises(KeelError, match="steeper than anything"):
        desk.taken_at((FOUND, 0), FOUND, "40°")
