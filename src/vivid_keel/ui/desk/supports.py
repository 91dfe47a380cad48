"""Supports on the desk: their stages, and what each shows and does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from vivid_keel.core.cautions import LIFTING, MACHINES, SHIMS, Caution, for_instrument
from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.means import LEAVES, SCREW
from vivid_keel.core.levelling.scale import HANGS, STANDS
from vivid_keel.core.levelling.stacks import Packing
from vivid_keel.core.quantities import show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import acknowledged, matters
from vivid_keel.core.works.supports import (
    SupportsBook,
    SupportsResult,
    TargetChoice,
    fold_supports,
    measure,
    pack,
    supports_findings,
    supports_state,
    work_out_supports,
)
from vivid_keel.core.works.supports.drawn import raised, tipped
from vivid_keel.figures.display import Picture
from vivid_keel.figures.instrument import worth
from vivid_keel.figures.supports import elevation, senses
from vivid_keel.figures.supports_plan import plan, proof
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Desk, Goto, LongWork, Look, Next, Sheet, StageTab
from vivid_keel.ui.desk.instrument_stage import instrument_sheets
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet
from vivid_keel.ui.desk.report_preview import record_picture
from vivid_keel.ui.desk.supports_again import AgainSheet
from vivid_keel.ui.desk.supports_corrections import CorrectionsSheet
from vivid_keel.ui.desk.supports_limits import LimitsSheet, MeansSheet
from vivid_keel.ui.desk.supports_moves import MovesSheet
from vivid_keel.ui.desk.supports_passes import HangingSheet, PassesSheet
from vivid_keel.ui.desk.supports_points import LayOutSheet, PointsSheet
from vivid_keel.ui.desk.supports_practice import answer_drafts
from vivid_keel.ui.desk.supports_readings import DeviationsSheet, FoundSheet, LeftSheet
from vivid_keel.ui.desk.supports_stock import StockSheet
from vivid_keel.ui.desk.supports_target import TargetsSheet, refuse_broken


class SupportsDesk(Desk):
    """Supports under a floor or frame."""

    type = "supports"
    stage_names = ("Instrument", "Set-up", "Readings", "Heights", "Target", "Moves", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.typed: dict[str, dict[int, str]] = {}
        self._packings: dict[object, Packing | None] = {}
        self.dragged: TargetChoice | None = None
        self._so_far: tuple[float, float] | None = None
        self.refresh()

    def refresh(self) -> None:
        self.dragged = None
        self.book: SupportsBook = fold_supports(self.file.journal, self.work)
        self.measured = measure(self.book)
        self._work_out()

    def would_be(self, choice: TargetChoice) -> SupportsResult:
        """Return what another target would give."""
        return work_out_supports(self.book, None, choice, self.measured)

    def _work_out(self) -> None:
        bare = work_out_supports(self.book, None, self.dragged, self.measured)
        packing = self._packings.get(self._key(bare)) if self.dragged is None else None
        self.result: SupportsResult = bare if packing is None else replace(bare, packing=packing)

    def _key(self, result: SupportsResult) -> object:
        b = result.book
        stock = tuple((leaf.thickness, leaf.count) for leaf in b.stock)
        return (tuple(np.round(result.wanted, 9).tolist()), stock, result.learned.interface, b.limits.most_leaves, b.means.kind)

    def long_work(self) -> LongWork | None:
        """Return what a worker should choose leaves for, or None where nothing is to be chosen."""
        key = self._key(self.result)
        if key in self._packings or not self.result.to_move or not self.book.stock or self.dragged is not None:
            return None
        if self.book.means.kind != LEAVES:
            return None
        result = self.result
        return key, lambda seconds_left: pack(result, seconds_left, self._better)

    def _better(self, packing: Packing) -> None:
        """Hear from the worker how near it has come."""
        self._so_far = (packing.greatest_residual, packing.bound)

    @property
    def busy_words(self) -> str:
        if self._so_far is None:
            return "Choosing the leaves"
        return f"Choosing the leaves: within {self._so_far[0] * 1000:.2f} mm so far, at best {self._so_far[1] * 1000:.2f}"

    def long_work_done(self, key: object, found: Packing | None) -> None:
        """Take what a worker chose."""
        self._so_far = None
        self._packings[key] = found
        self._work_out()

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        return [(p.name, p.x, p.y, float("nan"), {"row": p.row}) for p in self.book.points]

    def state(self) -> tuple[str, str]:
        return supports_state(self.result)

    def tabs(self) -> list[StageTab]:
        b, r, n = self.book, self.result, len(self.book.points)
        read = r.read / n if n else 0.0
        open_matters = sum(m.settled is None for m in matters(self.file.journal, self.work))
        proved = r.read_left / r.read if r.read else 0.0
        return [
            StageTab("Instrument", 1.0 if b.instrument and b.instrument.stated else 0.0),
            StageTab("Set-up", 1.0 if n else 0.0, str(n) if n else ""),
            StageTab("Readings", read, str(r.read) if r.read else ""),
            StageTab("Heights", read),
            StageTab("Target", (0.5 * b.target_chosen + 0.5 * bool(b.stock)) if r.read else 0.0),
            StageTab(
                "Moves",
                1.0 if r.read and not r.to_move else 0.5 * b.lifting_acknowledged,
                str(len(r.to_move)) if r.to_move else "",
            ),
            StageTab("Proof", proved, f"{r.read_left} of {r.read}" if r.read_left else ""),
            StageTab("Record", 0.5 if open_matters else proved, f"{open_matters} open" if open_matters else ""),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        instrument = self.book.instrument
        assert instrument is not None
        sheets: dict[str, Callable[[], list[Sheet]]] = {
            "Instrument": lambda: instrument_sheets(self, instrument, bool(self.result.read), self.result.budget()),
            "Set-up": lambda: [PointsSheet(self), HangingSheet(self)] if self.book.points else [LayOutSheet(self)],
            "Readings": lambda: [FoundSheet(self)],
            "Heights": lambda: [DeviationsSheet(self), CorrectionsSheet(self)],
            "Target": lambda: [TargetsSheet(self), *([StockSheet(self)] if self.by_leaves else []), LimitsSheet(self), MeansSheet(self)],
            "Moves": lambda: [MovesSheet(self)],
            "Proof": lambda: [LeftSheet(self), PassesSheet(self), AgainSheet(self)],
            "Record": lambda: [MattersSheet(self), LogSheet(self)],
        }
        return sheets[stage]()

    @property
    def by_leaves(self) -> bool:
        return self.book.means.kind == LEAVES

    def own_looks(self) -> list[Look]:
        return [Look(x.due, self.work, self.book.name, x.note) for x in self.book.looks]

    def views(self, stage: str) -> list[str]:
        if stage == "Instrument":
            return ["One reading", "Error budget"]
        if stage in {"Proof", "Record"}:
            return []
        rows = self.book.rows
        return [*rows, "Plan"] if stage in {"Set-up", "Moves"} else rows if len(rows) > 1 else []

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Instrument":
            assert self.book.instrument is not None
            if view == 1:
                from vivid_keel.figures.kit.charts import budget_bars

                return budget_bars(self.result.budget(), "One deviation: height − target", width, height)
            return worth(self.book.instrument, [], width, height)
        if stage == "Proof":
            return proof(self.result, width, height, self.focus)
        if stage == "Record":
            return record_picture(self, width, height)
        rows = self.book.rows
        if not rows:
            return senses(width, height, self.typed.get("lay-out", {}).get(4, self.book.limits.sense))
        if stage in {"Set-up", "Moves"} and view >= len(rows):
            return plan(self.result, width, height, self.focus)
        row = rows[min(view, len(rows) - 1)]
        label = {"Readings": "readings", "Set-up": "readings", "Heights": "heights", "Target": "target"}.get(
            stage, "moves"
        )
        return elevation(self.result, row, width, height, self.focus, label)

    def findings(self, stage: str) -> list[Finding]:
        found = supports_findings(self.result, matters(self.file.journal, self.work), stage)
        if self.hidden is not None:
            found = [f for f in found if f.action != "eye"]  # there is nothing to look at
            found.append(Finding("note", "A simulated building", "For practice: springy, closing, sinking and noisy as real ones are. Nothing here was read on site.",
                                 action="answer" if self.result.read_left == 0 else "", action_label="Pack, let it answer"))  # fmt: skip
        if self.long_work() is not None:
            found.append(Finding("note", "Choosing the leaves", "For all points together, from the one stock."))
        return found

    def cautions(self, stage: str) -> list[Caution]:
        assert self.book.instrument is not None
        given: tuple[Caution, ...] = ()
        if stage in {"Instrument", "Set-up"}:
            given = for_instrument(self.book.instrument.way)
        elif stage == "Moves" and self.result.to_move:
            kind = self.book.means.kind
            own = {LEAVES: (SHIMS,), SCREW: (MACHINES,)}.get(kind, ())
            given = (LIFTING, *own) if self.result.lifts_something else own
        return [c for c in given if acknowledged(self.file.journal, self.work, c.key) is None]

    @property
    def cautions_first(self) -> bool:
        """Whether a lift is wanted and nobody has read the cautions: none is offered until then."""
        return not self.book.lifting_acknowledged and self.result.lifts_something

    def next(self, stage: str) -> Next:
        b, r = self.book, self.result
        if not b.points:
            return Next("Next: lay out the supports", "rows, posts in a row, spacing", "lay-out")
        unread = [p for p in b.points if p.found is None]
        if unread:
            held = "hung from the beam" if unread[0].sense == "hangs" else "stood on the point"
            return Next(f"Next: read {unread[0].name}", f"scale {held}, read at the line, then Enter", "readings")
        if r.to_move and not b.stock and self.by_leaves:
            return Next("Next: the stock of leaves", "thickness and how many of each", "stock")
        if r.to_move and r.read_left == 0:
            begun = not self.cautions_first and self.hidden is None  # readings may be booked under Proof as well
            if stage not in ({"Moves", "Proof", "Record"} if begun else {"Moves"}):
                return Next("Next: see the moves", "in order, until the scale shows what", "moves")
            if self.cautions_first:
                return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")
            if self.hidden is not None:
                return Next("Next: pack, let it answer", "the simulated building is read again at every post", "answer")
        waiting = [i for i in r.to_move if b.points[i].left is None and i not in r.broken]
        if waiting and stage == "Moves" and r.left_over(waiting[0]) == r.left_over(waiting[0]):
            i = waiting[0]
            word = "raise" if r.moves[i] >= 0 else "lower"
            return Next(f"Next: {word} {b.points[i].name} {abs(r.moves[i]) * 1000:.1f} mm",
                        f"{'pack, let down' if self.by_leaves else r.instructions[i].whole}, stop at {show_length(r.stop_at(i), b.style)}", f"left:{i}")  # fmt: skip
        unproved = [i for i, p in enumerate(b.points) if p.left is None]
        if unproved:
            i = (waiting or unproved)[0] if stage != "Proof" else unproved[0]
            return Next(f"Next: read {b.points[i].name} as left", "same line, same scale, then Enter", f"left:{i}")
        # Another round helps where something is out, or undecided by a method that could tell.
        judges = 2 * float(np.nanmax(r.u_left)) < b.limits.tolerance
        if any(v == "out" or (v == "open" and judges) for v in r.left_verdicts):
            n = len(b.passes) + 2
            return Next(
                f"Next: round {n}", "as left counts as found; the packing follows from how it answered", "round"
            )
        if r.left_verdicts and r.read_left and not b.looks and self.hidden is None and stage == "Proof":
            return Next("Next: when to look again", "what was brought level settles; it goes into the diary", "again")
        if stage != "Record":
            return Next("Next: write the report", "as found, moves, as left, verdicts", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def go(self, key: str) -> Goto | None:
        if key.startswith("left:"):
            return Goto("Proof", 0, (int(key[5:]), 2))
        if key == "answer":
            self.answer()
            return Goto("Proof", 0, None)
        if key == "turn-sense":
            self.turn_sense()
            return Goto("Readings", 0)
        if key == "eye":
            return Goto("Readings", 0, (len(self.book.points) + 1, 2))
        if key == "round":
            self.another_round()
            return Goto("Moves", 0, None, 0)
        if key == "readings":
            return Goto("Readings", 0, FoundSheet(self).first())
        return {
            "lay-out": Goto("Set-up", 0), "target": Goto("Target", 0), "stock": Goto("Target", 1), "moves": Goto("Moves"),
            "means": Goto("Target", 3 if self.by_leaves else 2), "again": Goto("Proof", 2),
            "instrument": Goto("Instrument"), "corrections": Goto("Heights", 1), "passes": Goto("Proof", 1), "record": Goto("Record"), "proof": Goto("Proof"),
        }.get(key)  # fmt: skip

    @property
    def step(self) -> float:
        return self.book.style.step

    @property
    def hidden(self) -> dict[str, float] | None:
        """The hidden numbers of the simulated building under a practice work; None where real posts stand."""
        entry = self.file.journal.latest(self.work, "stand-in")
        return {str(k): float(v) for k, v in entry.body["hidden"].items()} if entry is not None else None

    def answer(self) -> None:
        """Let the simulated building answer this round: its as-left readings are booked as one act."""
        hidden = self.hidden
        if hidden is None:
            raise KeelError("bad-value", "real posts answer by being read; practise on a copy of them (menu)")
        self.record(*answer_drafts(self, hidden))

    def another_round(self) -> None:
        """End this round: what was packed is recorded as planned, and what was read as left counts as found."""
        put, leaves = self.result.put_in()
        body: dict[str, Any] = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
        if used := self.result.used():
            body["used"] = used
        self.record(Draft(self.work, "pass", body))

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        """Return how far its supports reach: what a tilted tool works over."""
        points = self.book.points
        if sights or len(points) < 2:
            return []
        wide = max(p.x for p in points) - min(p.x for p in points)
        return [(self.book.name, round(max(wide, max(p.y for p in points) - min(p.y for p in points)), 1))]

    def turn_sense(self) -> None:
        """Turn the sense of the scale round, at every post that was read with it."""
        other = STANDS if self.book.limits.sense == HANGS else HANGS
        old = self.file.journal.latest(self.work, "limits")
        drafts = [Draft(self.work, "limits", {**(dict(old.body) if old else {}), "sense": other})]
        for e in self.file.journal.standing(self.work, "point"):
            if "sense" in e.body:
                turned = STANDS if e.body["sense"] == HANGS else HANGS
                drafts.append(Draft(self.work, "point", {**e.body, "sense": turned}, strikes=e.id))
        self.record(*drafts)

    def drag(self, value: float, *, done: bool) -> None:
        """Let every move follow the line; letting go records it once, to the step that is read."""
        self._follow(raised(self.result, value), done=done)

    def tilt(self, gradient: float, *, done: bool) -> None:
        """Tip the target about the beginning of the rows; letting go records it once."""
        choice = tipped(self.result, gradient)
        if choice is not None:
            self._follow(choice, done=done)

    def _follow(self, choice: TargetChoice, *, done: bool) -> None:
        """Show what a target would give; `done` records it, unless the limits rule it out."""
        if not done:
            self.dragged = choice
            self._work_out()
            return
        try:
            refuse_broken(self.would_be(choice))
        except KeelError:
            self.refresh()
            raise
        if choice.kind == "fall":
            along, across = choice.gradient
            body: dict[str, Any] = {"kind": "fall", "gradient_x": along, "gradient_y": across, "lift_m": choice.lift}
        else:
            text = show_length(choice.reading, self.book.style)
            body = {"kind": "height", "reading": {"text": text, "unit": self.book.unit, "m": choice.reading, "step_m": self.step}}
        self.record(Draft(self.work, "target", body))
