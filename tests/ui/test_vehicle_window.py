"""A trailer in the real window: described, read, levelled on its ramp, read again, reported."""

from __future__ import annotations

import math
import subprocess

import pytest

from tests.saying import take
from vivid_keel.trades.vehicle.book import FACTS


@pytest.fixture
def trailer(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Trailer")
    window.new_work.cards["vehicle"].setFocus()
    hands.key("enter")
    assert window.desk.type == "vehicle"
    return window


def test_from_the_two_way_level_to_rest(trailer, hands, tmp_path):
    window, desk = trailer, trailer.desk
    assert window.stage == "Set-up"
    hands.line("trailer", "2.1", "4.2", "4.0")
    window.sheet.editor.selectAll()
    hands.line("40, 80, 120")
    assert desk.book.steps == (0.04, 0.08, 0.12)
    window.show_stage("Readings")
    window.sheet.go((0, 1))
    hands.line("-2.4")
    assert desk.book.found is None  # both are booked together
    hands.line("-0.8")
    assert desk.book.found.text == "-2.4 / -0.8"
    window.do_next()
    assert window.stage == "Moves" and desk.next("Moves").title == "Read the cautions first"
    assert "cautions first" in hands.cells(0)[3]
    window.do_next()
    hands.key(" ", text=" ")
    assert desk.book.cautions_read
    assert hands.cells(0)[1:4] == ["right wheel", "88 mm", "drive on to the 80 mm step"]
    # After the wheel: what the step leaves of the lean, and the nose lower by half the step.
    across, along = (float(t.strip("°").replace("−", "-")) for t in hands.cells(0)[4].split(" / "))
    assert across == pytest.approx(math.degrees(desk.result.roll_left), abs=0.06)
    assert along == pytest.approx(
        math.degrees(math.atan(math.tan(math.radians(-0.8)) - 0.04 / 4.2)), abs=0.06
    )
    assert hands.cells(1)[4].endswith("/ 0.0°")
    want = 0.04 + 4.2 * math.tan(math.radians(0.8))
    assert desk.result.instructions[1].lift == pytest.approx(want * 4.0 / 4.2)
    window.show_stage("Proof")
    window.sheet.go((0, 1))
    hands.line("0.1", "0.2")
    assert desk.state() == ("in", "at rest")
    hands.do("Ctrl+Shift+P")
    text = subprocess.run(
        ["pdftotext", "-layout", str(tmp_path / "Trailer, report.pdf"), "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "drive on to the 80 mm step" in text and "Read again: lean 0.10°" in text


@pytest.mark.parametrize(
    ("row", "text", "said"),
    [
        (0, "boat", "expected trailer"),
        (1, "2100", "were millimetres meant"),
        (1, "-2", "above 0"),
        (4, "40, high", "not a length"),
        (4, "900", "no step of a ramp"),
        (9, "moon", "expected firm gravel"),
        (1, "0", "above 0"),
        (5, "0.2", "none to drive on"),
    ],
)
def test_what_no_vehicle_has_is_refused_in_its_cell(trailer, hands, row, text, said):
    trailer.sheet.go((row, 1))
    trailer.sheet.editor.selectAll()
    hands.line(text)
    assert said in trailer.sheet.refusal
    assert not trailer.desk.book.ids


def test_steep_tilts_are_a_unit_forgotten_and_headings_help(trailer, hands):
    desk = trailer.desk
    trailer.show_stage("Readings")
    trailer.sheet.go((0, 1))
    hands.line("45")
    assert "was another unit meant" in trailer.sheet.refusal
    trailer.sheet.editor.selectAll()
    hands.line("6", "1 %")
    assert desk.book.found.pitch == pytest.approx(math.atan(0.01))
    assert desk.result.headings[0].wheel > desk.result.reach  # 6° are more than its steps
    assert any(f.title.startswith("Turn it") and f.verdict == "open" for f in desk.findings("Moves"))
    for sort in ("twin", "four"):
        take(desk.sheets("Set-up")[0], 0, 1, sort)
        for stage in desk.stage_names:
            for view in range(max(1, len(desk.views(stage)))):
                assert desk.picture(stage, view, 740, 310).items
            for sheet in desk.sheets(stage):
                for row in range(sheet.count):
                    for column in range(len(sheet.columns)):
                        sheet.cell(row, column)
    assert desk.result.instructions and desk.result.why().title.startswith("Wheels of a four")


def test_a_ramp_of_known_slope_says_how_far_and_the_levels_own_offset_is_found_by_turning_about(
    trailer, hands
):
    desk = trailer.desk
    facts = desk.sheets("Set-up")[0]
    take(facts, 4, 1, "none")
    take(facts, 5, 1, "1 in 6")
    # Read +0.6°, turned about −0.2°: the ground's part turns round, its own +0.2° does not.
    take(facts, [t.key for t in FACTS].index("zero-roll"), 1, "0.6 / -0.2")
    take(desk.sheets("Readings")[0], 0, 1, "2.2")
    take(desk.sheets("Readings")[0], 1, 1, "0")
    want = desk.book.values["track"] * math.tan(math.radians(2.0))
    assert (
        desk.result.instructions[0].text == f"drive {want * 6:.2f} m up the ramp, {want * 1000:.0f} mm high"
    )
    assert desk.result.level_shows(desk.result.instructions[-1]) == "+0.2° / 0.0°"  # level, as it reads level


def test_the_demo_trailer_stands_on_its_ramp(demo):
    demo.open_work(demo.file.journal.works()[5].id)
    first, second = demo.desk.result.instructions
    assert (first.where, first.step) == ("left wheel", 0.08)
    assert second.where == "jockey wheel" and second.lift > 0
