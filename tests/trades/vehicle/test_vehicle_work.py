"""A vehicle work: facts in, lifts out, what is said of them, and what is read again."""

from __future__ import annotations

import math

import pytest

from tests.saying import what_is_said
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import parse_fact
from vivid_keel.core.kinds import numbered
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Text
from vivid_keel.trades.registry import job_kinds
from vivid_keel.trades.vehicle.book import FACTS, facts_in, fold_vehicle, parse_steps
from vivid_keel.trades.vehicle.figure import headings, stance
from vivid_keel.trades.vehicle.result import vehicle_state, work_out_vehicle
from vivid_keel.trades.vehicle.wheels import wheels

DEGREE = math.pi / 180


FACT = {f.key: f for f in FACTS}


class Vehicle:
    def __init__(self, unit="m", **facts):
        self.journal, self.act, self.unit = Journal(), 0, unit
        self.add(Draft(0, "job", {"name": "Mill"}))
        self.work = self.add(Draft(0, "work", {"name": "Trailer", "type": "vehicle", "unit": unit}))
        for key, text in facts.items():
            self.fact(key.replace("_", "-"), text)

    def add(self, draft):
        self.act += 1
        (made,) = numbered(
            job_kinds(),
            [draft],
            len(self.journal.entries) + 1,
            self.act,
            f"2026-05-01T10:00:{self.act:02}+00:00",
            "Ada",
        )
        self.journal.add(made)
        return made.id

    def fact(self, key, text):
        found = parse_fact({f.key: f for f in facts_in(self.unit)}[key], text, ".")
        said, value = found.text, found.value
        return self.add(
            Draft(
                self.work,
                "vehicle",
                {"what": key, "text": said} | ({} if is_missing(value) else {"value": value}),
            )
        )

    def read(self, roll, pitch, phase="found"):
        body = {
            "phase": phase,
            "roll_rad": roll * DEGREE,
            "pitch_rad": pitch * DEGREE,
            "text": f"{roll} / {pitch}",
        }
        return self.add(Draft(self.work, "tilts", body))

    def result(self):
        return work_out_vehicle(fold_vehicle(self.journal, self.work))

    def said(self):
        return {f.title: f for f in what_is_said("vehicle", self.result())}


def test_nothing_is_done_before_it_is_read():
    v = Vehicle()
    assert vehicle_state(v.result()) == ("todo", "not read yet")
    assert list(v.said()) == ["Read its two-way level"]
    assert not v.result().instructions and v.result().why() is None


def test_a_trailer_packed_exactly_stands_level():
    v = Vehicle(sort="trailer", track="2.0", length="4.0", jockey="4.0", steps="none")
    v.read(3.0, 0.0)
    r = v.result()
    wheel, nose = r.instructions
    assert (wheel.where, wheel.step) == ("left wheel", None)
    assert wheel.lift == pytest.approx(2.0 * math.tan(3 * DEGREE))
    assert nose.lift == pytest.approx(wheel.lift / 2)  # the half that is forgotten
    assert (r.roll_left, r.pitch_left) == (0, 0)
    assert r.within and "That leaves lean 0.00°, tip 0.00°" in v.said()
    assert "T·tan|roll|" in r.why().formula


def test_both_wheels_of_a_twin_axle_go_up_as_a_pair():
    v = Vehicle(sort="twin", steps="none")
    v.read(-1.0, 0.5)
    assert v.result().instructions[0].where == "right wheels, both axles"


