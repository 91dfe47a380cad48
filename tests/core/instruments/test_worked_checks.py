"""Worked examples of every check, by hand beside the program, with what each is told to do."""

from __future__ import annotations

import math

import pytest

from tests.core.instruments.test_kit_checks import booked, traits_of
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.kinds import KIND, KINDS
from vivid_keel.core.instruments.outcome import Seen
from vivid_keel.core.instruments.procedures import PROCEDURES


def worked(kind, check, way="", last=0.1, words=None, **values):
    traits = traits_of(kind)
    rows = booked(last, **values)
    for key, text in (words or {}).items():
        rows[key] = Seen(99, text, math.nan, 0.0)
    return PROCEDURES[check].outcome(traits, way, rows)


def lines(outcome):
    return {label: value for label, value, _ in outcome.lines}


def test_a_carpenters_level_out_by_a_division():
    """2.0 and 0.0: the surface rises a division, the level is out by one: 0.5 mm/m, 0.6 mm over its own 1.2 m."""
    found = worked("spirit", "reversal", "divisions", a1_1=2.0, a2_1=0.0)
    assert found.found[0].value == pytest.approx(0.0005)
    assert lines(found)["Surface"].startswith("+0.5")
    assert lines(found)["Over its own 1.2 m"].startswith("+0.6")
    assert "half the way" in found.why.note.lower()


def test_three_cycles_that_agree_are_surer_than_one():
    one = worked("precision", "reversal", "divisions", a1_1=1.0, a2_1=0.4).found[0]
    three = worked(
        "precision", "reversal", "divisions", a1_1=1.0, a2_1=0.4, a1_2=1.1, a2_2=0.4, a1_3=1.0, a2_3=0.5
    ).found[0]
    assert three.U < one.U
    assert three.cycles == 3


def test_plumb_is_a_verdict_of_its_own():
    found = worked("spirit", "plumb", "divisions", a1_1=3.0, a2_1=-3.0)
    assert (found.found[0].key, found.found[0].verdict) == ("plumb", "out")
    assert lines(found)["Surface"].startswith("0.0")  # the wall was plumb, the level is not


def test_a_straightedge_turned_over():
    """Gaps 0.40 and 0.20, 0.02 thicker in the middle: bow (0.40 − 0.20 − 0.02)/2 = 0.09 mm."""
    found = worked("straightedge", "straightness", "", 0.00001, thicker=0.00002, g1_1=0.0004, g2_1=0.0002)
    assert found.found[0].value == pytest.approx(0.00009)
    assert found.lines[0][2] == "first edge hollow"
    assert lines(found)["Gap of the edge below"].startswith("+0.31")


def test_a_dumpy_whose_line_rises():
    """Δ 0.200 midway, 0.196 from beyond B: c = 4 mm over a lever of 40 m, less next to nothing of curvature."""
    found = worked(
        "optical",
        "two-peg",
        "near",
        0.0001,
        {"curvature": "no"},
        d1a=20.0,
        d1b=20.0,
        d2a=43.0,
        d2b=3.0,
        a1_1=1.5,
        b1_1=1.3,
        a2_1=1.604,
        b2_1=1.4,
    )
    f = found.found[0]
    assert f.value == pytest.approx(0.0001)
    assert found.shown["adjust_a"] == pytest.approx(1.604 - 0.0043)
    assert found.shown["adjust_b"] == pytest.approx(1.4 - 0.0003)
    assert lines(found)["B above A"].startswith("+200")
    assert "read 1.5997 m on A" in f.adjust
    curved = worked(
        "optical",
        "two-peg",
        "near",
        0.0001,
        None,
        d1a=20.0,
        d1b=20.0,
        d2a=43.0,
        d2b=3.0,
        a1_1=1.5,
        b1_1=1.3,
        a2_1=1.604,
        b2_1=1.4,
    )
    assert curved.found[0].value == pytest.approx(
        0.0001 - (1 - 0.13) * (43**2 - 3**2) / (2 * 6371000) / 40, abs=1e-9
    )


