"""What a check's picture shows of its readings: as booked, or as they are being typed."""

from __future__ import annotations

import math

from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.tool import CheckRun


def last(run: CheckRun, active: Step | None) -> int:
    """Return the cycle in hand, else the last one that was read."""
    return (
        active.cycle
        if active is not None and active.cycle
        else max([int(k.rpartition("/")[2]) for k in run.seen if "/" in k], default=1)
    )


def at(run: CheckRun, key: str, active: Step | None, typed: float | None) -> float | None:
    """Return what was read at a step, or is being typed there; None where nothing was."""
    if active is not None and active.key == key and typed is not None:
        return typed
    seen = run.seen.get(key)
    return None if seen is None or math.isnan(seen.value) else seen.value
