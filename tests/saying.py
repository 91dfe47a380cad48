"""What is said of a work, as its desk would say it, without one."""

from __future__ import annotations

from vivid_keel.core.instruments.used import use_findings
from vivid_keel.core.kinds import worst_first
from vivid_keel.core.record.lending import Works
from vivid_keel.core.record.matters import matter_findings
from vivid_keel.trades.registry import trade


def what_is_said(key, result, stage="", job=None, **more):
    """Return all findings of a result of a trade; `job` (a journal) adds its open matters."""
    one = trade(key)
    own = one.findings(result, stage, **more)
    matters = matter_findings(job, result.book.work) if job is not None else []
    return worst_first([*own, *use_findings(one.uses(result)), *matters])


def works(journal):
    """Return the works of a journal, worked out together."""
    return Works(journal, trade)
