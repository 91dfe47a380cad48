"""Sheets of the practice yard: which exercise, what is done in it, what it was, and what a learner slips at."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vivid_keel.core.quantities import show_number
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken
from vivid_keel.yard.attempt import KINDS
from vivid_keel.yard.learner import EXERCISES, level_of
from vivid_keel.yard.screws import LEVELLED, LOOK, ScrewsExercise
from vivid_keel.yard.staff import READINGS

if TYPE_CHECKING:
    from vivid_keel.yard.practising import Practising


class ExercisesSheet(Sheet):
    """Every exercise, how often it was done, and which is next; Enter begins it."""

    name = "Exercises"
    columns = (
        Column("Exercise", 230),
        Column("Level", 60, True),
        Column("Done", 60, True),
        Column("", 0),
    )
    hint = "Enter begins one, or goes on with it · it can be left at any time and taken up again"

    def __init__(self, desk: Practising) -> None:
        self.desk, self.keys = desk, list(EXERCISES)

    @property
    def count(self) -> int:
        return len(self.keys)

    def first(self) -> Place:
        return (self.keys.index(self.desk.proposed), 0)

    def lit(self, row: int) -> bool:
        return self.keys[row] == self.desk.proposed

    def cell(self, row: int, column: int) -> Cell:
        key, now = self.keys[row], self.desk.now
        one = EXERCISES[key]
        if column == 0:
            return Cell(one.title, bold=True)
        if column == 1:
            return Cell(str(level_of(self.desk.attempts, key)), ink="muted")
        if column == 2:
            done = sum(past.exercise == key and past.ended for past in self.desk.attempts)
            return Cell(str(done) if done else "", ink="muted")
        words = "left in the middle: Enter goes on" if now is not None and now.exercise == key else one.goal
        return Cell("next: " + words if key == self.desk.proposed and now is None else words, ink="muted")

    def enter(self, row: int) -> Taken:
        return Taken(self.desk.begin_drafts(self.keys[row]), Goto("Practise"))


class ReadSheet(Sheet):
    """The readings of a staff, one after another."""

    name = "Readings"
    columns = (Column("Reading", 110, True), Column("What you read", 170, True), Column("", 0))

    def __init__(self, desk: Practising) -> None:
        self.desk = desk
        assert desk.now is not None
        self.done = desk.now.done
        unit = (
            "feet and inches, such as 4' 10 3/8"
            if desk.now.exercise == "eighths"
            else "metres, such as 1.482"
        )
        self.hint = f"{unit[:1].upper()}{unit[1:]} · Enter books it and shows the next"

    @property
    def count(self) -> int:
        return min(len(self.done) + 1, READINGS)

    def first(self) -> Place:
        return (self.count - 1, 1)

    def cell(self, row: int, column: int) -> Cell:
        mine = row < len(self.done)
        if column == 0:
            return Cell(str(row + 1), ink="muted")
        if column == 1:
            return Cell(
                self.done[row].text if mine else "",
                bold=True,
                editable=not mine,
                hint="" if mine else "the middle hair",
            )
        return Cell("it is told when all are read" if not row else "", ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk = self.desk
        assert desk.exercise is not None
        value = desk.exercise.parse("read", text, desk.decimal_mark)
        return Taken(desk.act("read", text.strip(), value), desk.after_act(lambda sheet: sheet.first()))


class ScrewsSheet(Sheet):
    """What a hand can do at a head: screws, the head round, the word that it is level."""

    name = "The head"
    columns = (Column("What", 230), Column("By", 120, True), Column("", 0))
    hint = "Turns: 1/4, -1/2, 1 1/8; or slide the mark on the picture · double click or Enter on the last line: it is level"

    def __init__(self, desk: Practising) -> None:
        self.desk = desk
        assert isinstance(desk.exercise, ScrewsExercise)
        self.exercise: ScrewsExercise = desk.exercise
        self.controls = self.exercise.controls

    @property
    def count(self) -> int:
        return len(self.controls) + 2

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        n = len(self.controls)
        if row < n:
            one = self.controls[row]
            texts = (
                Cell(one.name, bold=True),
                Cell("", editable=True, hint="turns"),
                Cell(one.hint, ink="muted"),
            )
            return texts[column]
        if row == n:
            return (
                Cell("Turn the head, to look", bold=True),
                Cell("", editable=True, hint="degrees"),
                Cell("0 away from you, 180 towards you", ink="muted"),
            )[column]
        return (
            Cell("It is level", bold=True),
            Cell(),
            Cell("Enter says so, and brings the next one", ink="muted"),
        )[column]

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked if 0 <= picked < self.count else -1

    def accept(self, row: int, column: int, text: str) -> Taken:
        n = len(self.controls)
        what = self.controls[row].key if row < n else LOOK
        value = self.exercise.parse(what, text, self.desk.decimal_mark)
        return Taken(self.desk.act(what, text.strip(), value), (row, 1))

    def enter(self, row: int) -> Taken:
        if row != len(self.controls) + 1:
            return Taken([], None)
        return Taken(self.desk.act(LEVELLED, "level", 0.0), self.desk.after_act((0, 1)))


class StepsSheet(Sheet):
    """What was done step by step, and what is to be said of it."""

    name = "Step by step"
    columns = (Column("", 40), Column("Done", 290), Column("What is to be said", 0))

    def __init__(self, desk: Practising) -> None:
        self.desk = desk
        self.steps = [] if desk.debrief is None else list(desk.debrief.steps)

    @property
    def count(self) -> int:
        return len(self.steps)

    def cell(self, row: int, column: int) -> Cell:
        step = self.steps[row]
        if column == 0:
            return Cell(sign="in" if step.good else "out")
        return Cell(step.words if column == 1 else step.said, bold=column == 1 and not step.good)


class SkillsSheet(Sheet):
    """Every kind of mistake: how often it could be made, and was."""

    name = "Kinds of mistake"
    columns = (
        Column("Kind", 290),
        Column("Could be", 80, True),
        Column("Was", 60, True),
        Column("Of a hundred", 120, True),
        Column("", 0),
    )
    hint = "What was done lately counts more: who learns gets rid of a habit"

    def __init__(self, desk: Practising) -> None:
        self.desk, self.kinds = desk, list(KINDS)

    @property
    def count(self) -> int:
        return len(self.kinds)

    def cell(self, row: int, column: int) -> Cell:
        kind = self.kinds[row]
        one = self.desk.skills.get(kind)
        if column == 0:
            return Cell(KINDS[kind][0], bold=bool(one and one.habit), ink="ink" if one else "muted")
        if column == 4:
            return Cell(f"a habit: {KINDS[kind][1]}" if one and one.habit else "", ink="out")
        if one is None:
            return Cell()
        texts = (
            show_number(one.openings, 0),
            show_number(one.slips, 1),
            f"{100 * one.low:.0f} to {100 * one.high:.0f}",
        )
        return Cell(texts[column - 1], ink="muted")
