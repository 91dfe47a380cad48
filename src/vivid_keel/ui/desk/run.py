"""A level run on the desk: its stages, and what each shows and does."""

from __future__ import annotations

import math

from vivid_keel.core.booking.checks import PageChecks
from vivid_keel.core.booking.layout import BS, FS, IS
from vivid_keel.core.booking.planning import LOWEST
from vivid_keel.core.booking.slips import Search
from vivid_keel.core.booking.slips.kinds import LONG
from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import Length, parse_length, show_length
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import acknowledged, matters
from vivid_keel.core.works.run import (
    RunBook,
    RunResult,
    SightRow,
    run_findings,
    run_state,
    sight_row,
    with_correction,
    with_reading,
    with_sight,
    work_out_run,
)
from vivid_keel.core.works.run.register import Register, fold_following
from vivid_keel.core.works.run.slips import doubts, search
from vivid_keel.core.works.run.standing import Standing, stand_for, standing_findings
from vivid_keel.figures.display import Picture
from vivid_keel.figures.run_proof import misclosure
from vivid_keel.figures.section import section
from vivid_keel.figures.standing import standing
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Goto, LongWork, Next, Sheet, StageTab
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet
from vivid_keel.ui.desk.run_book import BookSheet
from vivid_keel.ui.desk.run_changes import event_draft
from vivid_keel.ui.desk.run_closing import ChecksSheet, ClassesSheet
from vivid_keel.ui.desk.run_looks import LooksSheet
from vivid_keel.ui.desk.run_plan import MeansSheet, StandingSheet
from vivid_keel.ui.desk.run_proof import CorrectionsSheet, PagesSheet, SlipsSheet
from vivid_keel.ui.desk.run_register import RegisterSheet
from vivid_keel.ui.desk.run_sheets import HeightsSheet, KnownSheet, SetUpsSheet
from vivid_keel.ui.desk.run_trust import TrustDesk
from vivid_keel.ui.desk.run_typed import Typed

VIEWS = {
    "Instrument": ["One reading", "Error budget"],
    "Set-up": ["Section", "Where to stand"],
    "Readings": ["Section", "Staff", "Staff upside down"],
    "Proof": ["Misclosure", "Section"],
}
LONGEST = 12.0
"""No staff or tape is read beyond this [m]; more is a unit forgotten."""


