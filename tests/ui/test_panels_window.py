"""A top of panels in the real window: begun, read, driven and proven by keys."""

from __future__ import annotations


def test_from_panels_to_proven_in_by_keys(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Sorting table")
    window.new_work.cards["panels"].setFocus()
    hands.key("enter")
    desk = window.desk
    assert desk.type == "panels"
    window.do_next()
    assert window.stage == "Set-up"
    hands.line("A", "1.2", "0.9", "2x2", "B")
    for _ in range(3):
        hands.key("enter")  # what stands is right: on along the line, and to the next
    at = window.sheet.currentIndex()
    assert (at.row(), at.column()) == (2, 0) and window.sheet.editor is not None
    assert [one.name for one in desk.book.panels] == ["A", "B"] and desk.book.panels[1].long == 1.2
    window.do_next()
    assert window.stage == "Readings"
    hands.line("0", "0", "0", "flush", "40 mm")
    assert "no step between panels" in window.sheet.refusal and len(desk.book.read["found"]) == 4
    window.sheet.editor.selectAll()
    hands.line("flush", "-6", "0", "-3")
    hands.rest()
    assert "B falls most: 0.300 mm/m" in hands.said()
    while window.stage != "Moves":
        window.do_next()
    hands.rest()
    window.do_next()
    hands.key("enter")
    hands.rest()
    assert desk.book.lifting_acknowledged and desk.next("Moves").title == "Next: set B 1"
    for _ in range(9):
        if desk.next("Moves").title != f"Next: set {desk.book.points[desk.foot_in_hand].name}":
            break
        window.do_next()
        hands.key("enter")  # as planned
        hands.rest()
    assert desk.next("Moves").title == "Next: lay the level: A along, as left"
    window.do_next()
    hands.line("0", "0", "0", "flush", "flush", "0", "0", "0.2")
    hands.rest()
    assert desk.result.left_verdicts == ["in"] * 8 and desk.state()[0] == "in"
    hands.do("Ctrl+Z")
    assert len(desk.book.read["left"]) == 7