def test_steps_that_do_not_reach_are_said_with_what_would():
    v = Vehicle(sort="trailer", track="2.0", steps="40, 80")
    v.read(5.0, 0.2)
    r = v.result()
    assert r.instructions[0].step == 0.08
    assert r.roll_left == pytest.approx(math.atan(math.tan(5 * DEGREE) - 0.04))
    said = v.said()
    assert not r.within and any(f.verdict == "out" and "steps don't reach" in f.text for f in said.values())
    turn = next(f for t, f in said.items() if t.startswith("Turn it"))
    assert turn.verdict == "open" and "175 mm under a wheel" in turn.text
    # Across the slope the lean is gone, and the nose wants more than the jockey wheel has: neither suits.
    across = min(r.headings, key=lambda one: one.wheel)
    assert across.wheel < 0.02 and across.nose > 0.25 and not r.fits(across)
    assert r.nearest_heading is None and "No heading suits" in turn.text


def test_the_least_turn_that_wheel_and_nose_can_do_is_named_first():
    v = Vehicle(sort="trailer", track="2.0", steps="40, 80")
    v.read(3.0, 0.0)
    r = v.result()
    now, near = r.headings[0], r.nearest_heading
    assert now.wheel == pytest.approx(2 * math.tan(3 * DEGREE)) and not r.fits(now)
    assert near is not None
    assert all(one.turn >= near.turn for one in r.headings if r.fits(one))
    # Both needs reckoned here: W = T·tan roll′ and (W/2 − L·tan pitch′)·jockey/coupling, at the heading it names.
    psi = near.degrees * DEGREE
    roll, pitch = math.tan(3 * DEGREE) * math.cos(psi), math.tan(3 * DEGREE) * math.sin(psi)
    wheel = 2.0 * abs(roll)
    assert near.wheel == pytest.approx(wheel)
    assert near.nose == pytest.approx(abs((wheel / 2 - 4.0 * pitch) * 3.8 / 4.0))
    assert wheel <= 0.08 and near.nose <= 0.25
    assert f"Turn it {near.way}" in v.said()


def test_four_wheels_are_never_set_to_rock_on_a_diagonal():
    """Steps of 80 mm, each wheel by itself, would put the diagonals at odds by as much: chosen together they don't."""
    v = Vehicle(sort="four", track="1.8", length="3.0", steps="80")
    v.read(1.3, 0.8)
    r = v.result()
    put = {i.where: i.step for i in r.instructions}
    lf, rf, lr, rr = (
        put.get(name) or 0.0 for name in ("front left", "front right", "rear left", "rear right")
    )
    assert abs(lf + rr - rf - lr) <= 0.010 + 1e-9
    assert not r.rocks
    loose = wheels(
        1.3 * DEGREE, 0.8 * DEGREE, [(1.5, -0.9), (1.5, 0.9), (-1.5, -0.9), (-1.5, 0.9)], [0.08], 1.0
    )
    assert loose.odds == pytest.approx(0.08)  # what it would be were its springs to take up anything


def test_the_levels_own_offset_is_taken_off():
    v = Vehicle(sort="trailer", steps="none", zero_roll="0.5", zero_pitch="-0.2")
    v.read(0.5, -0.2)
    assert v.result().instructions == []
    assert vehicle_state(v.result()) == ("open", "level as it stands")


def test_four_wheels_and_what_stays_highest():
    v = Vehicle(sort="four", track="1.6", length="3.0", steps="none")
    v.read(2.0, 1.0)
    lifts = {i.where: i.lift for i in v.result().instructions}
    assert "front right" not in lifts  # nose high, right high: it stays
    assert lifts["rear left"] == pytest.approx(1.6 * math.tan(2 * DEGREE) + 3.0 * math.tan(1 * DEGREE))
    assert next(iter(lifts)) == "rear left"  # the highest need first


def test_read_again_is_judged_against_its_own_limits():
    v = Vehicle(sort="trailer", roll_limit="1", pitch_limit="0.5")
    v.read(2.0, 1.0)
    v.read(0.4, 0.6, "left")
    assert vehicle_state(v.result()) == ("out", "still leans")
    v.fact("pitch-limit", "1")
    assert vehicle_state(v.result()) == ("in", "at rest")


