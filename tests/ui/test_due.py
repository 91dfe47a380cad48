"""What is due today, before any job is opened: of the kit, and of every job known on this machine; and where it leads."""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import pytest

from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Look
from vivid_keel.files import JobFile
from vivid_keel.places import state_file
from vivid_keel.ui.known import looks_elsewhere, note
from vivid_keel.ui.window import Window

TODAY = date.today()


def job_with_a_matter(path, name, text):
    with JobFile.create(path, name, "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Sill", "type": "run", "unit": "m"})])
        file.record([Draft(work.id, "matter", {"text": text})])
    return path


def due_on_start(window):
    window.greet()
    box = window.start._due
    return [box.itemAt(k).widget().text() for k in range(box.count())]


def test_what_a_job_left_open_stands_on_the_start_page_next_morning_and_leads_there(window, qtbot, tmp_path):
    path = job_with_a_matter(tmp_path / "weir.keel", "Weir", "grout the north anchor")
    window.open_path(path)
    window.open_path(
        job_with_a_matter(tmp_path / "mill.keel", "Mill", "ask the engineer")
    )  # another comes into hand
    assert [look.name for look in window.looks()] == ["Sill", "Weir: Sill"]
    window.close()
    again = Window("Ada")
    qtbot.addWidget(again)
    again.show()
    said = due_on_start(again)
    assert len(said) == 2 and any("Weir: Sill" in one and "grout the north anchor" in one for one in said)
    assert again.start._due_head.text() == "Due: 2"
    button = next(
        again.start._due.itemAt(k).widget()
        for k in range(2)
        if "Weir" in again.start._due.itemAt(k).widget().text()
    )
    button.click()
    assert again.job.path == path and again.desk is not None
    again.close()


def test_what_is_settled_is_due_no_more(window, qtbot, tmp_path):
    path = job_with_a_matter(tmp_path / "weir.keel", "Weir", "grout")
    window.open_path(path)
    work = window.job.journal.works()[0].id
    (matter,) = window.job.journal.standing(work, "matter")
    window.desk.record(Draft(work, "settled", {"matter": matter.id, "text": "done"}))
    window.close()
    assert looks_elsewhere() == []


def test_the_whole_diary_has_every_known_job_and_enter_opens_it(demo, hands, tmp_path):
    note(
        job_with_a_matter(tmp_path / "weir.keel", "Weir", "grout"),
        "Weir",
        [Look(TODAY, 2, "Sill", "still open: grout")],
    )
    hands.do("Alt+Y")
    rows = [hands.cells(k) for k in range(demo.sheet.sheet.count)]
    at = next(k for k, row in enumerate(rows) if row[2] == "Weir: Sill")
    assert "grout" in rows[at][4]
    demo.errands.write_diary()
    (written,) = tmp_path.rglob("*.ics")
    assert "Weir: Sill" in written.read_text().replace("\r\n ", "")
    demo.sheet.go((at, 0))
    hands.key("enter")
    assert demo.job.path == tmp_path / "weir.keel"


@pytest.mark.parametrize(
    "text", ["", "[]", "{", '{"a": 1}', '{"PATH": {"job": "x", "looks": [[1]]}}', '{"PATH": {"looks": 3}}']
)
def test_a_spoiled_note_is_passed_over(text, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    state_file("due.json").parent.mkdir(parents=True)
    state_file("due.json").write_text(text.replace("PATH", str(tmp_path)))
    assert looks_elsewhere() == []
    note(Path(tmp_path), "Mill", [Look(TODAY, 2, "Sill", "open")])
    assert [look.name for look in looks_elsewhere()] == ["Mill: Sill"]
    assert looks_elsewhere(Path(tmp_path)) == []  # the one in hand speaks for itself
    note(Path(tmp_path), "Mill", [])
    assert looks_elsewhere() == []


def test_the_soonest_is_first_and_a_job_that_is_gone_is_forgotten(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    for k, name in enumerate(("b", "a", "gone")):
        (tmp_path / name).touch()
        note(tmp_path / name, name, [Look(TODAY - timedelta(days=k), 2, "x", "y")])
    (tmp_path / "gone").unlink()
    assert [look.name for look in looks_elsewhere()] == ["a: x", "b: x"]


def test_the_demo_reminds_nobody(demo, hands, qtbot):
    demo.errands.open_demo()
    work = demo.job.journal.works()[0].id
    demo.job.record([Draft(work, "matter", {"text": "open"})])
    demo.close()
    assert not any("Osier Mill: Gatepost" in look.name for look in looks_elsewhere())


def due_sheet(window):
    window.show_diary()
    return window.sheet.sheet


def test_what_is_due_is_put_off_with_a_day_and_a_reason_and_taken_back(demo, hands):
    sheet = due_sheet(demo)
    before = len(demo.due_lines())
    row = next(r for r in range(sheet.count) if sheet.rows[r].day <= TODAY and not sheet.rows[r].after_knock)
    line = sheet.rows[row]
    for wrong in ("soon frost", "+14", "2001-01-01 frost", "-3 frost", "+0 frost", "+99999999 frost"):
        demo.sheet.go((row, 1))
        hands.line(wrong)
        assert len(demo.due_lines()) == before, wrong
        hands.key("esc")
    demo.sheet.go((row, 1))
    hands.line("+14 frozen ground")
    assert len(demo.due_lines()) == before - 1
    sheet = demo.sheet.sheet
    there = next(r for r in range(sheet.count) if sheet.rows[r].uid == line.uid)
    assert sheet.rows[there].day == TODAY + timedelta(days=14)
    assert "Put off: frozen ground." in sheet.cell(there, 4).text
    assert f"{before - 1} thing" in demo._diary_words(demo._whole())
    demo.sheet.go((there, 0), edit=False)
    hands.do("Ctrl+D")
    hands.key("enter")
    assert len(demo.due_lines()) == before


def test_a_check_after_a_knock_is_never_put_off(demo, hands):
    from vivid_keel.core.record.diary import PutOff, with_put_off

    sheet = due_sheet(demo)
    knocked = next(r for r in range(sheet.count) if sheet.rows[r].after_knock)
    assert not sheet.cell(knocked, 1).editable
    line = sheet.rows[knocked]
    assert with_put_off(line, {line.uid: PutOff(TODAY + timedelta(days=9), "busy", 1)}) == line
    quiet = next(line for line in sheet.rows if not line.after_knock)
    sooner = PutOff(quiet.day - timedelta(days=1), "busy", 1)
    assert with_put_off(quiet, {quiet.uid: sooner}) == quiet  # nothing is brought forward


def test_the_diary_leads_to_the_years_that_are_to_be_levelled_again(demo, hands):
    hands.rest()  # its works are put on their desks
    sheet = due_sheet(demo)
    row = next(r for r in range(sheet.count) if sheet.rows[r].name == "Mill over three years")
    demo.sheet.go((row, 0), edit=False)
    hands.key("enter")
    assert demo.job.journal.name_of(demo.desk.work) == "Mill over three years" and demo.stage == "Proof"
    assert demo.sheet.sheet.name == "Benchmarks"
