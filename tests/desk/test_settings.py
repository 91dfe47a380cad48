"""What is asked of a task: no two of its settings share a key, or one would be taken for the other."""

from __future__ import annotations

import pytest

from tests.mill import mill
from tests.trades.conftest import wait
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.trades.registry import LISTED, desk_for


@pytest.fixture
def job(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as file:
        yield file


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_no_two_settings_of_one_task_share_a_key(job, trade):
    for work in job.journal.works():
        if work.body["type"] != trade:
            continue
        desk = desk_for(job, work.id)
        wait(desk)
        asked = {}
        for stage in desk.stage_names:
            for sheet in desk.sheets(stage):
                if isinstance(sheet, FactsSheet):
                    for fact in sheet.facts:
                        asked.setdefault((sheet.booked[0], fact.key), set()).add(fact.label)
        assert [key for key, labels in asked.items() if len(labels) > 1] == []


def test_how_a_number_is_taken_is_not_what_a_middle_foot_may_do(job):
    """They shared the key `takes`; files that have it are read by what it says."""
    work = next(w for w in job.journal.works() if w.body["type"] == "bed")
    job.record([Draft(work.id, "body-fact", {"fact": "takes", "text": "0.3", "value": 0.3})])
    job.record([Draft(work.id, "body-fact", {"fact": "takes", "text": "by itself", "value": 1.0})])
    facts = desk_for(job, work.id).book.facts
    assert facts.values["middle"] == pytest.approx(0.3)
    assert facts.texts["takes"] == "by itself"
