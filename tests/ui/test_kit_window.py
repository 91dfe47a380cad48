"""The kit in the real window: a knocked level found, adjusted and trusted again; corrections in the job; bad input in place."""

from __future__ import annotations

from datetime import date

import pytest
from PyQt6.QtCore import QPoint, Qt

from tests.saying import added, booked, press_enter, take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.desk.kit.tool import ToolDesk
from vivid_keel.files import KitFile


@pytest.fixture
def patient(monkeypatch):
    """Nobody has to wait for a bubble here; that waiting is asked for is tested by itself."""
    from vivid_keel.desk.kit.tool_sheets import StepsSheet

    monkeypatch.setattr(StepsSheet, "_patient", lambda self, row: None)


@pytest.fixture
def kit(demo):
    demo.toggle_kit()
    return demo


def instrument(window, name):
    window.open_work(next(t.id for t in window.desks[0].tools if t.name == name))
    assert isinstance(window.desk, ToolDesk)
    return window.desk


def carry_out(window, hands, cycles):
    """Read the stand-in at every step of the check in hand, as it shows."""
    desk = window.desk
    for _ in range(cycles):
        for half in (1, 2):
            step = desk.step_in_hand(desk.run)
            assert step.key.startswith(f"a{half}")
            hands.line(f"{desk.practising().shows(desk.run, step):+.1f}")


def test_the_knocked_level_is_found_wanting_adjusted_and_trusted_again(kit, hands, patient):
    desk = instrument(kit, "Carpenter's level")
    assert desk.state() == ("open", "knocked: check it")
    kit.do_next()  # to the check that is due
    assert kit.stage == "Which check"
    hands.key("enter")
    assert (desk.run.procedure.key, kit.stage) == ("reversal", "Readings")
    carry_out(kit, hands, 3)
    assert desk.run.outcome.decision == "trust"
    kit._act("decide")
    hands.key("enter")
    assert desk.run.decided == "trust"
    assert desk.state()[1] == "knocked: plumb to check"  # for level only: plumb is a verdict of its own
    kit._act("which:plumb")
    hands.key("enter")
    carry_out(kit, hands, 3)
    (found,) = desk.run.outcome.found
    assert found.verdict == "out" and desk.run.outcome.decision == "adjust"
    assert "turn its screw" in found.adjust
    kit._act("decide")
    hands.key("enter")
    assert (desk.run.decided, desk.state()[1], kit.view_number) == ("adjust", "adjust, then check", 1)
    target = desk.run.outcome.shown["target"]
    kit._dragged(target, True)  # its screw, to the place the program named
    assert desk.tool.hidden["plumb"] == pytest.approx(0, abs=1e-4)
    hands.key("enter")  # it is adjusted: check again
    assert [h.what for h in desk.tool.happenings] == ["knocked", "adjusted"]
    assert (desk.run.procedure.key, desk.run.booked) == ("plumb", 0)
    carry_out(kit, hands, 3)
    kit._act("decide")
    hands.key("enter")
    assert desk.run.decided == "trust"
    kit._act("which:reversal")  # after an adjustment level is looked at again too
    hands.key("enter")
    carry_out(kit, hands, 3)
    kit._act("decide")
    hands.key("enter")
    assert desk.state() == ("in", "checked today")


def test_a_check_is_stopped_the_program_closed_and_it_goes_on(kit, hands, patient, tmp_path):
    desk = instrument(kit, "Carpenter's level")
    kit.show_stage("Which check")
    hands.key("enter")
    hands.line("0.9")
    path = kit.kit.path
    kit._let_go()
    with KitFile.open(path) as again:
        later = ToolDesk(again, desk.work)
        assert later.state()[1] == "reversal, level begun"
        goto = booked(later, later.begin("reversal", "divisions"))
        assert (goto.stage, goto.place) == ("Readings", (1, 2))
        assert later.run.seen["a1/1"].text == "0.9"


