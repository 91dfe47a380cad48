"""The whole kit on the desk: what there is and what it is worth, which one for a task, the diary."""

from __future__ import annotations

from datetime import datetime

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.advisor import CONDITIONS, ENOUGH, Advice, advise
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import Due, Tool, fold_kit
from vivid_keel.core.kinds import Finding, worst_first
from vivid_keel.core.quantities import parse_length, show_number
from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.core.record.entries import KIT, Draft
from vivid_keel.core.record.readings import as_read, metres
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Cell, Column, Desk, Goto, JobLike, Next, Place, Sheet, StageTab, Taken
from vivid_keel.desk.kit.questions import QUESTIONS
from vivid_keel.figures.budget import budget_bars
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.charts import who_can
from vivid_keel.figures.kit.diary import calendar


class KitDesk(Desk):
    """The kit as a whole."""

    type = "kit"
    handbook = "desk/kit/help.md"
    stage_names = ("Instruments", "Which one", "Diary")

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
        again = [
            DiaryLine(
                x.day, x.name, "look again", x.why, f"look-{x.work}-{x.day:%Y%m%d}", False, f"work:{x.work}"
            )
            for x in self.looks()
        ]
        return sorted([*checks, *again], key=lambda line: (line.day, line.name))

    def due_now(self) -> list[tuple[Tool, Due]]:
        return [(t, duty) for t, duty in self.due() if duty.day <= self.now.date()]

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
        return [
            Finding(
                "todo",
                f"{x.name}: look again",
                f"{x.why[:1].upper()}{x.why[1:]}. Read every post and the watch mark.",
                action=f"work:{x.work}",
                action_label="Go there",
            )
            for x in self.looks()
            if x.day <= self.now.date()
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
        if what == "work":
            return Goto("Proof", 2, None, 0, int(rest), job=True)
        if what == "add":
            return Goto("Instruments", 1 if self.tools else 0)
        return {"which": Goto("Which one"), "diary": Goto("Diary")}.get(what)

    def adding(self, kind: str) -> Draft:
        """Return what adds an instrument of a kind."""
        label = next(k.label for k in KINDS if k.key == kind)
        same = sum(tool.kind.key == kind for tool in self.tools)
        name = f"{label[:1].upper()}{label[1:]}{f' {same + 1}' if same else ''}"
        return Draft(0, "work", {"name": name, "type": f"{KIT}:{kind}", "unit": "m"})


class ToolsSheet(Sheet):
    """Every instrument and what it is worth today; Enter opens it."""

    name = "Instruments"
    columns = (
        Column("", 34),
        Column("Name", 190),
        Column("Kind", 150),
        Column("Worth today", 0),
        Column("known error", 120, True),
        Column("due", 70),
    )
    hint = "Enter opens the instrument"

    def __init__(self, desk: KitDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return len(self.desk.tools)

    def cell(self, row: int, column: int) -> Cell:
        tool, now = self.desk.tools[row], self.desk.now
        state = tool.state(now)
        if column == 0:
            return Cell(sign=state.verdict)
        if column == 4:
            found = [p for key in tool.history() if (p := tool.worth(key, now)) is not None]
            return Cell(found[0].found.show(found[0].value) if found else "")
        if column == 5:
            days = [duty.day for duty in tool.due(now)]
            late = bool(days) and min(days) <= now.date()
            return Cell(
                "" if tool.hidden is not None or not days else "now" if late else f"{min(days):%-d %b}",
                bold=late,
            )
        return Cell(
            (tool.name, ("stand-in: " if tool.hidden is not None else "") + tool.kind.label, state.words)[
                column - 1
            ],
            bold=column == 1,
            ink="muted" if column == 2 else "ink",
        )

    def enter(self, row: int) -> Taken:
        return Taken((), self.desk.go(f"tool:{self.desk.tools[row].id}"))

    def strike(self, row: int) -> tuple[str, int] | None:
        return self.desk.tools[row].name, self.desk.tools[row].id


class AddSheet(Sheet):
    """The kinds of instrument there are; Enter adds one."""

    name = "Add one"
    columns = (Column("Kind", 200), Column("Senses", 270), Column("Good for", 0))
    hint = "Enter adds one of this kind; then say what matters for it"

    def __init__(self, desk: KitDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return len(KINDS)

    def cell(self, row: int, column: int) -> Cell:
        k = KINDS[row]
        return Cell(
            (k.label, k.senses, "; but ".join(w for w in (k.good, k.bad) if w))[column],
            bold=column == 0,
            ink="ink" if column == 0 else "muted",
        )

    def enter(self, row: int) -> Taken:
        journal = self.desk.file.journal
        return Taken(
            [self.desk.adding(KINDS[row].key)],
            lambda sheet: Goto("Instrument", 0, (0, 1), 0, journal.works()[-1].id),
        )


class QuestionSheet(Sheet):
    """The task: tolerance, span, conditions."""

    name = "The task"
    columns = (Column("What", 260), Column("", 150), Column("", 0))
    hint = "Type and Enter; Enter on a condition turns it on or off"

    def __init__(self, desk: KitDesk) -> None:
        self.desk = desk
        self.keys = list(CONDITIONS)

    @property
    def count(self) -> int:
        return 2 + len(self.keys)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        desk = self.desk
        if row < 2:
            text = (f"{desk.tolerance * 1000:g} mm", f"{desk.span:g} m")[row]
            return Cell(
                (
                    ("Tolerance, ±", "Span")[row],
                    text,
                    ("what a height may be out by", "from the reference to the furthest point")[row],
                )[column],
                bold=column == 1,
                editable=column == 1,
                ink="muted" if column == 2 else "ink",
            )
        key = self.keys[row - 2]
        on = key in desk.conditions
        return Cell(
            (CONDITIONS[key][:1].upper() + CONDITIONS[key][1:], "yes" if on else "no", "")[column],
            bold=on and column == 1,
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        length = parse_length(text, "mm" if row == 0 else "m", self.desk.decimal_mark)
        if length.value <= 0:
            raise KeelError("bad-value", ("a tolerance", "a span")[row] + " is above 0")
        made += self._ask(
            length.value if row == 0 else self.desk.tolerance,
            length.value if row == 1 else self.desk.span,
            self.desk.conditions,
        )
        return Taken(made, (min(row + 1, 2), 1))

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        desk = self.desk
        if row >= 2:
            made += self._ask(desk.tolerance, desk.span, desk.conditions ^ {self.keys[row - 2]})
        return Taken(made, (row, 1))

    def _ask(self, tolerance: float, span: float, conditions: frozenset[str]) -> list[Draft]:
        body = {
            "tolerance": as_read(parse_length(f"{tolerance * 1000:.6g} mm", "mm", ".")),
            "span": as_read(parse_length(f"{span:.6g} m", "m", ".")),
            "conditions": " ".join(sorted(conditions)),
        }
        return [Draft(0, "question", body)]


class AnswersSheet(Sheet):
    """Every instrument for the task, what serves first."""

    name = "Who can"
    columns = (
        Column("", 34),
        Column("Instrument", 190),
        Column("U over it", 90, True),
        Column("largest part", 250),
        Column("What speaks for or against", 0),
    )

    def __init__(self, desk: KitDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return len(self.desk.advice())

    def picked(self, row: int) -> int:
        return row

    def cell(self, row: int, column: int) -> Cell:
        a = self.desk.advice()[row]
        if column == 0:
            return Cell(sign=a.sign)
        if column == 1:
            return Cell(a.tool.name, bold=a.proves and not a.hindrance, ink="muted" if a.hindrance else "ink")
        if column == 2:
            return Cell(f"{a.budget.U * 1000:.2f} mm")
        if column == 3:
            return Cell(a.budget.dominant.name, ink="muted")
        state = a.tool.state(self.desk.now)
        unsure = "" if a.sure else f"{state.words}; "
        return Cell(
            a.hindrance
            or unsure
            + (f"{a.tool.kind.good}; but {a.tool.kind.bad}" if a.tool.kind.bad else a.tool.kind.good),
            ink="ink" if a.hindrance else "muted",
        )

    def why(self, row: int) -> Working | None:
        a = self.desk.advice()[row]
        return Working(
            f"{a.tool.name} over {self.desk.span:g} m",
            "U = 2·√(Σ u²)",
            f"2·√({' + '.join(f'{x.u * 1000:.3f}²' for x in a.budget.lines)}) = {a.budget.U * 1000:.2f} mm",
            tuple(f"{x.name}: u = {x.u * 1000:.3f} mm" for x in a.budget.lines),
        )


class DiarySheet(Sheet):
    """What falls due: now, then day by day; Enter goes there."""

    name = "Due"
    columns = (
        Column("", 34),
        Column("When", 110),
        Column("What", 200),
        Column("To do", 200),
        Column("Why", 0),
    )
    hint = "Enter goes there · the menu writes the diary as a calendar file"

    def __init__(self, desk: KitDesk) -> None:
        self.desk = desk
        self.rows = desk.lines()

    @property
    def count(self) -> int:
        return len(self.rows)

    def cell(self, row: int, column: int) -> Cell:
        due = self.rows[row]
        days = (due.day - self.desk.now.date()).days
        if column == 0:
            return Cell(sign="open" if days <= 0 and due.after_knock else "todo" if days <= 0 else "in")
        when = (
            "now"
            if days == 0
            else "yesterday"
            if days == -1
            else f"{-days} days ago"
            if days < 0
            else "tomorrow"
            if days == 1
            else f"{due.day:%-d %b}"
        )
        return Cell(
            (when, due.name, due.title[:1].upper() + due.title[1:], due.why.rpartition("Due: ")[2])[
                column - 1
            ],
            bold=column == 1 and days <= 0,
            ink="muted" if column == 4 else "ink",
        )

    def enter(self, row: int) -> Taken:
        return Taken((), self.desk.go(self.rows[row].key))
