"""A run's instruments on the desk: what reads here, what it is worth, and where the uncertainty comes from."""

from __future__ import annotations

from vivid_keel.core.levelling.proof import Budget
from vivid_keel.core.works.run import RunResult
from vivid_keel.core.works.run.budget import RunBudget, run_budget
from vivid_keel.core.works.run.corrections import corrections
from vivid_keel.figures.display import Picture
from vivid_keel.figures.instrument import worth
from vivid_keel.ui.desk.base import Sheet
from vivid_keel.ui.desk.instrument_stage import instrument_sheets
from vivid_keel.ui.desk.kit_stage import tell_kit
from vivid_keel.ui.desk.run_hair import HairDesk


class TrustDesk(HairDesk):
    """What a run's desk knows of its instruments."""

    result: RunResult
    _budget: RunBudget | None = None

    def knocked(self) -> None:
        """Let the kit know that the instrument in hand was knocked here."""
        tell_kit(self, self.book.instrument, f"in {self.book.name}")

    def instrument_sheets(self) -> list[Sheet]:
        """Return the sheets of the Instrument stage."""
        return instrument_sheets(self, self.book.instrument, bool(self.book.sights), self.budget().budget)

    def instrument_picture(self, view: int, width: float, height: float) -> Picture:
        """Return the picture of the Instrument stage: one reading, or the budget of the weakest height."""
        if view == 1:
            from vivid_keel.figures.kit.charts import budget_bars

            found = self.budget()
            title = f"{found.mark}, the weakest height" if found.mark else "The weakest height"
            return budget_bars(found.budget, title, width, height)
        return worth(self.book.instrument, self.result.distances.tolist(), width, height)

    def budget(self) -> RunBudget:
        """Return the error budget of the weakest mark, worked out when first wanted."""
        if self._budget is None:
            self._budget = run_budget(self.result) if self.book.sights else RunBudget("", Budget(()))
        return self._budget

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        """Return by how much its most unequal sights differ: what a collimation error works over."""
        if not sights:
            return []
        unequal = [abs(c.back - c.fore) for c in corrections(self.result).setups]
        worst = max((d for d in unequal if d == d), default=0.0)
        return [(f"unequal sights, {self.book.name}", round(worst, 1))] if worst > 0 else []
