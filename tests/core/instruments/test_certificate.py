"""A certificate is a check with its own date: it counts from that day, runs out on another, and no knock leaves it standing."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from tests.core.instruments.test_kit import NOON as NOW
from tests.core.instruments.test_kit import Kit
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.booked import parse_step
from vivid_keel.core.instruments.procedures import CERTIFICATE
from vivid_keel.core.instruments.tool import fold_tool
from vivid_keel.core.record.entries import Draft


def entered(kit, tool, issued, days=None, stated="0.10", u="0.02"):
    """Enter a certificate, typed as a person does, and trust it."""
    traits = fold_tool(kit.journal, tool).traits
    check = kit.add(Draft(tool, "check", {"procedure": "certificate", "way": ""}))
    typed = {"issued": issued, "is-level": stated, "U-level": u, **({"days": days} if days else {})}
    for step in CERTIFICATE.steps(traits, "", {}):
        if step.key in typed:
            got = parse_step(step, typed[step.key], traits, "m", ".")
            body = {
                "check": check,
                "step": step.key,
                "text": got.text,
                "value": got.value,
                "step_size": got.step,
            }
            kit.add(Draft(tool, "seen", body))
    kit.add(Draft(tool, "decided", {"check": check, "decision": "trust"}))
    return fold_tool(kit.journal, tool)


@pytest.fixture
def kit():
    kit = Kit()
    kit.now = NOW
    return kit


def test_it_stands_from_its_own_day_with_its_own_u(kit):
    tool = entered(kit, kit.tool(), (NOW.date() - timedelta(days=3)).isoformat())
    worth = tool.worth("level", NOW)
    assert worth.value == pytest.approx(0.0001) and pytest.approx(0.00002) == worth.U
    assert worth.time.date() == NOW.date() - timedelta(days=3)
    assert tool.state(NOW).key == "trusted" and tool.state(NOW).words == "checked 3 days ago"


def test_it_stands_for_the_usual_check_and_runs_out_on_its_day(kit):
    issued = NOW.date() - timedelta(days=3)
    tool = entered(kit, kit.tool(), issued.isoformat(), days="200")
    due = {d.procedure: d for d in tool.due(NOW)}
    assert due["reversal"].day == issued + timedelta(days=tool.every)
    assert due["certificate"].day == issued + timedelta(days=200)
    assert "runs out" in due["certificate"].why
    usual = entered(kit, kit.tool(), issued.isoformat())
    assert {d.procedure: d.day for d in usual.due(NOW)}["certificate"] == issued + timedelta(days=365)
    late = NOW + timedelta(days=400)
    assert tool.state(late).key == "due"


def test_a_knock_since_takes_it_away_and_one_before_does_not(kit):
    work = kit.tool()
    kit.add(Draft(work, "happened", {"what": "knocked"}))
    kit.later(2)
    tool = entered(kit, work, kit.now.date().isoformat())
    assert tool.worth("level", kit.now).value == pytest.approx(0.0001)  # of this very day, whatever the hour
    kit.later(5)
    kit.add(Draft(work, "happened", {"what": "knocked"}))
    tool = fold_tool(kit.journal, work)
    assert tool.worth("level", kit.now) is None
    assert tool.state(kit.now).key == "knocked"
    assert all("since" in d.why for d in tool.due(kit.now) if d.procedure == "reversal")


def test_an_older_one_does_not_put_out_a_later_check(kit):
    work = kit.tool()
    kit.check(work, "trust", a1_1=0.3, a2_1=-0.3, a1_2=0.3, a2_2=-0.3)
    own = fold_tool(kit.journal, work).worth("level", kit.now).value
    tool = entered(kit, work, (kit.now.date() - timedelta(days=60)).isoformat(), stated="0.4")
    assert tool.worth("level", kit.now).value == own
    assert round(tool.history()["level"][0].value * 1e6) == 400  # oldest first, by its own day


def test_what_is_no_day_or_no_number_of_days_is_refused():
    step = {s.key: s for s in CERTIFICATE.steps(fold_tool(*_level()).traits, "", {})}
    for text in ("spring", "32 Mar 2026", "1820-01-01", ""):
        with pytest.raises(KeelError, match="day|before any"):
            parse_step(step["issued"], text, None)
    for text in ("0", "-3", "99999"):
        with pytest.raises(KeelError, match="days"):
            parse_step(step["days"], text, None)
    assert parse_step(step["issued"], "12 Mar 2026", None).value == date(2026, 3, 12).toordinal()


def _level():
    kit = Kit()
    return kit.journal, kit.tool()