def test_bad_readings_are_refused_where_they_are_and_lose_nothing(kit, hands, patient):
    desk = instrument(kit, "Carpenter's level")
    kit.show_stage("Which check")
    hands.key("enter")
    hands.line("7.5")
    assert "marks end 5 divisions" in kit.sheet.refusal
    assert kit.sheet.editor.text() == "7.5" and not desk.run.seen
    kit.sheet.editor.selectAll()
    hands.line("bubble")
    assert "not a number" in kit.sheet.refusal
    kit.sheet.editor.selectAll()
    hands.line("-1.2 3.2")  # both its ends
    assert desk.run.seen["a1/1"].value == pytest.approx(1.0)
    hands.line("-1.0", "-1.0", "1.1")  # the second cycle with its ends exchanged
    assert desk.run.outcome.trouble.code == "positions-mixed-up"
    assert any(f.title == "Put this right first" for f in desk.findings("Readings"))
    with pytest.raises(KeelError, match="ends were exchanged"):
        desk.record(*desk.decision("trust"))
    assert not desk.run.decided
    hands.do("Ctrl+Z")
    assert desk.run.outcome.trouble is None and len(desk.run.seen) == 3


def test_an_impatient_reading_is_refused_and_notes_are_taken(kit, hands):
    desk = instrument(kit, "Carpenter's level")
    kit.show_stage("Which check")
    hands.key("enter")
    hands.line("1.0", "0.5")
    assert "Not settled yet" in kit.sheet.refusal and len(desk.run.seen) == 1
    kit.sheet.editor.selectAll()
    hands.line("0.5!")  # read earlier, only typed now
    assert desk.run.seen["a2/1"].text == "0.5"


def test_the_bubble_is_dragged_to_where_it_is_seen(kit, hands, patient, qtbot):
    desk = instrument(kit, "Carpenter's level")
    kit.show_stage("Which check")
    hands.key("enter")
    kit.settle()
    drag = kit.picture.drawn.drag
    assert drag.across
    y = int((drag.span[0] + drag.span[1]) / 2)
    to = int(drag.y + 2.0 / drag.metres_per_pixel)
    qtbot.mousePress(kit.picture, Qt.MouseButton.LeftButton, pos=QPoint(int(drag.y), y))
    qtbot.mouseMove(kit.picture, QPoint(to, y))
    qtbot.mouseRelease(kit.picture, Qt.MouseButton.LeftButton, pos=QPoint(to, y))
    assert kit.sheet.editor.text() == "+2.0"
    hands.key("left")
    assert kit.sheet.editor.text() == "+1.9"
    hands.key("enter")
    assert desk.run.seen["a1/1"].value == pytest.approx(1.9)


@pytest.mark.parametrize("kind", [k.key for k in KINDS])
def test_every_check_of_every_kind_shows_every_stage_and_can_be_practised(demo, kind):
    """A stand-in of each kind, taken through each of its checks: every stage has its picture, sheet and words."""
    demo.toggle_kit()
    work = added(demo.desks[0], kind)
    demo.open_work(work)
    desk = demo.desk
    desk.hide()
    for check in desk.tool.kind.checks:
        for way, _ in PROCEDURES[check].ways:
            goto = booked(desk, desk.begin(check, way))
            assert goto.stage == "Readings"
            for _ in range(90):
                step = desk.run.next_step(desk.passed)
                if step is None or (step.optional and step.cycle > 1 and desk.run.enough):
                    break
                if step.optional:  # it may be left out: Enter goes on without it
                    desk.passed.add(step.key)
                    continue
                for view in range(len(desk.views("Readings"))):
                    if not (desk.streams() and view == 1):
                        assert desk.picture("Readings", view, 740, 310).items
                text = step.words[0] if step.unit == "words" else None
                value = 0.0 if text else desk.practising().shows(desk.run, step)
                if step.unit == "day":
                    text = date.fromordinal(int(value)).isoformat()
                value *= {"mm": 1000, "tilt": 1000}.get(step.unit, 1.0)
                row = [s.key for s in desk.run.steps].index(step.key)
                take(desk.sheets("Readings")[0], row, 2, f"{text or f'{value:.4f}'}!")
            assert desk.run.outcome.found
            for stage in desk.stage_names:
                demo.show_stage(stage)
                assert desk.picture(stage, 0, 740, 310).items
                assert desk.next(stage).title
                assert desk.findings(stage) or stage == "Which check"
                for sheet in desk.sheets(stage):
                    for row in range(sheet.count):
                        for column in range(len(sheet.columns)):
                            sheet.cell(row, column)
            if desk.run.outcome.trouble is None:
                desk.record(*desk.decision(desk.run.outcome.decision))
                assert desk.run.decided


