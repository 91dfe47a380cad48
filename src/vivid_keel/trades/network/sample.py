"""The part of a network in the demo: the two runs together."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike


def both(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The two runs of the mill, adjusted together."""
    file.record([Draft(0, "work", {"name": "Marks of the mill", "type": "network", "unit": "m"})])


PARTS = {40: both}
"""By their place in the demo."""
