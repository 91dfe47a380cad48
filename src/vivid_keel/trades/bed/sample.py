"""The part of a bed in the demo: the lathe bed in the mill shop."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from vivid_keel.core.body.facts import ITSELF
from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.bed.book import usual_limits

DIVISION = parse_tilt("0.02 mm/m").value
STATIONS = (("head", 0.0, True), ("1", 0.6, False), ("2", 1.2, True), ("tail", 1.8, True))
BUBBLES = (
    ("across", 0, 1, "2.4"),
    ("across", 0, -1, "-0.6"),
    ("across", 1, 1, "4.0"),
    ("across", 2, 1, "5.4"),
    ("across", 3, 1, "7.2"),
)
STEPS = ("3.6", "3.4", "3.8", "3.2", "3.4", "3.0", "3.2", "2.8", "3.0")
BOB = ("1.0", "", "1.0", "1.2")
"""Bubbles as found, the level's own error of about 1.5 in them; and the bob of the frame at the stations with feet."""


def build(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """A bed that is twisted towards its tail, nearly straight along."""
    (work,) = file.record([Draft(0, "work", {"name": "Lathe bed", "type": "bed", "unit": "m"})])
    id = work.id
    file.record([Draft(id, "limits", draft.body) for draft in usual_limits("m")])
    facts = (
        ("truth", ITSELF, 1.0),
        ("division", "0.02", DIVISION),
        ("read", "0.2", 0.2),
        ("feet_apart", "0.42", 0.42),
        ("base", "0.2", 0.2),
    )
    file.record([Draft(id, "body-fact", {"fact": k, "text": t, "value": v}) for k, t, v in facts])
    stations = file.record(
        [Draft(id, "bed-station", {"name": n, "x_m": x, "feet": f}) for n, x, f in STATIONS]
    )
    rows = [(sort, stations[k].id, way, text) for sort, k, way, text in BUBBLES]
    rows += [("along", k, 1, text) for k, text in enumerate(STEPS)]
    for sort, at, way, text in rows:
        tilt = parse_tilt(text, "div", ".", DIVISION)
        file.record([_reading(id, sort, at, way, text, tilt.value, tilt.resolution)])
    for entry, text in zip(stations, BOB, strict=True):
        if text:
            shift = parse_length(text, "mm", ".")
            file.record([_reading(id, "frame", entry.id, 1, text, shift.value, shift.resolution)])


def _reading(work: int, sort: str, at: int, way: int, text: str, value: float, step: float) -> Draft:
    body = {"sort": sort, "at": at, "way": way, "phase": "found", "text": text, "value": value, "step": step}
    return Draft(work, "bed-reading", body)


PARTS = {66: build}
"""By their place in the demo."""
