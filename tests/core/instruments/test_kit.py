"""The kit: an instrument's life, what it is worth on a day, drift, the advisor, budgets, and what a job takes from it."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.saying import what_is_said
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import parse_fact
from vivid_keel.core.instruments.advisor import CONDITIONS, advise, over_span
from vivid_keel.core.instruments.budget import shares, to_halve
from vivid_keel.core.instruments.drift import FEWEST, fit_drift, forecast
from vivid_keel.core.instruments.kinds import KIND, KINDS
from vivid_keel.core.instruments.settling import stillness
from vivid_keel.core.instruments.snapshot import reads_heights, taken_from
from vivid_keel.core.instruments.tool import fold_kit, fold_tool
from vivid_keel.core.instruments.used import Instrument, instrument_draft
from vivid_keel.core.kinds import numbered
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.kit.tool_sheets import past_day
from vivid_keel.trades.registry import desk_for, job_kinds, kit_kinds
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.budget import run_budget
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.measure import work_out_supports

NOON = datetime(2026, 6, 1, 12, tzinfo=UTC)


class Kit:
    """A journal that grows by acts, with a clock that is set by hand."""

    def __init__(self):
        self.journal, self.now, self.act = Journal(), NOON, 0
        self.add(Draft(0, "job", {"name": "Kit"}))

    def add(self, *drafts):
        self.act += 1
        made = numbered(
            {**job_kinds(), **kit_kinds()},
            drafts,
            len(self.journal.entries) + 1,
            self.act,
            self.now.isoformat(),
            "Ada",
        )
        for entry in made:
            self.journal.add(entry)
        return made[0].id

    def tool(self, kind="precision", name="Block"):
        return self.add(Draft(0, "work", {"name": name, "type": f"kit:{kind}", "unit": "m"}))

    def check(self, tool, decision, procedure="reversal", way="divisions", **values):
        check = self.add(Draft(tool, "check", {"procedure": procedure, "way": way}))
        for key, value in values.items():
            body = {
                "check": check,
                "step": key.replace("_", "/"),
                "text": f"{value:+g}",
                "value": value,
                "step_size": 0.1,
            }
            self.add(Draft(tool, "seen", body))
        if decision:
            self.add(Draft(tool, "decided", {"check": check, "decision": decision}))
        return check

    def later(self, days):
        self.now += timedelta(days=days)


@pytest.fixture
def kit():
    return Kit()


def test_a_life_checked_due_knocked_checked_again(kit):
    level = kit.tool()
    state = lambda: fold_tool(kit.journal, level).state(kit.now)  # noqa: E731
    assert (state().key, state().verdict) == ("unchecked", "todo")
    kit.later(1)
    kit.check(level, "trust", a1_1=0.3, a2_1=0.2)
    assert state().key == "trusted" and state().words == "checked today"
    kit.later(31)
    assert state().key == "due" and "due since" in state().words
    kit.check(level, "correct", a1_1=0.9, a2_1=0.2)
    assert state().key == "allow"  # no job takes a bubble's own error off, so nothing is called corrected
    kit.later(2)
    kit.add(Draft(level, "happened", {"what": "knocked"}))
    assert state().key == "knocked"
    due = fold_tool(kit.journal, level).due(kit.now)
    assert [(d.procedure, d.day, d.why) for d in due] == [
        ("reversal", kit.now.date(), "knocked or dropped since")
    ]
    kit.later(0.1)
    kit.check(level, "out", a1_1=4.9, a2_1=-4.2)
    assert state().key == "out"
    kit.check(level, "trust", a1_1=0.3, a2_1=0.2)
    assert state().key == "trusted"


def test_a_check_can_be_stopped_resumed_and_put_right(kit):
    level = kit.tool()
    check = kit.check(level, "", a1_1=1.6)
    run = fold_tool(kit.journal, level).open_check
    assert run.id == check and not run.enough
    assert run.next_step().key == "a2/1"
    wrong = kit.add(
        Draft(level, "seen", {"check": check, "step": "a2/1", "text": "4", "value": 4.0, "step_size": 1.0})
    )
    kit.add(
        Draft(
            level,
            "seen",
            {"check": check, "step": "a2/1", "text": "0.4", "value": 0.4, "step_size": 0.1},
            strikes=wrong,
        )
    )
    run = fold_tool(kit.journal, level).open_check
    assert run.seen["a2/1"].value == 0.4
    assert run.struck == [("a2/1", "4")]  # still legible
    assert run.enough and run.next_step().key == "a1/2" and run.next_step().optional
    kit.add(Draft(level, "decided", {"check": check, "decision": "trust"}))
    tool = fold_tool(kit.journal, level)
    assert tool.open_check is None
    assert [s.key for s in tool.checks[0].steps] == ["a1/1", "a2/1"]


def test_level_and_plumb_are_two_verdicts(kit):
    level = kit.tool("spirit")
    kit.check(level, "trust", a1_1=0.1, a2_1=0.0)
    tool = fold_tool(kit.journal, level)
    assert [d.procedure for d in tool.due(kit.now) if d.day <= kit.now.date()] == ["plumb"]
    kit.check(level, "out", "plumb", a1_1=4.0, a2_1=-4.0)
    tool = fold_tool(kit.journal, level)
    assert tool.state(kit.now).key == "out"
    assert set(tool.history()) == {"level", "plumb"}


def test_no_line_is_fitted_through_a_knock(kit):
    level = kit.tool()
    for error in (0.1, 0.2, 0.3):
        kit.check(level, "trust", a1_1=error, a2_1=-error)
        kit.later(30)
    tool = fold_tool(kit.journal, level)
    assert tool.drift("level", kit.now).n == 3
    kit.add(Draft(level, "happened", {"what": "repaired", "note": "new vial"}))
    kit.later(1)
    kit.check(level, "trust", a1_1=2.0, a2_1=-2.0)
    tool = fold_tool(kit.journal, level)
    assert tool.drift("level", kit.now) is None  # too few checks to tell
    assert len(tool.since_break("level", kit.now)) == 1
    assert len(tool.history()["level"]) == 4
    assert tool.worth("level", kit.now).value == pytest.approx(2.0 * 0.05e-3)


def test_a_drift_is_found_as_often_as_its_interval_says():
    """1,000 simulated lives: the true slope within U, and the day of crossing within the interval."""
    rng = np.random.default_rng(5)
    days = np.array([-150.0, -120, -85, -60, -30, -4])
    slope_in = cross_in = told = 0
    for _ in range(1000):
        slope, start, u = 0.1, 1.0, np.full(6, 0.9)
        values = start + slope * (days + 150) + rng.normal(0, u)
        line = fit_drift(days, values, u)
        slope_in += abs(line.slope - slope) <= line.k * math.sqrt(line.var_slope)
        if line.tells:
            told += 1
            f = forecast(line, 0.0, 25.0)
            cross_in += f.early <= 90.0 <= f.late  # 1 + 0.1·(150 + 90) = 25
    assert 0.93 <= slope_in / 1000 <= 0.99
    assert told > 900
    assert cross_in / told >= 0.93


def test_drift_needs_three_checks_and_time_between():
    assert FEWEST == 3
    two = np.array([0.0, 1.0])
    assert fit_drift(two, two, two + 1) is None
    same = np.zeros(3)
    assert fit_drift(same, np.arange(3.0), same + 1) is None
    level = fit_drift(np.array([-90.0, -60, -30]), np.array([1.0, 1.0, 1.0]), np.full(3, 0.1))
    assert not level.tells
    assert forecast(level, 0.0, 5.0).days == math.inf


def test_a_stream_is_still_only_when_it_stands():
    t = np.arange(0, 20, 0.1)
    settling = 1.0 + 0.5 * np.exp(-t)
    rng = np.random.default_rng(2)
    noisy = settling + rng.normal(0, 0.005, len(t))
    assert not stillness(t[:15], noisy[:15], 3.0, 0.01, 0.01).still  # too short to tell
    assert not stillness(t[:35], noisy[:35], 3.0, 0.01, 0.01).still  # still running
    found = stillness(t, noisy, 3.0, 0.01, 0.01)
    assert found.still and found.value == pytest.approx(1.0, abs=0.01)
    assert not stillness(t, 1.0 + 0.05 * t, 3.0, 0.01, 0.01).still  # it wanders
    assert not stillness(np.empty(0), np.empty(0), 3.0, 0.01, 0.01).still


def test_the_advisor_weighs_span_tolerance_and_conditions(kit):
    for kind in KINDS:
        kit.tool(kind.key, kind.label)
    tools = fold_kit(kit.journal)

    def names(tolerance, span, *conditions):
        return [
            a.tool.kind.key
            for a in advise(tools, tolerance, span, frozenset(conditions), kit.now)
            if a.proves and not a.hindrance
        ]

    assert "optical" in names(0.005, 20.0)
    assert "optical" not in names(0.005, 20.0, "corners")
    assert "tube" in names(0.005, 20.0, "corners")
    assert "tube" not in names(0.005, 20.0, "corners", "alone")
    assert "optical" not in names(0.005, 20.0, "trembling")  # its compensator swims
    assert names(0.00001, 20.0) == []
    assert "straightedge" not in names(0.005, 20.0)  # only two metres of it
    assert "staff" not in {a.tool.kind.key for a in advise(tools, 0.005, 20.0, frozenset(), kit.now)}
    assert all(c in CONDITIONS for c in ("corners", "trembling", "alone", "bright"))


def test_a_fixed_line_stays_readable_where_a_compensator_swims(kit):
    dumpy = kit.tool("optical", "Dumpy")
    kit.add(Draft(dumpy, "trait", {"name": "sort", "text": "fixed"}))
    (advice,) = advise(fold_kit(kit.journal), 0.01, 20.0, frozenset({"trembling"}), kit.now)
    assert not advice.hindrance


def test_checking_and_correcting_makes_an_instrument_worth_more(kit):
    level = kit.tool("optical")
    kit.add(Draft(level, "trait", {"name": "u", "text": "0.3 mm", "value": 0.0003}))
    before = over_span(fold_tool(kit.journal, level), 30.0, kit.now).U
    readings = {
        "d1a": 20.0,
        "d1b": 20.0,
        "d2a": 43.0,
        "d2b": 3.0,
        "a1_1": 1.5,
        "b1_1": 1.4,
        "a2_1": 1.602,
        "b2_1": 1.5004,
    }
    check = kit.add(Draft(level, "check", {"procedure": "two-peg", "way": "near"}))
    for key, value in readings.items():
        body = {
            "check": check,
            "step": key.replace("_", "/"),
            "text": f"{value:g}",
            "value": value,
            "step_size": 0.0001,
        }
        kit.add(Draft(level, "seen", body))
    kit.add(Draft(level, "decided", {"check": check, "decision": "correct"}))
    assert before > over_span(fold_tool(kit.journal, level), 30.0, kit.now).U


@given(st.lists(st.floats(0.01, 5.0), min_size=1, max_size=7))
@settings(deadline=None)
def test_what_would_halve_a_budget_does(us):
    budget = Budget(tuple(BudgetLine(f"line {i}", u) for i, u in enumerate(us)))
    assert sum(shares(budget)) == pytest.approx(1.0)
    better = {line.name: u for line, u in to_halve(budget)}
    after = Budget(tuple(BudgetLine(line.name, better.get(line.name, line.u)) for line in budget.lines))
    assert pytest.approx(budget.U / 2) == after.U
    assert budget.dominant.name in better


# What a job takes from it


def job_with(collimation, decision, **more):
    kit = Kit()
    run = kit.add(Draft(0, "work", {"name": "Run", "type": "run", "unit": "m"}))
    instrument = Instrument(
        "Amber",
        "optical",
        0.0007,
        3e-5,
        30.0,
        30.0,
        collimation,
        tool=4,
        state="corrected",
        decision=decision,
        **more,
    )
    kit.add(instrument_draft(run, instrument))
    read = lambda text: as_read(parse_length(text, "m", "."))  # noqa: E731
    kit.add(Draft(run, "mark", {"name": "BM", "height": read("50"), "source": "datum"}))
    return kit, run, read


def sight(kit, run, read, mark, kind, reading, distance):
    return kit.add(
        Draft(
            run, "sight", {"mark": mark, "sight": kind, "reading": read(reading), "distance": read(distance)}
        )
    )


def test_what_the_owner_corrects_is_corrected_and_can_be_switched_off():
    kit, run, read = job_with(0.0001, "correct")
    sight(kit, run, read, "BM", "BS", "1.500", "40")
    sight(kit, run, read, "P", "IS", "1.400", "10")
    result = work_out_run(fold_run(kit.journal, run))
    assert result.book.settings.use_collimation
    assert result.height(1) == pytest.approx(50 + (1.5 - 0.004) - (1.4 - 0.001))
    assert "c·D" in result.why_height(1).formula and "1.400" in result.why_height(1).numbers
    kit.add(Draft(run, "closing", {"use_collimation": False}))
    assert work_out_run(fold_run(kit.journal, run)).height(1) == pytest.approx(50.1)


def test_each_reading_knows_the_instrument_that_took_it():
    kit, run, read = job_with(0.0001, "correct")
    sight(kit, run, read, "BM", "BS", "1.500", "40")
    sight(kit, run, read, "P", "FS", "1.400", "40")
    other = Instrument(
        "Grey",
        "optical",
        0.002,
        0.0,
        30.0,
        30.0,
        -0.0002,
        tool=5,
        state="due",
        checked="check due since 2 May",
    )
    kit.add(instrument_draft(run, other))
    kit.add(Draft(run, "setup", {}))
    sight(kit, run, read, "P", "BS", "1.300", "10")
    sight(kit, run, read, "Q", "IS", "1.200", "30")
    kit.add(Draft(run, "closing", {"use_collimation": True}))
    result = work_out_run(fold_run(kit.journal, run))
    assert [result.book.instruments[r.instrument].name for r in result.book.rows] == [
        "Amber",
        "Amber",
        "Grey",
        "Grey",
    ]
    assert result.height(3) == pytest.approx(50.1 + (1.3 + 0.002) - (1.2 + 0.006))
    assert list(result.u_readings) == pytest.approx([0.001, 0.001, 0.002, 0.002])
    (doubtful,) = [f for f in what_is_said("run", result) if "doubtful" in f.title]
    assert doubtful.title.startswith("2 sights") and "due since" in doubtful.text


def test_a_knock_in_the_book_makes_what_follows_doubtful():
    kit, run, read = job_with(None, "")
    sight(kit, run, read, "BM", "BS", "1.500", "40")
    kit.add(Draft(run, "event", {"what": "knocked"}))
    sight(kit, run, read, "BM", "BS", "1.510", "40")
    book = fold_run(kit.journal, run)
    sights = [r for r in book.rows if r.kind < 3]
    assert [book.instruments[r.instrument].doubtful for r in sights] == [False, True]


def test_left_over_collimation_widens_what_unequal_sights_carry_and_only_that():
    def u(back, fore):
        kit, run, read = job_with(0.0001, "correct", u_collimation=5e-5)
        sight(kit, run, read, "BM", "BS", "1.500", back)
        sight(kit, run, read, "P", "IS", "1.400", fore)
        result = work_out_run(fold_run(kit.journal, run))
        budget = run_budget(result)
        assert budget.mark in {"P", "BM"}
        assert budget.budget.u == pytest.approx(
            float(np.nanmax(result.u_heights())), rel=1e-6
        )  # the lines add up
        return float(result.u_heights()[1]), {line.name: line.u for line in budget.budget.lines}

    equal, lines = u("20", "20")
    unequal, more = u("20", "60")
    assert "collimation left, unequal sights" not in lines
    assert more["collimation left, unequal sights"] == pytest.approx(40 * 5e-5)
    assert unequal > equal


def test_supports_take_the_line_slope_out_once_they_know_where_it_stood():
    kit = Kit()
    work = kit.add(Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"}))
    kit.add(
        instrument_draft(
            work,
            Instrument(
                "Amber",
                "optical-fine",
                0.0002,
                3e-5,
                10.0,
                10.0,
                0.0002,
                decision="correct",
                u_collimation=2e-5,
            ),
        )
    )
    read = lambda text: as_read(parse_length(text, "m", "."))  # noqa: E731
    for name, x, text in (("A1", 0.0, "1.2600"), ("A2", 10.0, "1.2600")):
        point = kit.add(
            Draft(work, "point", {"name": name, "row": "A", "x_m": x, "y_m": 0.0, "sense": "hangs"})
        )
        kit.add(Draft(work, "reading", {"point": point, "phase": "found", "reading": read(text)}))
    unknown = work_out_supports(fold_supports(kit.journal, work))
    assert unknown.heights[1] - unknown.heights[0] == 0
    kit.add(Draft(work, "station", {"x_m": 0.0, "y_m": 0.0}))
    taken = work_out_supports(fold_supports(kit.journal, work))
    assert taken.heights[1] - taken.heights[0] == pytest.approx(
        0.002
    )  # the line is 2 mm higher ten metres off
    assert taken.moves[0] == pytest.approx(0.002)
    assert taken.stop_at(0) == pytest.approx(1.262)  # what the scale shows when it is right
    assert any("collimation" in line.name for line in taken.budget().lines)
    kit.add(Draft(work, "corrections", {"use_collimation": False}))
    off = work_out_supports(fold_supports(kit.journal, work))
    assert off.heights[1] - off.heights[0] == 0
    assert off.budget().U > taken.budget().U  # left in, it counts whole


def test_a_snapshot_is_of_the_day_and_a_stand_in_reads_nothing(kit):
    level = kit.tool("optical", "Amber")
    assert taken_from(fold_tool(kit.journal, level), kit.now).collimation is None
    assert reads_heights(fold_tool(kit.journal, level))
    kit.add(Draft(level, "stand-in", {"hidden": {"collimation": 1e-4}}))
    assert not reads_heights(fold_tool(kit.journal, level))
    assert not reads_heights(fold_tool(kit.journal, kit.tool("spirit")))


def test_the_budget_of_a_network_adds_up_to_the_weakest_mark(tmp_path, qtbot):
    from tests.mill import mill
    from vivid_keel.trades.network.budget import network_budget
    from vivid_keel.trades.network.result import work_out_network

    with mill(tmp_path / "mill.keel") as file:
        result = work_out_network(desk_for(file, file.journal.works()[3].id).book)
    mark, budget = network_budget(result)
    weakest = max(result.marks, key=lambda i: result.net.u[i])
    assert result.net.names[weakest] == mark
    assert budget.u == pytest.approx(float(result.net.u[weakest]), rel=1e-6)
    assert {line.name for line in budget.lines} == {
        "readings of Gatepost to weir",
        "readings of Weir to gatepost",
    }


def test_what_has_not_changed_is_remembered_and_what_has_is_worked_out_anew(kit):
    level, other = kit.tool(), kit.tool("spirit", "Long")
    first = kit.check(level, "trust", a1_1=0.3, a2_1=0.2)
    kit.check(level, "", a1_1=0.9)
    before = fold_tool(kit.journal, level)
    assert fold_tool(kit.journal, level) is before
    kit.add(Draft(other, "rename", {"name": "Longer"}))
    assert fold_tool(kit.journal, level) is before
    kit.add(
        Draft(
            level,
            "seen",
            {"check": before.checks[1].id, "step": "a2/1", "text": "0.1", "value": 0.1, "step_size": 0.1},
        )
    )
    after = fold_tool(kit.journal, level)
    assert after.checks[0] is before.checks[0] and after.checks[1].enough
    kit.add(Draft(level, "trait", {"name": "division", "text": "0.1 mm/m", "value": 0.0001}))
    wider = fold_tool(kit.journal, level)
    assert wider.checks[0].outcome.found[0].value == pytest.approx(2 * after.checks[0].outcome.found[0].value)
    act = kit.journal.entries[first].act
    kit.add(Draft(level, "undo", {"act": act}))
    assert [c.id for c in fold_tool(kit.journal, level).checks] == [before.checks[1].id]


def test_a_check_left_for_another_is_still_there_to_go_on_with(kit):
    level = kit.tool("spirit")
    one = kit.check(level, "", a1_1=0.3)
    kit.check(level, "", "plumb", a1_1=0.5)
    tool = fold_tool(kit.journal, level)
    assert tool.open_check.procedure.key == "plumb"
    assert tool.open_of("reversal", "divisions").id == one
    assert tool.open_of("straightness", "") is None


def test_a_trait_typed_with_a_decimal_comma_keeps_the_number_it_was_meant_as():
    kit = Kit()
    tool = kit.tool("spirit")
    kit.add(
        Draft(tool, "trait", {"name": "length", "text": "1,950", "value": 1.95})
    )  # without its mark it might be 1950
    assert fold_tool(kit.journal, tool).traits.number("length") == 1.95


# A check has a day of its own


def test_a_certificate_from_last_spring_stands_in_last_spring():
    kit = Kit()
    level = kit.tool()
    check = kit.check(level, "trust", a1_1=0.1, a2_1=0.0)
    kit.add(Draft(level, "dated", {"check": check, "day": "2026-03-12"}))
    tool = fold_tool(kit.journal, level)
    assert tool.checks[0].ended.date().isoformat() == "2026-03-12"
    assert tool.state(NOON).key == "due"  # sixty days have gone since
    (point,) = tool.since_break("level", NOON)
    assert (NOON - point.time).days == 81


def test_a_check_dated_before_a_knock_does_not_make_good_for_it():
    kit = Kit()
    level = kit.tool()
    kit.add(Draft(level, "happened", {"what": "knocked"}))
    kit.now += timedelta(hours=1)
    check = kit.check(level, "trust", a1_1=0.1, a2_1=0.0)
    assert fold_tool(kit.journal, level).state(kit.now).key == "trusted"
    kit.add(Draft(level, "dated", {"check": check, "day": "2026-05-30"}))
    assert fold_tool(kit.journal, level).state(kit.now).key == "knocked"


@pytest.mark.parametrize("text", ["2026-03-12", "12 Mar 2026", "12 March 2026", "12.03.2026", "12/3/2026"])
def test_a_day_is_typed_as_people_write_it(text):
    assert past_day(text, NOON.date()).isoformat() == "2026-03-12"


@pytest.mark.parametrize(
    ("text", "said"), [("2026-09-01", "still to come"), ("spring", "is no day"), ("1 Jan 1900", "before")]
)
def test_a_day_that_can_not_be_is_refused(text, said):
    with pytest.raises(KeelError, match=said):
        past_day(text, NOON.date())


@pytest.mark.parametrize(
    ("kind", "key", "text", "said"),
    [("staff", "joints", "40000", "expected 0 to 12"), ("optical", "screws", "5", "expected 3 to 4")],
)
def test_no_staff_has_thousands_of_joints_and_no_level_five_screws(kind, key, text, said):
    (fact,) = [one for one in KIND[kind].traits if one.key == key]
    assert parse_fact(fact, "3", ".").value == 3
    with pytest.raises(KeelError, match=said):
        parse_fact(fact, text, ".")
