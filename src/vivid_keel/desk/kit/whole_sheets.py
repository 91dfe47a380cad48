"""The sheets of the whole kit: its tools, what to add, which one to take, and the diary."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.advisor import CONDITIONS
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.diary import put_off, put_off_until
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.working import Working
from vivid_keel.desk.kit.kept import KeptKit
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken


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

    def __init__(self, desk: KeptKit) -> None:
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

    def __init__(self, desk: KeptKit) -> None:
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

    def __init__(self, desk: KeptKit) -> None:
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

    def __init__(self, desk: KeptKit) -> None:
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
    hint = "Enter goes there · type a day and why under When to put it off: +14 rain, or 2027-01-15 frozen ground · Ctrl+D takes that back"

    def __init__(self, desk: KeptKit) -> None:
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
            editable=column == 1 and not due.after_knock,
            ink="muted" if column == 4 else "ink",
        )

    def start_text(self, row: int, column: int) -> str:
        return ""

    def accept(self, row: int, column: int, text: str) -> Taken:
        due = self.rows[row]
        until, reason = put_off_until(text, self.desk.now.date())
        if until <= due.day and not due.put_off:
            raise KeelError("bad-value", f"it isn't due before {due.day}; nothing is brought forward here")
        known = put_off(self.desk.file.journal).get(due.uid)
        body = {"uid": due.uid, "until": until.isoformat(), "reason": reason}
        return Taken(
            [Draft(0, "put-off", body, strikes=known.entry if known is not None else None)], (row, 1)
        )

    def strike(self, row: int) -> tuple[str, int] | None:
        if not 0 <= row < self.count:
            return None
        known = put_off(self.desk.file.journal).get(self.rows[row].uid)
        return None if known is None else (f"that {self.rows[row].name} was put off", known.entry)

    def enter(self, row: int) -> Taken:
        return Taken((), self.desk.go(self.rows[row].key))
