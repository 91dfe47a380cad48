"""The supports of a work, folded from its entries."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from vivid_keel.core.instruments.used import Instrument, Staff, instrument_from, instrument_of, staff_from
from vivid_keel.core.moving.means import Means
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.moving.stages import ORDERS
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.core.record.readings import metres, style_of
from vivid_keel.trades.supports.book import (
    FOUND,
    LEFT,
    NAN,
    WAYS,
    Hanging,
    Leaf,
    Limits,
    LookAgain,
    Pass,
    PointRow,
    Read,
    SupportsBook,
    TargetChoice,
    leaf_key,
)


def fold_supports(journal: Journal, work: int) -> SupportsBook:
    """Return the supports of a work from its entries."""
    unit = str(journal.entries[work].body["unit"])
    limits = _limits(journal, work)
    first_of: dict[int, int] = {}  # a corrected point keeps the id its readings name
    found: dict[tuple[int, str], Read] = {}
    struck: dict[int, list[str]] = {}
    steps: list[float] = []
    instruments: list[Instrument] = []
    staffs: list[Staff] = []
    passes: list[Pass] = []
    first: dict[int, Read] = {}
    reference: dict[str, Read] = {}
    name = "Watch mark"
    chosen = journal.latest(work, "corrections")
    use_staff = _feet_out(journal, work, chosen)
    for id in journal.order[work]:
        entry = journal.entries[id]
        if entry.kind == "instrument" and journal.stands(id):
            if instruments and not steps:
                instruments.pop()  # nothing was read with it
            instruments.append(instrument_from(entry))
        elif entry.kind == "staff" and journal.stands(id):
            staffs.append(staff_from(entry))
        elif entry.kind == "reference" and journal.stands(id):
            r = entry.body["reading"]
            reference[entry.body["phase"]] = Read(id, metres(r), r["text"], r["step_m"], 0, staffs[-1].foot if staffs else 0.0)
            name = entry.body.get("name", name)
        elif entry.kind == "pass" and journal.stands(id):
            passes.append(_finish(entry, found, reference, first, use_staff))
        elif entry.kind == "point":
            first_of[id] = first_of.get(entry.strikes, entry.strikes) if entry.strikes else id
        elif entry.kind == "reading" and not journal.undone(id):
            b = entry.body
            if journal.stands(id):
                read = Read(
                    id,
                    metres(b["reading"]),
                    b["reading"]["text"],
                    b["reading"]["step_m"],
                    max(0, len(instruments) - 1),
                    staffs[-1].foot if staffs else 0.0,
                )
                found[(b["point"], b["phase"])] = read
                steps.append(read.step)
            else:
                struck.setdefault(b["point"], []).append(b["reading"]["text"])
    points = []
    for entry in journal.standing(work, "point"):
        b, key = entry.body, first_of[entry.id]
        points.append(
            PointRow(
                key, b["name"], b["row"], float(b["x_m"]), float(b["y_m"]),
                float(b.get("stack_m", 0.0)) + sum(p.put.get(key, 0.0) for p in passes),
                b.get("sense", limits.sense), found.get((key, FOUND)), found.get((key, LEFT)), tuple(struck.get(key, ())),
                first.get(key) or found.get((key, FOUND)),
                float(b["travel_m"]) - sum(p.put.get(key, 0.0) for p in passes) if "travel_m" in b else NAN,
                float(b.get("wanted_m", 0.0)),
            )
        )  # fmt: skip
    stock = _stock(journal, work)
    target = journal.latest(work, "target")
    eye = journal.latest(work, "by-eye")
    instruments = instruments or [instrument_of(journal, work, unit)]
    instrument = instruments[-1]
    stood = journal.latest(work, "station")
    usual = instrument.decision == "correct" and instrument.collimation is not None
    return SupportsBook(
        work, journal.name_of(work), unit, style_of(unit, steps), points, sorted(stock, key=lambda s: -s.thickness),
        _target(target, passes, limits.sense) if target else TargetChoice(), target is not None, limits, reference, name,
        instrument, acknowledged(journal, work, "lifting") is not None,
        (float(stood.body["x_m"]), float(stood.body["y_m"])) if stood else None,
        bool(chosen.body["use_collimation"]) if chosen else usual, instruments, passes,
        [Hanging(e.id, e.body["name"], e.body["row"], float(e.body["x_m"])) for e in journal.standing(work, "hangs")],
        _means(journal, work), first_of.get(int(eye.body["point"]), int(eye.body["point"])) if eye else 0,
        _looks(journal, work), staffs, use_staff,
    )  # fmt: skip


def _feet_out(journal: Journal, work: int, chosen: Entry | None) -> bool:
    """Whether the scales' own feet are taken out: as chosen, else as their owner decided."""
    if chosen is not None and "use_staff" in chosen.body:
        return bool(chosen.body["use_staff"])
    staffs = [staff_from(e) for e in journal.standing(work, "staff")]
    return any(s.decision == "correct" and s.foot for s in staffs)


