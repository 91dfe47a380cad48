"""The part of a level run in the demo: from the gatepost to the weir, and back over the store sill."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from vivid_keel.core.instruments.snapshot import taken_from
from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.instruments.used import instrument_draft
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import JobLike
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.register import FoundMark, follow_body, run_lends
from vivid_keel.trades.run.result import work_out_run

AMBER = "Amber level"


# (new set-up, mark, kind, reading, distance, remark)
RUN = (
    (False, "BM gatepost", "BS", "1.482", "24", "brass stud"),
    (False, "Yard drain", "IS", "1.936", "11", "rim"),
    (False, "Store sill", "IS", "0.837", "9", ""),
    (False, "CP 1", "FS", "2.214", "22", "flagstone, chalked"),
    (True, "CP 1", "BS", "1.127", "18", ""),
    (False, "Wheel-pit sill N", "IS", "2.602", "6", ""),
    (False, "Wheel-pit sill S", "IS", "2.611", "8", ""),
    (False, "Weir crest", "IS", "1.740", "19", "upstream edge"),
    (False, "CP 2", "FS", "1.958", "20", "weir block"),
    (True, "CP 2", "BS", "2.346", "26", ""),
    (False, "Tramway head", "IS", "1.488", "12", "rail top"),
    (False, "BM gatepost", "FS", "0.786", "24", "closing"),
)

# What was to be read, with rough heights and metres along the way.
WAY = (
    ("Yard drain", "41.9", "32"),
    ("Store sill", "42.9", "58"),
    ("Wheel-pit sill N", "40.1", "96"),
    ("Weir crest", "41.0", "125"),
    ("Tramway head", "41.6", "170"),
)

# The way back from the weir over the store sill, begun from what the first run found there.
BACK = (
    (False, "Weir crest", "BS", "1.204", "16", "upstream edge"),
    (False, "Tail race sluice", "IS", "2.871", "21", "sill board"),
    (False, "Wheel-pit sill N", "IS", "2.067", "9", ""),
    (False, "CP 1", "FS", "1.655", "18", "paving by the wheel"),
    (True, "CP 1", "BS", "2.618", "20", ""),
    (False, "Store sill", "FS", "0.213", "19", ""),
    (True, "Store sill", "BS", "1.022", "14", ""),
    (False, "BM gatepost", "FS", "1.631", "15", "closing"),
)


def _read(text: str, unit: str = "m") -> dict[str, Any]:
    return as_read(parse_length(text, unit, "."))


def out(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """From the gatepost to the weir and back to the gatepost."""
    (work,) = file.record([Draft(0, "work", {"name": "Gatepost to weir", "type": "run", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(tools[AMBER], now))])
    source = "site datum, brass stud in the gatepost"
    file.record([Draft(id, "mark", {"name": "BM gatepost", "height": _read("42.318"), "source": source})])
    for mark, height, along in WAY:  # walked and guessed the day before
        file.record([Draft(id, "planned", {"name": mark, "height": _read(height), "along": _read(along)})])
    booked: dict[str, int] = {}
    for new, mark, kind, reading, distance, remark in RUN:
        body: dict[str, Any] = {
            "mark": mark,
            "sight": kind,
            "reading": _read(reading),
            "distance": _read(distance),
        }
        if remark:
            body["remark"] = remark
        drafts = [Draft(id, "setup", {})] if new else []
        booked[mark] = file.record([*drafts, Draft(id, "sight", body)])[-1].id
        if mark == "CP 1" and kind == "FS":
            # Looked at again before the staff moved on: the digits of the store sill had been swapped.
            again = {
                "mark": "Store sill",
                "sight": "IS",
                "reading": _read("0.873"),
                "distance": _read("9"),
                "remark": "digits swapped",
            }
            file.record([Draft(id, "sight", again, strikes=booked["Store sill"])])
    file.record([Draft(id, "matter", {"text": "Yard drain: lift the rim and read the channel below it"})])


def back(file: JobLike, tools: Mapping[str, Tool], now: datetime) -> None:
    """The second run, begun from a mark of the first."""
    first = next(w.id for w in file.journal.works() if w.body["name"] == "Gatepost to weir")
    (work,) = file.record([Draft(0, "work", {"name": "Weir to gatepost", "type": "run", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(tools[AMBER], now))])
    taken = work_out_run(fold_run(file.journal, first))
    lent = run_lends(taken)
    crest = lent.heights["Weir crest"]
    found = FoundMark(crest.name, lent.work, lent.name, crest.height, crest.u, crest.closed)
    file.record([Draft(id, "mark", follow_body(found, taken.book.style))])
    source = "site datum, brass stud in the gatepost"
    file.record([Draft(id, "mark", {"name": "BM gatepost", "height": _read("42.318"), "source": source})])
    for new, mark, kind, reading, distance, remark in BACK:
        body: dict[str, Any] = {
            "mark": mark,
            "sight": kind,
            "reading": _read(reading),
            "distance": _read(distance),
        }
        if remark:
            body["remark"] = remark
        if mark == "Store sill":
            body["look"] = _read(reading[:-1] + str((int(reading[-1]) + 1) % 10))
        file.record([*([Draft(id, "setup", {})] if new else []), Draft(id, "sight", body)])


PARTS = {10: out, 30: back}
"""By their place in the demo."""