def test_what_is_slid_and_taken_leaves_the_hand_in_the_sheet(kit, hands, patient, qtbot):
    """Seen by keys pressed fast: the slide settled a moment later, and what was typed by then went to the picture and was lost."""
    desk = instrument(kit, "Carpenter's level")
    kit.do_next()
    hands.key("enter")
    hands.do("F8")
    assert kit.picture.hasFocus()
    for _ in range(3):
        hands.key("right")
    hands.key("enter")
    assert desk.run.booked == 1 and kit.sheet.editor.hasFocus()
    hands.type("1.2")
    qtbot.wait(900)
    assert kit.sheet.editor.hasFocus() and kit.sheet.editor.text() == "1.2"
    hands.do("F8")
    hands.key("left")
    kit.sheet.go(kit.sheet.half_typed()[0])
    hands.type("0.6")
    qtbot.wait(900)
    assert kit.sheet.editor.hasFocus() and kit.sheet.editor.text() == "0.6"


def test_an_electronic_level_is_read_from_its_stream_once_it_stands(kit, hands, qtbot):
    desk = instrument(kit, "Machine level, electronic")
    desk.practising().tool.traits._numbers["settle"] = 1.0
    kit.show_stage("Which check")
    hands.key("enter")
    hands.do("F8")
    assert kit.view_number == 1
    hands.do("F8")
    assert "still run" in kit.notice.text() and not desk.run.seen
    step = desk.step_in_hand(desk.run)
    qtbot.waitUntil(lambda: desk.practising().listen(desk.run, step).still, timeout=20_000)
    hands.do("F8")
    text = kit.sheet.editor.text()
    truth = desk.tool.hidden["surface"] + desk.tool.hidden["level"]
    assert float(text.replace("−", "-")) == pytest.approx(truth * 1000, abs=0.05)
    desk.close()


def test_the_kit_is_added_to_renamed_and_described(kit, hands):
    kit.show_new_work()
    assert kit.stage == "Instruments" and kit.sheet_number == 1
    hands.key("enter")
    desk = kit.desk
    assert isinstance(desk, ToolDesk) and desk.tool.kind.key == "spirit"
    hands.line("Pocket level")
    assert kit.file.journal.name_of(desk.work) == "Pocket level"
    hands.line("0.4")
    assert desk.tool.traits.number("length") == pytest.approx(0.4)
    hands.line("about right")
    assert "not a tilt" in kit.sheet.refusal
    hands.key("esc")
    hands.do("F3")
    hands.line("z nothing")
    assert "Expected K" in kit.notice.text()
    hands.do("F3")
    hands.line("k off the scaffold")
    assert desk.tool.happenings[0].note == "off the scaffold"


def test_which_one_for_the_job(kit, hands):
    whole = kit.desk
    kit.show_stage("Which one")
    assert kit.sheet.sheet.cell(0, 1).text == "3 mm"
    kit.sheet.go((0, 1))
    kit.sheet.editor.selectAll()
    hands.line("0")
    assert "above 0" in kit.sheet.refusal
    kit.sheet.editor.selectAll()
    hands.line("5 mm")
    kit.sheet.editor.selectAll()
    hands.line("20")
    assert (whole.tolerance, whole.span) == (0.005, 20.0)
    names = [a.tool.name for a in whole.advice() if a.proves and not a.hindrance]
    assert "Amber level" in names and "Water tube 20 m" in names
    kit.sheet.go((2, 1))
    hands.key("enter")  # round corners
    proves = [a.tool.name for a in whole.advice() if a.proves and not a.hindrance]
    assert proves == ["Water tube 20 m", "Long level 1.8 m"]  # what light needs a clear line for is left out
    assert whole.findings("Which one")[0].title == "Water tube 20 m proves it"


