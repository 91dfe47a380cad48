"""From which page a reading was typed in: from the entry that says so to the next that says otherwise."""

from __future__ import annotations

import pytest

from tests.trades.run.test_run_more import Job
from vivid_keel.archive.tables import as_read
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.paper import paper_in_hand, paper_of, papers
from vivid_keel.desk.on_paper import entered
from vivid_keel.trades.registry import job_kinds


@pytest.fixture
def job():
    job = Job()
    job.run_id = job.run()
    return job


def test_a_page_holds_what_is_typed_in_till_the_next(job):
    run = job.run_id
    before = job.sight(run, "BS", "BM", "1.482")
    job.put(Draft(run, "paper", {"page": "3", "read_at": "2026-05-04 14:20"}))
    on_three = job.sight(run, "IS", "sill", "1.936")
    job.put(Draft(run, "paper", {"page": "4"}))
    on_four = job.sight(run, "IS", "drain", "1.800")
    assert paper_in_hand(job.journal, run).page == "4"
    job.put(Draft(run, "paper", {"page": ""}))
    after = job.sight(run, "FS", "BM", "1.481")
    known = papers(job.journal, run)
    assert [paper_of(known, e) and paper_of(known, e).words for e in (before, on_three, on_four, after)] == [
        None,
        "page 3, read 2026-05-04 14:20",
        "page 4",
        None,
    ]
    assert paper_in_hand(job.journal, run) is None
    rows = list(as_read(job.journal, run, job_kinds()))
    assert rows[0][-2:] == ("page", "read_at")
    assert [row[-2:] for row in rows[1:]] == [("", ""), ("3", "2026-05-04 14:20"), ("4", ""), ("", "")]
    assert "typed in from page 3, read 2026-05-04 14:20; page 4" in entered(job.journal, run)


def test_one_that_was_struck_or_undone_begins_no_page(job):
    run = job.run_id
    said = job.put(Draft(run, "paper", {"page": "9"}))
    sight = job.sight(run, "BS", "BM", "1.482")
    job.put(Draft(run, "strike", {"reason": "it was page 8"}, strikes=said))
    assert papers(job.journal, run) == [] and paper_of(papers(job.journal, run), sight) is None
    assert "page" not in entered(job.journal, run)