def _finish(
    entry: Entry, found: dict[tuple[int, str], Read], reference: dict[str, Read], first: dict[int, Read], use_staff: bool
) -> Pass:  # fmt: skip
    """End a round: what was read as left counts as found from here on."""
    points = {key for key, _ in found}
    before = {k: found[(k, FOUND)] for k in points if (k, FOUND) in found}
    after = {k: found[(k, LEFT)] for k in points if (k, LEFT) in found}
    both = {FOUND, LEFT} <= reference.keys()
    shift = reference[LEFT].value - reference[FOUND].value if both else 0.0
    if both and use_staff:
        shift -= reference[LEFT].own - reference[FOUND].own
    for k, read in before.items():
        first.setdefault(k, read)
    for k in after:
        found[(k, FOUND)] = found.pop((k, LEFT))
    if both:
        reference[FOUND] = reference.pop(LEFT)
    put = {int(k): float(v) for k, v in entry.body["put"].items()}
    return Pass(entry.id, before, after, put, {int(k): int(v) for k, v in entry.body["leaves"].items()}, shift)


def _limits(journal: Journal, work: int) -> Limits:
    entry = journal.latest(work, "limits")
    if entry is None:
        return Limits()
    b, usual = entry.body, Limits()
    tolerance = b.get("tolerance")
    order = b.get("order", usual.order)
    return Limits(
        metres(tolerance) if tolerance else usual.tolerance,
        tolerance["text"] if tolerance else usual.tolerance_text,
        int(b.get("most_leaves", usual.most_leaves)), float(b.get("interface_m", usual.interface)),
        b.get("sense", usual.sense), None if "neighbours_m" not in b else float(b["neighbours_m"]), float(b.get("clearance_m", 0.0)),
        b["ways"] if b.get("ways") in WAYS else usual.ways, float(b.get("most_m", usual.most)),
        min(max(float(b.get("share", usual.share)), 0.05), 1.0),
        order if order in ORDERS else usual.order, float(b.get("feet_m", usual.feet)), b.get("leaf_size", ""),
    )  # fmt: skip


def _target(entry: Entry, passes: Sequence[Pass], sense: str) -> TargetChoice:
    """Return what was chosen; a reading set on the line of an earlier round is brought to the line of this one."""
    body = entry.body
    reading = metres(body["reading"]) if "reading" in body else NAN
    reading -= float(signs([sense])[0]) * sum(p.shift for p in passes if p.id > entry.id)
    return TargetChoice(
        body["kind"], int(body.get("point", 0)), reading,
        (float(body.get("gradient_x", 0.0)), float(body.get("gradient_y", 0.0))), float(body.get("lift_m", 0.0)),
    )  # fmt: skip


def _looks(journal: Journal, work: int) -> list[LookAgain]:
    out = []
    for e in journal.standing(work, "look-again"):
        try:
            out.append(LookAgain(e.id, date.fromisoformat(e.body["due"]), e.body.get("note", "")))
        except ValueError:
            continue  # a day that is none, from a file made elsewhere
    return out


def _means(journal: Journal, work: int) -> Means:
    entry = journal.latest(work, "mover")
    return Means.of(entry.body["what"], entry.body["values"]) if entry is not None else Means()


def _stock(journal: Journal, work: int) -> list[Leaf]:
    """Return the leaves at hand: as counted, less what finished rounds took since."""
    out = []
    rounds = [e for e in journal.standing(work, "pass") if "used" in e.body]
    for e in journal.standing(work, "leaf"):
        thickness = metres(e.body["leaf"])
        key = leaf_key(thickness)
        # A count that was corrected after a round is a count of what was there then.
        used = sum(int(r.body["used"].get(key, 0)) for r in rounds if r.id > e.id)
        out.append(Leaf(e.id, thickness, e.body["leaf"]["text"], max(int(e.body["count"]) - used, 0), used))
    return out
