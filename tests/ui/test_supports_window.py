"""Supports in the real window: laid out, read, packed, proved, reported."""

from __future__ import annotations

import subprocess

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from tests.saying import press_enter, take
from vivid_keel.core.errors import KeelError
from vivid_keel.files import JobFile
from vivid_keel.trades.supports.desk import SupportsDesk

FOUND = ["1.2598", "1.2640", "1.2572", "1.2526", "1.2635", "1.2602"]


@pytest.fixture
def new_supports(window, hands, tmp_path):
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("Floor")
    window.new_work.cards["supports"].setFocus()
    hands.key("enter")
    return window


def read_all(window, hands):
    window.sheet.go((0, 1))
    for text in ("Up, Down", "3", "2.4", "3.1", "h"):
        window.sheet.editor.selectAll()
        hands.line(text)
    hands.key("enter")  # what stands on them: don't know
    hands.key("enter")
    window.do_next()
    hands.line(*FOUND)


def test_from_posts_to_proof(new_supports, hands, tmp_path, qtbot):
    window = new_supports
    assert window.desk.next(window.stage).title == "Next: lay out the supports"
    read_all(window, hands)
    desk = window.desk
    assert [p.name for p in desk.book.points] == ["U1", "U2", "U3", "D1", "D2", "D3"]
    assert [p.found.text for p in desk.book.points] == FOUND
    hands.do("Alt+1")
    window.sheet.go((1, 1))  # fine scale: without it 1.5 mm can't be proved
    hands.key("enter")
    assert desk.next(window.stage).title == "Next: the stock of leaves"
    window.do_next()
    hands.line("6 mm", "2", "3 mm", "4", "1.5", "4", "0.8", "4", "0.4", "4", "0.2", "4")
    hands.rest()
    assert [leaf.count for leaf in desk.book.stock] == [2, 4, 4, 4, 4, 4]
    assert desk.result.packing is not None
    assert desk.result.packing.proven
    assert desk.next("Target").title == "Next: see the moves"
    window.do_next()
    assert desk.next("Moves").title == "Read the cautions first"
    window.do_next()
    hands.key(" ", text=" ")
    assert desk.book.lifting_acknowledged
    assert [desk.book.points[i].name for i in desk.result.to_move] == ["D1", "U3", "U1", "D3"]
    assert desk.next("Moves").title == "Next: raise D1 3.2 mm"
    booked = []
    while desk.result.stage_in_hand < desk.result.stage_count:
        window.do_next()
        hands.key("enter")
        hands.rest()
        booked.append(desk.next("Moves").title)
        assert window.stage == "Moves" and len(booked) < 30
    step = desk.result.walk[desk.result.stage_count][0]
    assert step.last and desk.next("Moves").text.startswith(f"stage {step.stage} of {step.stage}, finish at ")
    window.do_next()
    assert window.stage == "Proof"
    window.sheet.go((0, 2))
    for i in range(6):
        hands.line(f"{desk.result.stop_at(i):.4f}")
    assert desk.result.left_verdicts == ["in"] * 6
    hands.do("Alt+8")
    hands.do("Ctrl+Shift+P")
    (pdf,) = tmp_path.glob("*.pdf")
    assert "Written" in window.notice.text()
    text = subprocess.run(
        ["pdftotext", "-layout", str(pdf), "-"], capture_output=True, text=True, check=True
    ).stdout
    assert "proven in" in text
    assert "1.2526" in text
    raw = pdf.read_bytes()
    assert b"pdfaid:part>1<" in raw.replace(b'="1"', b">1<") or b"<pdfaid:part>1</pdfaid:part>" in raw
    assert b"/FontFile" in raw


def test_dragging_the_line_moves_everything_and_records_once(demo, hands, qtbot):
    demo.step_work(1)
    desk = demo.desk
    assert isinstance(desk, SupportsDesk)
    demo.show_stage("Target")
    before = len(desk.file.journal.entries)
    drag = demo.picture.drawn.drag
    start, value = QPoint(30, round(drag.y)), drag.value
    qtbot.mousePress(demo.picture, Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 21):
        qtbot.mouseMove(demo.picture, QPoint(30, start.y() - step))
    assert len(desk.file.journal.entries) == before
    assert desk.result.target > value
    qtbot.mouseRelease(demo.picture, Qt.MouseButton.LeftButton, pos=QPoint(30, start.y() - 20))
    assert len(desk.file.journal.entries) == before + 1
    assert desk.book.target.kind == "height"
    assert desk.result.moves.min() > 0
    hands.do("Ctrl+Z")
    assert desk.book.target.kind == "highest"
    assert desk.result.moves.min() == 0


