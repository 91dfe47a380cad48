"""What people and machines do to it: wrong files, long names, small screens, big books, half-typed numbers."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from tests.saying import press_enter, take
from vivid_keel.files import JobFile
from vivid_keel.ui.recent import recent_jobs
from vivid_keel.ui.window import Window

EXAMPLES = Path(__file__).parents[2] / "examples"


def test_a_book_is_brought_in_whole_or_refused_with_its_places(demo, hands):
    before, works = len(demo.file.journal.entries), len(demo.file.journal.works())
    demo.errands.bring_in_book(EXAMPLES / "must-be-refused.csv")
    assert demo.stack.currentWidget() is demo.map_page
    said = [label.text() for label in demo.map_page.findChildren(QLabel)]
    assert any("“1.9.36” is not a number" in text for text in said)
    assert "must-be-refused.csv: 6 places not understood" in said
    assert {3, 4} <= {n + 1 for n in demo.map_page.lines}  # the reason stands at its line
    assert len(demo.file.journal.entries) == before
    demo.map_page.left.emit()
    demo.errands.bring_in_book(EXAMPLES / "tramway-untidy.csv")
    assert demo.desk.result.closure.accepted
    assert "312 sights brought in" in demo.notice.text()
    hands.do("Ctrl+Z")  # one act
    assert len(demo.file.journal.works()) == works
    hands.do("Ctrl+Shift+Z")
    assert len(demo.file.journal.works()) == works + 1


@pytest.mark.parametrize("content", [b"", b"\x00\xff\xfe" * 99, b"mark\n", "∑;∂\n".encode()])
def test_any_other_file_is_refused(demo, tmp_path, content):
    path = tmp_path / "strange.csv"
    path.write_bytes(content)
    demo.errands.bring_in_book(path)
    assert demo.stack.currentWidget() is demo.map_page
    demo.map_page.left.emit()
    assert demo.stack.currentIndex() == 0


def test_a_file_that_is_not_there(demo, tmp_path):
    demo.errands.bring_in_book(tmp_path / "none.csv")
    assert "can't be read" in demo.notice.text()
    demo.errands.bring_in_json(tmp_path / "none.json")
    assert "can't be read" in demo.notice.text()


def test_a_whole_job_out_and_in(demo, tmp_path):
    entries = dict(demo.file.journal.entries)
    demo.errands.write_job()
    (path,) = tmp_path.glob("*.json")
    demo.errands.bring_in_json(path)
    assert demo.file.path.name == "Osier Mill 2.keel"
    assert demo.file.journal.entries == entries
    path.write_text("{}")
    demo.errands.bring_in_json(path)
    assert "was refused at /format" in demo.notice.text()


def test_books_are_written_beside_the_job_and_never_over_one(demo, tmp_path):
    for _ in range(2):
        demo.errands.write("sights")
        demo.errands.write("marks")
    names = sorted(p.name for p in tmp_path.glob("*.csv"))
    assert names == [
        "Gatepost to weir, marks 2.csv",
        "Gatepost to weir, marks.csv",
        "Gatepost to weir, sights 2.csv",
        "Gatepost to weir, sights.csv",
    ]
    assert "Store sill,IS,0.837" in (tmp_path / names[3]).read_text()
    demo.step_work(1)
    demo.errands.write("sights")
    assert "has no such file" in demo.notice.text()


def test_a_folder_that_can_not_be_written(demo, monkeypatch, tmp_path):
    gone = tmp_path / "gone"
    monkeypatch.setattr(type(demo.errands), "_folder", lambda self: gone)
    demo.errands.write_report()
    assert "can't be written" in demo.notice.text()
    demo.errands.write_job()
    assert "can't be written" in demo.notice.text()


def test_a_damaged_job_is_shown_and_says_what_is_missing(demo, hands, tmp_path):
    path = demo.file.path
    for i in range(150):
        demo.desk.file.record([_sight(demo, f"mark {i}")])
    demo.show_start()
    demo._let_go()
    raw = bytearray(path.read_bytes())
    raw[4 * 4096 : 5 * 4096] = os.urandom(4096)
    path.write_bytes(raw)
    assert demo.open_path(path)
    assert "damaged" in demo.notice.text()
    assert demo.job_state.text() in {"read only", ""} or demo.notice.isVisible()
    demo.settle()
    assert demo.job_state.text() == "read only"


def _sight(window, mark):
    from vivid_keel.core.record.entries import Draft

    reading = {"text": "1.2", "unit": "m", "m": 1.2, "step_m": 0.1}
    return Draft(window.desk.work, "sight", {"mark": mark, "sight": "IS", "reading": reading})


def test_a_newer_job_keeps_what_is_open(demo, tmp_path):
    other = tmp_path / "new.keel"
    JobFile.create(other, "New").close()
    db = sqlite3.connect(other)
    db.execute("PRAGMA user_version = 7")
    db.close()
    assert not demo.open_path(other)
    assert "newer version of this program" in demo.notice.text()
    assert demo.file.journal.name_of(0) == "Osier Mill"


def test_the_disk_fills_up_in_the_middle_of_booking(demo, hands):
    demo.file._db.execute("PRAGMA max_page_count = 1")
    desk = demo.desk
    before = len(desk.book.rows)
    demo.sheet.go((desk.sheets("Readings")[0].new, 0))
    demo.sheet.editor.setText("x" * 6000)
    hands.key("enter")
    hands.line("1.234")
    assert "could not be written" in demo.sheet.refusal
    assert demo.sheet.editor.text() == "1.234"
    assert len(desk.book.rows) == before
    demo.file._db.execute("PRAGMA max_page_count = 100000")
    demo.sheet.take()
    assert len(desk.book.rows) == before + 1


@pytest.mark.parametrize("size", [(1024, 700), (1000, 560), (1920, 1080)])
def test_other_screens(demo, hands, size):
    demo.resize(*size)
    for _ in range(2):
        for stage in demo.desk.stage_names:
            demo.show_stage(stage)
            hands.rest()
            QApplication.processEvents()
            assert demo.picture.height() >= 140
            assert demo.sheet.height() >= 100
            last = demo.pane.next.mapTo(demo, demo.pane.next.rect().bottomRight())
            assert last.x() <= size[0]
            assert last.y() <= size[1]
            used = sum(demo.sheet.columnWidth(c) for c in range(len(demo.sheet.sheet.columns)))
            assert used <= demo.sheet.viewport().width() + 4
        demo.step_work(1)


def test_a_half_typed_value_is_never_taken_by_next_or_by_leaving(demo, hands):
    desk = demo.desk
    before = len(demo.file.journal.entries)
    sheet = desk.sheets("Readings")[0]
    demo.sheet.go((sheet.new, 0))
    hands.line("shaft")
    hands.type("1.4")
    demo.do_next()
    assert "Enter takes this value" in demo.sheet.refusal
    hands.do("Alt+4")
    hands.do("Ctrl+PgDown")
    hands.do("Ctrl+PgUp")
    hands.do("Alt+3")
    assert demo.sheet.editor.text() == "1.4"
    assert len(demo.file.journal.entries) == before
    hands.type("44")
    hands.key("enter")
    assert desk.book.rows[-1].text == "1.444"
    assert desk.book.rows[-1].mark == "shaft"


def test_a_job_in_feet_and_inches(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    window.new_job.unit.setCurrentIndex(1)
    hands.line("Leat")
    hands.line("Round")
    hands.key("enter")
    hands.line("stud", "48' 6\"", "", "datum")
    window.do_next()
    hands.line("5 7 3/8", "bed", "7' 8\"")
    hands.line("", '67 3/8"')
    assert hands.cells(1)[6] == "46′ 5⅜″"
    assert hands.cells(2)[3] == "5′ 7⅜″"
    hands.line("5")  # of what?
    assert "for feet" in window.sheet.refusal


def test_a_decimal_comma_job(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    window.new_job.mark.setCurrentIndex(1)
    hands.line("Komma", "Lauf")
    hands.key("enter")
    hands.line("BM", "42,318", "", "datum")
    window.do_next()
    hands.line("1,482")
    assert window.desk.book.rows[0].reading == 1.482
    hands.line("sill", "1.873")
    assert "may mean 1,873 or 1873" in window.sheet.refusal


def test_a_new_job_is_refused_where_it_stands(window, hands, tmp_path):
    hands.do("Ctrl+N")
    hands.key("enter")
    assert "Name the job" in window.new_job.reason.text()
    (tmp_path / "Mill.keel").write_text("mine")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    assert "there already" in window.new_job.reason.text()
    assert (tmp_path / "Mill.keel").read_text() == "mine"
    window.new_job.folder.setText(str(tmp_path / "no such folder"))
    window.new_job.submit()
    assert "can't be made" in window.new_job.reason.text()
    window.new_job.name.setText("a/b:c*d")
    assert window.new_job.path().name == "a-b-c-d.keel"


def test_recent_jobs_are_remembered_while_they_exist(demo, window, tmp_path):
    assert recent_jobs() == [str(demo.file.path)]
    demo.show_start()
    demo._let_go()
    (tmp_path / "Osier Mill.keel").unlink()
    assert recent_jobs() == []
    state = Path(os.environ["XDG_STATE_HOME"]) / "vivid-keel" / "recent.json"
    state.write_text("{broken")
    assert recent_jobs() == []


def test_ten_thousand_rows(window, hands, tmp_path):
    from tests.bench import long_book

    long_book(tmp_path / "long.keel", 10_000)
    assert window.open_path(tmp_path / "long.keel")
    desk = window.desk
    assert len(desk.book.rows) == 10_000
    window.show_stage("Readings")
    hands.line("1.234", "shaft", "1.111")  # the last change point waits for its backsight
    assert [r.mark for r in desk.book.rows[-2:]] == ["CP 1000", "shaft"]
    window.sheet.go((4321, 2))
    if window.sheet.editor is not None:
        window.sheet.editor.selectAll()
        hands.line("1.111")
        assert sum(not r.stands for r in desk.book.rows) == 1
    hands.do("Ctrl+Z")
    hands.rest()
    assert all(r.stands for r in desk.book.rows)


def test_striking_asks_in_place_and_can_be_left(demo, hands):
    before = len(demo.file.journal.entries)
    demo.sheet.go((1, 0), edit=False)
    hands.do("Ctrl+D")
    assert demo.under.reason.hasFocus()
    hands.key("esc")
    assert len(demo.file.journal.entries) == before
    demo.sheet.go((demo.sheet.sheet.count - 1, 0), edit=False)
    hands.do("Ctrl+D")
    assert "nothing to strike" in demo.notice.text()


def test_undo_to_the_beginning_and_back(demo, hands):
    total = len(demo.file.journal.entries)
    acts = len({entry.act for entry in demo.file.journal.entries.values()})
    for _ in range(acts):
        hands.do("Ctrl+Z")
    assert demo.file.journal.works() == []
    assert demo.stack.currentWidget() is demo.new_work
    for _ in range(acts):
        hands.do("Ctrl+Shift+Z")
    demo.open_work(demo.file.journal.works()[0].id)
    assert demo.desk.result.closure.accepted
    assert len(demo.file.journal.entries) > total


def test_closing_the_window_gives_the_job_back(demo, qtbot):
    path = demo.file.path
    demo.close()
    second = Window("Ben")
    qtbot.addWidget(second)
    assert second.open_path(path)
    assert not second.file.read_only
    second.close()


def test_the_mouse_does_what_keys_do(demo, hands, qtbot):
    port = demo.sheet.viewport()
    rect = demo.sheet.visualRect(demo.sheet.model_.index(1, 2))
    qtbot.mouseClick(port, Qt.MouseButton.LeftButton, pos=rect.center())
    assert demo.sheet.editor is not None
    assert demo.sheet.editor.text() == "1.936"
    other = demo.sheet.visualRect(demo.sheet.model_.index(3, 2))
    qtbot.mouseClick(port, Qt.MouseButton.LeftButton, pos=other.center())
    assert demo.sheet.editor.text() == "0.873"
    qtbot.mouseClick(demo.strip.buttons[4], Qt.MouseButton.LeftButton)
    assert demo.stage == "Proof"
    qtbot.mouseClick(demo.sheets.buttons[1], Qt.MouseButton.LeftButton)
    assert demo.sheet.sheet.name == "Class and spread"
    demo.settle()
    button = demo.pane.first_button("Go to record")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert demo.stage == "Record"


def test_no_leaf_move_or_reading_is_cut_short_on_a_small_screen(demo, hands):
    """What a hand does by must be seen whole at 1024 × 700, as read again posts carry a shape beside their names."""
    from vivid_keel.exchange.painter import text_length

    demo.resize(1024, 700)
    demo.step_work(1)
    demo.show_stage("Moves")
    hands.rest()
    view, sheet = demo.sheet, demo.sheet.sheet
    for row in range(sheet.count):
        for column, kind in enumerate(sheet.columns):
            cell = sheet.cell(row, column)
            room = view.columnWidth(column) - 10 - (20 if cell.sign else 0)
            size = 13 if kind.right else 15 if cell.bold else 14
            assert text_length(cell.narrow or cell.text, size, cell.bold) <= room + 2, (
                kind.title,
                cell.text,
            )


NONSENSE = (
    "",
    "  ",
    "x",
    "-1",
    "0",
    "1e9",
    "nan",
    "inf",
    "½",
    "1,5",
    "3 mm",
    "12'",
    "−4",
    "1/0",
    "10 %",
    "60 × 80 mm",
    "2027-01-01",
    "a" * 300,
    "1 in 5",
    "0.6 / -0.2",
    "/",
    "N, E",
    "\N{WATER WAVE}",
    "\N{ARABIC-INDIC DIGIT THREE}",
)


def test_nonsense_in_any_cell_of_any_work_is_taken_or_refused_and_everything_still_shows(demo):
    """Whatever is typed where, by whatever means posts are moved: a KeelError says what was expected, or it is booked."""
    import random

    from vivid_keel.core.errors import KeelError
    from vivid_keel.core.moving.means import KINDS
    from vivid_keel.core.record.entries import Draft

    hand, taken, refused = random.Random(1), 0, []
    for entry in list(demo.file.journal.works()):
        demo.open_work(entry.id)
        desk = demo.desk
        for means in [k.key for k in KINDS] if desk.type == "supports" else [""]:
            if means:
                desk.record(Draft(desk.work, "mover", {"what": means, "values": {}}))
            for stage in desk.stage_names:
                for number in range(len(desk.sheets(stage))):
                    for _ in range(4):
                        sheets = desk.sheets(stage)
                        if number >= len(sheets) or not sheets[number].count:
                            break
                        sheet = sheets[number]
                        row, column = hand.randrange(sheet.count), hand.randrange(len(sheet.columns))
                        try:
                            if sheet.cell(row, column).editable:
                                take(sheet, row, column, hand.choice(NONSENSE))
                            else:
                                press_enter(sheet, row)
                            taken += 1
                        except KeelError as error:
                            refused.append(error.message)
                for view in range(max(1, len(desk.views(stage)))):
                    assert desk.picture(stage, view, 700.0, 290.0).items
                desk.findings(stage)
                assert desk.next(stage).title
            assert desk.state()[1]
    assert taken > 100 and len(refused) > 20
    assert min(map(len, refused)) > 10


def test_a_large_book_is_read_aside_says_how_far_it_is_and_can_be_stopped(demo, hands, tmp_path, monkeypatch):
    from vivid_keel.ui import bringing

    monkeypatch.setattr(bringing, "LARGE_BOOK", 1000)
    rows = ["mark,BS,IS,FS", "BM,1.482,,", *(f"m{k},,1.117," for k in range(5000)), "BM,,,1.482"]
    path = tmp_path / "long.csv"
    path.write_text("\n".join(rows))
    works, said = len(demo.file.journal.works()), []
    worker = demo.worker
    start = worker.start

    def noted(operation, *rest, **more):
        return start(lambda left: operation(lambda: (said.append(demo.busy_words), left())[1]), *rest, **more)

    monkeypatch.setattr(worker, "start", noted)
    demo.errands.bring_in_book(path)
    hands.rest()
    assert len(demo.file.journal.works()) == works + 1
    assert "5002 sights brought in" in demo.notice.text()
    parts = [int(words.split()[-2]) for words in said if words.startswith("Bringing in long.csv: ")]
    assert demo.busy_words == ""
    assert parts == sorted(parts) and parts[:3] == [20, 32, 44] and parts[-1] > 80
    monkeypatch.setattr(
        worker, "start", lambda operation, *rest, **more: start(lambda left: operation(lambda: 0.0), *rest)
    )
    demo.errands.bring_in_book(path)
    hands.rest()
    assert "long.csv was stopped; nothing was brought in" in demo.notice.text()
    assert len(demo.file.journal.works()) == works + 1
    monkeypatch.setattr(worker, "start", start)
    path.write_text("\n".join([*rows[:2], *(f"m{k},,1.1.7," for k in range(200))]))
    demo.errands.bring_in_book(path)
    hands.rest()
    assert demo.stack.currentWidget() is demo.map_page
    said = [label.text() for label in demo.map_page.findChildren(QLabel)]
    assert "long.csv: 200 places not understood" in said and "and 150 places more" in said
