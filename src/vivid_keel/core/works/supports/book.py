"""The supports of a work, folded from its entries."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.means import Means
from vivid_keel.core.levelling.rounds import ORDERS
from vivid_keel.core.levelling.scale import HANGS, signs
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.works.common import (
    Instrument,
    Staff,
    acknowledged,
    instrument_from,
    instrument_of,
    metres,
    staff_from,
    style_of,
)

FOUND, LEFT = "found", "left"
NAN = float("nan")


@dataclass(frozen=True, slots=True)
class Read:
    """A reading of a point: its entry, value [m], text, step [m], which of the book's instruments took it, and what its scale adds [m]."""

    id: int
    value: float
    text: str
    step: float
    instrument: int = 0
    own: float = 0.0


@dataclass(frozen=True, slots=True)
class PointRow:
    """A support: where it stands, what packs it already, how its scale is read, and its readings.

    `found` and `left` are of the round in hand, `first` is what was read before any round. `travel` is
    what is left of its screw or jack upward [m], nan where it is like the others; `wanted` how high above
    the rest it is drawn [m].
    """

    id: int
    name: str
    row: str
    x: float
    y: float
    stack: float
    sense: str
    found: Read | None
    left: Read | None
    struck: tuple[str, ...] = ()
    first: Read | None = None
    travel: float = NAN
    wanted: float = 0.0

    def read(self, phase: str) -> Read | None:
        return self.found if phase == FOUND else self.left


@dataclass(frozen=True, slots=True)
class Leaf:
    """Packing in stock: thickness [m], its text, how many are left, how many went in in finished rounds."""

    id: int
    thickness: float
    text: str
    count: int
    used: int = 0


@dataclass(frozen=True, slots=True)
class TargetChoice:
    """highest, lowest, mean, least-total, least-greatest, keep (with the point's id), height (with the reading wanted [m]),
    best-fit, minimum-zone, fall (height gained per metre along and across, through the highest above it and `lift`
    more [m]), or given (each point's own height above the rest, through the highest against it). The reading is one
    on the line of the round in hand."""

    kind: str = "highest"
    point: int = 0
    reading: float = NAN
    gradient: tuple[float, float] = (0.0, 0.0)
    lift: float = 0.0

    @property
    def plane(self) -> bool:
        """Whether it is no level line."""
        return self.kind in {"best-fit", "minimum-zone", "fall", "given"}


@dataclass(frozen=True, slots=True)
class Pass:
    """A finished round: readings before and after by point id, what was put in [m] and how many leaves, the line's shift [m]."""

    id: int
    before: dict[int, Read]
    after: dict[int, Read]
    put: dict[int, float]
    leaves: dict[int, int]
    shift: float


@dataclass(frozen=True, slots=True)
class Hanging:
    """Something that hangs on a row and rises with it."""

    id: int
    name: str
    row: str
    x: float


RAISE, LOWER, BOTH = "raise only", "lower only", "raise or lower"
WAYS = (BOTH, RAISE, LOWER)


@dataclass(frozen=True, slots=True)
class Limits:
    """Tolerance [m], leaves in one stack, closing per interface [m], usual sense of the scale.

    `neighbours` is how far neighbours may differ within a round [m] (None: by their spacing; 0: no such
    rule), `clearance` how far the jack goes above a leaf to slip it in [m]. `ways` is one of WAYS, `most`
    the largest move [m], `share` how much of the way to the target is gone [1], `order` a key of ORDERS,
    `feet` how far a reading may move while the other feet take load [m], `leaf_size` what leaves are cut to.
    """

    tolerance: float = 0.0015
    tolerance_text: str = "1.5 mm"
    most_leaves: int = 4
    interface: float = 0.00002
    sense: str = HANGS
    neighbours: float | None = None
    clearance: float = 0.0
    ways: str = BOTH
    most: float = math.inf
    share: float = 1.0
    order: str = "need"
    feet: float = 0.0001
    leaf_size: str = ""