def test_a_line_still_held_counts_where_it_was_taken_hold_of(demo, hands, qtbot):
    demo.step_work(1)
    demo.show_stage("Target")
    here, count = demo.desk, len(demo.file.journal.entries)
    start = QPoint(30, round(demo.picture.drawn.drag.y))
    qtbot.mousePress(demo.picture, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(demo.picture, QPoint(30, start.y() - 9))
    moved = here.result.target
    while True:  # to another work of which something could be held just there
        demo.step_work(1)
        if "Target" in demo.desk.stage_names:
            break
    demo.show_stage("Target")
    assert demo.desk is not here
    qtbot.mouseRelease(demo.picture, Qt.MouseButton.LeftButton, pos=QPoint(30, start.y() - 9))
    assert [e.work for e in list(demo.file.journal.entries.values())[count:]] == [here.work]
    assert here.result.target == pytest.approx(moved) and here.book.target.kind == "height"


def test_arrow_keys_move_the_line_by_what_is_read(demo, hands, qtbot):
    demo.step_work(1)
    demo.show_stage("Target")
    demo.picture.setFocus()
    for _ in range(3):
        hands.key("up")
    assert demo.desk.result.target == pytest.approx(1.2643)
    before = len(demo.file.journal.entries)
    qtbot.waitUntil(lambda: len(demo.file.journal.entries) == before + 1, timeout=3000)
    assert demo.desk.book.target.reading == pytest.approx(1.2643)


def test_a_nudge_counts_where_it_was_made_however_soon_one_leaves(demo, hands, qtbot):
    """It settles after a moment; whoever is elsewhere by then took no other work's line and is not called back."""
    file = demo.file
    demo.step_work(1)
    demo.show_stage("Target")
    here = demo.desk
    for leave in (
        lambda: demo.step_work(1),
        lambda: demo.show_stage("Readings"),
        demo.next_view,
        demo.show_new_work,
        demo.toggle_kit,
        demo.sheet.setFocus,
    ):
        demo.show_job()
        demo.open_work(here.work)
        demo.show_stage("Target")
        demo.picture.setFocus()
        before, was = len(file.journal.entries), here.result.target
        hands.key("up")
        leave()
        assert [e.work for e in list(file.journal.entries.values())[before:]] == [here.work]
        assert here.book.target.reading == pytest.approx(was + 0.0001)
        held = QApplication.focusWidget()
        qtbot.wait(900)
        assert len(file.journal.entries) == before + 1 and QApplication.focusWidget() is held
    demo.picture.setFocus()
    was = here.result.target
    hands.key("up")
    hands.do("Ctrl+Z")  # what is undone is the nudge
    assert here.result.target == pytest.approx(was)
    demo.picture.setFocus()
    hands.key("up")
    demo.close()
    with JobFile.open(file.path) as again:
        assert again.journal.latest(here.work, "target").body["reading"]["m"] == pytest.approx(was + 0.0001)


def test_what_is_half_typed_outlives_the_leaves_that_come_meanwhile(demo, hands, monkeypatch):
    from vivid_keel.core.moving import choosing as engine

    monkeypatch.setattr(engine, "_proven", {})
    demo.step_work(1)
    desk = demo.desk
    desk._packings.clear()
    desk.refresh()
    demo.show_stage("Moves")
    for caution in desk.cautions("Moves"):
        desk.acknowledge(caution)
    demo.refresh()
    sheet = demo.sheet.sheet
    assert desk.result.packing is None and sheet.columns[-1].title == "Put in"
    row = next(r for r in range(sheet.count) if sheet.cell(r, len(sheet.columns) - 1).editable and r > 0)
    demo.sheet.go((row, len(sheet.columns) - 1))
    hands.type("6 + 3")
    post = desk.book.points[sheet.picked(row)].name
    titles = [column.title for column in sheet.columns]
    hands.rest()
    assert desk.result.packing is not None
    sheet = demo.sheet.sheet
    assert [column.title for column in sheet.columns] != titles  # it is another sheet now
    (row, column), text = demo.sheet.half_typed()
    assert text == "6 + 3" and desk.book.points[sheet.picked(row)].name == post
    assert sheet.columns[column].title == "Put in"


def test_the_drawn_leaves_are_the_chosen_ones(demo, hands):
    demo.step_work(1)
    demo.show_stage("Moves")
    hands.rest()
    desk = demo.desk
    i = desk.result.to_move[0]
    assert desk.book.points[i].name == "U4"
    row = demo.sheet.sheet.row_of(i)
    shown = hands.cells(row)
    assert shown[0] == "1  U4"
    assert shown[2] == " + ".join(
        f"{t * 1000:g}" for t in desk.result.stack(i)
    )  # read again: all of it is in
    step = desk.result.walk[1][0]
    shown = hands.cells(demo.sheet.sheet.row_of(step.place))
    assert shown[2] == " + ".join(f"{t * 1000:g}" for t in step.into)  # of this stage
    assert not set(step.into) - set(desk.result.stack(step.place))
    boxes = [p for p in demo.picture.drawn.items if getattr(p, "fill", "") in {"leaf", "leaf2"}]
    upstream = [k for k in desk.result.to_move if desk.book.points[k].row == "Upstream"]
    assert len(boxes) == sum(len(desk.result.stack(k)) for k in upstream)
    demo.sheet.go((row, 4))
    hands.do("F4")
    assert "Σ leaves − n·δ" in demo._working.formula


@pytest.mark.parametrize(
    ("typed", "says"),
    [("-1.2", "booked as read"), ("1264", "longer than any staff"), ("1.2.3", "not a number")],
)
def test_wrong_readings_stay_in_their_cell(new_supports, hands, typed, says):
    read_all(new_supports, hands)
    new_supports.sheet.go((0, 2))
    new_supports.sheet.editor.selectAll()
    hands.line(typed)
    assert says in new_supports.sheet.refusal
    assert new_supports.sheet.editor.text() == typed
    assert new_supports.desk.book.points[0].found.text == FOUND[0]


def test_posts_are_edited_in_place_and_keep_their_readings(demo, hands):
    demo.step_work(1)
    demo.show_stage("Set-up")
    demo.sheet.go((0, 0))
    hands.line("U1a")
    demo.sheet.go((0, 5))
    demo.sheet.editor.selectAll()
    hands.line("s")
    demo.sheet.go((1, 0))
    demo.sheet.editor.selectAll()
    hands.line("U3")
    assert "already" in demo.sheet.refusal
    point = demo.desk.book.points[0]
    assert (point.name, point.sense, point.found.text) == ("U1a", "stands", "1.2598")
    hands.key("esc")
    demo.sheet.go((12, 0))
    hands.line("P1")
    assert demo.desk.book.points[-1].name == "P1"
    assert demo.desk.book.points[-1].found is None
    assert any("1 not read: P1" in t for t in hands.said())


def test_a_target_that_the_stock_can_not_reach_is_said(demo, hands, monkeypatch):
    start = demo.worker.start
    monkeypatch.setattr(demo.worker, "start", lambda *what, **how: start(*what, **{**how, "seconds": 3.0}))
    demo.step_work(1)
    demo.show_stage("Target", 0)
    demo.sheet.go((4, 2))
    hands.line("1.2900")
    hands.rest()
    assert any(t.startswith("Stock is not enough") for t in hands.said())
    demo.sheet.go((3, 2))
    hands.line("nobody")
    assert "has no reading here" in demo.sheet.refusal
    demo.sheet.editor.selectAll()
    hands.line("U1")
    hands.rest()
    assert demo.desk.book.target.kind == "keep"
    assert any(t.startswith("Nothing to take out") for t in hands.said())


def test_the_watch_mark_ties_two_lines(demo, hands):
    demo.step_work(1)
    demo.show_stage("Proof")
    before = demo.desk.result.deviation_left(0)
    demo.sheet.go((12, 2))
    demo.sheet.editor.selectAll()
    hands.line("0.8516")  # the instrument stands 10 mm higher now; a scale hung to it reads 10 mm less
    for row, text in ((0, "1.2542"), (1, "1.2540")):  # the keeper too, on the new line
        demo.sheet.go((row, 2))
        demo.sheet.editor.selectAll()
        hands.line(text)
    assert demo.desk.result.deviation_left(0) == pytest.approx(before, abs=1e-9)


def test_tipping_the_line_by_its_end_moves_every_post_and_is_recorded_once(demo, hands, qtbot):
    demo.step_work(1)
    demo.show_stage("Target")
    hands.rest()
    desk, view = demo.desk, demo.picture
    tilt = view.drawn.tilt
    assert tilt is not None and tilt.value == 0.0
    end, y = view.drawn.width - 30, tilt.y
    before = len(demo.file.journal.entries)
    first = float(desk.result.targets[0])
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(int(end), int(y)))
    for step in (10, 25, 40):
        move = QMouseEvent(
            QEvent.Type.MouseMove,
            QPointF(end, y + step),
            QPointF(end, y + step),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(view, move)
        assert desk.result.targets[0] == pytest.approx(first, abs=1e-9)  # it turns about the rows' beginning
    assert len(demo.file.journal.entries) == before
    assert view.drawn.tilt.y == pytest.approx(y + 40, abs=2.5)  # and its end is where the mouse is
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(int(end), int(y + 40)))
    assert len(demo.file.journal.entries) == before + 1
    assert desk.book.target.kind == "fall" and desk.book.target.gradient[0] < 0
    # Dragged from there it keeps its tilt.
    gradient = desk.book.target.gradient
    desk.drag(desk.result.target + 0.002, done=True)
    assert desk.book.target.gradient == pytest.approx(gradient)
    assert desk.result.targets[0] == pytest.approx(first + 0.002, abs=1e-6)


