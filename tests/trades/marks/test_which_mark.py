"""A measure on the marking sheet says from which mark it counts."""

from __future__ import annotations

import re

from vivid_keel.core.quantities import show_length
from vivid_keel.demo import build
from vivid_keel.figures.display import Text
from vivid_keel.figures.report import Heading, Pages
from vivid_keel.trades.marks.report import marking_sheet
from vivid_keel.trades.registry import desk_for


def test_up_and_down_count_from_the_columns_own_mark_and_the_sheet_says_its_height(tmp_path):
    file = build(tmp_path / "demo.keel")
    work = next(w for w in file.journal.works() if w.body["type"] == "marks")
    result = desk_for(file, work.id).result
    pages = Pages(Heading("Osier Mill", "Marks", "marks", "2026-12-02 10:00", "Ada"))
    marking_sheet(pages, result)
    said = [item.text for page in pages.done() for item in page.items if isinstance(item, Text)]
    style = result.book.style
    moved = [c for c in result.carried if c.up is not None]
    assert moved
    for column in moved:
        assert any(f"its mark {show_length(column.mark, style)}" in text for text in said), column.name
    assert any("each column's own mark" in text for text in said)
    assert not any(re.search("all measures from the line", text, re.IGNORECASE) for text in said)
    file.close()
