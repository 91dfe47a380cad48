"""The book of a run, folded from its entries."""

from __future__ import annotations

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.booking.closing import CLASSES, ToleranceClass
from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import BS, FS, KIND_NUMBER, ListedMark
from vivid_keel.core.booking.planning import Reach
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.used import Instrument, Staff, instrument_from, instrument_of, staff_from
from vivid_keel.core.quantities import LengthStyle, is_missing, style_for
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres, style_of

NAN = float("nan")

EVENT = 3
"""Kind of a line that is no sight but something that happened."""


class SightRow(Struct, frozen=True):
    """One sight as booked. `id` is its entry, 0 for one still being typed; lengths [m], nan when not booked.

    `upper`, `lower` and `look` are the outer hairs and the second look; `page` and `read_at` say where
    and when it stood on paper before it was typed in. `instrument` is the place of what read it among the
    book's instruments, `staff` that of its staff, from 1 (0: nobody said). `azimuth` is
    which side of a laser faced the staff, from X+ towards Y+ [°]. A row of kind EVENT says what happened in `text`.
    """

    id: int
    mark: str
    kind: int
    reading: float
    text: str
    step: float
    distance: float
    remark: str
    stands: bool
    setup: int
    upper: float = NAN
    lower: float = NAN
    look: float = NAN
    page: str = ""
    read_at: str = ""
    instrument: int = 0
    staff: int = 0
    azimuth: float = NAN

    @property
    def details(self) -> bool:
        """Whether more than the middle hair was read."""
        return not is_missing(self.upper) or not is_missing(self.lower) or not is_missing(self.look)

    def hairs(self) -> tuple[float | None, float | None]:
        """Return the outer hairs, None where not read."""
        return (self.upper if not is_missing(self.upper) else None), (
            self.lower if not is_missing(self.lower) else None
        )

    def length(self, factor: float) -> float:
        """Return the length of the sight: as booked, else from its hairs [m]; nan where neither tells."""
        if not is_missing(self.distance) or not self.details:
            return self.distance
        try:
            found = stadia(self.reading, *self.hairs(), factor).distance
        except KeelError:  # hairs out of order: said at the row, and no distance
            return NAN
        return NAN if found is None else found


class Known(Struct, frozen=True):
    """A known mark of the run, with where its height comes from.

    `from_work` is the work it follows, 0 for none; `trouble` says what is wrong with what it follows.
    """

    id: int
    name: str
    height: float
    source: str
    u: float
    fixed: bool
    from_work: int = 0
    from_mark: str = ""
    trouble: str = ""


class Planned(Struct, frozen=True):
    """A mark that is to be read: its rough height and how far along the way [m], nan where not known."""

    id: int
    name: str
    height: float
    along: float


class RunSettings(Struct, frozen=True):
    """How the run is to close: the class, the spread, and what a person decided otherwise."""

    tolerance: ToleranceClass = CLASSES[2]
    spread: str = "setups"
    override: bool = False
    use_collimation: bool = False
    use_curvature: bool = False
    use_staff: bool = False
    use_axes: bool = True
    reason: str = ""


class RunBook(Struct, frozen=True):
    """A run's entries as they stand.

    Attributes
    ----------
    rows : list of SightRow
        Every sight in the order of the book, struck ones where they were.
    lines : list of (int, int)
        The page: row of the sight, and row of the backsight that shares its line, else -1.
    sights : list of int
        Rows that stand: the sights that are reduced, in order.
    instrument : Instrument
        In hand now; `instruments` are all that read in this book, in the state they were in, `staffs` all
        that were read on.
    explained : dict of int to str
        Why a sight on a mark met again doesn't agree, in the person's words, by its entry.
    """

    work: int
    name: str
    unit: str
    style: LengthStyle
    rows: list[SightRow]
    lines: list[tuple[int, int]]
    sights: list[int]
    known: list[Known]
    instrument: Instrument
    settings: RunSettings
    planned: list[Planned] = field(default_factory=list)
    reach: Reach = field(default_factory=Reach)
    places: dict[str, tuple[float, float]] = field(default_factory=dict)
    instruments: list[Instrument] = field(default_factory=list)
    staffs: list[Staff] = field(default_factory=list)
    explained: dict[int, str] = field(default_factory=dict)

    @property
    def listed(self) -> dict[str, ListedMark]:
        return {k.name: ListedMark(k.name, k.height, k.fixed, k.u) for k in self.known}

    @property
    def read_again(self) -> dict[int, SightRow]:
        """The sights that a second look bears out, by their entry."""
        told = (self.rows[i] for i in self.sights if self.rows[i].details)
        return {row.id: row for row in told if abs(row.look - row.reading) <= 2 * row.step + 1e-9}

    @property
    def setups(self) -> int:
        return self.rows[self.sights[-1]].setup + 1 if self.sights else 0

    def state_after(self, row: int) -> tuple[bool, bool, str]:
        """Return (has a backsight, has its foresight, mark of that foresight) of the set-up at a row."""
        has_back = has_fore = False
        mark = ""
        if row >= 0:
            setup = self.rows[row].setup
            for i in range(row, -1, -1):
                r = self.rows[i]
                if r.setup != setup:
                    break
                if r.stands:
                    has_back |= r.kind == BS
                    if r.kind == FS:
                        has_fore, mark = True, r.mark
        return has_back, has_fore, mark


