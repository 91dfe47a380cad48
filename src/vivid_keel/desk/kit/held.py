"""An instrument of the kit while it is shown: its check in hand, its stand-in, its stream, what follows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime

import numpy as np

from vivid_keel.core.cautions import LASER, OPTICS, STAFF, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.outcome import (
    ADJUST,
    ALLOW,
    CORRECT,
    DECISIONS,
    OUT_OF_USE,
    SETTLE,
    Step,
    spans_of,
)
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import HAPPENINGS, CheckRun, Tool, fold_tool
from vivid_keel.core.kinds import Finding, worst_first
from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.desk.base import Desk, JobLike, Next, StageTab
from vivid_keel.desk.kit.drifting import drift_findings
from vivid_keel.desk.kit.practice import Practice
from vivid_keel.desk.kit.questions import QUESTIONS
from vivid_keel.desk.sheet import Goto, Taken

USUAL_SPANS = [("a sill", 2.4), ("a wall", 6.0)]
VALUE = 2
"""Column of the steps in which a value is booked."""
STAGES = ("Instrument", "Which check", "Readings", "Result", "History")


def first_up(text: str) -> str:
    """Return a sentence with its first letter large, names left as they are."""
    return text[:1].upper() + text[1:]


class HeldTool(Desk):
    """One instrument: what it holds and does; what is seen of it is `ToolDesk`."""

    type = "tool"
    handbook = "desk/kit/help.md"
    stage_names = STAGES
    event_question = (
        "What happened to it?",
        "K knocked or dropped · T long transport · H temperature shock · A adjusted · R repaired; then a note",
    )
    event_anywhere = True
    matching = "instrument"
    may_move = True
    line_stays = True

    def __init__(self, file: JobLike, work: int) -> None:
        super().__init__(file, work)
        self.chosen = 0
        self.typed: tuple[str, float] | None = None
        self.passed: set[str] = set()
        """Steps that may be left out and were, by Enter."""
        self.practice: Practice | None = None
        self.refresh()

    def refresh(self) -> None:
        self.tool: Tool = fold_tool(self.file.journal, self.work)
        self.typed = None
        if self.practice is not None:
            self.practice.tool = self.tool

    @property
    def now(self) -> datetime:
        return self.file.now()

    @property
    def run(self) -> CheckRun | None:
        """The check in hand: the one chosen, else the open one, else the last."""
        found = [check for check in self.tool.checks if check.id == self.chosen]
        return (
            found[0]
            if found
            else self.tool.open_check or (self.tool.checks[-1] if self.tool.checks else None)
        )

    @property
    def step(self) -> float:
        return 0.1 if not self.screwing or self.run is None or self.run.procedure.key != "two-peg" else 0.0001

    def tool_accepts(self, run: CheckRun, step: Step, found: float) -> None:
        """Refuse what can't be meant at a step of this instrument."""
        if not math.isnan(found):
            run.procedure.accepts(self.tool.traits, run.way, step, found, run.seen)

    def planned(self, procedure: str, way: str) -> CheckRun:
        """Return a check as it would be begun, nothing booked."""
        return CheckRun(0, PROCEDURES[procedure], way, self.now, self.now, "", {}, [], "", self.tool.traits)

    # What is shown

    def question(self, stage: str) -> tuple[str, ...]:
        return QUESTIONS[(self.type, stage)]

    def state(self) -> tuple[str, str]:
        state = self.tool.state(self.now)
        run = self.tool.open_check
        if run is not None and run.booked:
            return "todo", f"{run.procedure.title.lower()} begun"
        return state.verdict, state.words

    def tabs(self) -> list[StageTab]:
        tool, run = self.tool, self.run
        full = 0.0
        if run is not None:
            must = [step for step in run.steps if not step.optional]
            full = sum(s.key in run.seen for s in must) / len(must) if must else 0.0
        decided = 1.0 if run is not None and run.decided else 0.5 if run is not None and run.enough else 0.0
        return [
            StageTab("Instrument", 1.0 if tool.stated else 0.3),
            StageTab("Which check", 1.0 if run is not None else 0.0),
            StageTab("Readings", full, f"{len(run.seen)}" if run is not None and run.seen else ""),
            StageTab("Result", decided),
            StageTab(
                "History",
                min(1.0, len(tool.decided()) / 3),
                str(len(tool.decided())) if tool.decided() else "",
            ),
        ]

    def views(self, stage: str) -> list[str]:
        if stage == "Readings" and self.tool.hidden is not None:
            return ["The check", "Stand-in"]
        if stage == "Readings" and self.streams():
            return ["The check", "From its port"]
        if (
            stage == "Result"
            and self.tool.hidden is not None
            and self.run is not None
            and self.run.procedure.key in {"reversal", "plumb", "two-peg"}
        ):
            return ["Against the limit", "Its adjusting screw"]
        if stage == "History":
            return list(self._histories())
        return []

    def _histories(self) -> dict[str, str]:
        return {points[-1].found.name: key for key, points in self.tool.history().items()}

    def step_in_hand(self, run: CheckRun) -> Step | None:
        """The step of the line in hand, else the next to book."""
        steps = run.steps
        if 0 <= self.focus < len(steps):
            return steps[self.focus]
        return run.next_step(self.passed)

    def _typed_at(self, step: Step | None) -> float | None:
        return (
            self.typed[1]
            if self.typed is not None and step is not None and self.typed[0] == step.key
            else None
        )

    def practising(self) -> Practice:
        """The stand-in as it is played with, made when first wanted."""
        if self.practice is None:
            self.practice = Practice(self.tool)
        return self.practice

    def _spans(self) -> list[tuple[str, float]]:
        if self.tool.kind.key in {"optical", "rotary", "line"}:
            return self.spans(True) or [("sights unequal by", 10.0), ("sights unequal by", 30.0)]
        return self.spans(False) or USUAL_SPANS

    def findings(self, stage: str) -> list[Finding]:
        tool, run, out = self.tool, self.run, []
        state = tool.state(self.now)
        if state.key in {"out", "adjust", "knocked", "due", "unchecked", "unsettled"}:
            verdict = (
                "out" if state.key in {"out", "adjust"} else "open" if state.key != "unchecked" else "todo"
            )
            out.append(
                Finding(
                    verdict,
                    state.words[:1].upper() + state.words[1:],
                    "Readings taken with it say so until it is checked.",
                    action="which",
                    action_label="Check it",
                )
            )
        if run is not None and stage in {"Readings", "Result"}:
            out += self._of_run(run)
        if stage in {"Instrument", "History", "Result"}:
            out += drift_findings(tool, self.now)
        if tool.hidden is not None:
            out.append(
                Finding(
                    "note",
                    "A stand-in",
                    "Simulated, with a hidden error: for practice. No job is read with it.",
                )
            )
        return worst_first(out)

    def _of_run(self, run: CheckRun) -> list[Finding]:
        outcome = run.outcome
        out = []
        if outcome.trouble is not None:
            out.append(
                Finding(
                    "out",
                    "Put this right first",
                    outcome.trouble.message[:1].upper() + outcome.trouble.message[1:] + ".",
                    action=f"step:{outcome.trouble.where}",
                    action_label="Go there",
                )
            )
        for item in outcome.found:
            said = spans_of(item, self._spans())
            head = {"in": "proven in", "out": "proven out", "open": "not proven"}[item.verdict]
            text = f"{item.show_with_u()}, may be {item.show(item.limit, signed=False)}."
            if said:
                text += " " + first_up("; ".join(said)) + "."
            if item.verdict == "open":
                text += f" {item.settling()}"
            out.append(
                Finding(item.verdict, f"{item.name[:1].upper()}{item.name[1:]}: {head}", text, outcome.why)
            )
        for verdict, title, text in outcome.notes:
            out.append(Finding(verdict, title, text))
        if outcome.decision and not run.decided:
            out.append(
                Finding(
                    "todo",
                    f"So: {DECISIONS[outcome.decision]}",
                    self.advice(run),
                    action="decide",
                    action_label="Put in its record",
                )
            )
        return out

    def advice(self, run: CheckRun) -> str:
        """Return what the decision that follows wants done."""
        outcome = run.outcome
        turn = next((item.adjust for item in outcome.found if item.adjust and item.decision == ADJUST), "")
        if outcome.decision == ADJUST:
            return f"{turn[:1].upper()}{turn[1:]}. Then check it again."
        if outcome.decision == "correct":
            each = [
                f"{item.name}: {item.show(-item.value)} on every reading"
                for item in outcome.found
                if item.decision == "correct"
            ]
            return first_up("; ".join(each)) + "."
        if outcome.decision == ALLOW:
            each = [
                f"{item.name}: {item.allow or f'{item.show(-item.value)} on every reading, by your own hand'}"
                for item in outcome.found
                if item.decision == ALLOW
            ]
            return (
                f"{first_up('; '.join(each))}. No job takes it off by itself; its ± counts where it is known."
            )
        if outcome.decision == SETTLE:
            unsure = next(item for item in outcome.found if item.decision == SETTLE)
            return f"{unsure.settling()} Until then it may be used: its ± counts in every U."
        if outcome.decision == OUT_OF_USE:
            return "It is out by more than its limit, and can be neither turned nor taken off: nothing read with it could be proved."
        return "Every error found is within its limit, the ± with it."

    def cautions(self, stage: str) -> list[Caution]:
        if stage not in {"Which check", "Readings"}:
            return []
        given = {"optical": (OPTICS, STAFF), "rotary": (LASER,), "line": (LASER,)}.get(self.tool.kind.key, ())
        return [c for c in given if acknowledged(self.file.journal, self.work, c.key) is None]

    # What comes next

    def next(self, stage: str) -> Next:
        run = self.run
        if run is None or (run.decided and stage != "Result"):
            due = [duty for duty in self.tool.due(self.now) if duty.day <= self.now.date()]
            if due:
                title = PROCEDURES[due[0].procedure].title.lower()
                return Next(
                    f"Next: {title}", f"{due[0].why}; Enter on it begins", f"which:{due[0].procedure}"
                )
            return Next("Next: a check", "choose it, and Enter begins", "which")
        if run.decided == ADJUST:
            return Next(
                "Next: adjust, then check again",
                "turn it as said; Enter on the last line begins anew",
                "adjusted",
            )
        if run.decided:
            return Next("Next: its life", "drift, and when it would cross its limit", "history")
        if run.outcome.trouble is not None:
            return Next(
                "Next: put a reading right",
                run.outcome.trouble.message[:60] + " …",
                f"step:{run.outcome.trouble.where}",
            )
        step = run.next_step(self.passed)
        if run.enough and (step is None or step.optional):
            if stage == "Result":
                return Next("Next: decide", DECISIONS[run.outcome.decision], "decide")
            more = "" if step is None or not step.cycle else f"; or book cycle {step.cycle} to be surer"
            return Next("Next: the result", f"what was found, and what follows{more}", "result")
        assert step is not None
        return Next(
            f"Next: {step.title[:1].lower()}{step.title[1:]}",
            step.text[:70] + (" …" if len(step.text) > 70 else ""),
            f"step:{step.key}",
        )

    # What is done

    def begin(self, procedure: str, way: str, first: Sequence[Draft] = ()) -> Taken:
        """Return what begins a check, or goes on with the open one of the same kind; `first` is booked before it."""
        run = self.tool.open_of(procedure, way)
        drafts = list(first)
        if run is None:
            drafts.append(Draft(self.work, "check", {"procedure": procedure, "way": way}))
            # Begun and never used: it need not stay open.
            begun = [check for check in self.tool.checks if not check.decided and not check.booked]
            drafts += [
                Draft(self.work, "strike", {"reason": "another check begun"}, strikes=c.id) for c in begun
            ]
        return Taken(drafts, lambda sheet: self._to_step(procedure, way))

    def _to_step(self, procedure: str, way: str) -> Goto:
        """Take an open check in hand, at the step that is next."""
        run = self.tool.open_of(procedure, way)
        assert run is not None
        self.chosen = run.id
        step = run.next_step(self.passed)
        row = next((i for i, s in enumerate(run.steps) if step is not None and s.key == step.key), 0)
        return Goto("Readings", 0, (row, VALUE), -1)

    def decision(self, decision: str) -> list[Draft]:
        """Return what puts a decision on the check in hand in its record."""
        run = self.run
        if run is None or not run.outcome.found:
            raise KeelError("bad-value", "there is nothing to decide yet; book the readings first")
        if run.outcome.trouble is not None:
            raise KeelError(run.outcome.trouble.code, run.outcome.trouble.message)
        if decision == CORRECT and not run.taken_out:
            raise KeelError(
                "bad-value",
                f"no job takes this off its readings, so it can't be called corrected; {DECISIONS[ALLOW]}, or adjust it",
            )
        old = [
            entry.id
            for entry in self.file.journal.standing(self.work, "decided")
            if int(entry.body["check"]) == run.id
        ]
        return [
            Draft(
                self.work,
                "decided",
                {"check": run.id, "decision": decision},
                strikes=old[-1] if old else None,
            )
        ]

    def adjusted(self) -> Taken:
        """Return what says that it was adjusted, and begins the same check anew."""
        run = self.run
        assert run is not None
        note = f"after {run.procedure.title.lower()}"
        return self.begin(
            run.procedure.key, run.way, [Draft(self.work, "happened", {"what": "adjusted", "note": note})]
        )

    def happened(self, typed: str) -> None:
        letter, _, note = typed.strip().partition(" ")
        found = [k for k in HAPPENINGS if letter and k.startswith(letter.lower())]
        if not found:
            raise KeelError(
                "bad-value",
                "expected K knocked or dropped, T long transport, H temperature shock, A adjusted, R repaired; then a note",
            )
        body = {"what": found[0]} | ({"note": note.strip()} if note.strip() else {})
        self.record(Draft(self.work, "happened", body))

    def drag(self, value: float, *, done: bool) -> None:
        """Move the bubble to where it is seen, or, at the result of a stand-in, by its adjusting screw."""
        run = self.run
        if run is None:
            return
        step = self.step_in_hand(run)
        if self.screwing:
            self.practising().turn(run, value)
            if done:
                hidden = self.practising().turned(run)
                self.file.record([Draft(self.work, "stand-in", {"hidden": hidden})])
                self.refresh()
            return
        if step is not None:
            self.typed = (step.key, round(value, 1))

    screwing = False
    """Whether the picture shows the adjusting screw."""

    def on_view(self, stage: str, view: int) -> None:
        self.screwing = stage == "Result" and view == 1

    def streams(self) -> bool:
        return self.tool.traits.electronic and (
            self.tool.hidden is not None or bool(self.tool.traits.text("port").strip())
        )

    def stream_text(self) -> str:
        run = self.run
        step = self.step_in_hand(run) if run is not None else None
        if run is None or step is None or step.unit != "tilt":
            raise KeelError("bad-value", "this step wants no reading of the level; go to one that does")
        still = self.practising().listen(run, step)
        if not still.still:
            wait = self.tool.traits.number("settle")
            raise KeelError(
                "not-settled",
                f"its numbers still run; hands off, and F8 again when they stand (about {wait:g} s after it was put down)",
            )
        digits = max(0, -math.floor(math.log10(self.tool.traits.number("last-digit") * 1000) + 1e-9))
        return show_number(still.value * 1000, digits, signed=True)

    def matched(self) -> str:
        if self.screwing or self.typed is None:
            return ""
        return show_number(self.typed[1], 1, signed=True)

    def listen(self) -> None:
        run = self.run
        step = self.step_in_hand(run) if run is not None else None
        if run is not None and step is not None and step.unit == "tilt" and self.streams():
            self.practising().listen(run, step)

    @property
    def moving(self) -> bool:
        run = self.run
        return (
            self.practice is not None
            and run is not None
            and self.practice.running(run, self.step_in_hand(run))
        )

    def close(self) -> None:
        if self.practice is not None:
            self.practice.close()

    def practise(self) -> Goto | None:
        """Make one of its kind with hidden errors in the practice yard, and go there; in a kit by itself, give it some where it was never
        checked in earnest."""
        yard = self.practice_file
        if yard is not self.file:
            journal = self.file.journal
            own = journal.entries[self.work].body
            body = {**own, "name": f"Practice: {journal.name_of(self.work)}"}
            traits = [Draft(-1, "trait", dict(e.body)) for e in journal.standing(self.work, "trait")]
            seed = 7919 * self.work + len(yard.journal.entries)
            hidden = {"hidden": self._hidden(seed)}
            made = yard.record([Draft(0, "work", body), *traits, Draft(-1, "stand-in", hidden)])
            return Goto("Which check", 0, None, 0, made[0].id)
        if self.tool.decided():
            raise KeelError(
                "bad-value",
                "this instrument has checks in its record; add another of its kind and practise on that",
            )
        self.hide()
        return None

    def hide(self) -> None:
        """Make it a stand-in with hidden errors of its kind."""
        hidden = self._hidden(self.work * 7919 + len(self.file.journal.entries))
        self.record(Draft(self.work, "stand-in", {"hidden": hidden}))

    def _hidden(self, seed: int) -> dict[str, float]:
        from vivid_keel.stands.instruments import hide

        found = hide(self.tool.traits, np.random.default_rng(seed))
        return {key: (0.0 if math.isnan(value) else value) for key, value in found.items()}
