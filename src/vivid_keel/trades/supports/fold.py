"""The supports of a work, folded from its entries."""

from __future__ import annotations

from vivid_keel.core.instruments.used import Instrument, Staff, instrument_from, instrument_of, staff_from
from vivid_keel.core.moving.fold import fold_limits, fold_plan
from vivid_keel.core.moving.plan import FOUND, LEFT, NAN
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres, style_of
from vivid_keel.trades.supports.book import Pass, PointRow, Read, SupportsBook


def fold_supports(journal: Journal, work: int) -> SupportsBook:
    """Return the supports of a work from its entries."""
    unit = str(journal.entries[work].body["unit"])
    limits = fold_limits(journal, work)
    first_of: dict[int, int] = {}  # a corrected point keeps the id its readings name
    found: dict[tuple[int, str], Read] = {}
    struck: dict[int, list[str]] = {}
    steps: list[float] = []
    instruments: list[Instrument] = []
    staffs: list[Staff] = []
    passes: list[Pass] = []
    first: dict[int, Read] = {}
    since: dict[int, Read] = {}
    line_since = 0.0
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
            reference[entry.body["phase"]] = Read(
                id, metres(r), r["text"], r["step_m"], 0, staffs[-1].foot if staffs else 0.0
            )
            name = entry.body.get("name", name)
        elif entry.kind == "pass" and journal.stands(id):
            done = _finish(entry, found, reference, use_staff)
            for k, read in done.before.items():
                first.setdefault(k, read)
                since.setdefault(k, read)
            line_since += done.shift
            passes.append(done)
        elif entry.kind == "target" and journal.stands(id):
            since, line_since = {}, 0.0  # it begins with what stands when it is chosen
        elif entry.kind == "point":
            first_of[id] = first_of.get(entry.strikes, entry.strikes) if entry.strikes else id
        elif entry.kind == "reading" and not journal.undone(id):
            body = entry.body
            if journal.stands(id):
                read = Read(
                    id,
                    metres(body["reading"]),
                    body["reading"]["text"],
                    body["reading"]["step_m"],
                    max(0, len(instruments) - 1),
                    staffs[-1].foot if staffs else 0.0,
                )
                found[(body["point"], body["phase"])] = read
                steps.append(read.step)
            else:
                struck.setdefault(body["point"], []).append(body["reading"]["text"])
    points = []
    for entry in journal.standing(work, "point"):
        body, key = entry.body, first_of[entry.id]
        points.append(
            PointRow(
                key,
                body["name"],
                body["row"],
                float(body["x_m"]),
                float(body["y_m"]),
                float(body.get("stack_m", 0.0)) + sum(done.put.get(key, 0.0) for done in passes),
                float(body["travel_m"]) - sum(done.put.get(key, 0.0) for done in passes)
                if "travel_m" in body
                else NAN,
                float(body.get("wanted_m", 0.0)),
                body.get("sense", limits.sense),
                found.get((key, FOUND)),
                found.get((key, LEFT)),
                tuple(struck.get(key, ())),
                first.get(key) or found.get((key, FOUND)),
                since.get(key),
            )
        )
    eye = journal.latest(work, "by-eye")
    instruments = instruments or [instrument_of(journal, work, unit)]
    instrument = instruments[-1]
    stood = journal.latest(work, "station")
    usual = instrument.decision == "correct" and instrument.collimation is not None
    return SupportsBook(
        **fold_plan(journal, work, [(done.id, done.shift) for done in passes], limits),
        style=style_of(unit, steps),
        points=points,
        passes=passes,
        reference=reference,
        reference_name=name,
        line_since=line_since,
        instrument=instrument,
        station=(float(stood.body["x_m"]), float(stood.body["y_m"])) if stood else None,
        use_collimation=bool(chosen.body["use_collimation"]) if chosen else usual,
        instruments=instruments,
        by_eye=first_of.get(int(eye.body["point"]), int(eye.body["point"])) if eye else 0,
        staffs=staffs,
        use_staff=use_staff,
    )


def _feet_out(journal: Journal, work: int, chosen: Entry | None) -> bool:
    """Whether the scales' own feet are taken out: as chosen, else as their owner decided."""
    if chosen is not None and "use_staff" in chosen.body:
        return bool(chosen.body["use_staff"])
    staffs = [staff_from(e) for e in journal.standing(work, "staff")]
    return any(staff.decision == "correct" and staff.foot for staff in staffs)


def _finish(
    entry: Entry,
    found: dict[tuple[int, str], Read],
    reference: dict[str, Read],
    use_staff: bool,
) -> Pass:
    """End a round: what was read as left counts as found from here on."""
    points = {key for key, _ in found}
    before = {k: found[(k, FOUND)] for k in points if (k, FOUND) in found}
    after = {k: found[(k, LEFT)] for k in points if (k, LEFT) in found}
    both = {FOUND, LEFT} <= reference.keys()
    shift = reference[LEFT].value - reference[FOUND].value if both else 0.0
    if both and use_staff:
        shift -= reference[LEFT].own - reference[FOUND].own
    for k in after:
        found[(k, FOUND)] = found.pop((k, LEFT))
    if both:
        reference[FOUND] = reference.pop(LEFT)
    put = {int(k): float(v) for k, v in entry.body["put"].items()}
    return Pass(
        entry.id, put, {int(k): int(v) for k, v in entry.body["leaves"].items()}, before, after, shift
    )
