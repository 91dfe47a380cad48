"""The demo job: a level run from the gatepost to the weir and back, and the posts of the mill floor."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vivid_keel.core.instruments.tool import Tool, fold_kit
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.works.common import as_read, instrument_draft
from vivid_keel.core.works.kit_snapshot import taken_from
from vivid_keel.core.works.run import fold_run, work_out_run
from vivid_keel.core.works.run.register import follow_body, found_marks
from vivid_keel.core.works.supports.lay_out import grid_drafts
from vivid_keel.demo.mill_kit import AMBER, TUBE, build_kit
from vivid_keel.store import KIT_SUFFIX, JobFile

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
WAY = (("Yard drain", "41.9", "32"), ("Store sill", "42.9", "58"), ("Wheel-pit sill N", "40.1", "96"),
       ("Weir crest", "41.0", "125"), ("Tramway head", "41.6", "170"))  # fmt: skip

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

# Posts of the hurst frame: place in plan, tape from the mark down to the floor and up to the post's top.
HURST = (
    ("H1", "0", "0", "1.148", "1.404"), ("H2", "2.1", "0", "1.152", "1.401"), ("H3", "4.2", "0", "1.161", "1.396"), ("H4", "6.3", "0", "1.157", "1.400"),
    ("H5", "6.3", "3.4", "1.149", "1.408"), ("H6", "4.2", "3.4", "1.144", "1.411"), ("H7", "2.1", "3.4", "1.139", "1.399"), ("H8", "0", "3.4", "", ""),
)  # fmt: skip

# Readings of the scale hung from the beam over each post, as found and (where given) as left.
POSTS = {
    "U1": ("1.2598", "1.2639"), "U2": ("1.2640", "1.2640"), "U3": ("1.2572", "1.2638"), "U4": ("1.2526", "1.2637"),
    "U5": ("1.2549", None), "U6": ("1.2585", None),
    "D1": ("1.2635", "1.2636"), "D2": ("1.2602", None), "D3": ("1.2637", "1.2635"), "D4": ("1.2540", None),
    "D5": ("1.2556", None), "D6": ("1.2617", None),
}  # fmt: skip
LEAVES = (("6 mm", 6), ("3 mm", 10), ("1.5 mm", 14), ("0.8 mm", 16), ("0.4 mm", 16), ("0.2 mm", 12))


def build(path: Path, now: datetime | None = None) -> JobFile:
    """Make the demo job at a path that doesn't exist yet, its kit beside it, and return the job open."""
    now = now or datetime.now().astimezone()
    with build_kit(path.with_suffix(KIT_SUFFIX), now) as kit:
        tools = {t.name: t for t in fold_kit(kit.journal)}
    clock = _Clock((now - timedelta(days=2)).replace(hour=9, minute=4, second=0, microsecond=0))
    file = JobFile.create(path, "Osier Mill", "I. Withy", clock, decimal_mark=".")
    with file.made_at_once():
        _run(file, tools[AMBER], clock.now)
        clock.now += timedelta(hours=18)
        _posts(file)
        _back(file, tools[AMBER], clock.now)
        _marks(file, tools[TUBE], clock.now)
        _trailer(file)
    file._clock = lambda: datetime.now().astimezone()
    return file


class _Clock:
    """A clock of two made-up working days, a little later at every entry."""

    def __init__(self, start: datetime) -> None:
        self.now = start

    def __call__(self) -> datetime:
        self.now += timedelta(seconds=95)
        return self.now


def _read(text: str, unit: str = "m") -> dict[str, Any]:
    return as_read(parse_length(text, unit, "."))


