"""The works at the left: nothing is cut, and no line lies over another."""

from __future__ import annotations

from PyQt6.QtGui import QImage, QPainter

from vivid_keel.ui import strip
from vivid_keel.ui.strip import WorkList


def test_a_row_is_taller_only_where_name_and_words_take_two_lines_each(qtbot):
    works = WorkList()
    qtbot.addWidget(works)
    works.resize(180, 400)
    works.show()
    long = "Mill over three years and four"
    works.show_works(
        [
            (1, "Weir", "closes +2 mm", "in"),
            (2, long, "closes +2 mm", "in"),
            (3, "Weir", "3 occasions · 2 marks moved again", "out"),
            (4, long, "3 occasions · 2 marks moved again", "out"),
        ],
        4,
    )
    tall = [works.sizeHintForRow(row) for row in range(4)]
    assert tall == [52, 52, 52, 52 + strip.BOTH]


def test_a_row_that_is_of_nothing_yet_is_as_tall_as_others(qtbot):
    works = WorkList()
    qtbot.addWidget(works)
    works.addItem("")
    assert works.sizeHintForRow(0) == 52


def test_no_line_of_a_row_lies_over_another(qtbot, monkeypatch):
    """Where each line of the fullest row is set: from its baseline up by its own size it is its own."""
    works = WorkList()
    qtbot.addWidget(works)
    works.resize(180, 200)
    works.show()
    works.show_works([(1, "Mill over three years and four", "3 occasions · 2 marks moved again", "out")], 1)
    set_at = []
    monkeypatch.setattr(
        strip, "paint_text", lambda painter, x, y, text, size, **more: set_at.append((y, size, text))
    )
    image = QImage(180, 200, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    works.viewport().render(painter)
    painter.end()
    assert len(set_at) == 4
    for (above, _, _), (below, size, text) in zip(set_at, set_at[1:], strict=False):
        assert below - 0.8 * size >= above, text
