"""A table on feet in the real window: begun, read, moved and proven by keys."""

from __future__ import annotations

import pytest


@pytest.fixture
def bed(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Planer bed")
    window.new_work.cards["slab"].setFocus()
    hands.key("enter")
    assert window.desk.type == "slab"
    return window


def test_from_feet_to_the_report_by_keys(bed, hands):
    window, desk = bed, bed.desk
    window.do_next()
    assert window.stage == "Set-up"
    hands.line("A", "0", "0", "B", "1.6", "0", "C", "1.6", "900")
    assert "was another unit meant" in window.sheet.refusal
    hands.line(" mm", "D", "0", "0.9")  # what was typed is still there
    assert [(p.x, p.y) for p in desk.book.points] == [(0, 0), (1.6, 0), (1.6, 0.9), (0, 0.9)]
    window.do_next()
    assert window.stage == "Readings"
    hands.line("3.6", "14 kg")
    assert window.sheet.refusal and len(desk.book.laid["found"]) == 1
    window.sheet.editor.selectAll()
    hands.line("1.4", "-2.2", "2.8", "-2.8", "1.6")
    hands.rest()
    window.do_next()
    while window.stage != "Moves":
        window.do_next()
    hands.rest()
    window.do_next()
    hands.key("enter")  # on the cautions: Enter presses what the eye is on
    hands.rest()
    assert desk.book.lifting_acknowledged
    assert [hands.cells(row)[3] for row in range(2)] == ["A → B: +1.1 div", "B → C: +1.1 div"]
    for name in ("A", "C"):
        assert desk.next("Moves").title == f"Next: turn {name}"
        window.do_next()
        hands.key("enter")  # as planned
        hands.rest()
    assert desk.next("Moves").title == "Next: lay the level A → B, as left"
    window.do_next()
    hands.line("1.0", "-1.2", "1.2", "1.0", "1.2", "1.2")
    hands.rest()
    assert desk.result.left_verdicts == ["in"] * 4
    assert desk.next("Proof").key == "again"  # machines are looked at once more, overnight