@dataclass(frozen=True, slots=True)
class LookAgain:
    """A settle re-check that was put into the diary: its day and why."""

    id: int
    due: date
    note: str


@dataclass(frozen=True)
class SupportsBook:
    """A supports work as its entries stand.

    `instrument` is in hand now, `instruments` are all that read here, in the state they were in. `station` is where the instrument stands in plan [m], None while nobody has said; `use_collimation`
    whether its known collimation error is taken out of every reading, `use_staff` whether the scale's own
    foot is (`staffs` are all that were read on). `by_eye` is the point that looks
    high (0: nobody said).
    """

    work: int
    name: str
    unit: str
    style: LengthStyle
    points: list[PointRow]
    stock: list[Leaf]
    target: TargetChoice
    target_chosen: bool
    limits: Limits
    reference: dict[str, Read] = field(default_factory=dict)
    reference_name: str = "Watch mark"
    instrument: Instrument | None = None
    lifting_acknowledged: bool = False
    station: tuple[float, float] | None = None
    use_collimation: bool = False
    instruments: list[Instrument] = field(default_factory=list)
    passes: list[Pass] = field(default_factory=list)
    hanging: list[Hanging] = field(default_factory=list)
    means: Means = field(default_factory=Means)
    by_eye: int = 0
    looks: list[LookAgain] = field(default_factory=list)
    staffs: list[Staff] = field(default_factory=list)
    use_staff: bool = False

    @property
    def scale_foot(self) -> float:
        """What the foot of the scale in hand adds to every reading, where that is taken out [m]."""
        return self.staffs[-1].foot if self.use_staff and self.staffs else 0.0

    @property
    def line_moved(self) -> float:
        """How much higher the line of the round in hand is than that of the first readings [m]."""
        return sum(p.shift for p in self.passes)

    @property
    def rows(self) -> list[str]:
        """Names of the rows, in order."""
        return list(dict.fromkeys(p.row for p in self.points))


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


def row_letter(number: int) -> str:
    """Return the letter of a row: 0 → A, 25 → Z, 26 → AA."""
    out = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        out = chr(65 + rest) + out
    return out


def grid_drafts(
    work: int, rows: Sequence[str], posts: int, spacing: float, row_spacing: float, taken: Sequence[str] = ()
) -> list[Draft]:
    """Return entries for rows × posts supports, named A1, A2 … B1 …; edited afterwards.

    Parameters
    ----------
    work : int
    rows : sequence of str
        Names of the rows; a post's name is the row's first letters and its number.
    posts : int
        In each row.
    spacing, row_spacing : float
        Along a row and between rows [m].
    taken : sequence of str
        Names in use already.

    Raises
    ------
    KeelError
        `bad-value`, `duplicate-name`.
    """
    if not rows or posts < 1 or posts * len(rows) > 2000:
        raise KeelError("bad-value", "expected at least one row and one post, and at most 2000 posts in all")
    if spacing <= 0 or row_spacing <= 0:
        raise KeelError("bad-value", "the spacing must be above 0; measure post to post, centre to centre")
    out = []
    used = set(taken)
    for r, row in enumerate(rows):
        letter = _short(row, rows)
        for p in range(posts):
            name = f"{letter}{p + 1}"
            if name in used:
                raise KeelError("duplicate-name", f"there is a {name} already; name this row otherwise")
            used.add(name)
            out.append(Draft(work, "point", {"name": name, "row": row, "x_m": p * spacing, "y_m": r * row_spacing}))
    return out


def _short(row: str, rows: Sequence[str]) -> str:
    for length in range(1, len(row) + 1):
        if sum(other.startswith(row[:length]) for other in rows) == 1:
            return row[:length]
    return row


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


def leaf_key(thickness: float) -> str:
    """Return what a thickness [m] is called in a round's list of leaves used: micrometres."""
    return str(round(thickness * 1e6))
