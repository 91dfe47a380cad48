"""Sheets of an instrument: its traits, its checks, the steps of one, what follows, its life."""

from __future__ import annotations

import math
import time
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.instruments.booked import Booked, parse_step, past_day
from vivid_keel.core.instruments.outcome import DECISIONS, Seen, Step, spans_of
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import HAPPENINGS, ago
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.kit.held import VALUE, HeldTool
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken

UNIT_WORDS = {"distance": "m", "words": "", "tilt": "mm/m"}


class TraitsSheet(FactsSheet):
    """An instrument's name, then what matters for one of its kind, each to be changed."""

    columns = (Column("What", 220), Column("Value", 150), Column("", 60), Column("What it means", 0))
    hint = "Type a value and Enter; grey ones are usual for the kind until you say"

    def __init__(self, desk: HeldTool) -> None:
        self.tool = tool = desk.tool
        numbers = {trait.key: tool.traits.number(trait.key) for trait in tool.kind.traits}
        super().__init__(
            desk,
            "What it is",
            tool.kind.traits,
            Stated(numbers, tool.texts, tool.trait_ids),
            ("trait", "name"),
        )

    @property
    def count(self) -> int:
        return 1 + len(self.facts)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        if row:
            return super().cell(row - 1, column)
        text = ("Name", self.tool.name, "", "what its owner calls it")[column]
        return Cell(text, ink="ink" if column < 2 else "muted", bold=column == 1, editable=column == 1)

    def start_text(self, row: int, column: int) -> str:
        return super().start_text(row - 1, column) if row else self.tool.name

    def accept(self, row: int, column: int, text: str) -> Taken:
        after = (min(row + 1, self.count - 1), 1)
        if row:
            return Taken(super().accept(row - 1, column, text).drafts, after)
        if not text.strip():
            raise KeelError("bad-value", "an instrument needs a name; the one it is called by will do")
        return Taken([Draft(self.desk.work, "rename", {"name": text.strip()})], after)


class WhichCheckSheet(Sheet):
    """The checks of its kind, each school or layout by itself; Enter begins or resumes one."""

    name = "Checks"
    columns = (
        Column("", 34),
        Column("Check", 160),
        Column("How", 0),
        Column("last", 96),
        Column("it found", 110, True),
        Column("due", 96),
    )
    hint = "Enter begins the check, or goes on where it was left"

    def __init__(self, desk: HeldTool) -> None:
        self.desk, self.tool = desk, desk.tool
        self.pairs = [(key, way) for key in self.tool.kind.checks for way, _ in PROCEDURES[key].ways]
        self._due = {d.procedure: d for d in self.tool.due(desk.now)}

    @property
    def count(self) -> int:
        return len(self.pairs)

    def first(self) -> Place:
        run = self.tool.open_check
        if run is not None:
            return (self.pairs.index((run.procedure.key, run.way)), 1)
        due = [
            i
            for i, (key, _) in enumerate(self.pairs)
            if key in self._due and self._due[key].day <= self.desk.now.date()
        ]
        return (due[0] if due else 0, 1)

    def picked(self, row: int) -> int:
        return row

    def cell(self, row: int, column: int) -> Cell:
        key, way = self.pairs[row]
        procedure = PROCEDURES[key]
        first = row == 0 or self.pairs[row - 1][0] != key
        run = self.tool.open_of(key, way)
        open_here = run is not None
        last = self.tool.last(key)
        if column == 0:
            if open_here:
                return Cell(sign="open")
            return Cell(sign=(last.outcome.verdict if last else "todo") if first else "")
        if column == 1:
            return Cell(procedure.title if first else "", bold=True)
        if column == 2:
            words = procedure.way_label(way) or procedure.purpose
            return Cell(
                words + (f" · begun, {run.booked} booked" if open_here and run is not None else ""),
                ink="ink" if open_here else "muted",
            )
        if not first:
            return Cell()
        if column == 3:
            return Cell(ago(last.ended, self.desk.now) if last else "never", ink="muted")
        if column == 4:
            item = last.outcome.found[0] if last and last.outcome.found else None
            return Cell(item.show(item.value) if item else "")
        due = self._due.get(key)
        if due is None:
            return Cell("when wanted", ink="muted")
        late = due.day <= self.desk.now.date()
        return Cell("now" if late else f"{due.day:%-d %b}", bold=late)

    def enter(self, row: int) -> Taken:
        return self.desk.begin(*self.pairs[row])


