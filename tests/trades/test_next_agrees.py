"""What is said first and what Next proposes agree: no report while something is out that can be seen to; what comes first comes first."""

from __future__ import annotations

import pytest

from tests.mill import mill
from tests.trades.conftest import wait
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.registry import LISTED, desk_for

ACTS = 40
"""So many acts of a work are taken back, one after the other [1]."""


def disagree(desk):
    """Return where Next proposes the report though something is out or asked for, or something else than what must come first."""
    out = []
    for stage in desk.stage_names:
        following = desk.next(stage).key.partition(":")[0]
        for finding in desk.findings(stage):
            if not finding.action or finding.action == "record":
                continue
            acts = finding.verdict in {"out", "todo"}
            if stage != desk.stage_names[-1] and acts and following in {"record", "report"}:
                out.append((stage, following, finding.title))
            if (
                finding.title.endswith(" first")
                and finding.verdict != "note"
                and following
                not in {
                    finding.action.partition(":")[0],
                    "cautions",
                }
            ):
                out.append((stage, following, finding.title))
    return out


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_next_and_the_first_finding_agree_however_far_a_work_has_come(tmp_path, trade):
    with mill(tmp_path / "Osier Mill.keel") as job:
        for work in [w.id for w in job.journal.works() if w.body["type"] == trade]:
            entries = [job.journal.entries[id] for id in job.journal.order[work]]
            for entry in [e for e in reversed(entries) if e.kind != "work"][:ACTS]:
                desk = desk_for(job, work)
                wait(desk)
                assert disagree(desk) == [], entry
                if job.journal.stands(entry.id):
                    job.record([Draft(work, "strike", {"reason": "law"}, strikes=entry.id)])


def test_a_twist_that_is_out_with_every_foot_within_is_not_ready_for_the_report(tmp_path):
    """Seen: the twist out of tolerance, no move booked, and Next said: write the report."""
    with mill(tmp_path / "Osier Mill.keel") as job:
        work = next(w.id for w in job.journal.works() if w.body["type"] == "slab")
        old = job.journal.latest(work, "limits")
        from vivid_keel.core.quantities import parse_length
        from vivid_keel.core.record.readings import as_read

        body = {**(dict(old.body) if old else {}), "tolerance": as_read(parse_length("5 mm", "mm", "."))}
        tight = {"fact": "twist", "text": "0.01", "value": 0.00001}
        job.record([Draft(work, "limits", body), Draft(work, "body-fact", tight)])
        desk = desk_for(job, work)
        assert not desk.result.to_move
        (twist,) = [
            f for f in desk.findings("Readings") if f.title.startswith("Twist") and f.verdict == "out"
        ]
        assert desk.next("Readings").key == twist.action == "target"


def test_a_liquid_levels_benchmark_comes_before_the_points(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as job:
        (made,) = job.record([Draft(0, "work", {"name": "Yard", "type": "groundwork", "unit": "m"})])
        job.record([Draft(made.id, "ground-fact", {"fact": "by", "text": "hydrostatic level", "value": 3.0})])
        desk = desk_for(job, made.id)
        assert desk.next("Readings").key == "looks"
        assert disagree(desk) == []
