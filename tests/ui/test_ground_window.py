"""A piece of ground in the real window: stakes, water, boards, by keys; the water line moved by the arrow keys on its picture."""

from __future__ import annotations

import pytest


def test_from_stakes_to_litres_and_boards_by_keys(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Drying yard")
    window.new_work.cards["groundwork"].setFocus()
    hands.key("enter")
    desk = window.desk
    assert desk.type == "groundwork"
    window.do_next()
    assert window.stage == "Readings"
    hands.line("a", "0", "0", "0.300", "b", "4", "0", "0.400", "c", "4", "4", "400")
    assert "nothing is read so far down" in window.sheet.refusal and len(desk.book.missing) == 1
    window.sheet.editor.selectAll()
    hands.line("0.500", "d", "0", "4", "0.400", "m", "2", "2", "0.210")
    take_edge = window.sheet.model_.index(4, 4)
    window.sheet.setCurrentIndex(take_edge)
    window.sheet.open_editor("")
    hands.line("inside")
    assert [p.edge for p in desk.book.points] == [True] * 4 + [False]
    window.do_next()
    assert window.stage == "Target"
    hands.line("-0.25")
    hands.rest()
    assert "1 hump stands dry" in hands.said() and "stands dry" not in desk.state()[1]
    before = desk.result.found.fill
    window.picture.setFocus()
    entries = len(desk.file.journal.entries)
    for _ in range(3):
        hands.key("up")
    assert (
        desk.result.found.fill > before and len(desk.file.journal.entries) == entries
    )  # it follows, and is recorded once at rest
    hands.qtbot.waitUntil(lambda: len(desk.file.journal.entries) == entries + 1, timeout=5000)
    assert desk.book.facts.values["plane"] == pytest.approx(-0.247)
    hands.do("Ctrl+Z")
    assert desk.book.facts.values["plane"] == pytest.approx(-0.25)
    window.do_next()
    assert window.stage == "Moves" and window.sheet.sheet.count == 4


def test_a_file_brought_in_while_proof_is_open_is_the_ground_as_it_was(demo, hands, tmp_path):
    """Under Readings the same file would be this visit's heights."""
    work = next(w for w in demo.file.journal.works() if w.body["name"] == "Drying yard")
    demo.open_work(work.id)
    demo.show_stage("Proof")
    before = len(demo.desk.result.book.cloud)
    path = tmp_path / "last year.csv"
    path.write_text(
        "point,along,across,height\n1,0,0,-0.33\n2,8,0,-0.44\n3,8.4,6,-0.68\n4,4,6.8,-0.59\n5,0,6,-0.50\n"
    )
    demo.errands.bring_in_book(path)
    hands.rest()
    assert "last year.csv is brought in" in demo.notice.text()
    assert any(title.startswith("Since last year.csv") for title in hands.said())
    assert len(demo.desk.result.book.cloud) == before
    hands.do("Ctrl+Z")
    hands.rest()
    assert not any(title.startswith("Since last year.csv") for title in hands.said())
