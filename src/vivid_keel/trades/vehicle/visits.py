"""The visits of a vehicle: how it leaned and tipped each time it was looked at, and what it did in between."""

from __future__ import annotations

import math
from datetime import datetime

from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.trades.vehicle.book import VehicleBook

LEAN, TIP = "lean", "tip"
U_READ = math.radians(0.1) / math.sqrt(12)
"""Standard uncertainty of a two-way level read to a tenth of a degree, at its own place: its offset cancels [rad]."""


def labels(book: VehicleBook) -> list[str]:
    """Return what its visits are called: their months, oldest first."""
    return [f"{datetime.fromisoformat(min(t.time for t in one.values())):%b %Y}" for one in book.occasions]


def visits_of(book: VehicleBook) -> list[Visit]:
    """Return the visits at which it was read: lean, right side high +, and tip, nose high + [rad]."""
    out = []
    for label, one in zip(labels(book), book.occasions, strict=True):
        times = [datetime.fromisoformat(tilts.time) for tilts in one.values()]
        found, left = (
            {LEAN: one[phase].roll, TIP: one[phase].pitch} if phase in one else {}
            for phase in ("found", "left")
        )
        out.append(Visit(label, min(times), max(times), found or left, left, U_READ))
    return out


def drifts_of(book: VehicleBook) -> dict[str, Drift]:
    """Return what lean and tip did between the visits, against what they may be."""
    last = book.left or book.found
    out = {}
    for name, limit in ((LEAN, "roll-limit"), (TIP, "pitch-limit")):
        now = {} if last is None else {name: last.roll if name == LEAN else last.pitch}
        out[name] = drifts(visits_of(book), now, book.values[limit])[name]
    return out
