"""More of the kit in the window: the optical level's screw, drift in words, locked and damaged kits, the alternatives of each sheet."""

from __future__ import annotations

import pytest

from tests.core.instruments.test_kit import Kit
from tests.saying import added, booked, take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.tool import fold_tool
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.kit.drifting import drift_findings, span
from vivid_keel.files import KitFile
from vivid_keel.places import kit_path


@pytest.fixture
def dumpy(demo):
    """A stand-in optical level of the demo's kit, its two-peg check begun: (window, desk)."""
    demo.toggle_kit()
    demo.open_work(added(demo.desks[0], "optical"))
    demo.desk.record(Draft(demo.desk.work, "trait", {"name": "u", "text": "0.1 mm", "value": 0.0001}))
    demo.desk.record(
        Draft(
            demo.desk.work,
            "stand-in",
            {
                "hidden": {
                    "collimation": 0.0003,
                    "eye": 1.5,
                    "pegs": 0.2,
                    "right": 0.0,
                    "away": 0.0,
                    "plate": 0.0,
                    "one": 0.0,
                }
            },
        )
    )
    demo._go(booked(demo.desk, demo.desk.begin("two-peg", "near")))
    return demo, demo.desk


def round_of(desk):
    for key in ("d1a", "d1b", "d2a", "d2b", "a1/1", "b1/1", "a2/1", "b2/1"):
        row, step = next((i, s) for i, s in enumerate(desk.run.steps) if s.key == key)
        text = "" if step.unit == "distance" else f"{desk.practising().shows(desk.run, step):.4f}"
        take(desk.sheets("Readings")[0], row, 2, text)


def test_an_optical_level_is_adjusted_to_the_reading_named_and_found_true(dumpy):
    window, desk = dumpy
    round_of(desk)
    (found,) = desk.run.outcome.found
    assert found.value == pytest.approx(0.0003, abs=found.U)
    assert desk.run.outcome.decision == "adjust"
    desk.record(*desk.decision("adjust"))
    window.view_number = 1
    window.show_stage("Result")
    assert desk.screwing
    named = desk.run.outcome.shown["adjust_a"]
    window._dragged(named, True)
    assert desk.tool.hidden["collimation"] == pytest.approx(0, abs=1e-5)
    window._go(booked(desk, desk.adjusted()))
    round_of(desk)
    assert desk.run.outcome.found[0].verdict == "in" and desk.run.outcome.decision == "trust"


def test_enter_takes_the_plans_distance_and_a_missing_one_is_asked_for(dumpy, hands):
    window, desk = dumpy
    window.sheet.go((0, 2))
    hands.key("enter")
    assert desk.run.seen["d1a"].value == 20.0
    row = next(i for i, s in enumerate(desk.run.steps) if s.key == "a1/1")
    for k, text in enumerate(("1.5000", "1.3000", "1.6000", "1.4000")):
        at = [i for i, s in enumerate(desk.run.steps) if s.unit == "m" and "'" not in s.key][k]
        take(desk.sheets("Readings")[0], at, 2, text)
    assert row > 0 and desk.run.outcome.trouble.code == "distances-missing"
    assert desk.next("Readings").title == "Next: put a reading right"
    kinds = {f.title for f in desk.findings("Readings")}
    assert "Put this right first" in kinds


def test_striking_a_step_asks_for_it_again(dumpy, hands):
    window, desk = dumpy
    round_of(desk)
    window.show_stage("Readings")
    row = next(i for i, s in enumerate(desk.run.steps) if s.key == "a2/1")
    window.sheet.go((row, 2), edit=False)
    hands.do("Ctrl+D")
    hands.line("staff not plumb")
    assert "a2/1" not in desk.run.seen
    assert [k for k, _ in desk.run.struck] == ["a2/1"]
    assert not desk.run.enough


def test_a_decided_check_is_closed_to_changes(dumpy):
    _, desk = dumpy
    round_of(desk)
    desk.record(*desk.decision("correct"))
    with pytest.raises(KeelError, match="is in the record"):
        take(desk.sheets("Readings")[0], 0, 2, "21")
    assert not any(
        desk.sheets("Readings")[0].cell(r, 2).editable for r in range(desk.sheets("Readings")[0].count)
    )


def test_drift_is_put_in_words():
    kit = Kit()
    level = kit.tool()
    said = lambda: drift_findings(fold_tool(kit.journal, level), kit.now)  # noqa: E731
    assert said() == []
    kit.check(level, "trust", a1_1=0.1, a2_1=-0.1)
    assert said()[0].title.endswith("too few checks to tell")
    for _ in range(1, 6):
        kit.later(30)
        kit.check(level, "trust", a1_1=0.1, a2_1=-0.1)
    assert said()[0].title.endswith("no drift to be seen")
    for k in range(1, 8):
        kit.later(30)
        error = 0.1 + 0.4 * k
        kit.check(level, "trust", a1_1=error, a2_1=-error)
    (found,) = said()
    assert found.verdict == "out" and "wandered past its limit" in found.title
    assert len(found.why.sources) == 13
    kit.add(Draft(level, "happened", {"what": "adjusted"}))
    assert "0 since it was adjusted" in said()[0].text


@pytest.mark.parametrize(
    ("days", "words"), [(0, "0 days"), (12, "12 days"), (30, "4 weeks"), (100, "3 months")]
)
def test_times_ahead_as_people_say_them(days, words):
    assert span(days) == words


def test_a_kit_open_elsewhere_is_for_reading_only(window, hands, tmp_path):
    kit_path().parent.mkdir(parents=True)
    other = KitFile.create(kit_path(), "Kit", "Bo")
    try:
        hands.do("Alt+K")
        assert "has this kit open" in window.notice.text()
        hands.key("enter")
        assert "has this kit open" in window.notice.text() or "has this kit open" in window.sheet.refusal
        assert len(other.journal.entries) == 1
    finally:
        other.close()


def test_what_is_no_kit_is_said_and_left_alone(window, hands):
    kit_path().parent.mkdir(parents=True)
    kit_path().write_text("no database")
    hands.do("Alt+K")
    assert "not a Vivid Keel kit file" in window.job_state.text() + window.notice.text()
    assert kit_path().read_text() == "no database"
    assert window.kit is None


def test_a_kit_file_is_opened_by_its_name(window, tmp_path):
    made = KitFile.create(tmp_path / "Borrowed.keelkit", "Borrowed", "Bo")
    made.record([Draft(0, "work", {"name": "His level", "type": "kit:spirit", "unit": "m"})])
    made.close()
    assert window.open_path(tmp_path / "Borrowed.keelkit")
    assert window.in_kit and window.desk.state()[1].startswith("1 instrument")
    assert not window.open_path(tmp_path / "nothing.keelkit")
