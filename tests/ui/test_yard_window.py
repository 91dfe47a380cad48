"""The practice yard in the real window: begun, left, taken up, done by keys, looked back on; and never a job's reading."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from tests.measure_yard import _reaches
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile, YardFile
from vivid_keel.places import YARD_SUFFIX
from vivid_keel.stands.heads import turns_for
from vivid_keel.yard.desk import YardDesk
from vivid_keel.yard.rounds import ROUNDS
from vivid_keel.yard.sheets import ExercisesSheet
from vivid_keel.yard.staff import READINGS


@pytest.fixture
def yard(demo, hands):
    hands.do("Alt+G")
    return demo


def begin(window, hands, key):
    """Go to an exercise's line and press Enter."""
    sheet = window.sheet.sheet
    assert isinstance(sheet, ExercisesSheet)
    window.sheet.go((sheet.keys.index(key), 0))
    hands.key("enter")
    assert window.stage == "Practise"


def test_the_yard_opens_by_its_key_and_goes_back_to_the_job(yard, hands, tmp_path):
    assert isinstance(yard.desk, YardDesk) and yard.in_yard and yard.stage == "Exercises"
    assert (tmp_path / f"Osier Mill{YARD_SUFFIX}").exists()
    assert [yard.file.journal.name_of(w.id) for w in yard.file.journal.works()] == ["Ada"]
    hands.do("Ctrl+I")  # what belongs to a job is refused, with the way back
    assert "practice yard is in hand" in yard.notice.text()
    hands.do("Alt+G")
    assert not yard.in_yard and yard.file is yard.job


def test_ten_readings_are_typed_and_a_slip_is_told_with_its_kind(yard, hands):
    job = len(yard.job.journal.entries)
    begin(yard, hands, "staff")
    for k in range(READINGS):
        seen = yard.desk.exercise.view(yard.desk.now, k)
        off = 0.01 if k in {2, 5, 8} else 0.0
        hands.line(show_length(seen.hair + off, seen.style))
    assert yard.stage == "Debrief" and yard.desk.now is None
    steps = [hands.cells(k) for k in range(READINGS)]
    assert "+10.0 mm, ten millimetres off" in steps[2][2] and steps[3][2] == ""
    assert yard.desk.debrief.slips["ten"] == (12, 3)
    assert "9 of 12 right" in hands.said()
    assert len(yard.job.journal.entries) == job  # nothing of it is a job's
    assert [(name, good) for _, name, good in yard.desk.course] == [("Read a metric staff", 0.75)]
    assert yard.desk.views("Record")[1] == "Over time"
    assert yard.desk.picture("Record", 1, 760, 300).caption == "1 exercise over time"


def test_it_is_left_in_the_middle_taken_up_again_and_a_slip_of_the_finger_undone(yard, hands):
    begin(yard, hands, "staff")
    hands.line("1.482", "1.5")
    assert len(yard.desk.now.done) == 2
    hands.do("Ctrl+Z")
    assert len(yard.desk.now.done) == 1
    hands.do("Alt+G")
    hands.do("Alt+G")
    assert [act.text for act in yard.desk.now.done] == ["1.482"]
    yard.do_next()
    assert yard.stage in {"Practise", "Exercises"}
    begin(yard, hands, "staff") if yard.stage == "Exercises" else None
    hands.line("half", "x")
    assert len(yard.desk.now.done) == 1 and yard.sheet.refusal  # no length: refused in its cell
    hands.key("esc")


def test_three_screws_are_turned_by_keys_until_all_ten_stand(yard, hands):
    begin(yard, hands, "three")
    for n in range(yard.desk.exercise.count):
        head = yard.desk.exercise.thing(yard.desk.now)
        for row, turn in zip((1, 3, 2), turns_for(head), strict=True):
            if turn:
                yard.sheet.go((row, 1))
                hands.line(f"{turn:.6f}")
        yard.sheet.go((6, 1))
        hands.line("180")
        yard.sheet.go((7, 0))
        hands.key("enter")
        assert n == 11 or len(yard.desk.exercise.rounds(yard.desk.now)) == n + 2
    assert yard.stage == "Debrief"
    assert any(title.startswith("12 of 12 stand upright") for title in hands.said())


def test_a_hint_is_asked_for_by_its_button_told_and_counted(yard, hands):
    begin(yard, hands, "four")
    yard._go(yard.desk.go("hint"))
    hint = next(f for f in yard.desk.findings("Practise") if f.title == "A hint")
    assert yard.desk.now.hints == 1 and not hint.action
    assert any(word in hint.text for word in ("ring", "pair", "half"))


def test_another_learner_has_a_record_of_their_own(yard, hands):
    hands.do("Ctrl+Shift+N")
    hands.line("B. Teasel")
    names = [yard.file.journal.name_of(w.id) for w in yard.file.journal.works()]
    assert names == ["Ada", "B. Teasel"]
    assert yard.desk.work == yard.file.journal.works()[-1].id and not yard.desk.attempts
    begin(yard, hands, "eighths")
    hands.do("Ctrl+PgUp")
    assert yard.desk.now is None  # the first one's record is untouched


