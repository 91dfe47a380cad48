"""The supports of a work, folded from its entries."""

from __future__ import annotations

from msgspec import Struct, field

from vivid_keel.core.instruments.used import Instrument, Staff, instrument_from, instrument_of, staff_from
from vivid_keel.core.moving.fold import begun_at, fold_limits, fold_plan
from vivid_keel.core.moving.live import fold_live
from vivid_keel.core.moving.plan import FOUND, LEFT, NAN
from vivid_keel.core.plumb import BOB, by_bob, by_level
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres, style_of
from vivid_keel.trades.supports.book import (
    LeanRow,
    Occasion,
    Pass,
    PointRow,
    SupportsBook,
    Upright,
)
from vivid_keel.trades.supports.reads import Read
from vivid_keel.trades.supports.ties import MARK, Seen, Ties, on_first_line, ties_of


class _Visit(Struct):
    """A visit while it is folded: what was read in it, of the round in hand and before."""

    id: int = 0
    found: dict[tuple[int, str], Read] = field(default_factory=dict)
    first: dict[int, Read] = field(default_factory=dict)
    since: dict[int, Read] = field(default_factory=dict)
    line_since: float = 0.0
    passes: list[Pass] = field(default_factory=list)
    reference: dict[str, Read] = field(default_factory=dict)
    marked: Read | None = None
    seen: dict[str, list[Seen]] = field(default_factory=dict)
    ties: dict[str, Ties] = field(default_factory=dict)
    began: str = ""
    ended: str = ""

    def tie(self, senses: dict[int, str], use_staff: bool) -> None:
        """Bring what was read from other stations to the line of the first."""
        for phase, seen in self.seen.items():
            main = {k: read for (k, when), read in self.found.items() if when == phase and not read.station}
            self.ties[phase] = ties_of(main, self.reference.get(phase), seen, senses, use_staff)
            for k, read in on_first_line(self.ties[phase], senses, use_staff).items():
                self.found[(k, phase)] = read

    def end_round(self, entry: Entry, use_staff: bool, senses: dict[int, str]) -> None:
        """What was read as left counts as found from here on."""
        self.tie(senses, use_staff)
        if self.seen.get(LEFT):
            self.seen = {FOUND: self.seen[LEFT]}
            self.ties = {}
        done = _finish(entry, self.found, self.reference, use_staff)
        for k, read in done.before.items():
            self.first.setdefault(k, read)
            self.since.setdefault(k, read)
        self.line_since += done.shift
        self.passes.append(done)

    def occasion(self) -> Occasion:
        """What was read first and last in it, each with the watch mark on the same line."""
        now = {k: read for (k, phase), read in self.found.items() if phase == FOUND}
        left = {k: read for (k, phase), read in self.found.items() if phase == LEFT}
        mark = self.reference.get(LEFT)
        if not left and self.passes:
            left, mark = {k: now[k] for k in self.passes[-1].after if k in now}, self.reference.get(FOUND)
        first = self.marked if self.marked is not None else self.reference.get(FOUND)
        marks = {phase: read for phase, read in ((FOUND, first), (LEFT, mark)) if read is not None}
        return Occasion(self.id, {**now, **self.first}, left, marks, self.began, self.ended)