def test_a_struck_reading_stays_legible():
    v = Vehicle()
    first = v.read(2.0, 1.0)
    body = {"phase": "found", "roll_rad": 0.02, "pitch_rad": 0.01, "text": "1.1 / 0.6"}
    v.add(Draft(v.work, "tilts", body, strikes=first))
    book = fold_vehicle(v.journal, v.work)
    assert book.found.text == "1.1 / 0.6" and book.struck == ("2.0 / 1.0",)


@pytest.mark.parametrize(
    ("key", "text", "said"),
    [
        ("track", "0", "above 0"),
        ("track", "31", "longer than any vehicle"),
        ("length", "-1", "above 0"),
        ("roll-limit", "-1", "0 ° or more"),
        ("sort", "", "expected trailer"),
        ("ground", "ice", "expected firm"),
        ("load", "heavy", "not a number"),
        ("steps", "0", "no step"),
        ("steps", "40;;", "number|length"),
    ],
)
def test_facts_no_vehicle_has(key, text, said):
    with pytest.raises(KeelError, match=said):
        parse_fact(FACT[key], text, ".")


def test_facts_with_their_units():
    assert parse_fact(FACT["track"], "6' 6\"").value == pytest.approx(78 * 0.0254)
    assert parse_fact(FACT["roll-limit"], "2 %").value == pytest.approx(math.atan(0.02))
    assert parse_fact(FACT["load"], "7.5 kN").value == 7500
    assert parse_steps("120, 40; 80") == (0.04, 0.08, 0.12)
    assert parse_fact(FACT["ground"], "wet").text == "wet turf"
    assert all(parse_fact(t, t.usual, ".").text for t in FACTS)


@pytest.mark.parametrize("sort", ["trailer", "twin", "four"])
@pytest.mark.parametrize("size", [(740, 310), (500, 220)])
def test_it_is_drawn_leaning_the_way_it_was_read(sort, size):
    v = Vehicle(sort=sort, steps="40, 80, 120")
    v.read(2.4, -1.1)
    for picture in (stance(v.result(), *map(float, size)), headings(v.result(), *map(float, size))):
        assert picture.caption
        for item in picture.items:
            if isinstance(item, Text):
                assert -8 <= item.x <= picture.width + 8 and 0 <= item.y <= picture.height + 4, item.text
    assert any("80 mm" in t for t in stance(v.result(), 740, 310).texts()) or sort == "four"
    wheels = [
        i
        for i in stance(v.result(), 740, 310).items
        if getattr(i, "fill", "") == "night" and hasattr(i, "points")
    ]
    foot = [max(y for _, y in wheel.points) for wheel in wheels]
    assert foot[0] > foot[1]  # left wheel lower: the right side is high


def test_the_lift_of_the_low_wheel_owes_most_to_an_offset_nobody_looked_for():
    v = Vehicle(sort="trailer")
    assert not v.result().budget().lines
    v.read(2.4, -1.1)
    budget = v.result().budget()
    assert budget.dominant.name == "its own offset, never looked for"
    known = Vehicle(sort="trailer", **{"zero-roll": "0.2 / -0.1"})
    known.read(2.4, -1.1)
    assert known.result().budget().U < 0.4 * budget.U
    assert known.result().budget().dominant.name == "reading the level"


def test_once_it_stands_level_nothing_is_left_to_do():
    v = Vehicle(sort="trailer")
    v.read(2.4, -1.1)
    todo = [f.title for f in what_is_said("vehicle", v.result())]
    assert any("Left wheel" in t for t in todo)
    v.read(0.1, -0.1, "left")
    done = [f.title for f in what_is_said("vehicle", v.result())]
    assert done[0] == "Read again: lean 0.10°, tip −0.10°"
    assert not any("Left wheel" in t or t.startswith("Turn it") for t in done)
    still = Vehicle(sort="trailer")
    still.read(2.4, -1.1)
    still.read(1.9, 0.0, "left")
    assert any("Left wheel" in f.title for f in what_is_said("vehicle", still.result()))


