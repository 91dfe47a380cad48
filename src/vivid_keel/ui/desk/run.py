"""A level run on the desk: its stages, and what each shows and does."""

from __future__ import annotations

import math

from vivid_keel.core.booking.checks import PageChecks
from vivid_keel.core.booking.layout import BS, FS, IS
from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import acknowledged, matters
from vivid_keel.core.works.run import Preview, RunBook, RunResult, fold_run, run_findings, run_state, work_out_run
from vivid_keel.core.works.run.result import with_preview
from vivid_keel.figures.display import Picture
from vivid_keel.figures.instrument import worth
from vivid_keel.figures.run_proof import misclosure
from vivid_keel.figures.section import section
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Desk, Goto, Next, Sheet, StageTab
from vivid_keel.ui.desk.instrument_stage import DetailsSheet, WaysSheet
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet
from vivid_keel.ui.desk.report_preview import record_picture
from vivid_keel.ui.desk.run_book import BookSheet
from vivid_keel.ui.desk.run_sheets import ChecksSheet, ClassesSheet, HeightsSheet, KnownSheet, SetUpsSheet


class RunDesk(Desk):
    """A level run."""

    type = "run"
    stage_names = ("Instrument", "Set-up", "Readings", "Heights", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.typed: Preview | None = None
        self.typed_mark: dict[int, str] = {}
        self._shape: tuple[object, ...] = ()
        self.refresh()

    def refresh(self) -> None:
        self.book: RunBook = fold_run(self.file.journal, self.work)
        self.result: RunResult = work_out_run(self.book)
        self.shown = self.result
        self.typed = None
        self._shape = ()
        self._findings: dict[str, list[Finding]] = {}
        self._checks: PageChecks | None = None
        self.book_sheets = [BookSheet(self, "Height of collimation"), BookSheet(self, "Rise and fall")]

    def preview(self, typed: Preview | None) -> None:
        """Show what the sight being typed would give; None shows the book as it is."""
        if typed is None:
            self.typed, self.shown = None, self.result
            return
        shape = (typed.row, typed.after, typed.mark, typed.kind, typed.setup)
        book = with_preview(self.book, typed)
        # Only digits have changed since the last key: the links of the book are the same.
        layout = self.shown.layout if shape == self._shape and self.typed is not None else None
        self.shown = work_out_run(book, layout)
        self.typed, self._shape = typed, shape

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
            StageTab("Heights", full, str(len({r.layout.marks[i] for i in range(n)})) if n else ""),
            StageTab("Proof", 1.0 if r.closure.accepted else 0.5 if closed else 0.0),
            StageTab(
                "Record",
                0.5 if open_matters else 1.0 if closed else 0.0,
                f"{open_matters} open" if open_matters else "",
            ),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Readings":
            return list(self.book_sheets)
        if stage == "Instrument":
            return [WaysSheet(self, self.book.instrument), DetailsSheet(self, self.book.instrument)]
        if stage == "Set-up":
            return [KnownSheet(self), SetUpsSheet(self)]
        if stage == "Heights":
            return [HeightsSheet(self)]
        if stage == "Proof":
            return [ChecksSheet(self), ClassesSheet(self)]
        return [MattersSheet(self), LogSheet(self)]

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Instrument":
            return worth(self.book.instrument, self.result.distances.tolist(), width, height)
        if stage == "Proof":
            return misclosure(self.result, width, height)
        if stage == "Record":
            return record_picture(self, width, height)
        label = {"Set-up": "setup", "Heights": "height"}.get(stage, "reading")
        focus = self.focus if self.focus < len(self.shown.book.rows) else -1
        if self.typed is not None and stage == "Readings":
            focus = self.typed.row if self.typed.row >= 0 else self.typed.after + 1
        return section(self.shown, width, height, focus, label)

    def findings(self, stage: str) -> list[Finding]:
        if stage not in self._findings:
            found = run_findings(self.result, matters(self.file.journal, self.work))
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
            return Next("Next: find the slip", "read the doubtful sights again; nothing is spread till then", "proof")
        if stage != "Record":
            return Next("Next: write the report", "who, what was found, what stays open", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def _next_sight(self) -> Next:
        has_back, has_fore, mark = self.book.state_after(self.book.sights[-1])
        if has_fore:
            return Next(f"Next: backsight on {mark}", "instrument moved on, staff still on the mark", "new-sight")
        if not has_back:
            return Next("Next: the backsight", "without it this set-up has no height", "new-sight")
        return Next("Next: the next sight", "name the mark, read, Enter; I and F say which kind", "new-sight")

    def go(self, key: str) -> Goto | None:
        if key.startswith("row:"):
            row = int(key[4:])
            return Goto("Readings", 0, (self.book_sheets[0].row_of(row), 0))
        places = {
            "known": Goto("Set-up", 0, None), "instrument": Goto("Instrument"), "proof": Goto("Proof", 1),
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
        if not self.book.sights or not has_back or has_fore or self.fresh_set_up():
            return BS
        if mark == self.proposed_mark() or any(k.name == mark and k.fixed for k in self.book.known):
            return FS
        return IS

    def fresh_set_up(self) -> bool:
        """Whether a new set-up was begun and nothing booked on it yet."""
        order = self.file.journal.order[self.work]
        for id in reversed(order):
            entry = self.file.journal.entries[id]
            if self.file.journal.stands(id) and entry.kind in {"sight", "setup"}:
                return entry.kind == "setup"
        return False

    def proposed_mark(self) -> str:
        """Return the mark a new line proposes: the benchmark first, then the next change point; none once closed."""
        if self.result.layout.closing() is not None:
            return ""
        if not self.book.sights:
            return self.book.known[0].name if self.book.known else ""
        has_back, has_fore, mark = self.book.state_after(self.book.sights[-1])
        if has_fore or (not has_back and self.book.known) or self.fresh_set_up():
            return mark if has_fore else ""
        used = {self.book.rows[i].mark for i in self.book.sights}
        return next(f"CP {n}" for n in range(1, 100_000) if f"CP {n}" not in used)

    def distance_words(self, row: int) -> str:
        """Return a booked distance [m] in words, "" where there is none."""
        d = self.book.rows[row].distance
        return "" if math.isnan(d) else f"{d:g}"
