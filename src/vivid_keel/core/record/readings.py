"""Readings as they were read, for the record; and lengths as a sheet shows them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from vivid_keel.core.quantities import Length, LengthStyle, show_length, style_for


def as_read(length: Length) -> dict[str, Any]:
    """Return a reading for the record: the text, its unit, metres, and the step of its last digit."""
    return {"text": length.text, "unit": length.unit, "m": length.value, "step_m": length.resolution}


def metres(reading: Mapping[str, Any]) -> float:
    """Return a recorded reading's value [m]."""
    return float(reading["m"])


def style_of(unit: str, steps: list[float]) -> LengthStyle:
    """Return how a work shows lengths: its unit, to the finest of the steps [m] that were read."""
    return style_for(unit, min(steps) if steps else None)


def show(value: float, style: LengthStyle) -> str:
    """Return a length of `value` [m] for a sheet, empty for nan."""
    return "" if math.isnan(value) else show_length(value, style)
