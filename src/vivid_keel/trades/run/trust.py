"""A run's instruments on the desk: what reads here, what it is worth, and where the uncertainty comes from."""

from __future__ import annotations

from vivid_keel.core.proof import Budget
from vivid_keel.core.quantities import is_missing
from vivid_keel.desk.kit_stage import tell_kit
from vivid_keel.trades.run.budget import RunBudget, run_budget
from vivid_keel.trades.run.corrections import corrections
from vivid_keel.trades.run.hair import HairDesk
from vivid_keel.trades.run.result import RunResult


class TrustDesk(HairDesk):
    """What a run's desk knows of its instruments."""

    result: RunResult
    _budget: RunBudget | None = None

    def knocked(self) -> None:
        """Let the kit know that the instrument in hand was knocked here."""
        tell_kit(self, self.book.instrument, f"in {self.book.name}")

    def budget(self) -> RunBudget:
        """Return the error budget of the weakest mark, worked out when first wanted."""
        if self._budget is None:
            self._budget = run_budget(self.result) if self.book.sights else RunBudget("", Budget(()))
        return self._budget

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        """Return by how much its most unequal sights differ: what a collimation error works over."""
        if not sights:
            return []
        unequal = [abs(setup.back - setup.fore) for setup in corrections(self.result).setups]
        worst = max((d for d in unequal if not is_missing(d)), default=0.0)
        return [(f"unequal sights, {self.book.name}", round(worst, 1))] if worst > 0 else []
