"""A level run: booked, reduced in both schools, closed and spread."""

from vivid_keel.core.works.run.book import Known, RunBook, RunSettings, SightRow, fold_run
from vivid_keel.core.works.run.findings import run_findings, run_state
from vivid_keel.core.works.run.result import Preview, RunResult, work_out_run

__all__ = [
    "Known",
    "Preview",
    "RunBook",
    "RunResult",
    "RunSettings",
    "SightRow",
    "fold_run",
    "run_findings",
    "run_state",
    "work_out_run",
]