def test_every_picture_of_the_yard_and_its_record_is_drawn_and_written(yard, hands, tmp_path):
    for key in ("staff", "four"):
        if yard.stage != "Exercises":
            yard.show_stage("Exercises")
        begin(yard, hands, key)
        picture = yard.desk.picture("Practise", 0, 760, 300)
        assert len(picture.items) > 8 and picture.caption
        assert "1." not in picture.caption  # a reading is never given away
    for stage in yard.desk.stage_names:
        assert yard.desk.picture(stage, 0, 380, 200).caption and yard.desk.question(stage)
    training, as_csv = yard.desk.writers()
    pages = training.pages(yard.desk)()
    assert pages and pages[0].items
    as_csv.write(yard.desk, tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text().startswith("day,exercise,level")


def test_a_yards_file_is_no_job_and_a_job_is_no_yard(tmp_path):
    path = tmp_path / "yard.keelyard"
    with YardFile.create(path, "Practice yard", "Ada") as yard:
        (work,) = yard.record([Draft(0, "work", {"name": "Ada", "type": "learner", "unit": "m"})])
        with pytest.raises(KeelError):
            yard.record([Draft(work.id, "sight", {"mark": "A"})])  # a reading of a job has no place there
    with pytest.raises(KeelError, match="practice file"):
        JobFile.open(path)
    with YardFile.open(path) as again:
        assert [w.body["name"] for w in again.journal.works()] == ["Ada"]
    JobFile.create(tmp_path / "job.keel", "Mill", "Ada").close()
    with pytest.raises(KeelError, match="job file"):
        YardFile.open(tmp_path / "job.keel")


def test_a_screw_is_turned_on_the_picture_the_bubble_follows_and_it_is_recorded_once(yard, hands):
    begin(yard, hands, "three")
    yard.sheet.go((1, 1))
    yard.sheet.close_editor()
    desk, before = yard.desk, len(yard.file.journal.entries)
    desk.focus = 1
    yard.refresh()
    drawn = desk.picture("Practise", 0, 760, 300)
    assert drawn.drag is not None and drawn.drag.across and drawn.drag.value == 0.0
    yard.picture.setFocus()
    for _ in range(4):
        hands.key("right")
    assert desk.turning == pytest.approx(0.25) and len(yard.file.journal.entries) == before
    moved = desk.picture("Practise", 0, 760, 300)
    assert moved.caption != drawn.caption  # the bubble went
    hands.qtbot.waitUntil(lambda: len(yard.file.journal.entries) == before + 1, timeout=5000)
    assert desk.now.acts[-1].what == "far" and desk.now.acts[-1].value == pytest.approx(0.25)
    assert desk.turning == 0.0


def test_a_work_is_practised_on_in_the_yard_and_nothing_of_it_comes_into_the_job(demo, hands, tmp_path):
    job = demo.job
    before = [entry.id for entry in job.journal.entries.values()]
    floor = next(w.id for w in job.journal.works() if "floor posts" in job.journal.name_of(w.id))
    demo.open_work(floor)
    demo.errands.make_stand_in()
    assert demo.in_yard and demo.stage == "Moves"
    assert demo.file.journal.name_of(demo.desk.work).startswith("Practice: Mill floor posts")
    assert [entry.id for entry in job.journal.entries.values()] == before
    demo.errands.write_report()
    (written,) = list(tmp_path.rglob("For practice, *report.pdf"))
    assert "For practice" in demo.notice.text() and written.stat().st_size > 1000
    pages = demo.desk.report()()
    assert pages and all("For practice only" in " ".join(page.texts()) for page in pages)
    hands.do("Alt+G")
    assert not demo.in_yard and not any("For practice only" in t for t in demo.desk.report()()[0].texts())


def test_an_instrument_is_practised_on_in_the_yard_and_never_in_the_kit(demo, hands):
    hands.do("Alt+K")
    kit = demo.kit
    before = len(kit.journal.entries)
    tool = next(w for w in kit.journal.works() if w.body["type"] == "kit:optical")
    demo.open_work(tool.id)
    demo.errands.make_stand_in()
    assert demo.in_yard and demo.desk.tool.hidden is not None and demo.desk.tool.kind.key == "optical"
    assert demo.desk.file.journal.name_of(demo.desk.work).startswith("Practice: ")
    assert len(kit.journal.entries) == before and not demo.desk.tool.decided()
    assert any("Simulated" in f.text for stage in demo.desk.stage_names for f in demo.desk.findings(stage))


def test_every_piece_of_the_list_leads_to_one_to_practise_on_by_one_key(yard, hands):
    learner = yard.desk.work
    for row, piece in enumerate(yard.desk.pieces):
        sheet = yard.sheet.sheet
        yard.sheet.go((len(sheet.keys) + row, 0))
        hands.key("enter")
        assert yard.in_yard and yard.desk.work != learner, piece.key
        body = yard.file.journal.entries[yard.desk.work].body
        assert body["type"] == piece.key and body["name"].startswith("Practice: ")
        hidden = yard.desk.tool.hidden if hasattr(yard.desk, "tool") else yard.desk.hidden
        assert hidden
        yard.stage = "Exercises"
        yard.open_work(learner)
    assert len(yard.file.journal.works()) == 1 + len(yard.desk.pieces)
    yard.show_side()
    assert yard.job_state.text() == "1 learner"


def test_a_yard_file_that_was_told_as_json_and_read_as_a_job_is_still_marked(yard, hands, tmp_path):
    from vivid_keel.exchange.job_json import read_job, write_job
    from vivid_keel.trades.registry import job_kinds
    from vivid_keel.yard.entries import YARD_KINDS

    text = write_job(yard.file.journal.entries.values())
    entries, _ = read_job(text, {**job_kinds(), **YARD_KINDS})
    with JobFile.create_from(tmp_path / "taken.keel", entries, "Ada") as job:
        assert job.practice
    assert not yard.job.practice


def test_a_sight_through_the_telescope_by_keys_and_by_the_slid_scale(yard, hands):
    begin(yard, hands, "telescope")
    exercise = yard.desk.exercise

    def row(key):
        return next(k for k, hand in enumerate(exercise.hands) if hand.key == key)

    def does(key, text=""):
        yard.sheet.go((row(key), 1 if text else 0))
        hands.line(text) if text else hands.key("enter")

    for n in range(ROUNDS):
        if exercise.thing(yard.desk.now).telescope.capped:
            does("cap")
        one = exercise.thing(yard.desk.now).telescope
        does("tangent", f"{one.aside / 0.5:.3f}")
        does("eyepiece", f"{-one.eyepiece:.3f}")
        yard.sheet.go((row("focus"), 1))
        yard.desk.drag(-one.image, done=False)
        assert yard.desk.picture("Practise", 0, 760, 330).drag.value == yard.desk.turning != 0
        yard.desk.drag(-one.image, done=True)
        does("eye")
        does("tap")
        does(
            "read",
            show_length(exercise.thing(yard.desk.now).seen.hair, exercise.thing(yard.desk.now).staff.style),
        )
        assert n == ROUNDS - 1 or len(exercise.rounds(yard.desk.now)) == n + 2
    assert yard.stage == "Debrief"
    assert any(
        "10 of 10 sights free of parallax and tapped; 10 read right" in title for title in hands.said()
    )


def test_a_whole_run_is_booked_by_keys_and_its_mistake_found(yard, hands):
    begin(yard, hands, "whole")
    exercise = yard.desk.exercise
    walk = lambda: exercise.thing(yard.desk.now)  # noqa: E731
    rows = {hand.key: k for k, hand in enumerate(exercise.hands)}
    yard.sheet.go((rows["read"], 1))
    hands.line("1.482")
    assert yard.sheet.refusal and not walk().sights  # nothing to be seen yet: refused, with what to do
    hands.key("esc")
    while not walk().closed:
        yard.sheet.go((rows["stand"], 1))
        hands.line(f"{_reaches(walk().slope, walk().peg):g}")
        while walk().seen is not None:
            yard.sheet.go((rows["read"], 1))
            hands.line(show_length(walk().seen.hair, walk().seen.style))
            if walk().closed or walk().slope.reads(walk().stands[-1], walk().peg + 1) != walk().slope.reads(
                walk().stands[-1], walk().peg + 1
            ):
                break
            yard.sheet.go((rows["on"], 0))
            hands.key("enter")
    off = [abs(walk().read_again(n) - rise) for n, rise in enumerate(walk().rises, 1)]
    yard.next_sheet()
    book = [hands.cells(k) for k in range(yard.sheet.sheet.count)]
    assert book[0][1] == "A" and book[0][2] and "the run misses it by" in book[-1][6]
    yard.next_sheet()
    yard.sheet.go((rows["again"], 1))
    hands.line("2")
    yard.sheet.go((rows["found"], 1))
    hands.line(str(off.index(max(off)) + 1))
    assert yard.stage == "Debrief"
    assert any("the mistake was found" in title for title in hands.said())


def test_by_the_mouse_alone_readings_are_tapped_on_the_pad(yard, hands):
    begin(yard, hands, "staff")
    hands.do("F11")
    assert yard.on_site
    pad = {button.text(): button for button in yard.site.pad.findChildren(QPushButton)}
    for k in range(READINGS):
        for digit in show_length(
            yard.desk.exercise.view(yard.desk.now, k).hair, yard.desk.exercise.view(yard.desk.now, k).style
        ):
            QTest.mouseClick(pad[digit], Qt.MouseButton.LeftButton)
        take = next(b for text, b in pad.items() if "take" in text.lower() or "book" in text.lower())
        QTest.mouseClick(take, Qt.MouseButton.LeftButton)
    assert yard.desk.now is None and yard.desk.debrief.summary == "12 of 12 right"
    assert "all is read" in yard.site.booking.head()
