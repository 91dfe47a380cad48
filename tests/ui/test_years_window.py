"""Years side by side in the real window: another job's file brought in, a run levelled again, works kept in order."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from vivid_keel.core.record.works import at_hand, set_aside
from vivid_keel.files import JobFile


def years(window):
    (work,) = [w.id for w in window.file.journal.works() if w.body["type"] == "over-the-years"]
    window.open_work(work)
    window.show_stage("Readings")
    return window.desk


def run(window, name="Gatepost to weir"):
    journal = window.file.journal
    (work,) = [w.id for w in journal.works() if journal.name_of(w.id) == name]
    window.open_work(work)
    return window.desk


def said(window):
    return window.notice.text()


@pytest.fixture
def another(tmp_path):
    """The mill's job of an older version, as it lies in last year's folder."""
    old = Path(__file__).parents[1] / "store" / "old" / "job-0.9.keel"
    return Path(shutil.copy(old, tmp_path / "Osier Mill 2023.keel"))


def test_another_years_job_lends_its_levellings_and_stays_as_it_was(demo, hands, another, monkeypatch):
    desk = years(demo)
    before = another.read_bytes()
    monkeypatch.setattr(demo.errands, "_choose", lambda title, pattern: another)
    hands.do("Ctrl+I")
    assert "lends 2 levellings" in said(demo)
    lent = [one for one in demo.desk.book.levellings if one.file == another.name]
    assert len(lent) == 2 and all(len(one.lines) > 5 for one in lent)
    assert another.read_bytes() == before and len(list(another.parent.glob("Osier Mill 2023*"))) == 1
    hands.do("Ctrl+I")
    assert "lie here already" in said(demo)
    hands.do("Ctrl+Z")
    assert not [one for one in demo.desk.book.levellings if one.file == another.name]
    assert demo.desk is desk


@pytest.mark.parametrize("what", ["this job", "damaged", "no job", "nothing"])
def test_what_cant_be_lent_is_said_and_nothing_comes_in(demo, hands, another, monkeypatch, what, tmp_path):
    desk = years(demo)
    if what == "this job":
        another = demo.file.path
    elif what == "damaged":
        raw = bytearray(another.read_bytes())
        raw[len(raw) // 2 : len(raw) // 2 + 3000] = bytes(3000)
        another.write_bytes(raw)
    elif what == "no job":
        another.write_text("Lieber Müller, anbei")
    else:
        with JobFile.create(tmp_path / "new.keel", "New", "Ada"):
            pass
        another = tmp_path / "new.keel"
    count = len(demo.file.journal.entries)
    monkeypatch.setattr(demo.errands, "_choose", lambda title, pattern: another)
    hands.do("Ctrl+I")
    assert said(demo) and len(demo.file.journal.entries) == count and demo.desk is desk
    assert {"this job": "this very job", "nothing": "no level run"}.get(what, "Nothing of") in said(demo)


def test_a_run_is_levelled_again_with_its_marks_and_nothing_read(demo, hands):
    first = run(demo)
    hands.do("Alt+V")
    again = demo.desk
    assert again.work != first.work and not again.book.sights
    assert (
        again.book.known[0].name == "BM gatepost" and again.book.instrument.name == first.book.instrument.name
    )
    assert demo.file.journal.name_of(again.work).startswith("Gatepost to weir, ")
    wanted = [one.name for one in again.book.planned]
    assert wanted[:3] == ["Yard drain", "Store sill", "Wheel-pit sill N"] and "CP 1" not in wanted
    hands.line("1.482")
    assert again.proposed_mark() == "Yard drain"  # what was read next then is proposed now
    assert "nothing is read in it yet" in said(demo)
    hands.do("Alt+V")  # a copy of a copy is called by its own month, and told apart
    assert demo.file.journal.name_of(demo.desk.work).endswith(" (2)")
    for _ in range(3):
        hands.do("Ctrl+Z")
    assert again.work not in demo.desks


def test_a_copy_with_its_readings_comes_to_the_same_heights(demo, hands):
    first = run(demo)
    demo.house.copy()
    again = demo.desk
    assert again.work != first.work
    assert again.result.closure.misclosure == first.result.closure.misclosure
    standing = [[desk.book.rows[i].text for i in desk.book.sights] for desk in (first, again)]
    assert standing[0] == standing[1]


def test_a_floor_and_a_bed_are_copied_with_their_readings_and_without(demo, hands):
    for name in ("Lathe bed", "Sorting table"):
        first = run(demo, name)
        demo.house.copy()
        again = demo.desk
        assert again.work != first.work and "and its readings" in said(demo)
        assert [p.name for p in again.book.points] == [p.name for p in first.book.points]
        assert [p.id for p in again.book.points] != [p.id for p in first.book.points]
        assert again.result.task.found == pytest.approx(first.result.task.found, abs=1e-12)
        demo.house.copy_bare()
        bare = demo.desk
        assert len(bare.book.points) == len(first.book.points) and "nothing is read in it" in said(demo)
        assert not demo.file.journal.standing(bare.work, "bed-reading", "laid", "panel-reading")
        hands.do("Ctrl+Z")
        assert demo.desk.work == again.work  # back where the copy was made from
        assert demo.notice.isHidden()  # nothing is said of a copy that isn't there
        hands.do("Ctrl+Z")
        assert demo.desk.work == first.work
        assert again.work not in demo.desks and bare.work not in demo.desks
    run(demo, "Mill floor posts")
    hands.do("Alt+V")
    count = len(demo.file.journal.entries)
    demo.house.copy()
    assert "several visits" in said(demo) and len(demo.file.journal.entries) == count


def test_a_work_with_visits_begins_the_next_and_one_that_takes_all_from_others_says_so(demo, hands):
    journal = demo.file.journal
    for name in (
        "Mill floor posts",
        "Lathe bed",
        "Setting-out table",
        "Runner stone spindle",
        "Sorting table",
    ):
        desk = run(demo, name)
        hands.do("Alt+V")
        assert demo.desk is desk and journal.latest(desk.work, "visit") is not None, name
        hands.do("Alt+V")
        assert "othing was read yet" in said(demo), name
    count = len(journal.entries)
    run(demo, "Marks of the mill")
    hands.do("Alt+V")
    assert "come from other works" in said(demo) and len(journal.entries) == count


def names(window):
    return [window.file.journal.name_of(work.id) for work in at_hand(window.file.journal)]


def test_works_are_moved_set_aside_and_brought_back(demo, hands):
    before = names(demo)
    run(demo, "Weir to gatepost")
    hands.do("Ctrl+Shift+PgUp")
    assert names(demo)[:3] == [before[0], "Weir to gatepost", before[1]]
    hands.do("Ctrl+Shift+PgDown")
    assert names(demo) == before
    run(demo, before[0])
    hands.do("Ctrl+Shift+PgUp")
    assert "stands there already" in said(demo) and names(demo) == before
    demo.house.set_aside()
    assert before[0] not in names(demo)
    assert [demo.file.journal.name_of(w.id) for w in set_aside(demo.file.journal)] == [before[0]]
    last = demo.works.item(demo.works.count() - 1)
    assert last.data(0x0100)[:2] == (before[0], "set aside")
    assert all(look.work != demo.desk.work for look in demo.looks())
    demo.house.set_aside()
    assert names(demo) == before
    hands.do("Ctrl+Z")
    assert before[0] not in names(demo)


def test_the_job_is_told_anew_and_every_reading_stays(demo, hands):
    desk = run(demo)
    texts = [row.text for row in desk.book.rows]
    demo.house.tell_job()
    field = demo.under.reason
    assert field.text() == "Osier Mill"
    for answer in ("Osier Mill, south wing", "by the weir", "furlong", "ft", "comma"):
        field.clear()
        hands.line(answer)
        if answer == "furlong":
            assert "no unit" in said(demo) and field.text() == "furlong"
    journal = demo.file.journal
    job = journal.latest(0, "job").body
    assert (journal.name_of(0), job["place"], job["unit"], job["decimal_mark"]) == (
        "Osier Mill, south wing",
        "by the weir",
        "ft",
        ",",
    )
    assert [row.text for row in demo.desk.book.rows] == texts and demo.desk.book.unit == "m"
    assert demo.desk.comma is not None
    hands.do("Ctrl+Z")
    assert demo.file.journal.name_of(0) == "Osier Mill" and demo.desk.comma is None


def test_a_sheet_goes_to_a_spreadsheet_as_it_is_shown(demo, hands):
    from PyQt6.QtWidgets import QApplication

    run(demo)
    demo.show_stage("Heights")
    hands.do("Ctrl+Shift+C")
    lines = [line.split("\t") for line in QApplication.clipboard().text().split("\n")]
    sheet = demo.sheet.sheet
    assert lines[0] == [column.title for column in sheet.columns]
    assert len(lines) == sheet.count + 1 and len({len(line) for line in lines}) == 1
    weir = next(line for line in lines if line[0] == "Weir crest")
    assert weir[: len(hands.cells(0))] == hands.cells(lines.index(weir) - 1)
    assert f"{sheet.count} lines are on the clipboard" in said(demo)
