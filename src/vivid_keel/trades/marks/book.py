"""Marks carried to columns, folded from their entries."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct

from vivid_keel.core.instruments.used import Instrument, instrument_of
from vivid_keel.core.quantities import LengthStyle, is_missing
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres, style_of
from vivid_keel.trades.marks.carry import CHAIN, STAR

FIELDS = ("x", "y", "offset", "to_slab", "design", "top")
MEASURED = ("to_slab", "top")
"""What is taped anew at every visit."""
NAN = math.nan


class ColumnRow(Struct, frozen=True):
    """A column: its entry, its name, and what was measured, as read and in metres (nan where nothing was).

    `values` and `texts` go by FIELDS; `struck` are earlier readings, still legible; `faces` are those the
    mark is taken round to.
    """

    id: int
    name: str
    values: Mapping[str, float]
    texts: Mapping[str, str]
    struck: tuple[str, ...] = ()
    faces: tuple[str, ...] = ()

    def value(self, field: str) -> float:
        return self.values.get(field, NAN)

    @property
    def placed(self) -> bool:
        return not is_missing(self.value("x")) and not is_missing(self.value("y"))


class Reference(Struct, frozen=True):
    """The mark everything is carried from."""

    id: int
    name: str
    height: float
    source: str
    u: float


class MarksBook(Struct, frozen=True):
    """A marks work as its entries stand.

    Attributes
    ----------
    reference : Reference or None
    columns : list of ColumnRow
        In the order of carrying.
    order : str
        "star" or "chain".
    u_step, reach : float
        Standard uncertainty of one carrying; how far the tube spans, nan while nobody has said [m].
    closed : float
        The first mark as the chain's last step, or a star's last look, finds it, less its height [m]; nan while open.
    visit : int
        The entry that begins the visit in hand, 0 for the first.
    taped : list of Taped
        What was taped at every visit, oldest first.
    """

    work: int
    name: str
    unit: str
    style: LengthStyle
    reference: Reference | None
    columns: list[ColumnRow]
    order: str
    u_step: float
    reach: float
    closed: float
    instrument: Instrument
    stated: bool
    visit: int = 0
    taped: Sequence[Taped] = ()

    @property
    def steps_back(self) -> int:
        """How many steps lie between the first mark and the look that closes on it; 0 where nothing can close: a tube's star."""
        if not self.columns or self.reference is None:
            return 0
        if self.order == CHAIN:
            return len(self.columns) + 1
        return 0 if self.instrument.way == "water" else 1


class Taped(Struct, frozen=True):
    """A visit: from the mark down to the slab by column [m], and when (ISO)."""

    to_slab: Mapping[str, float]
    began: str
    ended: str


def fold_marks(journal: Journal, work: int) -> MarksBook:
    """Return the marks of a work from its entries."""
    unit = journal.unit_of(work)
    known = journal.standing(work, "mark")
    reference = None
    if known:
        body = known[0].body
        reference = Reference(
            known[0].id, body["name"], metres(body["height"]), body["source"], float(body.get("u_m", 0.0))
        )
    struck = _struck(journal, work)
    visits = [0, *(entry.id for entry in journal.standing(work, "visit"))]
    columns, steps = [], []
    for entry in journal.standing(work, "column"):
        now = int(entry.body.get("visit", 0)) == visits[-1]
        reads: dict[str, Any] = {
            field: entry.body[field]
            for field in FIELDS
            if field in entry.body and (now or field not in MEASURED)
        }
        steps += [float(r["step_m"]) for f, r in reads.items() if f in {"to_slab", "top", "offset"}]
        columns.append(
            ColumnRow(
                entry.id,
                str(entry.body["name"]),
                {f: metres(r) for f, r in reads.items()},
                {f: str(r["text"]) for f, r in reads.items()},
                struck.get(entry.id, ()),
                tuple(f.strip() for f in str(entry.body.get("faces", "")).split(",") if f.strip()),
            )
        )
    way, closed = journal.latest(work, "carrying"), journal.latest(work, "closed")
    instrument = instrument_of(journal, work, unit)
    # One carrying reads twice: at the mark that stands and at the new one.
    usual = instrument.base * (1.0 if instrument.way == "water" else math.sqrt(2))
    said = way.body if way is not None else {}
    return MarksBook(
        work,
        journal.name_of(work),
        unit,
        style_of(unit, steps),
        reference,
        columns,
        str(said.get("order", STAR)),
        metres(said["u_step"]) if "u_step" in said else usual,
        metres(said["reach"]) if "reach" in said else NAN,
        metres(closed.body["found"]) if closed is not None else NAN,
        instrument,
        way is not None,
        visits[-1],
        [one for visit in visits if (one := _taped(journal, work, visit)) is not None],
    )


def _taped(journal: Journal, work: int, visit: int) -> Taped | None:
    """What was taped at a visit; None where nothing was."""
    found: dict[str, float] = {}
    times = []
    for entry in journal.standing(work, "column"):
        old: Entry | None = entry
        while old is not None:
            if not journal.undone(old.id) and int(old.body.get("visit", 0)) == visit:
                if "to_slab" in old.body:  # else it was taken out again
                    found[str(entry.body["name"])] = metres(old.body["to_slab"])
                    times.append(old.time)
                break
            old = journal.entries[old.strikes] if old.strikes is not None else None
    return Taped(found, min(times), max(times)) if times else None


def _struck(journal: Journal, work: int) -> dict[int, tuple[str, ...]]:
    """Readings that were put right, by the column that took their place."""
    out: dict[int, tuple[str, ...]] = {}
    for id in journal.order[work]:
        entry = journal.entries[id]
        if entry.kind != "column" or entry.strikes is None or journal.undone(id):
            continue
        old = journal.entries[entry.strikes]
        changed = [
            str(old.body[field]["text"])
            for field in FIELDS
            if field in old.body and old.body[field] != entry.body.get(field) and field not in {"x", "y"}
            if old.body.get("visit", 0) == entry.body.get("visit", 0) or field not in MEASURED
        ]
        out[id] = (*out.get(entry.strikes, ()), *changed)
    return out