def test_what_is_due_is_said_at_the_start_and_written_as_a_calendar(demo, hands):
    demo.greet()
    words = [demo.places.item(i).data(Qt.ItemDataRole.UserRole)[1] for i in range(demo.places.count())]
    assert words == ["8 instruments · 5 due", "where slips cost nothing", "6 things due now"]
    hands.do("Alt+Y")
    assert demo.stage == "Diary"
    assert [r.name for r in demo.desk.sheets("Diary")[0].rows][:1] == ["Turning laser"]
    demo.errands.write_diary()
    assert "Diary.ics" in demo.notice.text()
    hands.do("Alt+K")
    assert demo.desk.type == "run" and not demo.in_kit


def test_the_two_peg_correction_shows_in_the_run_and_another_level_counts_from_there_on(demo, hands):
    desk = demo.desk
    c = desk.book.instrument.collimation
    assert desk.book.instrument.name == "Amber level" and desk.book.settings.use_collimation
    demo.show_stage("Heights", 1)
    assert hands.cells(0)[3] == f"{c * 2000:+.2f} mm"  # 24 m back, 22 m fore
    demo.show_stage("Instrument")
    assert [s.name for s in desk.sheets("Instrument")] == [
        "From the kit",
        "Staff",
        "Way of reading",
        "Details",
        "Error budget",
    ]
    kit_sheet = desk.sheets("Instrument")[0]
    assert kit_sheet.tools[kit_sheet.first()[0]].name == "Amber level"
    budget = desk.sheets("Instrument")[4]
    assert budget.cell(budget.count - 1, 0).text == "All together"
    laser = next(i for i, t in enumerate(kit_sheet.tools) if t.name == "Turning laser")
    press_enter(kit_sheet, laser)
    assert [i.name for i in desk.book.instruments] == ["Amber level", "Turning laser"]
    assert {r.instrument for r in desk.book.rows} == {0}  # what was read before keeps its own
    assert desk.book.instrument.state == "due"


def test_a_staff_of_the_kit_is_read_on_and_its_foot_is_a_line_of_its_own(demo, hands):
    desk = demo.desk
    staffs = desk.sheets("Instrument")[1]
    assert [s.name for _, s in staffs.rows] == ["Yard staff"] and staffs.cell(0, 3).text.startswith("checked")
    before = desk.result.reduction.heights.copy()
    press_enter(staffs, 0)
    assert desk.sheets("Instrument")[1].cell(0, 1).text == "Yard staff · in use"
    assert {r.staff for r in desk.book.rows} == {0}  # what was read before was read on another
    classes = desk.sheets("Proof")[1]
    row = classes.count - 1
    assert (
        "Yard staff" in classes.cell(row, 3).text and not desk.book.settings.use_staff
    )  # its owner trusts it as it is
    press_enter(classes, row)
    assert desk.book.settings.use_staff
    assert desk.result.reduction.heights.tolist() == before.tolist()
    assert any(text.startswith("Staff's foot taken out") for text, _ in desk.sheets("Heights")[1].footer())
    posts = demo.file.journal.works()[1].id
    demo.open_work(posts)
    supports = demo.desk
    press_enter(supports.sheets("Instrument")[1], 0)
    corrections = supports.sheets("Heights")[1]
    press_enter(corrections, 3)
    assert supports.book.use_staff and corrections.cell(3, 4).text.startswith("reads too long")


def test_a_knock_in_the_job_reaches_the_kit(demo):
    demo.desk.happened("k against the sluice")
    assert demo.desk.book.instrument.doubtful
    demo.toggle_kit()
    assert instrument(demo, "Amber level").state() == ("open", "knocked: check it")


def test_what_belongs_to_a_job_is_not_done_to_the_kit(kit, hands):
    entries = len(kit.kit.journal.entries)
    for key in ("Ctrl+I", "Ctrl+Shift+V", "Ctrl+P", "F11"):
        hands.do(key)
        assert "The kit is in hand" in kit.notice.text()
    assert len(kit.kit.journal.entries) == entries
    hands.do("Ctrl+Return")
    hands.do("Ctrl+D")
    hands.do("F4")


def test_a_person_without_a_kit_begins_one(window, hands, tmp_path):
    hands.do("Alt+K")
    assert window.in_kit and window.desk.next("Instruments").title == "Next: add an instrument"
    assert window.kit.path == tmp_path / "data" / "vivid-keel" / "kit.keelkit"
    window.errands.make_stand_in()
    assert "no stand-in to practise on" in window.notice.text()
    hands.key("enter")
    window.errands.make_stand_in()
    assert window.desk.tool.hidden is not None


