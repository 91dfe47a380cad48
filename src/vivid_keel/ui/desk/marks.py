"""Carried marks on the desk: their stages, and what each shows and does."""

from __future__ import annotations

from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.levelling.carried import CHAIN
from vivid_keel.core.levelling.proof import Budget, BudgetLine
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import acknowledged, matters
from vivid_keel.core.works.marks import MarksBook, fold_marks, marks_findings, marks_state, work_out_marks
from vivid_keel.figures.display import Picture
from vivid_keel.figures.marks import elevation, plan
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Desk, Goto, Next, Sheet, StageTab
from vivid_keel.ui.desk.instrument_stage import instrument_sheets
from vivid_keel.ui.desk.marks_sheets import (
    CarryingSheet,
    ClosingSheet,
    ColumnsSheet,
    MeasuresSheet,
    OrderSheet,
    TapedSheet,
)
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet


class MarksDesk(Desk):
    """A mark carried to columns and walls."""

    type = "marks"
    stage_names = ("Instrument", "Set-up", "Readings", "Heights", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.refresh()

    def refresh(self) -> None:
        self.book: MarksBook = fold_marks(self.file.journal, self.work)
        self.result = work_out_marks(self.book)

    def state(self) -> tuple[str, str]:
        return marks_state(self.result)

    def tabs(self) -> list[StageTab]:
        b, r, n = self.book, self.result, len(self.book.columns)
        taped = sum("to_slab" in c.texts for c in b.columns)
        chain = b.order == CHAIN
        open_matters = sum(m.settled is None for m in matters(self.file.journal, self.work))
        return [
            StageTab("Instrument", 1.0 if b.instrument.stated else 0.0),
            StageTab("Set-up", 0.5 * (b.reference is not None) + 0.5 * bool(n), str(n) if n else ""),
            StageTab("Readings", taped / n if n else 0.0, f"{taped} of {n}" if n else ""),
            StageTab("Heights", 1.0 if r.carried else 0.0),
            StageTab(
                "Proof", (1.0 if r.accepted else 0.5 if r.accepted is False else 0.0) if chain else 1.0 if n else 0.0
            ),
            StageTab("Record", 0.5 if open_matters else 0.0, f"{open_matters} open" if open_matters else ""),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Instrument":
            return instrument_sheets(self, self.book.instrument, bool(self.book.columns), self.budget())
        if stage == "Set-up":
            return [CarryingSheet(self), ColumnsSheet(self), OrderSheet(self)]
        if stage == "Readings":
            return [TapedSheet(self)]
        if stage == "Heights":
            return [MeasuresSheet(self)]
        if stage == "Proof":
            return [ClosingSheet(self)]
        return [MattersSheet(self), LogSheet(self)]

    def budget(self) -> Budget:
        """What the last column's mark owes to carrying and to the first mark."""
        if not self.result.carried or self.book.reference is None:
            return Budget(())
        u0 = self.book.reference.u
        worst = max(c.u for c in self.result.carried)
        lines = [
            BudgetLine("carrying", (max(worst**2 - u0**2, 0.0)) ** 0.5),
            BudgetLine("the first mark's own height", u0),
        ]
        return Budget(tuple(line for line in lines if line.u > 0))

    def views(self, stage: str) -> list[str]:
        if stage == "Instrument":
            return ["One reading", "Error budget"]
        return ["Columns", "Order of carrying"] if stage in {"Set-up", "Readings", "Heights", "Proof"} else []

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Instrument":
            if view == 1:
                from vivid_keel.figures.kit.charts import budget_bars

                return budget_bars(self.budget(), "The least certain mark", width, height)
            from vivid_keel.figures.instrument import worth

            return worth(self.book.instrument, [], width, height)
        if stage == "Record":
            from vivid_keel.ui.desk.report_preview import record_picture

            return record_picture(self, width, height)
        make = plan if view == 1 else elevation
        return make(self.result, width, height, self.focus)

    def findings(self, stage: str) -> list[Finding]:
        return marks_findings(self.result, matters(self.file.journal, self.work))

    def cautions(self, stage: str) -> list[Caution]:
        if stage not in {"Instrument", "Set-up"}:
            return []
        given = for_instrument(self.book.instrument.way)
        return [c for c in given if acknowledged(self.file.journal, self.work, c.key) is None]

    def next(self, stage: str) -> Next:
        b, r = self.book, self.result
        if b.reference is None:
            return Next("Next: the first mark", "its name, its height and where that comes from", "reference")
        if not b.columns:
            return Next("Next: the columns", "names, places, designed heights", "columns")
        waiting = [i for i, c in enumerate(b.columns) if "to_slab" not in c.texts]
        if waiting:
            return Next(
                f"Next: tape at {b.columns[waiting[0]].name}",
                "from the mark down to the slab, then up to the top",
                f"tape:{waiting[0]}",
            )
        if b.order == CHAIN and r.accepted is None:
            return Next("Next: close the chain", f"carry it back to {b.reference.name}", "closing")
        if stage != "Record":
            return Next("Next: the marking sheet", "Record shows it; Ctrl+P prints", "record")
        return Next("Write the marking sheet", "and the report, a PDF beside the job file", "report")

    def go(self, key: str) -> Goto | None:
        if key.startswith("tape:"):
            return Goto("Readings", 0, (int(key[5:]), 2))
        return {
            "reference": Goto("Set-up", 0, (0, 1)), "columns": Goto("Set-up", 1), "closing": Goto("Proof", 0, (0, 1)), "measures": Goto("Heights"),
            "instrument": Goto("Instrument"), "record": Goto("Record"),
        }.get(key)  # fmt: skip

    @property
    def step(self) -> float:
        return self.book.style.step

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        placed = [c for c in self.book.columns if c.placed]
        if sights or len(placed) < 2:
            return []
        xs, ys = [c.value("x") for c in placed], [c.value("y") for c in placed]
        return [(self.book.name, round(max(max(xs) - min(xs), max(ys) - min(ys)), 1))]

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        marks = {c.name: c for c in self.result.carried}
        return [
            (c.name, c.value("x"), c.value("y"), marks[c.name].mark if c.name in marks else float("nan"), {})
            for c in self.book.columns if c.placed
        ]  # fmt: skip
