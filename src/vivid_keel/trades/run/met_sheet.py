"""Marks met again, each with what is allowed; a leg levelled twice is settled here, and what differs is explained."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_amount, show_move
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.legs import keep_first, keep_second, leg_words, met_title

WHY = 5


class MetSheet(Sheet):
    """What the book says twice."""

    name = "Met again"
    columns = (
        Column("", 34),
        Column("Mark, or leg", 130),
        Column("Read", 176),
        Column("Differs", 96, True),
        Column("Allowed", 84, True),
        Column("Which counts, or why it differs", 0),
    )
    hint = "A leg levelled twice: 1 the first way counts, 2 the second · else say in words why it differs · F4 why"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        bad = set(desk.result.bad)
        self.lines = sorted(desk.result.met, key=lambda one: (one not in bad, one.leg is None))

    @property
    def count(self) -> int:
        return max(1, len(self.lines))

    def first(self) -> Place:
        return (0, WHY)

    def _id(self, row: int) -> int:
        book = self.desk.book
        return book.rows[book.sights[self.lines[row].row]].id

    def cell(self, row: int, column: int) -> Cell:
        if not self.lines:
            said = "No mark was met a second time: close the run, or look at a mark again before you leave."
            return Cell(said, ink="muted") if column == WHY else Cell()
        one, result = self.lines[row], self.desk.result
        style, layout = self.desk.book.style, result.layout
        at = int(layout.setup[one.row]) + 1
        told = self.desk.book.explained.get(self._id(row), "")
        if column == 0:
            sign = "in" if one.agrees else "open" if told else "out"
            return Cell(sign="todo" if is_missing(one.allowed) else sign)
        if column == WHY:
            leg = leg_words(result, one)
            hint = "" if not leg else "1, 2 or why" if not one.agrees else ""
            agree = "levelled twice, they agree" if leg else ""
            return Cell(told, editable=True, hint=hint or agree or ("" if one.agrees else "why?"))
        first = "known height" if one.first < 0 else f"set-up {int(layout.setup[one.first]) + 1}"
        return (
            Cell(),
            Cell(leg_words(result, one) or layout.marks[one.row], bold=not one.agrees),
            Cell(f"set-up {at}, {first}", ink="muted"),
            Cell(show_move(one.difference, style), bold=not one.agrees),
            Cell("no limit" if is_missing(one.allowed) else f"± {show_amount(one.allowed, style)}"),
        )[column]

    def start_text(self, row: int, column: int) -> str:
        return self.desk.book.explained.get(self._id(row), "") if self.lines else ""

    def accept(self, row: int, column: int, text: str) -> Taken:
        if not self.lines:
            return Taken()
        one, said = self.lines[row], text.strip()
        if one.leg is not None and said in {"1", "2"}:
            keep = keep_first(self.desk.result, one)
            if said == "2":
                keep = keep_second(self.desk.result, one, self.desk.file.journal)
            return Taken(keep, (0, WHY))
        if said in {"1", "2"}:
            raise KeelError(
                "bad-value",
                "this mark was met again on the way and no leg was levelled twice; say in words why it differs",
            )
        return Taken(
            [Draft(self.desk.work, "explained", {"sight": self._id(row), "reason": said})], (row, WHY)
        )

    def picked(self, row: int) -> int:
        return self.desk.book.sights[self.lines[row].row] if self.lines and row >= 0 else -1

    def row_of(self, picked: int) -> int:
        sights = self.desk.book.sights
        return next((i for i, one in enumerate(self.lines) if sights[one.row] == picked), -1)

    def why(self, row: int) -> Working | None:
        if not self.lines:
            return None
        one, result = self.lines[row], self.desk.result
        style = self.desk.book.style
        if one.first < 0:
            limit = "the class's limit for the way to it"
        else:
            limit = "z·√(Σ u² of the readings that the two ways don't share); z so that one honest book in twenty is accused"
        return Working(
            met_title(result, one),
            f"difference = height here − the other;  allowed = {limit}",
            f"{show_move(one.difference, style)};  allowed "
            + ("is not known" if is_missing(one.allowed) else show_amount(one.allowed, style)),
            (),
            "A known mark read on the way closes the run up to there; a mark read twice is a check of what lies between.",
        )
