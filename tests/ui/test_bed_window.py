"""A bed on pairs of feet in the real window: begun, read, turned and proven by keys; a stand-in read by its live number."""

from __future__ import annotations

import time

import pytest


@pytest.fixture
def bed(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Lathe bed")
    window.new_work.cards["bed"].setFocus()
    hands.key("enter")
    assert window.desk.type == "bed"
    return window


def test_from_stations_to_proven_in_by_keys(bed, hands):
    window, desk = bed, bed.desk
    window.do_next()
    assert window.stage == "Set-up"
    hands.line("head", "0", "middle", "900")
    assert "was another unit meant" in window.sheet.refusal
    hands.line(" mm", "tail", "1.8")  # what was typed is still there
    assert [s.x for s in desk.book.stations] == [0, 0.9, 1.8]
    window.show_stage("Instrument")
    window.sheet.go((0, 1))
    window.sheet.editor.selectAll()
    hands.line("only")
    assert desk.book.only_itself
    window.do_next()
    assert window.stage == "Readings" and desk.next("Readings").title == "Next: read across at head"
    hands.line("2.4", "4 kg")
    assert window.sheet.refusal and len(desk.book.read["found"]) == 1
    window.sheet.editor.selectAll()
    hands.line("4.8", "7.2")
    hands.rest()
    window.do_next()
    while window.stage != "Moves":
        window.do_next()
    hands.rest()
    window.do_next()
    hands.key("enter")  # on the cautions: Enter presses what the eye is on
    hands.rest()
    assert desk.book.lifting_acknowledged
    assert [hands.cells(row)[3] for row in range(2)] == [
        "across at tail: +2.4 div",
        "across at middle: +2.4 div",
    ]
    for name in ("tail front", "middle front"):
        assert desk.next("Moves").title == f"Next: turn {name}"
        window.do_next()
        hands.key("enter")  # as planned
        hands.rest()
    assert desk.next("Moves").title == "Next: read across at head, as left"
    window.do_next()
    hands.line("2.4", "2.4", "2.4")
    hands.rest()
    assert desk.result.left_verdicts == ["in"] * 6 and desk.state()[0] == "in"
    assert desk.next("Proof").key == "again"
    window.do_next()
    assert window.sheet.sheet.name == "Look again"


def test_a_stand_in_is_read_by_its_number_with_f8_and_enter(bed, hands):
    window = bed
    window.show_stage("Set-up")
    hands.line("head", "0", "tail", "1.8")
    window.errands.make_stand_in()
    hands.rest()
    desk = window.desk
    assert window.stage == "Readings" and desk.book.name == "Practice: Lathe bed"
    window.show_stage("Instrument", 2)
    window.sheet.go((6, 1))
    window.sheet.editor.selectAll()
    hands.line("1")  # it settles quickly, so that the test does
    assert desk.book.facts.values["settles"] == 1
    window.show_stage("Readings")
    window.sheet.go((0, 1))
    hands.do("F8")
    assert window.view_number == 1 and desk.views("Readings")[1] == "Live"
    until = time.monotonic() + 15
    while not window.sheet.editor or not window.sheet.editor.text():
        assert time.monotonic() < until
        hands.rest()
        hands.qtbot.wait(50)
        hands.do("F8")
    assert window.sheet.editor.text().endswith("mm/m")
    hands.key("enter")
    hands.rest()
    assert len(desk.book.read["found"]) == 1
    desk.close()
