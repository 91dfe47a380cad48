"""A learner's record of an earlier version: every act as it was, and told as it was told then."""

from __future__ import annotations

import json
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from vivid_keel.core.record.entries import Draft
from vivid_keel.files import YardFile
from vivid_keel.yard.learner import debrief, fold_attempts

OLD = Path(__file__).parent / "old"


@pytest.mark.parametrize(
    "name",
    ["yard-0.11", "yard-0.12", "yard-0.13", "yard-0.14", "yard-0.15", "yard-0.16", "yard-0.17", "yard-0.18"],
)
def test_what_was_done_is_as_it_was_and_told_as_then(name, tmp_path):
    told = json.loads((OLD / f"{name}.json").read_text())
    with YardFile.open(Path(shutil.copy(OLD / f"{name}.keelyard", tmp_path)), "Ada") as file:
        assert not file.read_only
        (work,) = file.journal.works()
        attempts = fold_attempts(file.journal, work.id)
    assert len(attempts) == len(told) > 5
    for attempt, then in zip(attempts, told, strict=True):
        assert (attempt.exercise, attempt.level, attempt.ended) == (
            then["exercise"],
            then["level"],
            then["ended"],
        )
        assert [[act.what, act.text, act.value] for act in attempt.acts] == then["acts"]
        found = debrief(attempt)
        assert {kind: list(pair) for kind, pair in found.slips.items()} == then["slips"]
        assert found.costs == pytest.approx(then["costs"], rel=1e-9)


def test_how_long_it_took_is_told_and_a_pause_in_the_middle_isnt_held_against_anybody(tmp_path):
    day = datetime(2026, 11, 27, 9, 0, tzinfo=UTC)
    seconds = [0.0]
    with YardFile.create(
        tmp_path / "y.keelyard", "Practice yard", "Ada", lambda: day + timedelta(seconds=seconds[0])
    ) as file:
        (work,) = file.record([Draft(0, "work", {"name": "Ada", "type": "learner", "unit": "m"})])
        file.record([Draft(work.id, "yard-begin", {"exercise": "staff", "level": 1, "seed": 3})])
        for later in (60, 60, 90_000, 60):
            seconds[0] += later
            file.record([Draft(work.id, "yard-act", {"what": "read", "text": "1.482", "value": 1.482})])
        (attempt,) = fold_attempts(file.journal, work.id)
    assert attempt.took == 60 + 60 + 300 + 60