def fold_supports(journal: Journal, work: int) -> SupportsBook:
    """Return the supports of a work from its entries."""
    unit = journal.unit_of(work)
    limits = fold_limits(journal, work)
    first_of: dict[int, int] = {}  # a corrected point keeps the id its readings name
    struck: dict[int, list[str]] = {}
    steps: list[float] = []
    instruments: list[Instrument] = []
    staffs: list[Staff] = []
    visits = [_Visit()]
    name = "Watch mark"
    chosen = journal.latest(work, "corrections")
    use_staff = _feet_out(journal, work, chosen)
    senses = {
        journal.first_of(entry.id): str(entry.body.get("sense", limits.sense))
        for entry in journal.standing(work, "point")
    }
    for id in journal.order[work]:
        entry, visit = journal.entries[id], visits[-1]
        kind = entry.kind  # most are readings: they are asked for first
        if kind == "reading" and not journal.undone(id):
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
                visit.found[(body["point"], body["phase"])] = read
                visit.began, visit.ended = visit.began or entry.time, entry.time
                steps.append(read.step)
            else:
                struck.setdefault(body["point"], []).append(body["reading"]["text"])
        elif kind == "instrument" and journal.stands(id):
            if instruments and not steps:
                instruments.pop()  # nothing was read with it
            instruments.append(instrument_from(entry))
        elif kind == "staff" and journal.stands(id):
            staffs.append(staff_from(entry))
        elif kind == "visit" and journal.stands(id):
            visits.append(_Visit(id))
        elif kind == "reference" and journal.stands(id):
            r = entry.body["reading"]
            read = Read(id, metres(r), r["text"], r["step_m"], 0, staffs[-1].foot if staffs else 0.0)
            visit.reference[entry.body["phase"]] = read
            if entry.body["phase"] == FOUND and not visit.passes:
                visit.marked = read
            name = entry.body.get("name", name)
        elif kind == "pass" and journal.stands(id):
            visit.end_round(entry, use_staff, senses)
        elif kind == "from-station" and journal.stands(id):
            body, r = entry.body, entry.body["reading"]
            foot, tool = (staffs[-1].foot if staffs else 0.0), max(0, len(instruments) - 1)
            read = Read(id, metres(r), r["text"], r["step_m"], tool, foot)
            one = Seen(id, str(body["station"]), int(body.get("point", MARK)), read)
            visit.seen.setdefault(body["phase"], []).append(one)
            steps.append(read.step)
        elif kind == "target" and journal.stands(id):
            visit.since, visit.line_since = {}, 0.0  # it begins with what stands when it is chosen
        elif kind == "point":
            first_of[id] = first_of.get(entry.strikes, entry.strikes) if entry.strikes else id
    aside = {int(entry.body["point"]) for entry in journal.standing(work, "aside")}
    here = visits[-1]
    here.tie(senses, use_staff)
    rounds = [done for visit in visits for done in visit.passes]
    points = []
    for entry in journal.standing(work, "point"):
        body, key = entry.body, first_of[entry.id]
        put = sum(done.put.get(key, 0.0) for done in rounds)
        points.append(
            PointRow(
                key,
                body["name"],
                body["row"],
                float(body["x_m"]),
                float(body["y_m"]),
                float(body.get("stack_m", 0.0)) + put,
                float(body["travel_m"]) - put if "travel_m" in body else NAN,
                float(body.get("wanted_m", 0.0)),
                key in aside,
                sense=body.get("sense", limits.sense),
                found=None if key in aside else here.found.get((key, FOUND)),
                left=None if key in aside else here.found.get((key, LEFT)),
                struck=tuple(struck.get(key, ())),
                first=here.first.get(key) or here.found.get((key, FOUND)),
                since=here.since.get(key),
            )
        )
    eye = journal.latest(work, "by-eye")
    instruments = instruments or [instrument_of(journal, work, unit)]
    instrument = instruments[-1]
    stood = journal.latest(work, "station")
    usual = instrument.decision == "correct" and instrument.collimation is not None
    return SupportsBook(
        **fold_plan(journal, work, [(done.id, done.shift) for done in here.passes], limits),
        style=style_of(unit, steps),
        points=points,
        passes=here.passes,
        reference=here.reference,
        reference_name=name,
        line_since=here.line_since,
        occasions=[visit.occasion() for visit in visits],
        instrument=instrument,
        station=(float(stood.body["x_m"]), float(stood.body["y_m"])) if stood else None,
        use_collimation=bool(chosen.body["use_collimation"]) if chosen else usual,
        instruments=instruments,
        by_eye=first_of.get(int(eye.body["point"]), int(eye.body["point"])) if eye else 0,
        staffs=staffs,
        use_staff=use_staff,
        leans=fold_leans(journal, work, begun_at(journal, work)),
        upright=_upright(journal, work),
        live=fold_live(journal, work),
        ties=here.ties,
    )


def fold_leans(journal: Journal, work: int, since: int) -> list[LeanRow]:
    """Return how posts lean, as last read in the visit that began at an entry; in the order of first reading."""
    out: dict[tuple[int, str], LeanRow] = {}
    for entry in journal.standing(work, "lean"):
        body = entry.body
        if entry.id < since:
            continue
        key, second = (int(body["point"]), str(body["way"])), body.get("second")
        length, step, string = (
            float(body["length_m"]),
            float(body.get("step", 0.0)),
            float(body.get("string_m", NAN)),
        )
        if body["with"] == BOB:
            lean = by_bob(float(body["first"]), float(second or 0.0), string, length, step)
        else:
            lean = by_level(float(body["first"]), None if second is None else float(second), length, step)
        texts = (body["first_text"], body.get("second_text", ""))
        found = out[key].found if key in out else lean
        out[key] = LeanRow(entry.id, *key, body["with"], texts, lean, found, string)
    return list(out.values())


def _upright(journal: Journal, work: int) -> Upright:
    entry, usual = journal.latest(work, "upright"), Upright()
    if entry is None:
        return usual
    body = entry.body
    return Upright(
        float(body.get("within", usual.within)),
        float(body.get("base_m", usual.base)),
        float(body.get("brace_m", usual.brace)),
        float(body.get("reach_m", usual.reach)),
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
    leaves = {int(k): int(v) for k, v in entry.body["leaves"].items()}
    hung = {int(k): float(v) for k, v in entry.body.get("hung", {}).items()}
    return Pass(entry.id, put, leaves, hung, before=before, after=after, shift=shift)
