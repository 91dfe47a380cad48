"""Reference marks in the real window: carried, taped, closed, the marking sheet printed."""

from __future__ import annotations

import subprocess

import pytest

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.trades.marks.desk import MarksDesk


@pytest.fixture
def frame(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Hurst frame")
    window.new_work.cards["marks"].setFocus()
    hands.key("enter")
    assert isinstance(window.desk, MarksDesk)
    return window


def test_from_the_first_mark_to_the_marking_sheet(frame, hands, tmp_path):
    window, desk = frame, frame.desk
    assert (window.stage, desk.next("Set-up").title) == ("Set-up", "Next: the first mark")
    hands.line("Mark A", "10.000", "drawing 4")
    assert desk.book.reference.height == 10.0
    window.show_stage("Set-up", 1)
    for name, x in (("H1", "0"), ("H2", "3"), ("H3", "6")):
        hands.line(name, x, "0", "12.000")
    assert [c.name for c in desk.book.columns] == ["H1", "H2", "H3"]
    window.do_next()
    assert window.stage == "Readings"
    for down, up in (("1.200", "2.004"), ("1.206", "1.990"), ("1.194", "2.000")):
        hands.line(down, up)
    assert [round(c.cut * 1000) for c in desk.result.carried] == [4, -10, 0]
    window.show_stage("Set-up", 0)
    window.sheet.go((3, 1))
    window.sheet.editor.selectAll()
    hands.line("zigzag")
    assert "expected star" in window.sheet.refusal
    window.sheet.editor.selectAll()
    hands.line("chain")
    assert desk.next("Heights").title == "Next: close the chain"
    window.show_stage("Proof")
    window.sheet.go((0, 2))
    hands.line("1.5")
    assert desk.result.accepted
    columns = desk.sheets("Set-up")[1]
    take(columns, 1, 4, "north, east")
    with pytest.raises(KeelError, match="up to four faces"):
        take(columns, 1, 4, "a, b, c, d, e")
    assert desk.book.columns[1].faces == ("north", "east") and desk.book.columns[1].texts["top"] == "1.990"
    hands.do("Ctrl+Shift+P")
    text = subprocess.run(
        ["pdftotext", "-layout", str(tmp_path / "Hurst frame, report.pdf"), "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "Marking sheet" in text and "make up 11 mm" in text and "Closes to" in text
    assert "north" in text and "east" in text


def test_what_no_tape_can_read_is_refused_in_its_cell(frame, hands):
    desk = frame.desk
    hands.line("Mark A", "10.000", "drawing")
    frame.show_stage("Set-up", 1)
    hands.line("H1")
    frame.show_stage("Readings")
    frame.sheet.go((0, 2))
    hands.line("1200")
    assert "was 1200 mm meant" in frame.sheet.refusal and "to_slab" not in desk.book.columns[0].texts
    frame.sheet.editor.selectAll()
    hands.line("-1.2")
    assert "read above 0" in frame.sheet.refusal
    frame.show_stage("Set-up", 1)
    frame.sheet.go((1, 0))
    hands.line("H1")
    assert "there is a H1 already" in frame.sheet.refusal.lower().replace("h1", "H1")
    hands.key("esc")
    for stage in desk.stage_names:
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 310).items
        for sheet in desk.sheets(stage):
            for row in range(sheet.count):
                for column in range(len(sheet.columns)):
                    sheet.cell(row, column)


def test_the_demo_frame_plans_its_tube(demo, hands):
    demo.open_work(demo.file.journal.works()[4].id)
    desk = demo.desk
    assert desk.state() == ("open", "7 of 8 taped")
    assert sum(s.depth == 1 for s in desk.result.steps) == 6
    demo.show_stage("Heights")
    hands.do("F4")
    assert demo._working.title == "Marks and measures of H1"
    assert any("3 to cut, 1 to make up" in f.title for f in desk.findings("Heights"))
