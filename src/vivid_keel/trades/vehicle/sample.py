"""The part of a vehicle in the demo: the welfare trailer."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike


def trailer(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The welfare trailer on the yard, read and not yet moved."""
    (work,) = file.record([Draft(0, "work", {"name": "Welfare trailer", "type": "vehicle", "unit": "m"})])
    for key, text, value in (
        ("sort", "trailer", None),
        ("track", "1.95", 1.95),
        ("length", "3.60", 3.6),
        ("jockey", "3.40", 3.4),
    ):
        body: dict[str, Any] = {"what": key, "text": text} | ({} if value is None else {"value": value})
        file.record([Draft(work.id, "vehicle", body)])
    roll, pitch = 2.4 * math.pi / 180, -1.1 * math.pi / 180
    file.record(
        [
            Draft(
                work.id,
                "tilts",
                {"phase": "found", "roll_rad": roll, "pitch_rad": pitch, "text": "2.4 / -1.1"},
            )
        ]
    )


PARTS = {60: trailer}
"""By their place in the demo."""