def test_a_line_dragged_outside_the_limits_goes_back_and_says_which_posts(demo, hands):
    demo.step_work(1)
    desk = demo.desk
    limits = desk.sheets("Target")[2]
    row = [line[0] for line in limits.lines].index("ways")
    press_enter(limits, row)
    assert desk.book.limits.ways == "raise only"
    demo.show_stage("Target")
    hands.rest()
    before, count = desk.result.target, len(demo.file.journal.entries)
    demo._dragged(before - 0.004, False)
    assert any("limits rule it out" in f.title for f in desk.findings("Target"))
    demo._dragged(before - 0.004, True)
    assert "U2" in demo.notice.text() and "raise only" in demo.notice.text()
    assert desk.result.target == before and len(demo.file.journal.entries) == count
    targets = desk.sheets("Target")[0]
    with pytest.raises(KeelError, match="it would move"):
        press_enter(targets, 2)  # the mean would lower some
    assert targets.cell(2, 8).text.startswith("not ")


def test_means_are_chosen_and_say_what_the_hand_does(demo, hands):
    demo.step_work(1)
    desk = demo.desk
    press_enter(desk.sheets("Target")[3], 0)
    assert desk.book.means.kind == "screw" and desk.long_work() is None
    means = desk.sheets("Target")[2]  # there is no stock to speak of any more
    keys = [asked.key for _, asked in means.rows[1:]]
    take(means, 1 + keys.index("pitch"), 1, "1.5")
    press_enter(desk.sheets("Target")[2], 1 + keys.index("sense"))
    with pytest.raises(KeelError, match="expected 0.05 to 25 mm"):
        take(desk.sheets("Target")[2], 1 + keys.index("pitch"), 1, "0")
    with pytest.raises(KeelError, match="whole number"):
        take(desk.sheets("Target")[2], 1 + keys.index("parts"), 1, "2.5")
    demo.show_stage("Moves")
    hands.rest()
    sheet = demo.sheet.sheet
    titles = [c.title for c in sheet.columns]
    said = sheet.cell(0, titles.index("What the hand does")).text
    assert said == desk.result.instructions[desk.result.to_move[0]].words and "turns anticlockwise" in said
    points = desk.sheets("Set-up")[0]
    take(points, 3, 4, "2 mm")  # U4 has hardly any travel left
    assert [f for f in desk.findings("Moves") if f.verdict == "out" and f.title.startswith("U4")]
    assert desk.sheets("Moves")[0].cell(0, titles.index("What the hand does")).text.startswith("can't")


