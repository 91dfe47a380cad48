"""The part of a stretch of track in the demo: the stone tramway by the store, one rail length between two high spots."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.track.book import CROSS, SIGHT, VOID_LEFT, VOID_RIGHT

SIGHTS = {1: "0", 5: "1.5", 9: "3.25", 13: "4", 17: "2.5", 21: "1", 24: "0"}
LEVELS = {1: "0", 5: "4", 9: "7", 13: "9", 17: "5", 21: "2", 24: "1"}
HOLLOW = {VOID_LEFT: {7: "0.5", 8: "1.25", 18: "0.75"}, VOID_RIGHT: {8: "0.75", 12: "1"}}


def tramway(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """Twenty-four sleepers: a dip in the middle, the left rail lower, four sleepers that hang."""
    (work,) = file.record([Draft(0, "work", {"name": "Stone tramway", "type": "rails", "unit": "m"})])
    file.record([Draft(work.id, "track-fact", {"fact": "sleepers", "text": "24", "value": 24.0})])
    file.record([Draft(work.id, "track-fact", {"fact": "tight", "text": "yes", "value": 1.0})])
    for what, read, unit in (
        (SIGHT, SIGHTS, 1.0),
        (CROSS, LEVELS, 0.001),
        *((w, r, 1.0) for w, r in HOLLOW.items()),
    ):
        for sleeper, text in read.items():
            body = {
                "what": what,
                "sleeper": sleeper,
                "phase": "found",
                "text": text,
                "value": float(text) * unit,
            }
            file.record([Draft(work.id, "track-reading", body)])


PARTS = {71: tramway}
"""By their place in the demo."""
