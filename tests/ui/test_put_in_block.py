"""Ctrl+V with several cells on the clipboard: put in from the cell in hand on; refused in place, and nothing is lost."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

CTRL = Qt.KeyboardModifier.ControlModifier


def tapes(demo, row, column):
    demo.open_work(next(w.id for w in demo.file.journal.works() if w.body["type"] == "marks"))
    demo.show_stage("Readings")
    demo.sheet.go((row, column))
    return [dict(c.texts) for c in demo.desk.book.columns]


def test_a_block_is_put_in_and_undone_column_by_column(demo, hands, qtbot):
    before = tapes(demo, 0, 2)
    QApplication.clipboard().setText("1.151\t1.407\n1.153\t1.402\n")
    qtbot.keyClick(demo.sheet.editor, Qt.Key.Key_V, CTRL)
    now = demo.desk.book.columns
    assert [(c.texts["to_slab"], c.texts["top"]) for c in now[:2]] == [("1.151", "1.407"), ("1.153", "1.402")]
    assert dict(now[2].texts) == before[2]
    hands.do("Ctrl+Z")
    hands.do("Ctrl+Z")
    assert [dict(c.texts) for c in demo.desk.book.columns] == before


def test_a_block_with_one_bad_cell_is_refused_where_it_would_stand(demo, hands, qtbot):
    before = tapes(demo, 0, 2)
    QApplication.clipboard().setText("1.151\nhalf\n1.153")
    qtbot.keyClick(demo.sheet.editor, Qt.Key.Key_V, CTRL)
    assert "line 2 of what was copied, “half”" in demo.sheet.refusal.replace("Line", "line")
    assert [dict(c.texts) for c in demo.desk.book.columns] == before


def test_one_cell_is_pasted_into_the_field_as_ever(demo, hands, qtbot):
    tapes(demo, 0, 2)
    QApplication.clipboard().setText("1.159")
    demo.sheet.editor.selectAll()
    qtbot.keyClick(demo.sheet.editor, Qt.Key.Key_V, CTRL)
    assert demo.sheet.editor.text() == "1.159"


def test_it_goes_in_as_well_where_no_field_is_open(demo, hands, qtbot):
    tapes(demo, 0, 2)
    demo.sheet.close_editor()
    QApplication.clipboard().setText("1.151\n1.153")
    qtbot.keyClick(demo.sheet, Qt.Key.Key_V, CTRL)
    assert [c.texts["to_slab"] for c in demo.desk.book.columns[:2]] == ["1.151", "1.153"]
    demo.sheet.close_editor()
    QApplication.clipboard().setText("1.158")
    demo.sheet.setCurrentIndex(demo.sheet.model_.index(2, 2))
    qtbot.keyClick(demo.sheet, Qt.Key.Key_V, CTRL)
    assert demo.sheet.editor.text() == "1.158"
