"""An instrument of the kit on the desk: its sheets and pictures, and where its keys lead."""

from __future__ import annotations

from vivid_keel.core.instruments.outcome import DECISIONS
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.desk.kit.held import VALUE, HeldTool
from vivid_keel.desk.kit.tool_sheets import (
    DecisionsSheet,
    HistorySheet,
    MeaningSheet,
    StepsSheet,
    TraitsSheet,
    WhichCheckSheet,
)
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit import check_picture
from vivid_keel.figures.kit.charts import drift, gauge
from vivid_keel.figures.small import in_room


class ToolDesk(HeldTool):
    """One instrument."""

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Instrument":
            return [TraitsSheet(self), HistorySheet(self)]
        if stage == "Which check":
            return [WhichCheckSheet(self)]
        if stage == "Readings":
            return [StepsSheet(self)]
        if stage == "Result":
            return [DecisionsSheet(self), MeaningSheet(self)]
        return [HistorySheet(self)]

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        return in_room(lambda desk, w, h: desk._drawn(stage, view, w, h), self, width, height)

    def _drawn(self, stage: str, view: int, width: float, height: float) -> Picture:
        run = self.run
        if stage == "Which check":
            pairs = WhichCheckSheet(self).pairs
            procedure, way = pairs[min(max(self.focus, 0), len(pairs) - 1)]
            return check_picture(self.planned(procedure, way), None, None, width, height)
        if stage == "History":
            keys = list(self._histories().values())
            return drift(self.tool, keys[min(view, len(keys) - 1)] if keys else "", self.now, width, height)
        if stage == "Result":
            if view == 1 and run is not None:
                return self.practising().screw(run, width, height)
            return gauge(run.outcome.found if run is not None else [], self._spans(), width, height)
        if run is None:
            return check_picture(
                self.planned(self.tool.kind.checks[0], PROCEDURES[self.tool.kind.checks[0]].ways[0][0]),
                None,
                None,
                width,
                height,
            )
        step = self.step_in_hand(run)
        if stage == "Readings" and view == 1:
            return self.practising().picture(run, step, self._typed_at(step), width, height)
        if step is not None and run.procedure.key not in {"reversal", "plumb"} and self.typed is None:
            begun = any(k.endswith(f"/{step.cycle}") for k in run.seen)
            if step.cycle > 1 and not begun:
                step = None  # a further cycle not begun yet: the last one says more
        return check_picture(
            run,
            step if stage == "Readings" and not run.decided else None,
            self._typed_at(step),
            width,
            height,
        )

    def go(self, key: str) -> Goto | None:
        what, _, name = key.partition(":")
        if what == "step" and self.run is not None:
            row = next((i for i, step in enumerate(self.run.steps) if step.key == name), 0)
            return Goto("Readings", 0, (row, VALUE))
        if what == "which":
            pairs = WhichCheckSheet(self).pairs
            row = next((i for i, (p, _) in enumerate(pairs) if p == name), 0)
            return Goto("Which check", 0, (row, 1))
        if what == "decide":
            return Goto("Result", 0, DecisionsSheet(self).first(), 0)
        if what == "adjusted":
            return Goto("Result", 0, (len(DECISIONS), 1), 1 if len(self.views("Result")) > 1 else 0)
        return {
            "result": Goto("Result", 0, None, 0),
            "history": Goto("History", 0, None, 0),
            "instrument": Goto("Instrument"),
        }.get(what)