def _run(file: JobFile, amber: Tool, now: datetime) -> None:
    (work,) = file.record([Draft(0, "work", {"name": "Gatepost to weir", "type": "run", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(amber, now))])
    source = "site datum, brass stud in the gatepost"
    file.record([Draft(id, "mark", {"name": "BM gatepost", "height": _read("42.318"), "source": source})])
    for mark, height, along in WAY:  # walked and guessed the day before
        file.record([Draft(id, "planned", {"name": mark, "height": _read(height), "along": _read(along)})])
    booked: dict[str, int] = {}
    for new, mark, kind, reading, distance, remark in RUN:
        body: dict[str, Any] = {"mark": mark, "sight": kind, "reading": _read(reading), "distance": _read(distance)}
        if remark:
            body["remark"] = remark
        drafts = [Draft(id, "setup", {})] if new else []
        booked[mark] = file.record([*drafts, Draft(id, "sight", body)])[-1].id
        if mark == "CP 1" and kind == "FS":
            # Looked at again before the staff moved on: the digits of the store sill had been swapped.
            again = {"mark": "Store sill", "sight": "IS", "reading": _read("0.873"), "distance": _read("9"),
                     "remark": "digits swapped"}  # fmt: skip
            file.record([Draft(id, "sight", again, strikes=booked["Store sill"])])
    file.record([Draft(id, "matter", {"text": "Yard drain: lift the rim and read the channel below it"})])


def _back(file: JobFile, amber: Tool, now: datetime) -> None:
    """The second run, begun from a mark of the first, and the network of the two."""
    first = next(w.id for w in file.journal.works() if w.body["name"] == "Gatepost to weir")
    (work,) = file.record([Draft(0, "work", {"name": "Weir to gatepost", "type": "run", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(amber, now))])
    taken = work_out_run(fold_run(file.journal, first))
    crest = found_marks(taken)["Weir crest"]
    file.record([Draft(id, "mark", follow_body(crest, taken.book.style))])
    source = "site datum, brass stud in the gatepost"
    file.record([Draft(id, "mark", {"name": "BM gatepost", "height": _read("42.318"), "source": source})])
    for new, mark, kind, reading, distance, remark in BACK:
        body: dict[str, Any] = {"mark": mark, "sight": kind, "reading": _read(reading), "distance": _read(distance)}
        if remark:
            body["remark"] = remark
        if mark == "Store sill":
            body["look"] = _read(reading[:-1] + str((int(reading[-1]) + 1) % 10))
        file.record([*([Draft(id, "setup", {})] if new else []), Draft(id, "sight", body)])
    file.record([Draft(0, "work", {"name": "Marks of the mill", "type": "network", "unit": "m"})])


def _posts(file: JobFile) -> None:
    (work,) = file.record([Draft(0, "work", {"name": "Mill floor posts", "type": "supports", "unit": "m"})])
    id = work.id
    file.record([_instrument(id, "Amber level", "optical-fine", 0.0002, 10.0, "½ mm scale hung from the beam")])
    points = grid_drafts(id, ("Upstream", "Downstream"), 6, 2.4, 3.1)
    limits = Draft(
        id, "limits", {"tolerance": _read("1.5 mm", "mm"), "most_leaves": 4, "interface_m": 0.00002, "sense": "hangs",
             "leaf_size": "60 × 80 mm", "clearance_m": 0.001}
    )  # fmt: skip
    made = file.record([limits, *points])[1:]
    ids = {e.body["name"]: e.id for e in made}
    for name, (found, _) in POSTS.items():
        file.record([Draft(id, "reading", {"point": ids[name], "phase": "found", "reading": _read(found)})])
    file.record(
        [Draft(id, "reference", {"phase": "found", "name": "Stud in the sluice wall", "reading": _read("0.8415")})]
    )
    file.record([Draft(id, "by-eye", {"point": ids["U2"]})])
    file.record([Draft(id, "target", {"kind": "highest"})])
    for leaf, count in LEAVES:
        file.record([Draft(id, "leaf", {"leaf": _read(leaf, "mm"), "count": count})])
    for key in ("lifting", "shims"):
        file.record([Draft(id, "caution", {"key": key})])
    for name, (_, left) in POSTS.items():
        if left is not None:
            file.record([Draft(id, "reading", {"point": ids[name], "phase": "left", "reading": _read(left)})])
    file.record(
        [Draft(id, "reference", {"phase": "left", "name": "Stud in the sluice wall", "reading": _read("0.8416")})]
    )


def _marks(file: JobFile, tube: Tool, now: datetime) -> None:
    """The hurst frame: one mark on its first post, carried to the other seven by water tube."""
    (work,) = file.record([Draft(0, "work", {"name": "Hurst frame marks", "type": "marks", "unit": "m"})])
    id = work.id
    file.record([instrument_draft(id, taken_from(tube, now))])
    source = "drawing 4, floor of the hurst at 40.100"
    file.record([Draft(id, "mark", {"name": "Mark H1", "height": _read("41.250"), "source": source})])
    file.record([Draft(id, "carrying", {"order": "star", "reach": _read("7", "m")})])
    for name, x, y, down, up in HURST:
        body: dict[str, Any] = {"name": name, "x": _read(x), "y": _read(y), "design": _read("42.650"), "faces": "N, E"}
        (column,) = file.record([Draft(id, "column", body)])
        if down:
            body = body | {"to_slab": _read(down), "top": _read(up)}
            file.record([Draft(id, "column", body, strikes=column.id)])


def _trailer(file: JobFile) -> None:
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
        [Draft(work.id, "tilts", {"phase": "found", "roll_rad": roll, "pitch_rad": pitch, "text": "2.4 / -1.1"})]
    )


def _instrument(work: int, name: str, way: str, u: float, reach: float, note: str) -> Draft:
    body = {"name": name, "way": way, "u_m": u, "per_metre": 0.00003, "from_m": reach, "reach_m": reach, "note": note}
    return Draft(work, "instrument", body)