class StepsSheet(Sheet):
    """The steps of the check in hand, in order; a value is booked or refused in its place."""

    name = "Steps"
    value_column = VALUE
    columns = (
        Column("", 38, True),
        Column("Do", 0),
        Column("Read", 120, True),
        Column("", 56),
        Column("struck", 100, True),
    )
    hint = "Type what is read and Enter; F8 takes it from the picture; a reading typed later from notes ends with !"

    def __init__(self, desk: HeldTool) -> None:
        self.desk = desk
        self.run = desk.run
        self.steps = self.run.steps if self.run is not None else []

    @property
    def count(self) -> int:
        return len(self.steps)

    def first(self) -> Place:
        step = self.run.next_step(self.desk.passed) if self.run is not None else None
        return (
            next((i for i, s in enumerate(self.steps) if step is not None and s.key == step.key), 0),
            self.value_column,
        )

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked

    def lit(self, row: int) -> bool:
        return self.run is not None and row == self.first()[0] and self.steps[row].key not in self.run.seen

    def cell(self, row: int, column: int) -> Cell:
        step = self.steps[row]
        assert self.run is not None
        seen = self.run.seen.get(step.key)
        trouble = self.run.outcome.trouble
        if column == 0:
            new = step.cycle and (row == 0 or self.steps[row - 1].cycle != step.cycle)
            return Cell(str(step.cycle) if new else "", ink="muted")
        if column == 1:
            return Cell(
                step.title,
                ink="muted" if step.optional and seen is None else "ink",
                bold=trouble is not None and trouble.where == step.key,
                sign="out" if trouble is not None and trouble.where == step.key else "",
            )
        if column == self.value_column:
            hint = step.usual or ("optional" if step.optional else "")
            return Cell(
                seen.text if seen else "", bold=True, editable=not self.run.decided, hint="" if seen else hint
            )
        if column == 3:
            return Cell(UNIT_WORDS.get(step.unit, step.unit), ink="muted")
        struck = [text for key, text in self.run.struck if key == step.key]
        return Cell(struck[-1] if struck else "", ink="muted", struck=True)

    def start_text(self, row: int, column: int) -> str:
        assert self.run is not None
        seen = self.run.seen.get(self.steps[row].key)
        return seen.text if seen else ""

    def completions(self, row: int, column: int) -> list[str]:
        return list(self.steps[row].words)

    def typing(self, row: int, column: int, text: str) -> None:
        try:
            found = parse_step(
                self.steps[row], text, self.desk.tool.traits, self._unit(), self.desk.decimal_mark
            )
            self.desk.typed = None if math.isnan(found.value) else (self.steps[row].key, found.value)
        except KeelError:
            self.desk.typed = None

    def _unit(self) -> str:
        job = self.desk.file.journal.latest(0, "job")
        return str(job.body.get("unit", "m")) if job else "m"

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, run, step = self.desk, self.run, self.steps[row]
        assert run is not None
        if run.decided:
            raise KeelError("bad-value", "this check is in the record; begin a new one under Which check")
        if not text.strip() and step.optional and not step.usual:
            desk.passed.add(step.key)
            return Taken((), lambda sheet: sheet.after(step.key))
        noted = text.rstrip().endswith("!")
        typed = text.rstrip().rstrip("!") or step.usual
        found = parse_step(step, typed, desk.tool.traits, self._unit(), desk.decimal_mark)
        if step.unit == "day":
            past_day(typed, desk.now.date())
        desk.tool_accepts(run, step, found.value)
        if not noted:
            self._patient(row)
            self._plausible(step, found)
        body: dict[str, Any] = {
            "check": run.id,
            "step": step.key,
            "text": found.text,
            "step_size": found.step,
        }
        if not math.isnan(found.value):
            body["value"] = found.value
        old = run.seen.get(step.key)
        return Taken(
            [Draft(desk.work, "seen", body, strikes=old.id if old else None)],
            lambda sheet: sheet.after(step.key),
        )

    def after(self, key: str) -> Place:
        """Return the next step to book behind this one; the next cycle only when it has begun or is wanted."""
        assert self.run is not None
        at = next(i for i, step in enumerate(self.steps) if step.key == key)
        following = self.run.next_step(self.desk.passed)
        place = (
            at if following is None else next(i for i, s in enumerate(self.steps) if s.key == following.key)
        )
        return (place, self.value_column)

    def _plausible(self, step: Step, found: Booked) -> None:
        """Ask once about a reading that makes an error of what no such instrument has: pegs or legs are exchanged, or a unit is."""
        run = self.run
        assert run is not None
        if math.isnan(found.value):
            return
        seen = {**run.seen, step.key: Seen(0, found.text, found.value, found.step)}
        outcome = run.procedure.outcome(run.traits, run.way, seen)
        for item in outcome.found:
            if not is_missing(item.limit) and abs(item.value) > FAR_OUT * item.limit > 0:
                raise KeelError(
                    "far-out",
                    f"that makes {item.name} {item.show(item.value)}, {FAR_OUT} times what it may be: were two readings exchanged, or is "
                    "it another unit? Type it with ! behind to book it so",
                )

    def _patient(self, row: int) -> None:
        """Refuse a reading that comes sooner after the one before than a bubble settles."""
        step, run = self.steps[row], self.run
        assert run is not None
        wait = self.desk.tool.traits.number("settle")
        if (
            not run.procedure.waits
            or step.unit not in {"div", "tilt"}
            or math.isnan(wait)
            or step.key in run.seen
        ):
            return
        before = [s.at for s in run.seen.values()]
        gone = time.time() - max(before) if before else math.inf
        if gone < wait and self.desk.file.now().timestamp() - max(before, default=0.0) < wait:
            raise KeelError(
                "not-settled",
                f"not settled yet: it was turned at most {gone:.0f} s ago and wants {wait:g} s. Hands off, wait {wait - gone:.0f} s, look "
                "again, then Enter. Read earlier and only typed now? End it with !",
            )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row if row >= 0 else self.first()[0], self.value_column)

    def why(self, row: int) -> Working | None:
        return self.run.outcome.why if self.run is not None else None

    def strike(self, row: int) -> tuple[str, int] | None:
        assert self.run is not None
        seen = self.run.seen.get(self.steps[row].key)
        return (
            (f"{seen.text} at “{self.steps[row].title}”", seen.id) if seen and not self.run.decided else None
        )

    def footer(self) -> list[tuple[str, str]]:
        step = self.desk.step_in_hand(self.run) if self.run is not None else None
        return [(step.text, "")] if step is not None else []


