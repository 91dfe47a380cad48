"""Files that can't be written, in the window: waited for, taken over with a reason, written elsewhere; nothing is lost."""

from __future__ import annotations

from tests.exchange.test_not_as_written import flipped
from tests.mill import mill
from tests.store.test_chain import a_reading, by_another_hand
from tests.store.test_unknown import put
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Taken
from vivid_keel.files import JobFile
from vivid_keel.ui.window import Window


def test_the_second_window_writes_when_the_first_has_gone_where_it_stands(demo, qtbot):
    second = Window("Ben")
    qtbot.addWidget(second)
    second.show()
    assert second.open_path(demo.file.path)
    supports = second.file.journal.works()[1].id
    second.open_work(supports)
    second.show_stage("Target")
    second.keeping.look_again()
    assert second.file.read_only and second.sheet.closed
    demo.desk.file.record([])
    demo.sheet.close_editor()
    demo._let_go()
    second.keeping.look_again()
    assert not second.file.read_only and not second.sheet.closed
    assert (second.desk.work, second.stage) == (supports, "Target")
    assert "has gone: you can write here now" in second.notice.text()
    second.close()


def test_a_file_that_another_hand_changed_is_taken_over_in_place_with_a_reason(window, hands, tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        path = file.path
    id, body = a_reading(path)
    said = body.replace("1.", "2.")
    by_another_hand(path, f"UPDATE entries SET body = '{said}' WHERE id = {id}")
    assert window.open_path(path)
    assert f"entry {id}, " in window.notice.text() and window.sheet.closed
    window.keeping.take_over()
    hands.line("")
    assert "Say why it can be relied on" in window.notice.text() and window.file.read_only
    window.keeping.take_over()
    hands.line("held against the paper book")
    assert not window.file.read_only and not window.sheet.closed
    assert "Taken over, and recorded" in window.notice.text()
    window.keeping.take_over()
    assert "Nothing is to be taken over" in window.notice.text()


def test_a_file_deleted_under_the_hand_is_said_and_written_elsewhere(demo, hands):
    path = demo.file.path
    demo.show_stage("Readings")
    demo.sheet.go((demo.sheet.sheet.count - 1, 0))
    path.unlink()
    hands.line("BM gate")
    hands.line("1.482")
    assert "renamed, moved or deleted while it was open" in demo.sheet.refusal
    assert demo.sheet.editor.text() == "1.482"  # still there, to be copied
    before = dict(demo.file.journal.entries)
    demo.keeping.write_copy()
    copy = path.with_name("Osier Mill copy.keel")
    with JobFile.open(copy) as file:
        assert file.journal.entries == before and not file.read_only


def test_a_copy_of_a_changed_file_is_marked_and_written_in_only_for_a_reason(window, hands, tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as file:
        path = file.path
    id, body = a_reading(path)
    by_another_hand(path, f"UPDATE entries SET body = '{body.replace('1', '2', 1)}' WHERE id = {id}")
    assert window.open_path(path)
    window.keeping.write_copy()
    hands.line("")
    copy = path.with_name("Osier Mill copy.keel")
    with JobFile.open(copy) as file:
        assert file.read_only and f"entry {id}" in file.changed
    assert f"entry {id}" in window.notice.text()
    window.keeping.write_copy()
    hands.line("read against the book")
    with JobFile.open(path.with_name("Osier Mill copy 2.keel")) as file:
        assert not file.read_only
        assert list(file.journal.entries.values())[-1].body == {"reason": "read against the book", "at": 0}


def test_a_job_with_a_damaged_file_in_it_opens_and_names_it(window, hands, tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        path = file.path
    said = flipped(path)
    assert window.open_path(path)
    hands.rest()
    for work in window.file.journal.works():
        window.open_work(work.id)
        hands.rest()
    assert window.file.journal.lost_sources == {int(said.split()[1])} and not window.file.read_only


def test_an_entry_by_another_program_stops_the_writing_and_says_whose(demo, hands):
    put(demo.file.path, "matter", {"text": "by another"})
    demo.show_stage("Readings")
    demo.sheet.go((demo.sheet.sheet.count - 1, 0))
    hands.line("BM gate")
    hands.line("1.482")
    assert "Cy, 2026-12-01" in demo.sheet.refusal
    assert demo.open_path(demo.file.path)


def test_a_work_of_the_job_asked_of_the_kit_is_no_fault(demo):
    """The list at the side follows a little later: what was clicked may belong to the file that was in hand before."""
    works = [w.id for w in demo.file.journal.works()]
    demo.show_kit()
    tools = {w.id for w in demo.file.journal.works()}
    stranger = next(id for id in works if id not in tools)
    demo.works.opened.emit(stranger)
    assert demo.in_kit and demo.desk.work == 0
    assert stranger not in demo.desks


def test_a_half_typed_value_of_a_job_that_was_let_go_goes_nowhere(demo, hands, tmp_path):
    demo.show_stage("Readings")
    demo.sheet.go((demo.sheet.sheet.count - 1, 0))
    hands.type("BM")
    editor = demo.sheet.editor
    demo.take(JobFile.create(tmp_path / "new.keel", "New"))
    assert demo.desk is None and demo.sheet.editor is None and not editor.isVisible()
    assert demo.sheet._book(lambda: Taken([Draft(0, "matter", {"text": "late"})])) is False
