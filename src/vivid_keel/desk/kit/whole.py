"""The whole kit on the desk: what there is and what it is worth, which one for a task, the diary."""

from __future__ import annotations

from vivid_keel.core.instruments.advisor import ENOUGH
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.kinds import Finding, worst_first
from vivid_keel.core.quantities import show_number
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Next, StageTab
from vivid_keel.desk.kit.kept import KeptKit
from vivid_keel.desk.kit.questions import QUESTIONS
from vivid_keel.desk.kit.whole_sheets import AddSheet, AnswersSheet, DiarySheet, QuestionSheet, ToolsSheet
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.figures.budget import budget_bars
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.charts import who_can
from vivid_keel.figures.kit.diary import calendar
from vivid_keel.figures.small import in_room


class KitDesk(KeptKit):
    """The kit as a whole."""

    type = "kit"
    handbook = "desk/kit/help.md"
    stage_names = ("Instruments", "Which one", "Diary")

    def question(self, stage: str) -> tuple[str, ...]:
        return QUESTIONS[(self.type, stage)]

    def state(self) -> tuple[str, str]:
        due = len(self.due_now())
        n = len(self.tools)
        words = f"{n} instrument{'s' if n != 1 else ''}"
        return ("open", f"{words} · {due} due") if due else ("in" if n else "todo", words)

    def tabs(self) -> list[StageTab]:
        due = self.due()
        now = len(self.due_now())
        return [
            StageTab("Instruments", 1.0 if self.tools else 0.0, str(len(self.tools)) if self.tools else ""),
            StageTab("Which one", 1.0 if self.file.journal.latest(0, "question") else 0.0),
            StageTab("Diary", 1 - now / len(due) if due else 0.0, f"{now} due" if now else ""),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Instruments":
            return [ToolsSheet(self), AddSheet(self)] if self.tools else [AddSheet(self)]
        if stage == "Which one":
            return [QuestionSheet(self), AnswersSheet(self)]
        return [DiarySheet(self)]

    def views(self, stage: str) -> list[str]:
        return ["All of them", "Budget of the one in hand"] if stage == "Which one" and self.advice() else []

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        return in_room(lambda desk, w, h: desk._drawn(stage, view, w, h), self, width, height)

    def _drawn(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Which one":
            found = self.advice()
            if view == 1 and found:
                a = found[min(max(self.focus, 0), len(found) - 1)]
                return budget_bars(a.budget, f"{a.tool.name} over {self.span:g} m", width, height)
            return who_can(found, self.tolerance, self.span, width, height)
        return calendar(self.lines(), self.now, width, height)

    def findings(self, stage: str) -> list[Finding]:
        out = []
        if not self.tools:
            return [
                *self._looks_said(),
                Finding(
                    "todo", "The kit is empty", "Say which instruments there are; Enter on a kind adds one."
                ),
            ]
        if stage == "Which one":
            return worst_first(self._said())
        for tool, due in self.due_now()[:6]:
            knocked = "since" in due.why
            out.append(
                Finding(
                    "open" if knocked else "todo",
                    f"{tool.name}: {PROCEDURES[due.procedure].title.lower()}",
                    due.why[:1].upper() + due.why[1:] + ".",
                    action=f"tool:{tool.id}:{due.procedure}",
                    action_label="Check it",
                )
            )
        out += self._looks_said()
        if not out:
            out.append(
                Finding("in", "Nothing is due today", "Every check that is kept up is within its days.")
            )
        return worst_first(out)

    def _looks_said(self) -> list[Finding]:
        here = {line.uid for line in self.lines() if line.day <= self.now.date()}
        return [
            Finding(
                "todo",
                f"{x.name}: {x.title}",
                f"{x.why[:1].upper()}{x.why[1:]}.",
                action=x.key,
                action_label="Go there",
            )
            for x in self.looks()
            if x.line.uid in here
        ]

    def _said(self) -> list[Finding]:
        able = [a for a in self.advice() if a.proves and not a.hindrance]
        t = self.tolerance * 1000
        if not able:
            return [
                Finding(
                    "out",
                    f"None can prove ± {t:g} mm here",
                    "Shorten the span, go round it in steps, allow more, or borrow a better one.",
                )
            ]
        best = able[0]
        why = Working(
            "U over the span",
            "U = 2·√(Σ u²)",
            f"2·√({' + '.join(f'{x.u * 1000:.3f}²' for x in best.budget.lines)}) = {best.budget.U * 1000:.2f} mm",
            tuple(f"{x.name}: {x.u * 1000:.3f} mm" for x in best.budget.lines),
        )
        wanting = "" if best.sure else f"First: {best.tool.state(self.now).words}. "
        out = [
            Finding(
                best.sign,
                f"{best.tool.name} proves it"
                if best.sure
                else f"{best.tool.name} would prove it, once checked",
                f"{wanting}U = {best.budget.U * 1000:.2f} mm of ± {t:g} mm; largest part: {best.budget.dominant.name}.",
                why,
            )
        ]
        enough = [a.tool.name for a in able if a.enough]
        if len(enough) > 1:
            left = ENOUGH * t
            out.append(
                Finding(
                    "note",
                    "More precision buys nothing",
                    f"{', '.join(enough)} all stay under {show_number(left, 2)} mm, a quarter of the tolerance: "
                    "take the handiest of them.",
                )
            )
        return out

    def next(self, stage: str) -> Next:
        if not self.tools:
            return Next("Next: add an instrument", "Enter on its kind", "add")
        due = self.due_now()
        if due and stage != "Which one":
            tool, d = due[0]
            return Next(
                f"Next: check {tool.name}",
                f"{PROCEDURES[d.procedure].title.lower()}: {d.why}",
                f"tool:{tool.id}:{d.procedure}",
            )
        if stage != "Which one":
            return Next("Next: which one for the job?", "tolerance, span and conditions", "which")
        return Next("Next: the diary", "what falls due, and when", "diary")

    def go(self, key: str) -> Goto | None:
        what, _, rest = key.partition(":")
        if what == "tool":
            id, _, procedure = rest.partition(":")
            pairs = [
                k
                for tool in self.tools
                if tool.id == int(id)
                for k in tool.kind.checks
                for _ in PROCEDURES[k].ways
            ]
            return Goto(
                "Which check" if procedure else "Instrument",
                0,
                (pairs.index(procedure), 1) if procedure in pairs else None,
                0,
                int(id),
            )
        if what == "job":
            work, _, path = rest.partition(":")
            self.open_job(path, int(work))
            return None
        if what == "matter":
            return Goto("Record", work=int(rest), job=True)
        if what == "work":
            return Goto("Proof", 2, None, 0, int(rest), job=True)
        if what == "add":
            return Goto("Instruments", 1 if self.tools else 0)
        return {"which": Goto("Which one"), "diary": Goto("Diary")}.get(what)
