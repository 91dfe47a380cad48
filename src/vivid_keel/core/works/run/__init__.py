"""A level run: booked, reduced in both schools, closed and spread."""

from vivid_keel.core.works.run.book import (
    EVENT,
    EVENTS,
    Known,
    RunBook,
    RunSettings,
    SightRow,
    fold_run,
    sight_row,
)
from vivid_keel.core.works.run.findings import run_findings, run_state
from vivid_keel.core.works.run.result import RunResult, with_correction, with_reading, with_sight, work_out_run

__all__ = [
    "EVENT",
    "EVENTS",
    "Known",
    "RunBook",
    "RunResult",
    "RunSettings",
    "SightRow",
    "fold_run",
    "run_findings",
    "run_state",
    "sight_row",
    "with_correction",
    "with_reading",
    "with_sight",
    "work_out_run",
]