def test_what_looks_high_is_named_and_a_turned_sense_is_put_right(demo, hands):
    demo.step_work(1)
    desk = demo.desk
    sheet = desk.sheets("Readings")[0]
    row = len(desk.book.points) + 1
    assert sheet.cell(row, 2).text == "U2"
    with pytest.raises(KeelError, match="is no post here"):
        take(sheet, row, 2, "Z9")
    take(sheet, row, 2, "u4")
    assert not [
        f for f in desk.findings("Heights") if "reads low" in f.title
    ]  # read again since: nobody turns it now
    for p in desk.book.points:
        if p.left is not None:
            desk.strike(p.left.id, "to see")
    (said,) = [f for f in desk.findings("Heights") if "reads low" in f.title]
    desk.go(said.action)
    assert desk.book.limits.sense == "stands" and desk.result.heights[3] == max(desk.result.heights)
    assert not [f for f in desk.findings("Heights") if "reads low" in f.title]


def test_a_look_again_goes_into_the_diary_and_leads_back(demo, hands):
    demo.step_work(1)
    work = demo.desk.work
    sheet = demo.desk.sheets("Proof")[2]
    press_enter(sheet, 2)  # in six weeks
    again = demo.desk.sheets("Proof")[2]
    assert again.cell(0, 0).text == "in 42 days"
    with pytest.raises(KeelError, match="in the diary already"):
        press_enter(again, 3)
    with pytest.raises(KeelError, match="how far ahead"):
        take(again, again.count - 1, 0, "soon")
    with pytest.raises(KeelError, match="not ahead of today"):
        take(again, again.count - 1, 0, "2020-01-01")
    take(again, again.count - 1, 0, "1 year")
    hands.do("Alt+Y")
    lines = [line for line in demo.desk.sheets("Diary")[0].rows if line.title == "look again"]
    assert [line.name for line in lines] == ["Mill floor posts"] * 2
    row = demo.desk.sheets("Diary")[0].rows.index(lines[0])
    demo._go(press_enter(demo.desk.sheets("Diary")[0], row))
    assert not demo.in_kit and demo.desk.work == work and demo.stage == "Proof"
    words, entry = demo.desk.sheets("Proof")[2].strike(0)
    demo.desk.strike(entry, "")
    assert len(demo.desk.book.looks) == 1 and "look on" in words


