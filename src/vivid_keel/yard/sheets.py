"""Sheets of the practice yard: which exercise, what is done in it, what it was, and what a learner slips at."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from vivid_keel.core.quantities import LengthStyle, show_amount, show_length, show_number
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken
from vivid_keel.yard.attempt import KINDS, Act
from vivid_keel.yard.learner import EXERCISES, level_of
from vivid_keel.yard.rounds import TURNS, Rounds
from vivid_keel.yard.staff import METRIC, READINGS
from vivid_keel.yard.whole import Walk, peg_name

if TYPE_CHECKING:
    from vivid_keel.yard.practising import Practising

STYLE = LengthStyle(METRIC, 3)
"""How the yard writes its lengths."""


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
        return len(self.keys) + len(self.desk.pieces)

    def first(self) -> Place:
        return (self.keys.index(self.desk.proposed), 0)

    def lit(self, row: int) -> bool:
        return self.keys[row : row + 1] == [self.desk.proposed]

    def cell(self, row: int, column: int) -> Cell:
        if row >= len(self.keys):
            piece = self.desk.pieces[row - len(self.keys)]
            return Cell(
                {0: piece.title, 3: f"on a stand-in: {piece.goal}"}.get(column, ""),
                bold=column == 0,
                ink="ink" if column == 0 else "muted",
            )
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
        if row >= len(self.keys):
            return Taken([], self.desk.begin_piece(self.desk.pieces[row - len(self.keys)].key))
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


class HandsSheet(Sheet):
    """What the hands can do at the thing in hand, a line each; what ends a round stands last."""

    columns = (Column("What", 250), Column("By", 120, True), Column("", 0))

    def __init__(self, desk: Practising) -> None:
        self.desk = desk
        assert isinstance(desk.exercise, Rounds) and desk.now is not None
        self.exercise: Rounds[Any] = desk.exercise
        self.hands = self.exercise.hands
        self.name = self.exercise.title
        turns = any(hand.asks == TURNS for hand in self.hands)
        self.hint = (
            "Turns: 1/4, -1/2, 1 1/8; or slide the mark on the picture · Enter or a double click does the rest"
            if turns
            else "Type beside a line; Enter or a double click does what has no cell"
        )

    @property
    def count(self) -> int:
        return len(self.hands)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        hand = self.hands[row]
        if column == 0:
            return Cell(hand.name, bold=True)
        if column == 1:
            return Cell("", editable=bool(hand.asks), hint=hand.asks)
        return Cell(hand.note, ink="muted")

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked if 0 <= picked < self.count else -1

    def accept(self, row: int, column: int, text: str) -> Taken:
        hand = self.hands[row]
        value = self.exercise.parse(hand.key, text, self.desk.decimal_mark)
        return self._done(hand.key, text.strip(), value, row)

    def enter(self, row: int) -> Taken:
        hand = self.hands[row]
        return Taken([], None) if hand.asks else self._done(hand.key, "done", 0.0, row)

    def _done(self, key: str, text: str, value: float, row: int) -> Taken:
        ends = self.exercise.ends(Act(key, text, value))
        drafts = self.desk.act(key, text, value)
        first = (0, 1) if self.exercise.last else (row, 0)
        return Taken(drafts, self.desk.after_act(first if ends else (row, 1)))


class BookSheet(Sheet):
    """The book of a whole run, as it fills; what was read again stands at its foot."""

    name = "The book"
    columns = (
        Column("Set-up", 70, True),
        Column("Peg", 60),
        Column("Back", 90, True),
        Column("Between", 90, True),
        Column("Fore", 90, True),
        Column("Height", 110, True),
        Column("", 0),
    )
    hint = "Booked as it was read: the first of a set-up is the backsight, the last the foresight"

    def __init__(self, desk: Practising, walk: Walk) -> None:
        self.desk, self.walk = desk, walk

    @property
    def count(self) -> int:
        return len(self.walk.sights) + self.walk.closed + len(self.walk.again)

    def cell(self, row: int, column: int) -> Cell:
        walk, n = self.walk, len(self.walk.sights)
        if row >= n:
            return self._below(row - n, column)
        sight, setup = walk.sights[row], walk.sights[row].setup
        first = row == 0 or walk.sights[row - 1].setup != setup
        last = row == n - 1 or walk.sights[row + 1].setup != setup
        which = 2 if first else 4 if last else 3
        if column == 0:
            return Cell(str(setup) if first else "", ink="muted")
        if column == 1:
            return Cell(peg_name(sight.peg), bold=True)
        if column == which:
            return Cell(sight.text)
        if column == 5:
            return Cell(show_length(walk.heights[row], STYLE), ink="muted" if first and row else "ink")
        return Cell("A is known" if column == 6 and not row else "", ink="muted")

    def _below(self, k: int, column: int) -> Cell:
        walk = self.walk
        if k == 0:
            words = f"B is known at {show_length(walk.known, STYLE)}: the run misses it by {show_amount(walk.misses, STYLE, signed=True)}"
            return Cell(words if column == 6 else "", bold=True)
        setup = walk.again[k - 1]
        if column == 0:
            return Cell(str(setup), ink="muted")
        if column != 6 or not 1 <= setup <= walk.setup:
            return Cell()
        booked, anew = walk.rises[setup - 1], walk.read_again(setup)
        return Cell(
            f"read again: it rises {show_amount(anew, STYLE, signed=True)}; as booked {show_amount(booked, STYLE, signed=True)}"
        )


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
            return Cell("a habit" if one and one.habit else "", ink="out")
        if one is None:
            return Cell()
        texts = (
            show_number(one.openings, 0),
            show_number(one.slips, 1),
            f"{100 * one.low:.0f} to {100 * one.high:.0f}",
        )
        return Cell(texts[column - 1], ink="muted")
