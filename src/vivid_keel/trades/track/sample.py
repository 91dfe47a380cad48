"""The part of a stretch of track in the demo: the stone tramway by the store, between four high spots."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.track.book import CROSS, SIGHT, VOID_LEFT, VOID_RIGHT

SLEEPERS, EVERY, HIGH = 120, 4, (1, 41, 85, 120)
"""High spots are where the line of sight was set up anew."""
DEEP = (4.0, 2.5, 5.25)
"""How deep it lies between them [measures]."""
HOLLOW = {
    VOID_LEFT: {7: "0.5", 8: "1.25", 18: "0.75", 58: "0.5", 97: "1.5", 98: "2"},
    VOID_RIGHT: {8: "0.75", 12: "1", 98: "1.25", 99: "0.5"},
}


def _read() -> tuple[dict[int, str], dict[int, str]]:
    """Sights in measures to the quarter, and cross levels in millimetres: the left rail lies lower where it is deep."""
    sights, levels = {}, {}
    for k in sorted({*range(1, SLEEPERS + 1, EVERY), *HIGH}):
        part = next((i for i in range(len(DEEP)) if HIGH[i] <= k < HIGH[i + 1]), len(DEEP) - 1)
        share = (k - HIGH[part]) / (HIGH[part + 1] - HIGH[part])
        dip = DEEP[part] * math.sin(math.pi * share) ** 2
        sights[k] = f"{round(4 * dip) / 4:g}"
        levels[k] = f"{round(2 * dip + 0.4):g}"
    return sights, levels


def tramway(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A hundred and twenty sleepers: three dips between high spots, the left rail lower, some sleepers that hang."""
    sights, levels = _read()
    (work,) = file.record([Draft(0, "work", {"name": "Stone tramway", "type": "rails", "unit": "m"})])
    file.record(
        [Draft(work.id, "track-fact", {"fact": "sleepers", "text": f"{SLEEPERS}", "value": float(SLEEPERS)})]
    )
    file.record([Draft(work.id, "track-fact", {"fact": "tight", "text": "yes", "value": 1.0})])
    for what, read, unit in (
        (SIGHT, sights, 1.0),
        (CROSS, levels, 0.001),
        *((w, r, 1.0) for w, r in HOLLOW.items()),
    ):
        file.record(
            [
                Draft(
                    work.id,
                    "track-reading",
                    {
                        "what": what,
                        "sleeper": sleeper,
                        "phase": "found",
                        "text": text,
                        "value": float(text) * unit,
                    },
                )
                for sleeper, text in read.items()
            ]
        )


PARTS = {71: tramway}
"""By their place in the demo."""