def test_nothing_is_offered_at_a_post_the_limits_rule_out(demo, hands):
    demo.step_work(1)
    desk = demo.desk
    for p in desk.book.points:
        if p.left is not None:
            desk.strike(p.left.id, "")
    old = desk.file.journal.latest(desk.work, "limits")
    from vivid_keel.core.record.entries import Draft

    desk.record(Draft(desk.work, "limits", {**old.body, "most_m": 0.0095}))
    demo.show_stage("Moves")
    hands.rest()
    sheet = demo.sheet.sheet
    assert [c.title for c in sheet.columns][2] == "Packing to put in"
    assert hands.cells(0)[:3] == ["1  U4", "raise 11.4", "further than allowed"] and set(
        hands.cells(0)[3:]
    ) == {""}
    assert (
        desk.next("Moves").title == "Next: raise U5 2.6 mm"
    )  # U4 and D4 are left to whoever sets the limits
    assert any(f.verdict == "out" and "U4, D4" in f.title for f in desk.findings("Moves"))


@pytest.mark.parametrize(
    ("what", "keys"),
    [("leaves", {"lifting", "shims"}), ("screw", {"lifting", "machines"}), ("fill", set()), ("trim", set())],
)
def test_cautions_are_those_of_the_means(demo, what, keys):
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.core.record.matters import acknowledged

    demo.step_work(1)
    desk = demo.desk
    for key in ("lifting", "shims"):
        desk.strike(acknowledged(desk.file.journal, desk.work, key).id, "a new crew")
    desk.record(Draft(desk.work, "mover", {"what": what, "values": {}}))
    assert {c.key for c in desk.cautions("Moves")} == keys
    assert desk.cautions_first == ("lifting" in keys)


def test_a_refused_drag_is_drawn_back(demo, hands):
    demo.step_work(1)
    desk = demo.desk
    limits = desk.sheets("Target")[2]
    press_enter(limits, [line[0] for line in limits.lines].index("ways"))
    demo.show_stage("Target")
    hands.rest()
    stood = demo.picture.drawn.drag.value
    demo._dragged(stood - 0.004, False)
    assert demo.picture.drawn.drag.value == pytest.approx(stood - 0.004)
    demo._dragged(stood - 0.004, True)
    assert demo.picture.drawn.drag.value == stood
    demo._tilted(-0.01, False)
    assert demo.picture.drawn.tilt.value == pytest.approx(-0.01)
    demo._tilted(-0.01, True)
    assert demo.picture.drawn.drag.value == stood and demo.picture.drawn.tilt.value == 0.0
