"""What it comes to, as rows that outlive the program."""

from __future__ import annotations

from vivid_keel.core.moving.told import moved_told
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, told_rows
from vivid_keel.trades.supports.result import SupportsResult


def told(result: SupportsResult, journal: Journal) -> Tables:
    """Return the supports as found, packed and left."""
    return Tables(told_rows(moved_told(result)))
