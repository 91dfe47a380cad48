"""A learner's record of an earlier version: every act as it was, and told as it was told then."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from vivid_keel.files import YardFile
from vivid_keel.yard.learner import debrief, fold_attempts

OLD = Path(__file__).parent / "old"


@pytest.mark.parametrize("name", ["yard-0.11"])
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