def test_second_looks_are_averaged_within_the_last_digit():
    plain = worked(
        "optical",
        "two-peg",
        "near",
        0.001,
        d1a=20.0,
        d1b=20.0,
        d2a=43.0,
        d2b=3.0,
        a1_1=1.5,
        b1_1=1.3,
        a2_1=1.604,
        b2_1=1.4,
    )
    rows = booked(0.001, d1a=20.0, d1b=20.0, d2a=43.0, d2b=3.0, a1_1=1.5, b1_1=1.3, a2_1=1.604, b2_1=1.4)
    rows["a2'/1"] = Seen(50, "1.605", 1.605, 0.001)
    looked = PROCEDURES["two-peg"].outcome(traits_of("optical"), "near", rows)
    assert looked.found[0].value - plain.found[0].value == pytest.approx(0.0005 / 40)


def test_a_circular_bubble_half_out():
    found = worked("optical", "circular", "", 0.0001, right_1=0.003, away_1=0.004)
    assert found.found[0].value == pytest.approx(0.005)
    assert found.found[0].verdict == "out" and "+1.5 mm right, +2.0 mm away" in found.found[0].adjust


def test_a_plate_bubble_off_by_two_is_set_to_one():
    found = worked("optical", "plate", "three", first_1=2.0, second_1=2.0)
    assert found.why is not None
    assert found.why.numbers.startswith("mean of 2/2, 2/2 = 1.00 div")
    assert found.found[0].value == pytest.approx(1.0)
    assert "bring it to +1.0 div" in found.found[0].adjust
    steps = [s.title for s in PROCEDURES["plate"].steps(traits_of("optical"), "four", {})]
    assert any("other pair" in s for s in steps)


def test_a_laser_four_millimetres_high_at_twenty_metres():
    found = worked("rotary", "axes", "", 0.0001, d=20.0, xp_1=1.204, xm_1=1.2, yp_1=1.2, ym_1=1.2)
    assert found.found[0].value == pytest.approx(0.0001)
    assert found.found[1].value == 0
    assert found.lines[0][2].startswith("rises on the + side")


def test_a_cone_between_two_walls():
    """From A to B the difference of the marks changes by 3.6 mm over a lever of 36 m."""
    found = worked("rotary", "cone", "near", 0.0001, a1_1=1.2, b1_1=1.2018, a2_1=1.2718, b2_1=1.27)
    assert found.found[0].key == "cone"
    assert found.found[0].value == pytest.approx(0.0001, abs=2e-6)
    assert not found.found[0].adjust  # no user turns a cone out


def test_a_line_that_tilts_and_bows():
    found = worked("line", "line", "", 0.0001, d=5.0, w=4.0, l_1=1.2, m_1=1.203, r_1=1.204)
    assert found.found[0].value == pytest.approx(0.001)
    assert found.found[1].value == pytest.approx(0.001)
    narrow = worked("line", "line", "", 0.0001, d=5.0, w=0.5, l_1=1.2, m_1=1.2, r_1=1.2)
    assert narrow.trouble.code == "layout-too-short"
    plumb = worked("line", "line-plumb", "", 0.0001, h=2.5, top_1=0.006, foot_1=0.001)
    assert plumb.found[0].value == pytest.approx(0.002)


@pytest.mark.parametrize(
    ("kind", "check", "values", "where"),
    [
        ("rotary", "axes", {"xp_1": 1.0, "xm_1": 1.0, "yp_1": 1.0, "ym_1": 1.0}, "d"),
        ("line", "line", {"l_1": 1.0, "m_1": 1.0, "r_1": 1.0}, "w"),
        ("line", "line-plumb", {"top_1": 0.0, "foot_1": 0.0}, "h"),
    ],
)
def test_a_missing_distance_is_asked_for_where_it_is_missing(kind, check, values, where):
    found = worked(kind, check, "", 0.0001, **values)
    assert (found.trouble.code, found.trouble.where, found.decision) == ("distances-missing", where, "")


