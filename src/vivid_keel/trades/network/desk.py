"""A network while it is shown: worked out off the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.kinds import Finding
from vivid_keel.core.proof import Budget
from vivid_keel.core.record.entries import Entry
from vivid_keel.desk.base import LongWork
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.network.book import NetworkBook
from vivid_keel.trades.network.result import Adjusted, NetworkResult, network_state, work_out_network

MOST_FOR_BUDGET = 5000
"""Marks and lines of sight up to which the budget of the weakest is worked out at once."""


class NetworkDesk(WorkDesk):
    """A network."""

    result: Adjusted

    def begin(self) -> None:
        self.done = 0.0
        self._state: tuple[str, str] = ("todo", "being worked out")

    @property
    def book(self) -> NetworkBook:
        return self.result.book

    @property
    def adjusted(self) -> NetworkResult | None:
        """What it came to, None while it is being worked out."""
        return self.result.net_result

    def take(self, result: Any) -> None:
        super().take(result)
        self._budget: tuple[str, Budget] | None = None
        self._findings: dict[str, list[Finding]] = {}
        self.__dict__.pop("touching", None)

    def follow(self, entries: list[Entry]) -> None:
        """What is noted under Record changes no height."""
        if all(entry.kind in {"matter", "settled"} for entry in entries):
            self._findings = {}
            self.seen = self.file.journal.revision
            return
        self.refresh()

    @property
    def stale(self) -> bool:
        return self.seen != self.file.journal.revision

    # The adjustment runs off the window's thread: it wants libraries that are slow to come, and may be long.

    def long_work(self) -> LongWork | None:
        if self.adjusted is not None:
            return None
        book = self.book

        def adjust(seconds_left: Callable[[], float]) -> NetworkResult:
            def carry_on(done: float) -> bool:
                self.done = done
                return seconds_left() > 0

            return work_out_network(book, carry_on)

        return (self.type, self.seen), adjust

    def long_work_done(self, key: object, found: NetworkResult | None) -> None:
        if key == (self.type, self.seen):
            stopped = NetworkResult(self.book, None, [], [], "it was stopped, or took too long")
            self.take(replace(self.result, net_result=found or stopped))

    @property
    def busy_words(self) -> str:
        """What is being worked out, and how far it is."""
        return f"Working out the network: {self.done * 100:.0f} %" if self.adjusted is None else ""

    @cached_property
    def touching(self) -> list[int]:
        """How many lines touch each mark."""
        net = self.adjusted.net if self.adjusted else None
        return np.bincount(net.ends.ravel(), minlength=len(net.names)).tolist() if net else []

    def left_out_entry(self, run: int) -> int | None:
        """The entry that leaves a run out, None where it is taken in."""
        for entry in self.file.journal.standing(self.work, "left-out"):
            if int(entry.body["run"]) == run:
                return entry.id
        return None

    def state(self) -> tuple[str, str]:
        if self.adjusted is not None:
            self._state = network_state(self.result)
        return self._state

    def budget(self) -> tuple[str, Budget]:
        """The weakest mark and its error budget, worked out when first wanted; empty for networks too large to ask."""
        if self._budget is None and self.adjusted is not None and self.adjusted.net is not None:
            from vivid_keel.trades.network.budget import network_budget

            small = len(self.adjusted.net.names) <= MOST_FOR_BUDGET
            self._budget = network_budget(self.adjusted) if small else ("", Budget(()))
        return self._budget or ("", Budget(()))

    def findings(self, stage: str) -> list[Finding]:
        if stage not in self._findings:
            self._findings[stage] = super().findings(stage)
        return self._findings[stage]
