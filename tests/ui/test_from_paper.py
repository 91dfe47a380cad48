"""Readings typed in from paper: which page, and when it was read there, asked under the sheet."""

from __future__ import annotations


def test_the_page_of_paper_is_asked_and_told_by_keys(demo, hands):
    demo.open_work(next(w.id for w in demo.file.journal.works() if w.body["type"] == "slab"))
    demo.show_stage("Readings")
    demo.house.from_paper()
    hands.line("3", "2026-05-04 14:20")
    entry = demo.file.journal.latest(demo.desk.work, "paper")
    assert entry.body == {"page": "3", "read_at": "2026-05-04 14:20"}
    assert any(f.title == "From paper: page 3" for f in demo.desk.findings("Readings"))
    demo.house.from_paper()
    hands.key("esc")
    assert demo.file.journal.latest(demo.desk.work, "paper") == entry  # nothing was said
    demo.house.from_paper()
    hands.key("backspace")  # the page in hand stands there: taken away, it is from paper no longer
    hands.key("enter")
    assert not any("From paper" in f.title for f in demo.desk.findings("Readings"))
