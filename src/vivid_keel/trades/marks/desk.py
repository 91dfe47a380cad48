"""Carried marks while they are shown: their budget, spans and places."""

from __future__ import annotations

from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.pasted import pasted_points
from vivid_keel.desk.visits import VisitView
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.marks.book import MarksBook
from vivid_keel.trades.marks.result import MarksResult
from vivid_keel.trades.marks.visits import drifts_of, labels, visits_of


class MarksDesk(WorkDesk):
    """A mark carried to columns and walls."""

    result: MarksResult

    @property
    def book(self) -> MarksBook:
        return self.result.book

    def budget(self) -> Budget:
        """What the last column's mark owes to carrying and to the first mark."""
        reference = self.result.book.reference
        if not self.result.carried or reference is None:
            return Budget(())
        worst = max(column.u for column in self.result.carried)
        lines = [
            BudgetLine(
                "carrying",
                (max(worst**2 - reference.u**2, 0.0)) ** 0.5,
                "more marks carried from the first one, or each carried twice",
            ),
            BudgetLine("the first mark's own height", reference.u, "level it from a benchmark"),
        ]
        return Budget(tuple(line for line in lines if line.u > 0))

    def pasted(self, stage: str, text: str) -> list[Draft] | None:
        """Return columns pasted under Set-up: name, along, across, designed top."""
        if stage != "Set-up":
            return None
        far = self.book.style.far
        units = (far, far, self.book.unit)
        found = pasted_points(text, units, self.decimal_mark, {column.name for column in self.book.columns})
        return [
            Draft(
                self.work,
                "column",
                {"name": name}
                | {field: v for field, v in zip(("x", "y", "design"), values, strict=True) if v is not None},
            )
            for name, values in found
        ]

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        book = self.book
        return VisitView(
            "Slab at",
            [column.name for column in book.columns],
            labels(book),
            book.style.small,
            lambda value, decimals, signed: book.style.amount(value, decimals, signed=signed),
            lambda: (
                visits_of(book),
                drifts_of(book) if len(book.taped) > 1 else {},
                "Against the marks, which stay where they were made; up +.",
            ),
            any("to_slab" in column.texts for column in book.columns),
            "tape from the marks down to the slab",
        )

    @property
    def step(self) -> float:
        return self.result.book.style.step

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        placed = [column for column in self.result.book.columns if column.placed]
        if sights or len(placed) < 2:
            return []
        xs, ys = [c.value("x") for c in placed], [c.value("y") for c in placed]
        return [(self.result.book.name, round(max(max(xs) - min(xs), max(ys) - min(ys)), 1))]

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        marks = {c.name: c for c in self.result.carried}
        return [
            (
                column.name,
                column.value("x"),
                column.value("y"),
                marks[column.name].mark if column.name in marks else float("nan"),
                {},
            )
            for column in self.result.book.columns
            if column.placed
        ]