class RunDesk(TrustDesk):
    """A level run."""

    type = "run"
    stage_names = ("Instrument", "Set-up", "Readings", "Heights", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.typed: Typed | None = None
        self.typed_mark: dict[int, str] = {}
        self.typed_plan: dict[int, str] = {}
        self.typed_place: dict[str, str] = {}
        self._register: tuple[int, Register] | None = None
        self.refresh()

    def refresh(self) -> None:
        journal = self.file.journal
        self.seen = journal.revision
        self._take(work_out_run(fold_following(journal, self.work, self.register)))

    def register(self) -> Register:
        """The job's register of marks, made anew when anything was recorded."""
        journal = self.file.journal
        if self._register is None or self._register[0] != journal.revision:
            self._register = (journal.revision, Register(journal))
        return self._register[1]

    @property
    def stale(self) -> bool:
        """Whether another work that this one follows may have changed since it was worked out."""
        return self.seen != self.file.journal.revision and any(k.from_work for k in self.book.known)

    def follow(self, entries: list[Entry]) -> None:
        """Let sights booked at the end, or one corrected, follow without going through the whole book."""
        grown = self._grown(entries)
        if grown is None:
            self.refresh()
        else:
            self._take(grown)

    def _grown(self, entries: list[Entry]) -> RunResult | None:
        journal, result = self.file.journal, self.result
        ids = [e.id for e in entries]
        sights = [e for e in entries if e.kind == "sight"]
        if len(sights) == len(entries) == 1 and sights[0].strikes is not None:
            return self._corrected(sights[0])
        at_end = journal.order[self.work][-len(ids) :] == ids and not any(e.strikes for e in entries)
        if not at_end or len(sights) != 1 or entries[-1] is not sights[0] or len(entries) > 2:
            return None
        last = result.book.rows[result.book.sights[-1]].setup if result.book.sights else -1
        fresh = last < 0 or self._begun or entries[0].kind == "setup"
        return with_sight(result, sight_row(sights[0], last + 1 if fresh else last))

    def _corrected(self, entry: Entry) -> RunResult | None:
        rows = self.book.rows
        row = next((i for i, r in enumerate(rows) if r.id == entry.strikes), -1)
        if row < 0 or not rows[row].stands:
            return None
        sight = sight_row(entry, rows[row].setup, True, rows[row].instrument, rows[row].staff)
        old = rows[row]
        if (sight.mark, sight.kind) != (old.mark, old.kind) or (sight.text, sight.reading) == (old.text, old.reading):
            return None
        # A coarser last digit may coarsen what is shown: that takes the whole book to know.
        return with_correction(self.result, row, sight) if sight.step <= old.step else None

    def _take(self, result: RunResult) -> None:
        self.result = self.shown = result
        self.book: RunBook = result.book
        self.typed = None
        self._findings: dict[str, list[Finding]] = {}
        self._checks: PageChecks | None = None
        self.search: Search | None = None
        self._doubted: dict[int, str] | None = None
        self.search_asked = False
        self._gave_up = False
        self._standing: Standing | None = None
        self._budget = None
        self._begun = self._fresh_set_up()
        self._proposed = self._propose()
        self.book_sheets = [BookSheet(self, "Height of collimation"), BookSheet(self, "Rise and fall")]

    # Finding the slip: off the window's thread, once for each state of the book.

    @property
    def doubted(self) -> dict[int, str]:
        """Rows with looks or hairs that don't agree, and which; worked out when first wanted."""
        if self._doubted is None:
            self._doubted = {d.row: d.what for d in doubts(self.result)}
        return self._doubted

    @property
    def search_wanted(self) -> bool:
        """Whether something doesn't fit that a slip would explain."""
        return self.result.closure.accepted is False or bool(self.doubted)

    @property
    def standing(self) -> Standing:
        """Where to stand for the planned marks; worked out when first wanted, not at every Enter."""
        if self._standing is None:
            self._standing = stand_for(self.book)
        return self._standing

    @property
    def search_waits(self) -> bool:
        """Whether the book is so long that the search, seconds then, waits to be asked for."""
        return len(self.book.sights) > LONG and not self.search_asked

    def long_work(self) -> LongWork | None:
        result = self.result
        if self.search is not None or self._gave_up or self.search_waits or not self.search_wanted:
            return None
        return ("slips", id(result)), lambda seconds_left: search(result)

    def long_work_done(self, key: object, found: Search | None) -> None:
        if key == ("slips", id(self.result)):
            self.search = found
            self._gave_up = found is None  # once is enough for a book that can't be searched
            self._findings = {}

    def suspects(self) -> set[int]:
        """Rows that the search would look at first."""
        if self.search is None:
            return set()
        return {self.book.sights[s.rows[0]] for s in self.search.suggestions[:3]}

    def happened(self, typed: str) -> None:
        draft = event_draft(self.work, typed)
        self.record(draft)
        if draft.body["what"] == "knocked":
            self.knocked()

    def parse_reading(self, text: str) -> Length:
        """Return a reading as typed, or refuse what is longer than any staff."""
        length = parse_length(text, self.book.unit, self.decimal_mark)
        if abs(length.value) > LONGEST:
            raise KeelError(
                "bad-value", f"{show_length(length.value, self.book.style, unit=True)} is longer than any staff; "
                f"was another unit meant, such as {text.strip()} mm?",
            )  # fmt: skip
        return length

    def preview(self, typed: Typed | None) -> None:
        """Show what the sight being typed would give; None shows the book as it is."""
        if typed is None or self.hair is None or abs(abs(typed.reading) - self.hair) > 1e-9:
            self.hair = None  # another reading is being typed: the hair follows it
        if typed is None:
            self.typed, self.shown = None, self.result
            return
        if typed.row >= 0:
            self.shown = with_reading(self.result, typed.row, typed.reading)
        else:
            # Only digits have changed since the last key: the links of the book are the same.
            same = self.typed is not None and self.typed.row < 0 and typed.links == self.typed.links
            sight = SightRow(
                0, typed.mark, typed.kind, typed.reading, "", self.book.style.step, math.nan, "", True, typed.setup
            )
            self.shown = with_sight(self.result, sight, self.shown.layout if same else None)
        self.typed = typed

    @property
    def checked(self) -> bool:
        """Whether the page's checks are worked out for the book as it stands."""
        return self._checks is not None

    def checks(self) -> PageChecks:
        """The page's arithmetic checks, worked out once for each change."""
        if self._checks is None:
            self._checks = self.result.checks()
        return self._checks

    def state(self) -> tuple[str, str]:
        return run_state(self.result)

    def tabs(self) -> list[StageTab]:
        r, n = self.result, len(self.book.sights)
        setups = r.layout.setups
        closed = r.closure.misclosure is not None
        open_matters = sum(m.settled is None for m in matters(self.file.journal, self.work))
        full = 0.0 if not n else 1.0 if closed and not r.trouble else 0.5
        return [
            StageTab("Instrument", 1.0 if self.book.instrument.stated else 0.0),
            StageTab("Set-up", min(1.0, 0.5 * bool(self.book.known) + 0.5 * bool(n)), str(setups) if setups else ""),
            StageTab("Readings", full, str(n) if n else ""),
            StageTab("Heights", full),
            StageTab("Proof", 1.0 if r.closure.accepted else 0.5 if closed else 0.0),
            StageTab(
                "Record",
                0.5 if open_matters else 1.0 if closed else 0.0,
                f"{open_matters} open" if open_matters else "",
            ),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Readings":
            return [*self.book_sheets, LooksSheet(self)]
        if stage == "Instrument":
            return self.instrument_sheets()
        if stage == "Set-up":
            return [KnownSheet(self), SetUpsSheet(self), StandingSheet(self), MeansSheet(self)]
        if stage == "Heights":
            return [HeightsSheet(self), CorrectionsSheet(self), RegisterSheet(self)]
        if stage == "Proof":
            return [ChecksSheet(self), ClassesSheet(self), SlipsSheet(self), PagesSheet(self)]
        return [MattersSheet(self), LogSheet(self)]

    def views(self, stage: str) -> list[str]:
        return VIEWS.get(stage, [])

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Instrument":
            return self.instrument_picture(view, width, height)
        if stage == "Readings" and view > 0:
            return self.face(width, height, upside_down=view == 2)
        if stage == "Set-up" and view == 1:
            s = self.standing
            return standing(s.way, s.plan, self.book.means, self.book.style, width, height, self.focus)
        if stage == "Proof" and view == 0:
            return misclosure(self.result, width, height)
        if stage == "Record":
            from vivid_keel.ui.desk.report_preview import record_picture

            return record_picture(self, width, height)
        label = {"Set-up": "setup", "Heights": "height"}.get(stage, "reading")
        focus = self.focus if self.focus < len(self.shown.book.rows) else -1
        if self.typed is not None and stage == "Readings":
            focus = self.typed.row if self.typed.row >= 0 else len(self.shown.book.rows) - 1
        return section(self.shown, width, height, focus, label)

    def findings(self, stage: str) -> list[Finding]:
        if stage not in self._findings:
            first = standing_findings(self.standing, self.book) if stage == "Set-up" else []
            found = first + run_findings(
                self.result, matters(self.file.journal, self.work), self.checks(), self.search
            )
            self._findings[stage] = found
        return self._findings[stage]

    def cautions(self, stage: str) -> list[Caution]:
        if stage not in {"Instrument", "Set-up"}:
            return []
        given = for_instrument(self.book.instrument.way)
        return [c for c in given if acknowledged(self.file.journal, self.work, c.key) is None]

    def next(self, stage: str) -> Next:
        book, closure = self.book, self.result.closure
        if not book.known:
            return Next("Next: the benchmark", "its name, its height and where that comes from", "known")
        if not book.sights:
            return Next(
                f"Next: backsight on {book.known[0].name}", "staff upright on the mark, then Enter", "new-sight"
            )
        if self.result.trouble:
            row = next(iter(self.result.trouble))
            return Next(f"Next: put {book.rows[row].mark} right", "the sheet says what it wants", f"row:{row}")
        if closure.misclosure is None:
            return self._next_sight()
        if not closure.accepted:
            return self._next_slip()
        if stage != "Record":
            return Next("Next: write the report", "who, what was found, what stays open", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def _next_slip(self) -> Next:
        found = self.search
        if found is None or not found.suggestions:
            return Next("Next: find the slip", "read the doubtful sights again; nothing is spread till then", "slips")
        sight = self.book.rows[self.book.sights[found.suggestions[0].rows[0]]]
        return Next(
            f"Next: read {sight.mark} again", "the likeliest place of the slip; nothing is spread till then", "slips"
        )

    def _next_sight(self) -> Next:
        has_back, has_fore, mark = self.book.state_after(self.book.sights[-1])
        if has_fore:
            return Next(f"Next: backsight on {mark}", "instrument moved on, staff still on the mark", "new-sight")
        if self._begun:
            return Next(
                "Next: a new backsight", "the old line is dead; take it on any mark already read", "new-sight"
            )
        if not has_back:
            return Next("Next: the backsight", "without it this set-up has no height", "new-sight")
        start = self.book.rows[self.book.sights[-1]].setup
        first = self.result.layout.marks[self.result.layout.backsight[start]]
        return Next(
            "Next: the next sight", f"name the mark, read, Enter; before you leave, {first} again", "new-sight"
        )

    def go(self, key: str) -> Goto | None:
        if key.startswith("row:"):
            row = int(key[4:])
            # What can't be reduced is put right at its name; what is doubted is read again.
            column = 0 if row in self.result.trouble else 1 + self.book.rows[row].kind
            return Goto("Readings", 0, (self.book_sheets[0].row_of(row), column))
        places = {
            "known": Goto("Set-up", 0, None), "instrument": Goto("Instrument"), "proof": Goto("Proof", 1), "slips": Goto("Proof", 2, (0, 1), 1),
            "standing": Goto("Set-up", 2, None, 1),
            "record": Goto("Record"), "new-sight": Goto("Readings", 0, self.book_sheets[0].next_place()),
        }  # fmt: skip
        return places.get(key)

    def new_set_up(self) -> None:
        """Begin a new set-up behind the last sight."""
        self.record(Draft(self.work, "setup", {}))

    def next_kind(self, mark: str) -> int:
        """Return the kind of sight a new line is likely to be."""
        has_back, has_fore = (False, False)
        if self.book.sights:
            has_back, has_fore, _ = self.book.state_after(self.book.sights[-1])
        if not self.book.sights or not has_back or has_fore or self._begun:
            return BS
        if (mark == self._proposed and mark not in self._planned_names()) or any(
            k.name == mark and k.fixed for k in self.book.known
        ):
            return FS
        return IS

    def fresh_set_up(self) -> bool:
        """Whether a new set-up was begun and nothing booked on it yet."""
        return self._begun

    def _fresh_set_up(self) -> bool:
        journal = self.file.journal
        for id in reversed(journal.order[self.work]):
            entry = journal.entries[id]
            if not journal.stands(id) or entry.kind not in {"sight", "setup", "event"}:
                continue
            if entry.kind == "event" and entry.body["what"] == "staff":
                continue
            return entry.kind != "sight" and bool(self.book.sights)
        return False

    def proposed_mark(self) -> str:
        """Return the mark a new line proposes: the benchmark first, then the next change point; none once closed."""
        return self._proposed

    def _propose(self) -> str:
        if self.result.layout.closing() is not None:
            return ""
        if not self.book.sights:
            return self.book.known[0].name if self.book.known else ""
        has_back, has_fore, mark = self.book.state_after(self.book.sights[-1])
        if has_fore:
            return mark
        if self._begun:
            return self.book.rows[self.book.sights[-1]].mark
        if not has_back:
            return ""
        planned = self._next_planned()
        if planned:
            return planned
        marks = self.result.layout.marks
        used = {marks[row] for row in self.result.layout.foresight if row >= 0}
        return next(name for n in range(self.book.setups, 1_000_000) if (name := f"CP {n}") not in used)

    def _planned_names(self) -> set[str]:
        return {p.name for p in self.book.planned}

    def _next_planned(self) -> str:
        """The next planned mark that the line in hand can read; the benchmark once all of them are read."""
        if not self.book.planned:
            return ""
        seen = set(self.result.layout.marks)
        left = [p for p in self.book.planned if p.name not in seen]
        if not left:
            return self.book.known[0].name if self.book.known else ""
        line = float(self.result.reduction.collimation_height[-1])
        return left[0].name if LOWEST / 2 <= line - left[0].height <= self.book.means.staff else ""

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        r, last = self.result, {}
        u = r.u_heights()
        for i, mark in enumerate(r.layout.marks):
            last[mark] = i
        out: list[tuple[str, float, float, float, dict[str, object]]] = []
        for mark, (x, y) in self.book.places.items():
            i = last.get(mark, -1)
            height = r.corrected(self.book.sights[i]) if i >= 0 else math.nan
            more: dict[str, object] = {"U_m": round(2 * float(u[i]), 5)} if i >= 0 and u[i] == u[i] else {}
            out.append((mark, x, y, height, more))
        return out

    def named_mark(self) -> str:
        return self.book_sheets[0].mark or self.proposed_mark()

    def distance_words(self, row: int) -> str:
        """Return a booked distance [m] in words, "" where there is none."""
        d = self.book.rows[row].distance
        return "" if math.isnan(d) else f"{d:g}"
