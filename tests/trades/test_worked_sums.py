"""The worked sum of every handbook page: each number of it stands in the small job that the page opens."""

from __future__ import annotations

import re
from datetime import UTC, datetime

import pytest

from tests.test_said import desk_said
from tests.trades.conftest import wait
from vivid_keel.demo import build
from vivid_keel.figures.display import Text
from vivid_keel.handbook import pages
from vivid_keel.trades.registry import LISTED, desk_for

NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)


@pytest.mark.parametrize("key", [one.key for one in LISTED])
def test_a_worked_sum_is_the_small_jobs_own(key, tmp_path, qapp):
    (page,) = [one for one in pages() if one.trade == key]
    told = page.text.partition("## A worked sum\n")[2]
    numbers = re.findall(r"`([^`]+)`", told)
    assert len(numbers) >= 3
    with build(tmp_path / "Osier Mill.keel", NOON, only=key) as job:
        job._clock = lambda: NOON
        works = [w for w in job.journal.works() if w.body["type"] == key]
        others = {w.body["type"] for w in job.journal.works()} - {key}
        assert works and others <= {"run"}
        desk = desk_for(job, works[0].id)
        wait(desk)
        said = list(desk_said(desk))
        for page in desk.report()():
            said += [item.text for item in page.items if isinstance(item, Text)]
    for number in numbers:
        assert any(re.search(rf"(?<![\d.]){re.escape(number)}(?!\d)", line) for line in said), number