def test_a_tube_with_a_warm_leg_and_its_wait():
    found = worked("tube", "tube", "", 0.0005, e1_1=0.501, e2_1=0.5, t1=25.0, t2=15.0)
    assert found.found[0].value == pytest.approx(0.001)
    assert any(title == "One leg is warmer" for _, title, _ in found.notes)
    assert lines(found)["Warm leg"].startswith("+3")
    assert found.shown["period"] == pytest.approx(2 * math.pi / math.sqrt(2 * 9.80665 / 15))
    calm = worked("tube", "tube", "", 0.0005, e1_1=0.5, e2_1=0.5, t1=15.5, t2=15.0)
    assert not calm.notes


def test_a_hydrostatic_level_that_drifts_two_millimetres_an_hour():
    found = worked(
        "hydrostatic", "hydrostatic", "", 0.001, t_1=8.0, z_1=0.0, t_2=9.0, z_2=0.002, t_3=10.0, z_3=0.004
    )
    assert found.found[0].value == pytest.approx(0.002)
    assert lines(found)["Since it was zeroed"].startswith("+4")
    assert (
        worked("hydrostatic", "hydrostatic", "", 0.001, t_1=8.0, z_1=0.0).notes[0][1] == "One zero check more"
    )


def test_a_string_level_hung_off_the_middle():
    found = worked("string", "string", "", 0.001, span=7.5, off_1=0.5, pull_1=40.0)
    assert found.found[0].value == pytest.approx(0.5 * (0.006 * 7.5 + 0.25) / 40)
    assert lines(found)["Sag in the middle"].startswith("1.05")
    assert lines(found)["A quarter along it hangs"].startswith("0.79")  # three quarters of the sag
    long = worked("string", "string", "", 0.001, span=10.0, off_1=0.0, pull_1=40.0)
    assert "long for a string" in long.notes[0][1]
    check, traits = PROCEDURES["string"], traits_of("string")
    pull = check.steps(traits, "", {})[2]
    with pytest.raises(KeelError, match="above 0"):
        check.accepts(traits, "", pull, 0.0, {})


def test_a_plumb_frame_turned_about_and_its_swing():
    found = worked("plumb-frame", "plumb-frame", "", 0.0001, s0=0.02, s10=0.01, m1_1=0.002, m2_1=0.001)
    assert found.found[0].value == pytest.approx(0.0005)
    assert found.shown["period"] == pytest.approx(2 * math.pi * math.sqrt(1.5 / 9.80665))
    assert found.shown["wait"] == pytest.approx(
        math.log(0.02 / 0.0003) / math.log(2) * 10 * found.shown["period"]
    )
    check, traits = PROCEDURES["plumb-frame"], traits_of("plumb-frame")
    step = next(s for s in check.steps(traits, "", {}) if s.key == "s10")
    with pytest.raises(KeelError, match="draught"):
        check.accepts(traits, "", step, 0.03, booked(0.001, s0=0.02))


def test_the_sum_of_joints_grows_to_the_top():
    found = worked("staff", "staff", "", 0.0005, foot_1=0.1, j1_1=0.199, j2_1=0.199, j3_1=0.2)
    assert lines(found)["All together at the top"].startswith("+2")


def test_an_electronic_level_is_named_in_its_own_unit():
    found = worked("electronic", "reversal", "divisions", 0.00005, a1_1=0.0009, a2_1=0.0003)
    assert found.found[0].value == pytest.approx(0.0003)
    assert "reads +0.6" in found.found[0].adjust


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.key)
def test_every_trait_has_a_unit_that_its_usual_value_fits(kind):
    traits = traits_of(kind.key)
    for t in kind.traits:
        assert t.label and t.unit
        if t.unit != "text":
            assert math.isfinite(traits.number(t.key))
    assert traits.number("every") >= 1
    assert KIND[kind.key] is kind