class DecisionsSheet(Sheet):
    """What follows from a check: one of five; Enter puts it in the record."""

    name = "What follows"
    columns = (Column("", 34), Column("Decision", 250), Column("", 0))
    hint = "Enter puts the decision in the instrument's record"

    def __init__(self, desk: HeldTool) -> None:
        self.desk, self.run = desk, desk.run
        self.keys = list(DECISIONS)

    @property
    def count(self) -> int:
        if self.run is None or not self.run.outcome.found:
            return 0
        return len(self.keys) + (self.run.decided == "adjust")

    def first(self) -> Place:
        wanted = self.run.decided or self.run.outcome.decision if self.run is not None else ""
        return (self.keys.index(wanted) if wanted else 0, 1)

    def lit(self, row: int) -> bool:
        return (
            self.run is not None
            and row < len(self.keys)
            and not self.run.decided
            and self.keys[row] == self.run.outcome.decision
        )

    def cell(self, row: int, column: int) -> Cell:
        assert self.run is not None
        if row == len(self.keys):
            return Cell(
                (
                    "",
                    "it is adjusted: check again",
                    "begins a new line in its drift, and the same check anew",
                )[column],
                bold=column == 1,
            )
        key = self.keys[row]
        if column == 0:
            return Cell(
                sign="in" if self.run.decided == key else "todo" if self.run.outcome.decision == key else ""
            )
        if column == 1:
            return Cell(DECISIONS[key], bold=self.run.decided == key or self.lit(row))
        if self.run.decided == key:
            return Cell("in its record", ink="in")
        if self.run.outcome.decision == key:
            return Cell(self.desk.advice(self.run), ink="ink")
        if key == "correct" and not self.run.taken_out:
            return Cell("not for this: no job takes it off its readings", ink="muted")
        return Cell(
            {
                "trust": "nothing is done to its readings",
                "settle": "its ± counts in every U until a finer check says more",
                "correct": "the error found is taken off every reading",
                "allow": "no job takes it off: read so that it cancels, or take it off yourself",
                "adjust": "turned now, then checked again",
                "out": "no reading with it counts until it is mended and checked",
            }[key],
            ink="muted",
        )

    def enter(self, row: int) -> Taken:
        if row == len(self.keys):
            return self.desk.adjusted()
        screw = 1 if len(self.desk.views("Result")) > 1 else 0
        adjust = Goto("Result", 0, (len(self.keys), 1), screw)
        return Taken(self.desk.decision(self.keys[row]), adjust if self.keys[row] == "adjust" else (row, 1))


