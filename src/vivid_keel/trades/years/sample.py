"""The part of heights over the years in the demo: the mill's marks as two earlier years' jobs lend them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike

MARKS = (
    ("BM gatepost", "Yard drain", "Store sill", "CP 1 (Levelling)"),
    ("CP 1 (Levelling)", "Wheel-pit sill N", "Wheel-pit sill S", "Weir crest", "CP 2 (Levelling)"),
    ("CP 2 (Levelling)", "Tail race sluice", "Tramway head", "CP 3 (Levelling)"),
    ("CP 3 (Levelling)", "Weir crest", "Wheel-pit sill N", "Store sill"),
    ("Store sill", "Yard drain", "BM gatepost"),
)
"""Read from each set-up, in order."""
TWO_YEARS_AGO = (
    (1.3997, 1.8531, 0.7895, 2.1169),
    (1.3503, 2.8255, 2.8423, 1.9743, 2.1508),
    (1.9583, 3.4501, 1.1424, 1.0582),
    (2.3959, 3.1211, 3.9718, 1.1684),
    (0.8430, 1.9052, 1.4510),
)
LAST_YEAR = (
    (1.7228, 2.1759, 1.1131, 2.4410),
    (1.0269, 2.5086, 2.5214, 1.6526, 1.8268),
    (2.0715, 3.5631, 1.2552, 1.1712),
    (2.0685, 2.7926, 3.6497, 0.8404),
    (0.9379, 2.0008, 1.5466),
)
SIGMA = 0.0006
PLACES = (
    ("BM gatepost", "0", "0"),
    ("Yard drain", "9.5", "6"),
    ("Store sill", "15", "-4"),
    ("Wheel-pit sill N", "33", "9"),
    ("Wheel-pit sill S", "33", "4"),
    ("Weir crest", "46", "13"),
    ("Tramway head", "27", "-11"),
)
"""Along and across from the gatepost."""


def _lent(work: int, when: date, readings: Sequence[Sequence[float]]) -> Draft:
    lines = [
        [mark, f"set-up {k + 1} (Levelling)", reading, SIGMA]
        for k, (marks, read) in enumerate(zip(MARKS, readings, strict=True))
        for mark, reading in zip(marks, read, strict=True)
    ]
    body = {
        "file": f"Osier Mill {when.year}.keel",
        "job": "Osier Mill",
        "name": "Levelling",
        "when": when.isoformat(),
        "unit": "m",
        "step_m": 0.001,
        "closed": True,
        "lines": lines,
        "given": {"BM gatepost": 42.318},
    }
    return Draft(work, "lent-run", body)


def years(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """Three Novembers side by side: the pit's sills go down, three benchmarks stand; 20 mm is what the wheel's bearings bear."""
    body = {"name": "Mill over three years", "type": "over-the-years", "unit": "m"}
    (work,) = file.record([Draft(0, "work", body)])
    file.record([_lent(work.id, date(now.year - 2, 11, 14), TWO_YEARS_AGO)])
    file.record([_lent(work.id, date(now.year - 1, 11, 20), LAST_YEAR)])
    file.record([Draft(work.id, "years-fact", {"fact": "allowed", "text": "20", "value": 0.02})])
    for mark in ("Store sill", "Tramway head"):
        file.record([Draft(work.id, "role", {"mark": mark, "role": "benchmark"})])
    levelled = next(w.id for w in file.journal.works() if w.body["name"] == "Gatepost to weir")
    places = [
        {"mark": mark, **{k: as_read(parse_length(text, "m", ".")) for k, text in (("x", x), ("y", y))}}
        for mark, x, y in PLACES
    ]
    file.record([Draft(levelled, "place", body) for body in places])


PARTS = {75: years}
"""By their place in the demo."""