def fold_run(journal: Journal, work: int) -> RunBook:
    """Return the book of a run from its entries."""
    unit = journal.unit_of(work)
    rows: list[SightRow] = []
    sights: list[int] = []
    steps: list[float] = []
    setup, used, stands = 0, False, journal.stands
    instruments: list[Instrument] = []
    staffs: list[Staff] = []
    for id in journal.order[work]:
        entry = journal.entries[id]
        if entry.kind == "instrument" and stands(id):
            if instruments and not rows:
                instruments.pop()  # nothing was read with it
            instruments.append(instrument_from(entry))
            continue
        if entry.kind == "staff" and stands(id):
            staffs.append(staff_from(entry))
            continue
        if entry.kind == "sight":
            if journal.undone(id):
                continue  # undone is as if it had not been booked; struck is shown
            there = stands(id)
            if not there and _only_details_changed(journal, entry):
                continue
            rows.append(sight_row(entry, setup, there, max(0, len(instruments) - 1), len(staffs)))
            if there:
                used = True
                sights.append(len(rows) - 1)
                steps.append(rows[-1].step)
        elif entry.kind == "setup" and stands(id) and used:
            setup, used = setup + 1, False
        elif entry.kind == "event" and stands(id):
            what = str(entry.body["what"])
            rows.append(
                SightRow(
                    id, EVENTS[what], EVENT, NAN, what, 0.0, NAN, entry.body.get("note", ""), False, setup
                )
            )
            if what != "staff" and used:
                setup, used = setup + 1, False
            if what == "knocked" and instruments:
                instruments.append(
                    replace(instruments[-1], state="knocked", checked="knocked, not checked since")
                )
    instruments = instruments or [instrument_of(journal, work, unit)]
    known = _known(journal, work)
    return RunBook(
        work,
        journal.name_of(work),
        unit,
        style_of(unit, steps),
        rows,
        page_lines(rows),
        sights,
        known,
        instruments[-1],
        _settings(journal, work, instruments[-1], staffs),
        _planned(journal, work),
        _reach(journal, work),
        {e.body["mark"]: (metres(e.body["x"]), metres(e.body["y"])) for e in journal.standing(work, "place")},
        instruments,
        staffs,
        _explained(journal, work),
    )


def _explained(journal: Journal, work: int) -> dict[int, str]:
    told = {int(e.body["sight"]): str(e.body["reason"]) for e in journal.standing(work, "explained")}
    return {sight: reason for sight, reason in told.items() if reason}


def sight_row(entry: Entry, setup: int, stands: bool = True, instrument: int = 0, staff: int = 0) -> SightRow:
    """Return an entry as a line of the book on a set-up."""
    body = entry.body
    reading, distance = body["reading"], body.get("distance")
    upper, lower, look = (metres(body[k]) if k in body else NAN for k in ("upper", "lower", "look"))
    return SightRow(
        entry.id,
        body["mark"],
        KIND_NUMBER[body["sight"]],
        reading["m"],
        reading["text"],
        reading["step_m"],
        distance["m"] if distance else NAN,
        body.get("remark", ""),
        stands,
        setup,
        upper,
        lower,
        look,
        body.get("page", ""),
        body.get("read_at", ""),
        instrument,
        staff,
        float(body.get("azimuth", NAN)),
    )


