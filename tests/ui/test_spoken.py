"""What a screen reader is given: each part of the window has a name, and what is only drawn is said in words."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QListWidget, QSplitterHandle, QTableView

from vivid_keel.figures.symbols import words
from vivid_keel.ui.pane import Sign

SPOKEN = Qt.ItemDataRole.AccessibleTextRole


def test_every_part_that_is_seen_has_a_name_at_every_stage(demo):
    for work in [w.id for w in demo.file.journal.works()]:
        demo.open_work(work)
        for stage in demo.desk.stage_names:
            demo.show_stage(stage)
            for kind in (QAbstractButton, QLabel, QLineEdit, QListWidget, QSplitterHandle, QTableView):
                for part in demo.findChildren(kind):
                    if type(part) is QLabel and not part.text():
                        continue  # it says nothing, and shows nothing
                    if part.isVisible() and part.objectName()[:3] != "qt_":
                        said = part.accessibleName() or (part.text() if hasattr(part, "text") else "")
                        assert said.strip(), (
                            stage,
                            type(part).__name__,
                            part.parent().objectName(),
                            type(part.parent()).__name__,
                        )
            sheet = demo.desk.sheets(stage)[0]
            assert demo.sheet.accessibleName() == (sheet.name or "Sheet")
            assert demo.sheet.accessibleDescription() == sheet.hint


def test_a_verdicts_shape_and_a_struck_line_are_said(demo):
    demo.open_work(next(w.id for w in demo.file.journal.works() if w.body["type"] == "supports"))
    demo.show_stage("Proof")
    model = demo.sheet.model_
    said = [
        model.data(model.index(row, column), SPOKEN)
        for row in range(model.rowCount())
        for column in range(model.columnCount())
    ]
    shown = [
        (model.cell(row, column).sign, model.cell(row, column).text)
        for row in range(model.rowCount())
        for column in range(model.columnCount())
    ]
    signs = [(sign, text, heard) for (sign, text), heard in zip(shown, said, strict=True) if sign]
    assert signs and all(words(sign) in heard and text in heard for sign, text, heard in signs)
    assert (words("out+"), words("in"), words("open")) == ("out, high", "in", "not proven")
    assert {sign.accessibleName() for sign in demo.findChildren(Sign)} <= {
        "in",
        "out",
        "not proven",
        "to do",
        "to know",
    }