FAR_OUT = 50
"""Times its limit beyond which an error is asked about before it is booked [1]."""


class MeaningSheet(Sheet):
    """What a check means, in lines, and on the spans of the job."""

    name = "What that means"
    columns = (Column("What", 250), Column("", 170, True), Column("", 0))

    def __init__(self, desk: HeldTool) -> None:
        run = desk.run
        self.run = run
        self.lines = list(run.outcome.lines) if run is not None else []
        if run is not None:
            for f in run.outcome.found:
                for said, (name, length) in zip(spans_of(f, desk._spans()), desk._spans(), strict=False):
                    self.lines.append(
                        (
                            f"Over {name}, {length:g} m",
                            said.rpartition(") ")[2],
                            f"{f.name}, if it were not corrected",
                        )
                    )

    @property
    def count(self) -> int:
        return len(self.lines)

    def cell(self, row: int, column: int) -> Cell:
        return Cell(self.lines[row][column], ink="muted" if column == 2 else "ink", bold=column == 1)

    def why(self, row: int) -> Working | None:
        return self.run.outcome.why if self.run is not None else None


class HistorySheet(Sheet):
    """Its life: every check and everything that happened to it, the latest first."""

    name = "Its life"
    columns = (
        Column("When", 130),
        Column("", 34),
        Column("What", 230),
        Column("Found", 210, True),
        Column("So", 0),
    )
    hint = "F3: knocked, carried far, adjusted, repaired · Enter on a check shows it · type the day a check was done on"

    def __init__(self, desk: HeldTool) -> None:
        self.desk = desk
        tool = desk.tool
        rows: list[tuple[Any, int, str, str, str, str, bool]] = []
        for check in tool.checks:
            f = check.outcome.found[0] if check.outcome.found else None
            so = DECISIONS.get(check.decided, "open: nothing decided yet")
            rows.append(
                (
                    check.ended,
                    check.id,
                    check.outcome.verdict if check.decided else "todo",
                    check.procedure.title,
                    f"{f.show_with_u()}" if f else "",
                    so,
                    True,
                )
            )
        for h in tool.happenings:
            rows.append((h.time, h.id, "note", HAPPENINGS.get(h.what, h.what), "", h.note, False))
        self.rows = sorted(rows, key=lambda r: r[0], reverse=True)

    @property
    def count(self) -> int:
        return len(self.rows)

    def cell(self, row: int, column: int) -> Cell:
        when, _, sign, what, found, so, check = self.rows[row]
        return (
            Cell(f"{when:%-d %b %Y}", ink="muted", editable=check),
            Cell(sign=sign),
            Cell(what, bold=True),
            Cell(found),
            Cell(so, ink="muted"),
        )[column]

    def accept(self, row: int, column: int, text: str) -> Taken:
        """Take the day that a check was really done on."""
        _, id, _, _, _, _, check = self.rows[row]
        if not check or column != 0:
            return Taken()
        day = past_day(text, self.desk.now.date())
        if day == self.rows[row][0].date():
            return Taken()
        return Taken([Draft(self.desk.work, "dated", {"check": id, "day": day.isoformat()})], (row, 0))

    def enter(self, row: int) -> Taken:
        _, id, _, _, _, _, check = self.rows[row]
        if not check:
            return Taken()
        self.desk.chosen = id
        return Taken((), Goto("Result", 0, None, 0))

    def strike(self, row: int) -> tuple[str, int] | None:
        when, id, _, what, _, _, _ = self.rows[row]
        return f"{what} of {when:%-d %b %Y}", id