def _only_details_changed(journal: Journal, entry: Entry) -> bool:
    """Whether a correction left mark, kind and reading as they were: the page shows the line once."""
    by = journal.struck_by(entry.id)
    return (
        by is not None
        and by.kind == "sight"
        and all(by.body[k] == entry.body[k] for k in ("mark", "sight", "reading"))
    )


def page_lines(rows: list[SightRow]) -> list[tuple[int, int]]:
    """Return the lines of the page: a change point's foresight and backsight share one."""
    lines: list[tuple[int, int]] = []
    last = -1  # the line of the last sight that stands
    for i, row in enumerate(rows):
        if row.stands and row.kind == BS and last >= 0 and _shares(rows, lines[last], row):
            lines[last] = (lines[last][0], i)
            continue
        lines.append((i, -1))
        if row.stands:
            last = len(lines) - 1
        elif row.kind == EVENT:
            last = -1
    return lines


def line_added(lines: list[tuple[int, int]], rows: list[SightRow]) -> list[tuple[int, int]]:
    """Return the lines of the page with the last of the rows, which stands, added to them."""
    i, row, out = len(rows) - 1, rows[-1], list(lines)
    last = next((n for n in range(len(out) - 1, -1, -1) if _counts(rows[out[n][0]])), -1)
    if last >= 0 and rows[out[last][0]].kind == EVENT:
        last = -1
    if row.kind == BS and last >= 0 and _shares(rows, out[last], row):
        out[last] = (out[last][0], i)
    else:
        out.append((i, -1))
    return out


def _counts(row: SightRow) -> bool:
    return row.stands or row.kind == EVENT


def _shares(rows: list[SightRow], line: tuple[int, int], back: SightRow) -> bool:
    fore = rows[line[0]]
    return line[1] < 0 and fore.kind == FS and fore.mark == back.mark and fore.setup == back.setup - 1


def finer(style: LengthStyle, unit: str, step: float) -> LengthStyle:
    """Return the style that shows a step [m] as well as what it showed before."""
    wanted = style_for(unit, step)
    return wanted if wanted.step < style.step else style


def _known(journal: Journal, work: int) -> list[Known]:
    return [
        Known(
            entry.id,
            entry.body["name"],
            metres(entry.body["height"]),
            entry.body["source"],
            float(entry.body.get("u_m", 0.0)),
            bool(entry.body.get("fixed", True)),
            int(entry.body.get("from_work", 0)),
            str(entry.body.get("from_mark", "")),
        )
        for entry in journal.standing(work, "mark")
    ]


def _planned(journal: Journal, work: int) -> list[Planned]:
    return [
        Planned(
            entry.id,
            entry.body["name"],
            metres(entry.body["height"]),
            metres(entry.body["along"]) if "along" in entry.body else NAN,
        )
        for entry in journal.standing(work, "planned")
    ]


def _reach(journal: Journal, work: int) -> Reach:
    entry = journal.latest(work, "means")
    return replace(Reach(), **{k: metres(v) for k, v in entry.body.items()}) if entry else Reach()


def _settings(journal: Journal, work: int, instrument: Instrument, staffs: list[Staff]) -> RunSettings:
    entry = journal.latest(work, "closing")
    # What its owner decided to correct is corrected, unless the book's person says otherwise.
    corrected = instrument.decision == "correct" and instrument.collimation is not None
    feet = any(staff.decision == "correct" and staff.foot for staff in staffs)
    if entry is None:
        return RunSettings(use_collimation=corrected, use_staff=feet)
    body = entry.body
    usual = next((c for c in CLASSES if c.name == body.get("class")), CLASSES[2])
    tolerance = ToleranceClass(
        body.get("class", usual.name),
        float(body.get("coefficient_m", usual.coefficient)),
        body.get("per", usual.per),
    )
    return RunSettings(
        tolerance,
        body.get("spread", "setups"),
        bool(body.get("override", False)),
        bool(body.get("use_collimation", corrected)),
        bool(body.get("use_curvature", False)),
        bool(body.get("use_staff", feet)),
        bool(body.get("use_axes", True)),
        body.get("reason", ""),
    )
