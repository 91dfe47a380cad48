"""The titles over the columns: whole, and large enough to be read, in a usual window and in the smallest."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QImage, QPainter

from vivid_keel.ui import titles


@pytest.mark.parametrize(("size", "most", "least"), [((1280, 800), 2, 11.0), ((960, 540), 4, 7.0)])
def test_a_title_is_painted_whole_within_its_column(demo, monkeypatch, size, most, least):
    demo.resize(*size)
    painted = []
    monkeypatch.setattr(titles, "paint_text", lambda p, x, y, text, at: painted.append((x, y, text, at)))
    head = demo.sheet.horizontalHeader()
    image = QImage(2000, 40, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    for work in demo.file.journal.works():
        demo.open_work(work.id)
        for stage in demo.desk.stage_names:
            for number, sheet in enumerate(demo.desk.sheets(stage)):
                demo.show_stage(stage, number)
                for k, column in enumerate(sheet.columns):
                    painted.clear()
                    rect = QRect(0, 0, head.sectionSize(k), 28)
                    head.paintSection(painter, rect, k)
                    whole = "".join(text for _, _, text, _ in painted).replace(" ", "")
                    assert whole == column.title.replace(" ", "")
                    for x, y, text, at in painted:
                        said = (demo.desk.book.name, stage, sheet.name, column.title, rect.width())
                        assert at >= least and len(painted) <= most, said
                        assert x >= 0 and x + titles.text_length(text, at) <= rect.width() + 1, said
                        assert at * 0.5 <= y <= 28, said
    painter.end()
