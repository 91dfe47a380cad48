"""A star of marks carried by a level is looked at once more from where it began: only that tells whether the level stood still."""

from __future__ import annotations

import numpy as np
import pytest

from tests.mill import mill
from vivid_keel.core.instruments.defaults import WAY
from vivid_keel.core.instruments.used import instrument_draft, instrument_from_way
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.registry import desk_for


def star(tmp_path, way="optical", closed=None):
    """The demo's marks as a star by such an instrument, all taped; its desk and the journal."""
    job = mill(tmp_path / "mill.keel")
    work = next(w.id for w in job.journal.works() if w.body["type"] == "marks")
    mm = as_read(parse_length("1", "mm", "."))
    job.record(
        [
            Draft(work, "carrying", {"order": "star", "u_step": mm}),
            instrument_draft(work, instrument_from_way(WAY[way])),
        ]
    )
    for entry in job.journal.standing(work, "column"):
        if "to_slab" not in entry.body:
            body = {**entry.body, "to_slab": as_read(parse_length("1.2", "m", "."))}
            job.record([Draft(work, "column", body, strikes=entry.id)])
    if closed is not None:
        job.record([Draft(work, "closed", {"found": as_read(parse_length(closed, "mm", "."))})])
    return job, desk_for(job, work)


def test_a_star_by_level_isnt_done_until_its_first_mark_was_looked_at_again(tmp_path):
    job, desk = star(tmp_path)
    with job:
        name = desk.result.book.reference.name
        assert desk.state()[0] == "open"
        assert f"look at {name} again" in desk.next("Proof").title
        assert any(f.verdict == "open" and "once more" in f.title for f in desk.findings("Proof"))


@pytest.mark.parametrize(("found", "verdict"), [("1.9", "in"), ("-1.9", "in"), ("2.1", "out"), ("-9", "out")])
def test_it_stayed_within_what_two_looks_differ_by(tmp_path, found, verdict):
    job, desk = star(tmp_path, closed=found)
    with job:
        assert desk.state()[0] == verdict
        assert ("carry them again" in desk.next("Proof").title) == (verdict == "out")


def test_nothing_is_spread_over_a_star(tmp_path):
    job, desk = star(tmp_path, closed="1.9")
    with job:
        marks = [c.mark for c in desk.result.carried]
    job, desk = star(tmp_path, closed="0")
    with job:
        assert marks == [c.mark for c in desk.result.carried]


def test_a_tube_has_nothing_to_look_back_with(tmp_path):
    job, desk = star(tmp_path, way="water")
    with job:
        assert desk.result.book.steps_back == 0
        assert "again" not in desk.next("Proof").title


def test_an_honest_star_is_blamed_as_seldom_as_it_says(tmp_path):
    job, desk = star(tmp_path)
    with job:
        allowed, u = desk.result.allowed, desk.result.book.u_step
    rng = np.random.default_rng(20)
    first, last = rng.normal(0, u / 2**0.5, (2, 20_000))
    assert np.mean(np.abs(last - first) > allowed) == pytest.approx(0.0455, abs=0.006)
