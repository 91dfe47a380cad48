"""A network on the desk: the job's runs adjusted together."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vivid_keel.core.levelling.proof import Budget
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import matters
from vivid_keel.core.works.network import (
    NetworkBook,
    NetworkLine,
    NetworkResult,
    network_findings,
    network_state,
    work_out_network,
)
from vivid_keel.core.works.network.book import settings_of
from vivid_keel.core.works.run.lines import own_name, run_lines
from vivid_keel.core.works.run.register import Register
from vivid_keel.figures.display import Picture
from vivid_keel.figures.network import network
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Desk, Goto, LongWork, Next, Sheet, StageTab
from vivid_keel.ui.desk.kit_stage import BudgetSheet
from vivid_keel.ui.desk.network_sheets import LegsSheet, NetworkMarksSheet, RunsSheet, WorthSheet
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet

MOST_FOR_BUDGET = 5000
"""Marks and lines of sight up to which the budget of the weakest is worked out at once."""


@dataclass(frozen=True, slots=True)
class TakenRun:
    """A run of the job as the network sees it."""

    id: int
    name: str
    setups: int
    marks: int


class NetworkDesk(Desk):
    """A network."""

    type = "network"
    stage_names = ("Instrument", "Readings", "Heights", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.result: NetworkResult | None = None
        self.done = 0.0
        self._budget: tuple[str, Budget] | None = None
        self._state = network_state(None)
        self.refresh()

    def refresh(self) -> None:
        journal = self.file.journal
        self.seen = journal.revision
        self.book, self.runs = self._gather()
        self.result = None
        self._budget = None
        self._findings: dict[str, list[Finding]] = {}
        self.__dict__.pop("touching", None)

    def follow(self, entries: list[Entry]) -> None:
        """What is noted under Record changes no height."""
        if all(e.kind in {"matter", "settled"} for e in entries):
            self._findings = {}
            self.seen = self.file.journal.revision
            return
        self.refresh()

    @property
    def stale(self) -> bool:
        return self.seen != self.file.journal.revision

    def _gather(self) -> tuple[NetworkBook, list[TakenRun]]:
        """The job's runs as lines, and their known marks; a mark listed with two heights is a clash."""
        journal = self.file.journal
        weights, left_out = settings_of(journal, self.work)
        register = Register(journal)
        lines: list[NetworkLine] = []
        known: dict[str, tuple[float, float]] = {}
        clashes: list[str] = []
        names: dict[int, str] = {}
        runs: list[TakenRun] = []
        styles: list[LengthStyle] = []
        for id in register.runs():
            result = register.result(id)
            names[id] = result.book.name
            styles.append(result.book.style)
            found = run_lines(result)
            runs.append(TakenRun(id, result.book.name, result.layout.setups, len({x.mark for x in found})))
            if id in left_out:
                continue
            lines += [NetworkLine(x.mark, x.stand, x.rise, x.sigma, x.length, id, x.setup) for x in found]
            for k in result.book.known:
                if k.from_work:
                    continue  # its height comes from another run of this network
                name = own_name(k.name, result.book.name)
                if name in known and abs(known[name][0] - k.height) > 1e-9:
                    clashes.append(f"{k.name} is listed with two heights; strike the wrong one")
                known.setdefault(name, (k.height, k.u))
        style = min(styles, key=lambda s: s.step) if styles else LengthStyle()
        book = NetworkBook(
            self.work, journal.name_of(self.work), style, lines, known, list(dict.fromkeys(clashes)), names, left_out, weights,
            frozenset(line.to for line in lines),
        )  # fmt: skip
        return book, runs

    # The adjustment runs off the window's thread: it wants libraries that are slow to come, and may be long.

    def long_work(self) -> LongWork | None:
        if self.result is not None:
            return None
        book = self.book

        def adjust(seconds_left):  # type: ignore[no-untyped-def]
            def carry_on(done: float) -> bool:
                self.done = done
                return bool(seconds_left() > 0)

            return work_out_network(book, carry_on)

        return ("network", self.seen), adjust

    def long_work_done(self, key: object, found: NetworkResult | None) -> None:
        if key == ("network", self.seen):
            self._budget = None
            self.result = found or NetworkResult(self.book, None, [], [], "it was stopped, or took too long")
            self._findings = {}
            self.__dict__.pop("touching", None)

    @property
    def busy_words(self) -> str:
        """What is being worked out, and how far it is."""
        return f"Working out the network: {self.done * 100:.0f} %" if self.result is None else ""

    @cached_property
    def touching(self) -> list[int]:
        """How many lines touch each mark."""
        net = self.result.net if self.result else None
        return np.bincount(net.ends.ravel(), minlength=len(net.names)).tolist() if net else []

    def left_out_entry(self, run: int) -> int | None:
        """The entry that leaves a run out, None where it is taken in."""
        for e in self.file.journal.standing(self.work, "left-out"):
            if int(e.body["run"]) == run:
                return e.id
        return None

    def state(self) -> tuple[str, str]:
        if self.result is not None:
            self._state = network_state(self.result)
        return self._state

    def tabs(self) -> list[StageTab]:
        r = self.result
        net = r.net if r else None
        lines = len(self.book.lines)
        good = net is not None and r is not None and net.freedom > 0 and not r.suspicious
        open_matters = sum(m.settled is None for m in matters(self.file.journal, self.work))
        return [
            StageTab("Instrument", 1.0),
            StageTab("Readings", 1.0 if lines else 0.0, str(lines) if lines else ""),
            StageTab("Heights", 1.0 if net else 0.0, str(len(r.marks)) if r and net else ""),
            StageTab("Proof", 1.0 if good else 0.5 if net else 0.0),
            StageTab("Record", 0.5 if open_matters else 0.0, f"{open_matters} open" if open_matters else ""),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Instrument":
            return [WorthSheet(self), BudgetSheet(self.budget()[1])]
        if stage == "Readings":
            return [RunsSheet(self)]
        if stage == "Heights":
            return [NetworkMarksSheet(self)]
        if stage == "Proof":
            return [LegsSheet(self)]
        return [MattersSheet(self), LogSheet(self)]

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Record" and self.result is not None:
            from vivid_keel.ui.desk.report_preview import record_picture

            return record_picture(self, width, height)
        if stage == "Instrument" and view == 1:
            from vivid_keel.figures.kit.charts import budget_bars

            mark, budget = self.budget()
            return budget_bars(budget, f"{mark}, the weakest height" if mark else "The weakest height", width, height)
        return network(self.result, width, height, self.focus if stage in {"Heights", "Proof"} else -1)

    def views(self, stage: str) -> list[str]:
        return ["Plan", "Error budget"] if stage == "Instrument" else []

    def budget(self) -> tuple[str, Budget]:
        """The weakest mark and its error budget, worked out when first wanted; empty for networks too large to ask."""
        if self._budget is None and self.result is not None and self.result.net is not None:
            from vivid_keel.core.works.network.budget import network_budget

            small = len(self.result.net.names) <= MOST_FOR_BUDGET
            self._budget = network_budget(self.result) if small else ("", Budget(()))
        return self._budget or ("", Budget(()))

    def findings(self, stage: str) -> list[Finding]:
        if stage not in self._findings:
            self._findings[stage] = network_findings(self.result, matters(self.file.journal, self.work))
        return self._findings[stage]

    def next(self, stage: str) -> Next:
        r = self.result
        if not self.book.lines:
            return Next(
                "Next: book two runs that meet", "a network joins the job's level runs; New work, Level run", "runs"
            )
        if r is None:
            return Next("Being worked out", "heights and their uncertainties follow", "heights")
        if r.loose or r.net is None:
            return Next("Next: join what hangs loose", "the verdict names the marks", "runs")
        if r.suspicious:
            return Next("Next: look at the worst line", "find the slip there, or leave the run out", "worst")
        if stage != "Record":
            return Next("Next: write the report", "heights, corrections, what checks them", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def go(self, key: str) -> Goto | None:
        places = {
            "runs": Goto("Readings"),
            "worst": Goto("Proof", 0, (0, 1)),
            "heights": Goto("Heights"),
            "record": Goto("Record"),
        }
        return places.get(key)