def test_facts_typed_with_a_decimal_comma_are_read_back_as_they_were_meant():
    v = Vehicle()
    for key, text in (
        ("track", "1,95"),
        ("slope", "1 in 5,5"),
        ("zero-roll", "0,6 / -0,2"),
        ("steps", "40; 80,5"),
    ):
        found = parse_fact(FACT[key], text, ",")
        said, value = found.text, found.value
        v.add(
            Draft(
                v.work,
                "vehicle",
                {"what": key, "text": said} | ({} if is_missing(value) else {"value": value}),
            )
        )
    v.read(2.4, -1.1)
    book = v.result().book
    assert (book.values["track"], book.values["slope"]) == (1.95, 5.5)
    assert book.values["zero-roll"] == pytest.approx(math.radians(0.2))
    assert book.steps == pytest.approx((0.040, 0.0805))
    assert v.result().instructions


def test_a_fact_without_its_number_is_as_if_nobody_had_said_it():
    v = Vehicle()
    v.add(Draft(v.work, "vehicle", {"what": "track", "text": "wide"}))
    assert v.result().book.values["track"] == 2.0


# Blocks, turns, and feet and inches


def test_without_a_ramp_a_wheel_is_packed_from_the_blocks_at_hand():
    v = Vehicle(steps="none", blocks="18, 40")
    v.read(2.0, 0.0)  # 2 m track: 69.8 mm under the left wheel
    first = v.result().instructions[0]
    assert (first.where, first.text) == ("left wheel", "pack 18 + 18 + 18 + 18 mm")
    assert first.step == pytest.approx(0.072)
    assert v.result().reach == pytest.approx(0.16)  # four of the thickest: more wobble
    v = Vehicle(blocks="18, 40")
    v.read(2.0, 0.0)
    assert "step" in v.result().instructions[0].text  # a ramp goes first


def test_the_jockey_wheel_is_wound_by_turns_where_one_is_known():
    v = Vehicle(steps="none", turn="4")
    v.read(0.0, 1.0)
    (only,) = v.result().instructions
    turns = abs(only.lift) / 0.004
    assert only.text.startswith(f"wind down {round(2 * turns) / 2:g}".replace(".5", "½"))
    assert " turns; " in only.text
    v = Vehicle(steps="none", turn="70")
    v.read(0.0, 1.0)
    assert "wind down 1 turn;" in v.result().instructions[0].text


def test_in_feet_and_inches_all_of_it_is():
    v = Vehicle("ft-in", track="6' 6\"", steps="none")
    v.read(2.0, 1.0)
    book = fold_vehicle(v.journal, v.work)
    assert book.values["track"] == pytest.approx(1.9812)
    result = v.result()
    assert "pack 2¾″ under it" in result.instructions[0].text
    said = " ".join(f"{f.title} {f.text}" for f in what_is_said("vehicle", result))
    assert " mm" not in said and " cm" not in said and "in square" in said
    assert "″ at the coupling" in result.instructions[1].text
    v.fact("steps", "1 1/2, 3")
    assert fold_vehicle(v.journal, v.work).steps == pytest.approx((0.0381, 0.0762))
    assert v.result().instructions[0].text == "drive on to the 3 in step"
    v.fact("slope", "6")
    assert v.result().instructions[0].text == "drive on to the 3 in step, 1.50 ft up the ramp"


def test_what_an_older_program_took_for_metres_in_a_feet_job_still_is():
    v = Vehicle("ft")
    body = {"what": "track", "text": "1.92", "value": 1.92}
    v.add(Draft(v.work, "vehicle", body))
    v.add(Draft(v.work, "vehicle", {"what": "steps", "text": "40, 80"}))
    book = fold_vehicle(v.journal, v.work)
    assert (book.values["track"], book.texts["track"]) == (1.92, "1.92 m")
    assert (book.steps, book.texts["steps"]) == ((0.04, 0.08), "40 mm, 80 mm")
