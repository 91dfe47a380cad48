"""The kit as it is kept: its instruments, what falls due, and which of them would do. What its sheets see."""

from __future__ import annotations

from datetime import datetime

from vivid_keel.core.instruments.advisor import Advice, advise
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.tool import Due, Tool, fold_kit
from vivid_keel.core.record.diary import DiaryLine, put_off, with_put_off
from vivid_keel.core.record.entries import KIT, Draft
from vivid_keel.core.record.readings import metres
from vivid_keel.desk.base import Desk, JobLike


class KeptKit(Desk):
    """The instruments of a kit, what each is worth today, and the question asked of them."""

    def __init__(self, file: JobLike, work: int = 0) -> None:
        super().__init__(file, work)
        self.refresh()

    def refresh(self) -> None:
        self.tools: list[Tool] = fold_kit(self.file.journal)
        entry = self.file.journal.latest(0, "question")
        self.tolerance = metres(entry.body["tolerance"]) if entry else 0.003
        self.span = metres(entry.body["span"]) if entry else 10.0
        self.conditions = frozenset(str(entry.body.get("conditions", "")).split()) if entry else frozenset()
        self._advice: list[Advice] | None = None

    @property
    def now(self) -> datetime:
        return self.file.now()

    @property
    def stale(self) -> bool:
        return True  # checks of any instrument change it

    def due(self) -> list[tuple[Tool, Due]]:
        """Return every check that is kept up, the soonest first; of stand-ins only where one has a record."""
        found = [
            (tool, d)
            for tool in self.tools
            if tool.hidden is None or tool.decided()
            for d in tool.due(self.now)
        ]
        return sorted(found, key=lambda pair: (pair[1].day, pair[0].name))

    def lines(self) -> list[DiaryLine]:
        """Return all that falls due, the soonest first: checks of instruments, and what the job wants looked at again."""
        checks = [
            line
            for tool in self.tools
            if tool.hidden is None or tool.decided()
            for line in tool.diary(self.now)
        ]
        again = [look.line for look in self.looks()]
        known = put_off(self.file.journal)
        lines = [with_put_off(line, known) for line in (*checks, *again)]
        return sorted(lines, key=lambda line: (line.day, line.name))

    def due_now(self) -> list[tuple[Tool, Due]]:
        """Return the checks that are due today or were before, those left out that somebody put off."""
        later = {line.key for line in self.lines() if line.put_off and line.day > self.now.date()}
        return [
            (tool, duty)
            for tool, duty in self.due()
            if duty.day <= self.now.date() and f"tool:{tool.id}:{duty.procedure}" not in later
        ]

    def advice(self) -> list[Advice]:
        if self._advice is None:
            self._advice = advise(
                [tool for tool in self.tools if tool.hidden is None],
                self.tolerance,
                self.span,
                self.conditions,
                self.now,
            )
        return self._advice

    def adding(self, kind: str) -> Draft:
        """Return what adds an instrument of a kind."""
        label = next(k.label for k in KINDS if k.key == kind)
        same = sum(tool.kind.key == kind for tool in self.tools)
        name = f"{label[:1].upper()}{label[1:]}{f' {same + 1}' if same else ''}"
        return Draft(0, "work", {"name": name, "type": f"{KIT}:{kind}", "unit": "m"})
