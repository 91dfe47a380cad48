"""An axis of rotation in the real window: begun, read all round, moved and proven by keys."""

from __future__ import annotations


def test_from_feet_to_proven_in_by_keys(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Spindle")
    window.new_work.cards["axis"].setFocus()
    hands.key("enter")
    desk = window.desk
    assert desk.type == "axis"
    window.do_next()
    assert window.stage == "Set-up"
    hands.line("F", "0.9", "0", "G", "-0.45", "0.78", "H", "-0.45", "-0.78")
    assert len(desk.book.points) == 3
    window.do_next()
    assert window.stage == "Readings"
    hands.line("7.6", "-0.4", "3.6", "31")
    assert "marked to 20 divisions" in window.sheet.refusal and len(desk.book.read["found"]) == 3
    window.sheet.editor.selectAll()
    hands.line("3.6", "7.6")
    hands.rest()
    assert "The axis leans 0.200 mm/m" in hands.said()
    while window.stage != "Moves":
        window.do_next()
    hands.rest()
    window.do_next()
    hands.key("enter")
    hands.rest()
    assert desk.book.lifting_acknowledged
    for _ in range(2):
        window.do_next()
        hands.key("enter")  # as planned
        hands.rest()
    assert desk.next("Moves").title == "Next: turn it to 0° and read, as left"
    window.do_next()
    hands.line("3.6", "3.6", "3.6", "3.8", "3.6")
    hands.rest()
    assert desk.result.left_verdicts == ["in"] * 3
    window.do_next()
    assert window.sheet.sheet.name == "Look again"
    hands.do("Ctrl+Z")
    assert len(desk.book.read["left"]) == 4