def keyed(kit, hands, kind, check, way):
    work = added(kit.desk if hasattr(kit.desk, "adding") else kit.desks[0], kind)
    kit.open_work(work)
    booked(kit.desk, kit.desk.begin(check, way))
    kit.show_stage("Readings")
    return kit.desk


def test_enter_goes_where_one_reads_next_and_asks_where_two_were_exchanged(kit, hands):
    """The second look at a peg is that peg's, the second leg's warmth the second leg's; 380 mm side by side are asked about."""
    desk = keyed(kit, hands, "tube", "tube", "")
    kit.sheet.go((0, 2))
    hands.line("no")
    hands.line("100")
    assert desk.next("Readings").title == "Next: water in leg 1"
    hands.line("18")
    hands.line("20")
    assert (desk.run.seen["t1"].text[:2], desk.run.seen["t2"].text[:2]) == ("18", "20")
    hands.line("400")
    hands.line("20")
    assert "e2/1" not in desk.run.seen
    assert "exchanged" in kit.sheet.refusal
    kit.sheet.editor.selectAll()
    hands.line("399.5")
    assert desk.run.outcome.found[0].value == pytest.approx(0.0005)
    desk = keyed(kit, hands, "optical", "two-peg", "near")
    row = next(i for i, s in enumerate(desk.run.steps) if s.key == "a1/1")
    for i in range(row):  # distances, and how they were taken
        kit.sheet.go((i, 2))
        hands.line("")
    hands.line("1.482")
    hands.line("1.483")  # read again before the staff moves
    assert (desk.run.seen["a1/1"].text, desk.run.seen["a1'/1"].text) == ("1.482", "1.483")
    hands.line("1.290")
    assert desk.next("Readings").title == "Next: second look"
    hands.key("enter")  # not wanted: on it goes
    assert "b1'/1" not in desk.run.seen
    assert desk.next("Readings").title.startswith("Next: set-up 2")


def test_a_laser_with_a_bad_axis_goes_from_check_to_job(kit, hands):
    """X rises by 0.200 mm/m: no number corrects that, but the side that faces the staff does, in the book."""
    desk = keyed(kit, hands, "rotary", "axes", "")
    hands.line("20")
    for _ in range(2):
        for reading in ("1204", "1196", "1200", "1200"):
            hands.line(reading)
    assert desk.run.outcome.found[0].value == pytest.approx(0.0002, abs=1e-6)
    assert desk.run.outcome.decision == "allow" and any(
        "side faces the staff" in found.text for found in desk.findings("Result")
    )
    kit._act("decide")
    hands.key("enter")
    assert desk.run.decided == "allow"
    name = desk.tool.name
    hands.do("Alt+K")
    kit._make_work("run", "Sluice to weir")
    run = kit.desk
    kit.show_stage("Instrument")
    sheet = run.sheets("Instrument")[0]
    press_enter(sheet, next(i for i, t in enumerate(sheet.tools) if t.name == name))
    assert run.book.instrument.tips == pytest.approx((0.0002, 0.0), abs=1e-6)
    kit.do_next()
    hands.line("BM", "50.000", "", "site datum")
    kit.do_next()
    hands.line("1.504")
    hands.line("sill", "1.196")
    before = run.result.height(1)
    kit.show_stage("Readings", 2)
    assert kit.sheet.sheet.columns[-1].title == "Side"
    kit.sheet.go((0, 11))
    hands.line("x+", "north")
    assert "side of the housing" in kit.sheet.refusal
    kit.sheet.editor.selectAll()
    hands.line("X-")
    kit.show_stage("Readings")
    for row in (0, 1):
        kit.sheet.go((row, 4))
        hands.line("20")
    assert [(r.azimuth, r.text) for r in run.book.rows if r.stands] == [(0, "1.504"), (180, "1.196")]
    assert run.result.height(
        next(i for i, r in enumerate(run.book.rows) if r.stands and r.mark == "sill")
    ) == pytest.approx(before - 0.008)
    assert "The laser's axes are taken out: up to 4.0 mm" in hands.said()
