"""A level run in the real window, by keyboard."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication

from vivid_keel.files import JobFile


@pytest.fixture
def new_run(window, hands, tmp_path):
    """A new job with an empty run, waiting for its benchmark."""
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Leat survey")
    hands.line("Round the yard")
    hands.key("enter")  # the first card, Level run, has the focus
    return window


def test_booking_a_closed_run_by_keyboard(new_run, hands, tmp_path):
    window = new_run
    assert window.stage == "Set-up"  # the next step is the benchmark
    hands.line("BM gate", "50", "", "site datum")
    assert window.desk.book.known[0].height == 50.0
    window.do_next()
    assert window.stage == "Readings"
    hands.line("1.482")  # the benchmark is proposed, its backsight is the open cell
    hands.line("sill", "1.117")
    assert hands.cells(1)[:7] == ["sill", "", "1.117", "", "", "", "50.365"]
    hands.line("", "0.934")  # the change point that is proposed, and its foresight
    assert hands.cells(2)[0] == "CP 1"
    hands.line("1.705")  # its backsight, on the same line
    assert hands.cells(2)[1:4] == ["1.705", "", "0.934"]
    hands.line("bedstone", "0.862", "pit lip", "2.913")
    hands.line("", "2.044", "1.316")
    hands.line("BM gate", "1.522")  # a known mark: the foresight that closes
    closure = window.desk.result.closure
    assert closure.misclosure == pytest.approx(0.003)
    assert closure.accepted
    assert "Both schools agree" in hands.said()
    heights = {r.mark: window.desk.result.height(i) for i, r in enumerate(window.desk.book.rows)}
    assert heights["bedstone"] == pytest.approx(50.0 + 1.482 - 0.934 + 1.705 - 0.862)
    window.close()
    with JobFile.open(tmp_path / "Leat survey.keel") as file:
        assert len(file.journal.standing(2, "sight")) == 9


def test_a_letter_sets_the_kind_only_in_an_empty_reading_cell(new_run, hands):
    hands.line("BM", "10", "", "datum")
    new_run.do_next()
    hands.line("1.5", "step")
    assert new_run.sheet.currentIndex().column() == 2  # IS is proposed
    hands.type("f")
    assert new_run.sheet.currentIndex().column() == 3
    hands.line("4.86 ft")  # the f of ft is no foresight
    row = new_run.desk.book.rows[-1]
    assert (row.kind, row.text) == (2, "4.86 ft")
    assert row.reading == pytest.approx(4.86 * 0.3048)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("1.3.5", "not a number"),
        ("1482", "longer than any staff"),
        ("1,482", "may mean 1.482"),
        ("abc", "expected something like"),
    ],
)
def test_a_wrong_value_stays_in_its_cell_with_the_reason(new_run, hands, typed, says):
    hands.line("BM", "10", "", "datum")
    new_run.do_next()
    hands.line(typed)
    assert new_run.sheet.editor is not None
    assert new_run.sheet.editor.text() == typed
    assert says in new_run.sheet.refusal
    assert not new_run.desk.book.rows
    # Next never takes it, and going elsewhere and back keeps it.
    new_run.do_next()
    assert new_run.stage == "Readings"
    new_run.show_stage("Proof")
    new_run.show_stage("Readings")
    assert new_run.sheet.editor.text() == typed
    for _ in typed:
        hands.key("back")
    hands.line("1.482")
    assert new_run.desk.book.rows[0].reading == 1.482


def test_every_key_shows_what_it_would_give(new_run, hands):
    hands.line("BM", "10", "", "datum")
    new_run.do_next()
    hands.type("1.4")
    assert new_run.sheet.sheet.cell(0, 5).text == "11.400"
    assert "HC 11.400" in new_run.picture.drawn.texts()
    hands.type("82")
    assert "HC 11.482" in new_run.picture.drawn.texts()
    hands.key("esc")
    assert not any(t.startswith("HC") for t in new_run.picture.drawn.texts())
    assert new_run.sheet.sheet.cell(0, 5).text == ""


def test_correcting_striking_undoing(demo, hands):
    desk = demo.desk
    row = desk.sheets("Readings")[0].row_of(
        next(i for i, r in enumerate(desk.book.rows) if r.mark == "Weir crest")
    )
    demo.sheet.go((row, 2))
    assert demo.sheet.editor.text() == "1.740"
    hands.line("1.744")
    assert [r.text for r in desk.book.rows if r.mark == "Weir crest"] == ["1.740", "1.744"]
    assert [r.stands for r in desk.book.rows if r.mark == "Weir crest"] == [False, True]
    hands.do("Ctrl+Z")
    assert [r.text for r in desk.book.rows if r.mark == "Weir crest"] == ["1.740"]
    hands.do("Ctrl+Shift+Z")
    assert [r.text for r in desk.book.rows if r.mark == "Weir crest" and r.stands] == ["1.744"]
    demo.sheet.go((desk.sheets("Readings")[0].row_of(5), 0), edit=False)
    hands.do("Ctrl+D")
    hands.line("staff on the wrong mark")
    struck = next(i for i, (m, _) in enumerate(desk.book.lines) if m == 5)
    assert hands.cells(struck)[-1] == "staff on the wrong mark"
    assert demo.sheet.sheet.cell(struck, 0).struck


def test_a_remark_or_distance_does_not_strike_the_line_on_the_page(demo, hands):
    before = len(demo.desk.book.rows)
    demo.sheet.go((1, 8))
    hands.type("x")
    hands.key("enter")
    assert len(demo.desk.book.rows) == before
    demo.sheet.go((4, 4))
    demo.sheet.editor.selectAll()
    hands.line("23/19")
    assert len(demo.desk.book.rows) == before
    assert [demo.desk.book.rows[r].distance for r in demo.desk.book.lines[4]] == [23.0, 19.0]


def test_hover_click_and_why(demo, hands, qtbot):
    hit = next(h for h in demo.picture.drawn.hits if h.tip.startswith("Weir crest"))
    qtbot.mouseClick(demo.picture, Qt.MouseButton.LeftButton, pos=QPoint(int(hit.x + 10), int(hit.y + 20)))
    assert hands.cells(demo.sheet.currentIndex().row())[0] == "Weir crest"
    hands.do("F4")
    working = demo._working
    assert working.formula.startswith("H = HC − (IS − c·D)")  # the demo's level has a known error
    assert working.numbers.startswith("42.712 − (1.740 −1.0 mm) = 40.973")


def test_over_the_limit_is_spread_only_with_a_reason(demo, hands):
    demo.show_stage("Proof", 1)
    demo.sheet.go((3, 1))  # careful
    hands.key("enter")
    demo.sheet.go((3, 2))
    demo.sheet.editor.selectAll()
    hands.line("1")
    assert demo.desk.result.closure.accepted is False
    assert not demo.desk.result.closure.spread
    demo.sheet.go((7, 3))
    hands.line("engineer agreed by telephone")
    assert demo.desk.result.closure.spread
    assert any("Out by" in t for t in hands.said())


def test_moving_about_by_keyboard(demo, hands):
    for number, stage in enumerate(demo.desk.stage_names, 1):
        hands.do(f"Alt+{number}")
        assert demo.stage == stage
        assert demo.picture.drawn.caption
        assert demo.sheet.sheet.count > 0
        hands.do("F1")
        demo.settle()
        hands.do("F1")
    hands.do("Ctrl+PgDown")
    assert demo.desk.type == "supports"
    for number, stage in enumerate(demo.desk.stage_names, 1):
        hands.do(f"Alt+{number}")
        assert demo.stage == stage
        assert demo.picture.drawn.caption
    hands.do("F9")
    hands.do("F9")
    for _ in range(5):
        hands.do("F6")
    hands.do("Ctrl+PgUp")
    assert demo.desk.type == "run"


@pytest.mark.parametrize(
    ("key", "moves_to"),
    [("down", (1, 0)), ("right", (0, 1)), ("enter", (0, 0))],
)
def test_arrow_keys_in_a_closed_sheet(demo, hands, key, moves_to):
    demo.sheet.go((0, 0), edit=False)
    hands.key(key)
    index = demo.sheet.currentIndex()
    assert (index.row(), index.column()) == moves_to
    assert (demo.sheet.editor is not None) == (key == "enter")


def test_a_new_set_up_asks_for_its_backsight(new_run, hands):
    hands.line("BM", "10", "", "datum")
    new_run.do_next()
    hands.line("1.5", "step", "1.2")
    hands.do("Ctrl+Return")
    hands.line("step", "1.3")  # a backsight on a mark read before
    assert new_run.desk.book.rows[-1].kind == 0
    assert new_run.desk.result.layout.setups == 2
    assert new_run.desk.result.collimation_height(2) == pytest.approx(10 + 1.5 - 1.2 + 1.3)


def test_a_read_only_job_says_so_and_takes_nothing(demo, hands, window, tmp_path, qtbot):
    path = demo.file.path
    from vivid_keel.ui.window import Window

    second = Window("Ben")
    qtbot.addWidget(second)
    second.show()
    assert second.open_path(path)
    assert "reading only" in second.notice.text()
    second.sheet.go((second.sheet.sheet.count - 1, 0))
    assert second.sheet.editor is None  # its cells are closed
    second.say("")
    QApplication.sendEvent(
        second.sheet, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_S, Qt.KeyboardModifier.NoModifier, "s")
    )
    assert "reading only" in second.notice.text() and second.sheet.editor is None
    second.say("")
    second.add_work.click()
    assert "reading only" in second.notice.text()
    second.close()


def test_files_that_are_no_jobs(window, tmp_path):
    bad = tmp_path / "notes.keel"
    bad.write_text("bought nails")
    assert not window.open_path(bad)
    assert "not a Vivid Keel job" in window.job_state.text()
    assert QApplication.topLevelWidgets()


def test_every_picture_is_really_painted(demo, hands):
    """Each stage's picture on the screen has ink, paper and the keel line's colour (not one flat fill)."""
    for _ in range(2):
        for stage in demo.desk.stage_names:
            demo.show_stage(stage)
            hands.rest()
            image = demo.picture.grab().toImage()
            seen = {
                image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)
            }
            assert len(seen) > 12, stage
        demo.step_work(1)


def test_one_enter_is_recorded_shown_and_moved_on_once(demo, hands, monkeypatch):
    demo._go(demo.desk.go("new-sight"))
    hands.line("Far gate")
    shown, previews, entries = [], [], len(demo.file.journal.entries)
    show = demo.picture.show_picture
    monkeypatch.setattr(demo.picture, "show_picture", lambda draw: (shown.append(1), show(draw)))
    hands.type("1.482")
    demo.sheet.previewed.connect(lambda: previews.append(1))
    hands.key("enter")
    assert len(demo.file.journal.entries) == entries + 1 + 1  # a set-up begins with it: one act
    assert len(shown) == 1
    assert previews == []


def test_ctrl_z_pressed_in_an_open_field_with_nothing_typed_undoes_the_last_reading(new_run, hands, qtbot):
    hands.line("BM", "10", "", "datum")
    new_run.do_next()
    hands.line("1.482")
    assert len(new_run.desk.book.rows) == 1
    assert new_run.sheet.editor is not None
    qtbot.keyClick(new_run.sheet.editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not new_run.desk.book.rows
