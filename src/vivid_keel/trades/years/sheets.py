"""The sheets of heights over the years: what is laid side by side, what each mark is, what it did, and who carries the datum."""

from __future__ import annotations

import math
from datetime import date
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.stood import ONCE
from vivid_keel.core.record.visits import CROSSES, crossing_words
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.years.book import ASIDE, BENCHMARK, ROLES, WATCHED, Levelling
from vivid_keel.trades.years.desk import YearsDesk
from vivid_keel.trades.years.result import MOVED, STOOD, MarkOver


class OccasionsSheet(Sheet):
    """The levellings, of this job and lent by others: when, and of which occasion each is."""

    name = "Occasions"
    columns = (
        Column("", 34),
        Column("Levelling", 0),
        Column("From", 150),
        Column("Read on", 122),
        Column("Occasion", 120),
        Column("Readings", 76, True),
        Column("Left out, because", 170),
    )
    hint = "Enter leaves one out or takes it in · type its day, or its occasion · Ctrl+I brings in another year's job"

    def __init__(self, desk: YearsDesk) -> None:
        self.desk = desk
        self.levellings = desk.book.levellings

    @property
    def count(self) -> int:
        return len(self.levellings)

    def cell(self, row: int, column: int) -> Cell:
        one = self.levellings[row]
        if column == 0:
            return Cell(sign="todo" if one.out else "in" if one.closed else "open")
        if column == 6:
            return Cell(
                one.reason if one.out else "",
                ink="muted",
                editable=one.out,
                hint="the reason" if one.out else "",
            )
        return (
            Cell(one.name, bold=True, struck=one.out),
            Cell(one.file or "this job", ink="muted"),
            Cell(one.when.isoformat(), editable=True),
            Cell(one.occasion, editable=True),
            Cell(str(len(one.lines)), ink="muted"),
        )[column - 1]

    def _said(self, one: Levelling, **changed: Any) -> Draft:
        body: dict[str, Any] = {"of": one.id, "name": one.occasion, "when": one.when.isoformat()}
        if one.out:
            body |= {"out": True} | ({"reason": one.reason} if one.reason else {})
        return Draft(self.desk.work, "occasion", body | changed, strikes=one.entry)

    def enter(self, row: int) -> Taken:
        one = self.levellings[row]
        return Taken([self._said(one, out=not one.out)], (row, 6 if not one.out else 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        one, text = self.levellings[row], text.strip()
        if column == 3:
            try:
                day = date.fromisoformat(text)
            except ValueError:
                raise KeelError(
                    "bad-value", f"“{text}” is no day; type it as 2024-05-17: year, month, day"
                ) from None
            changed: dict[str, Any] = {"when": day.isoformat()}
            if one.occasion == f"{one.when:%b %Y}":
                changed["name"] = f"{day:%b %Y}"  # it was called by its month, and still is
            return Taken([self._said(one, **changed)], (row, 4))
        if column == 4:
            if not text:
                raise KeelError(
                    "bad-value", "nothing was typed; what is levelled under one name is one occasion"
                )
            return Taken([self._said(one, name=text)], (min(row + 1, self.count - 1), 4))
        return Taken([self._said(one, reason=text)], (row, 1))

    def completions(self, row: int, column: int) -> list[str]:
        return list(dict.fromkeys(one.occasion for one in self.levellings)) if column == 4 else []

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.levellings[row]
        return (f"{one.name} of {one.file}", one.id) if one.file else None


class RolesSheet(Sheet):
    """What each mark is: a benchmark that is held to stand, one that is watched, or another mark that only has the same name."""

    name = "What stands"
    columns = (
        Column("Mark", 0),
        Column("It is", 150),
        Column("Occasions", 90, True),
        Column("Height given", 120, True),
        Column("", 220),
    )
    hint = "Enter turns: benchmark, watched, another mark of that name"

    def __init__(self, desk: YearsDesk) -> None:
        self.desk, self.marks = desk, desk.result.common

    @property
    def count(self) -> int:
        return len(self.marks)

    def role(self, mark: str) -> str:
        """Return what a mark is taken for."""
        usual = BENCHMARK if mark in self.desk.result.benchmarks else WATCHED
        return self.desk.book.roles.get(mark, usual)

    def cell(self, row: int, column: int) -> Cell:
        mark = self.marks[row]
        role, said = self.role(mark), mark in self.desk.book.roles
        if column == 0:
            return Cell(mark, bold=role == BENCHMARK, struck=role == ASIDE)
        if column == 1:
            return Cell(role if said else "", bold=said, editable=True, hint="" if said else role)
        given = next(
            (one.given[mark] for one in self.desk.book.levellings if mark in one.given and not one.out), None
        )
        if column == 2:
            return Cell(str(len(self.desk.result.read[mark])), ink="muted")
        if column == 3:
            return Cell("" if given is None else show_length(given, self.desk.book.style), ink="muted")
        return Cell("carries the datum" if mark in self.desk.result.frame.stood else "", ink="muted")

    def start_text(self, row: int, column: int) -> str:
        return self.role(self.marks[row])

    def enter(self, row: int) -> Taken:
        now = self.role(self.marks[row])
        following = ROLES[(ROLES.index(now) + 1) % len(ROLES)] if now in ROLES else BENCHMARK
        return Taken([self._said(row, following)], (row, 0))

    def accept(self, row: int, column: int, text: str) -> Taken:
        typed = text.strip().lower()
        role = next((one for one in ROLES if typed and one.startswith(typed)), None)
        if role is None:
            raise KeelError("bad-value", f"“{text.strip()}”: expected {', '.join(ROLES)}")
        return Taken([self._said(row, role)], (min(row + 1, self.count - 1), 1))

    def _said(self, row: int, role: str) -> Draft:
        mark = self.marks[row]
        return Draft(
            self.desk.work,
            "role",
            {"mark": mark, "role": role},
            strikes=self.desk.book.role_ids.get(mark),
        )

    def completions(self, row: int, column: int) -> list[str]:
        return list(ROLES)


class OverSheet(Sheet):
    """Every mark: what it did since it was first read and since last time, its rate, and when it will be out."""

    name = "Over the years"
    hint = "F4 shows the working · what a mark is stands under Set-up"

    def __init__(self, desk: YearsDesk) -> None:
        self.desk = desk
        self.marks: list[MarkOver] = desk.result.marks
        unit = desk.book.style.small
        last = desk.result.occasions[-1].name if desk.result.occasions else "last"
        self.columns = (
            Column("", 34),
            Column("Mark", 0),
            Column(last, 104, True),
            Column(f"Since first, {unit}", 128, True),
            Column("± U", 50, True),
            Column("Since last", 94, True),
            Column("± U", 50, True),
            Column(f"{unit} a year", 104, True),
            Column("Out of allowed", 170),
        )

    @property
    def count(self) -> int:
        return len(self.marks)

    def cell(self, row: int, column: int) -> Cell:
        one, style = self.marks[row], self.desk.book.style
        if column == 0:
            return Cell(sign={MOVED: "out", STOOD: "in"}.get(one.verdict, "open"))
        if column == 1:
            return Cell(one.name, bold=one.benchmark)
        change, U = one.since_first
        drift = one.drift
        return (
            Cell(show_length(float(one.series.heights[-1]), style)),
            Cell(style.amount(change, signed=True), bold=one.verdict == MOVED),
            Cell(style.amount(U, up=True), ink="muted"),
            Cell(style.amount(drift.change, signed=True), bold=drift.moved == "moved"),
            Cell(style.amount(drift.U, up=True), ink="muted"),
            Cell(
                ""
                if is_missing(drift.rate)
                else f"{style.amount(drift.rate, signed=True)} ± {style.amount(drift.U_rate)}"
            ),
            Cell(self._when(one), ink="ink" if drift.crosses == CROSSES else "muted"),
        )[column - 2]

    def _when(self, one: MarkOver) -> str:
        drift = one.drift
        if one.benchmark:
            return (
                "carries the datum" if one.name in self.desk.result.frame.stood else "moved: carries nothing"
            )
        if drift.latest <= 0 and not self.desk.result.out_already(one):
            return "may be out already"
        return crossing_words(drift)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why(self.marks[row]) if 0 <= row < self.count else None

    def picked(self, row: int) -> int:
        return row if 0 <= row < self.count else -1

    def row_of(self, picked: int) -> int:
        return picked if 0 <= picked < self.count else -1


class BenchmarksSheet(Sheet):
    """Who carries the datum: what each benchmark did on every occasion, and how small a movement would have been told."""

    name = "Benchmarks"
    columns = (
        Column("", 34),
        Column("Benchmark", 0),
        Column("It", 320),
        Column("Would be told from", 150, True),
    )
    hint = "A benchmark that moved carries the datum no more · read three of them each time"

    def __init__(self, desk: YearsDesk) -> None:
        self.desk = desk
        self.names = desk.result.benchmarks

    @property
    def count(self) -> int:
        return len(self.names)

    def cell(self, row: int, column: int) -> Cell:
        result, name = self.desk.result, self.names[row]
        frame, style = result.frame, result.book.style
        moved = next((one for one in frame.moved if name == one.name or name in one.rivals), None)
        if column == 0:
            return Cell(
                sign=("open" if moved.how == ONCE else "out")
                if moved
                else "in"
                if frame.freedom > 0
                else "open"
            )
        if column == 1:
            return Cell(name, bold=True)
        if column == 3:
            least = frame.smallest.get(name, math.inf)
            return Cell("never" if math.isinf(least) else show_amount(least, style), ink="muted")
        if moved is None:
            return Cell("stood" if frame.freedom > 0 else "is taken to have stood; nothing checks it")
        by = f"{style.amount(moved.by, signed=True)} ± {style.amount(2 * moved.u, up=True)} {style.small}"
        when = result.when(moved)
        if moved.rivals:
            return Cell("moved, or another did: it can't be told")
        return Cell(
            f"was read {by} off {when}"
            if moved.how == ONCE
            else f"moved by {by}, or was misread, {when}"
            if result.once(moved)
            else f"moved by {by} {when}"
        )

    def picked(self, row: int) -> int:
        names = [one.name for one in self.desk.result.marks]
        return names.index(self.names[row]) if 0 <= row < self.count and self.names[row] in names else -1


def first_place(desk: YearsDesk, mark: str) -> Place:
    """Return where a mark stands on the sheet of what each is."""
    common = desk.result.common
    return (common.index(mark) if mark in common else 0, 1)
