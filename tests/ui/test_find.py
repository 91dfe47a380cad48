"""Finding over the whole job by keys: works, marks, remarks, matters, readings as typed; Enter leads to the very cell."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.search import MOST, search
from vivid_keel.trades.registry import job_kinds


def found(window):
    return [window.finder.found.item(k).text() for k in range(window.finder.found.count())]


def test_a_work_is_jumped_to_by_typing_its_name(demo, hands):
    hands.do("Ctrl+F")
    hands.type("tramw")
    assert found(demo)[0].startswith("Stone tramway")
    hands.key("enter")
    assert demo.job.journal.name_of(demo.desk.work) == "Stone tramway" and demo.stack.currentIndex() == 0


def test_a_mark_is_found_and_its_cell_stands_in_hand(demo, hands):
    hands.do("Ctrl+F")
    hands.type("weir crest")
    assert len(found(demo)) >= 2
    hands.key("enter")
    index = demo.sheet.currentIndex()
    assert "Weir crest" in demo.sheet.sheet.cell(index.row(), index.column()).text
    assert demo.job.journal.entries[demo.desk.work].body["type"] == "run"


def test_a_struck_reading_is_found_and_said_to_be_struck(demo, hands):
    hands.do("Ctrl+F")
    hands.type("0.837")
    assert any("(struck)" in one for one in found(demo))
    hands.key("esc")
    assert demo.stack.currentIndex() == 0


def test_down_walks_what_was_found_and_nothing_is_said_of_nothing(demo, hands):
    hands.do("Ctrl+F")
    hands.type("CP 1")
    hands.key("down")
    assert demo.finder.found.currentRow() == 1
    hands.key("up")
    assert demo.finder.found.currentRow() == 0
    demo.finder.words.setText("no such thing")
    assert "nothing holds that" in demo.finder.said.text()
    hands.key("enter")
    assert demo.stack.currentWidget() is demo.finder


def test_without_a_job_it_says_so(window, hands):
    hands.do("Ctrl+F")
    assert "Open a job first" in window.job_state.text() + window.notice.text()


@pytest.mark.parametrize("words", ["", "   "])
def test_no_words_find_nothing(demo, words):
    assert search(demo.job.journal, job_kinds(), words) == []


def test_what_is_undone_isnt_found_and_there_is_an_end(demo):
    work = demo.job.journal.works()[0].id
    demo.job.record([Draft(work, "matter", {"text": "quarrystone lintel"})])
    assert len(search(demo.job.journal, job_kinds(), "LINTEL quarry")) == 1
    demo.job.undo()
    assert search(demo.job.journal, job_kinds(), "quarrystone") == []
    demo.job.record([Draft(work, "matter", {"text": f"brick {k}"}) for k in range(MOST + 20)])
    assert len(search(demo.job.journal, job_kinds(), "brick")) == MOST


def test_a_work_is_named_anew_everywhere_and_undone(demo, hands):
    hands.do("F2")
    hands.line("Gate to weir")
    work = demo.desk.work
    assert demo.job.journal.name_of(work) == "Gate to weir"
    demo.show_side()
    listed = [demo.works.item(k).data(Qt.ItemDataRole.UserRole)[0] for k in range(demo.works.count())]
    assert "Gate to weir" in listed and "Gatepost to weir" not in listed
    assert "Gate to weir" in " ".join(demo.desk.report()()[0].texts())
    hands.do("Ctrl+Z")
    assert demo.job.journal.name_of(work) == "Gatepost to weir"


def test_a_name_that_another_has_is_refused_with_the_reason(demo, hands):
    hands.do("F2")
    hands.line("Lathe bed")
    assert demo.job.journal.name_of(demo.desk.work) == "Gatepost to weir"
    assert "told apart by nobody" in demo.notice.text()
    hands.do("F2")
    hands.key("esc")
    assert demo.job.journal.name_of(demo.desk.work) == "Gatepost to weir"


def test_from_the_kit_the_job_is_found_too_and_gone_to(demo, hands):
    demo.toggle_kit()
    assert demo.in_kit
    hands.do("Ctrl+F")
    assert "Osier Mill" in demo.finder.title.text()
    hands.type("hurst frame marks")
    assert found(demo)[0].startswith("Hurst frame marks")
    hands.key("enter")
    assert not demo.in_kit and demo.job.journal.name_of(demo.desk.work) == "Hurst frame marks"
    demo.toggle_kit()
    hands.do("Ctrl+F")
    demo.finder.words.clear()
    hands.type("amber")
    hands.key("enter")
    assert demo.in_kit  # what the kit holds comes first
