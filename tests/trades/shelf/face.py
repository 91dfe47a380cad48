"""What is seen of a shelf."""

from __future__ import annotations

import math

from tests.trades.shelf.book import SIDES
from tests.trades.shelf.result import ShelfResult, work_out_shelf
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.told import moved_told
from vivid_keel.core.quantities import Length, parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.record.told import Tables, told_rows
from vivid_keel.desk.base import Next
from vivid_keel.desk.moving.again import AgainSheet
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.moving.rounds import PassesSheet
from vivid_keel.desk.moving.stages import (
    LED_TO,
    TO_MOVE,
    TO_PROVE,
    moves_stage,
    proved_share,
    read_share,
    row_pictures,
    target_stage,
)
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.desk.stage import Face, NextStep, Stage, leads
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import proof
from vivid_keel.figures.report import Heading, Pages, tail


class ShelfDesk(MovingDesk):
    """A shelf while it is shown."""

    def bring(self, choice: TargetChoice) -> ShelfResult:
        return work_out_shelf(self.chosen.book, choice)

    def parse_reading(self, text: str) -> Length:
        return parse_length(text, self.book.unit, self.decimal_mark)


class HeightsSheet(Sheet):
    """Both brackets, in one phase."""

    columns = (Column("Bracket", 200), Column("Height", 160, True), Column("", 0))

    def __init__(self, desk: ShelfDesk, phase: str) -> None:
        self.desk, self.phase, self.name = desk, phase, f"As {phase}"

    @property
    def count(self) -> int:
        return len(SIDES)

    def first(self) -> Place:
        return (next((i for i, s in enumerate(SIDES) if (self.phase, s) not in self.desk.book.reads), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        height = self.desk.book.height(self.phase, SIDES[row])
        shown = "" if math.isnan(height) else show_length(height, self.desk.book.style)
        return Cell(
            (SIDES[row], shown, "by tape, from the floor")[column], editable=column == 1, bold=column == 1
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        body = {"side": SIDES[row], "phase": self.phase, "height": as_read(self.desk.parse_reading(text))}
        old = self.desk.book.reads.get((self.phase, SIDES[row]))
        return Taken(
            [Draft(self.desk.work, "bracket", body, strikes=old.id if old is not None else None)],
            (1 - row, 1),
        )


def _pictures(label):
    return lambda desk: row_pictures(desk, label)


def _read(desk: ShelfDesk, stage: str) -> Next | None:
    side = next((s for s in SIDES if (FOUND, s) not in desk.book.reads), None)
    return Next(f"Next: the {side} bracket", "its height over the floor", "read") if side else None


def _again(desk: ShelfDesk, stage: str) -> Next | None:
    i = next((i for i, s in enumerate(SIDES) if (LEFT, s) not in desk.book.reads), None)
    return (
        Next(f"Next: the {SIDES[i]} bracket as left", "the same tape", f"left:{i}") if i is not None else None
    )


def report(result: ShelfResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a shelf."""
    pages = Pages(heading)
    pages.cover()
    pages.figure(elevation(result, "shelf", 760, 300))
    pages.findings(said)
    pages.readings()
    tail(pages, journal, result.book.work)
    return pages.done()


STAGES = (
    Stage(
        "Readings",
        ("Readings: both brackets.",),
        lambda d: (read_share(d), ""),
        lambda d: [HeightsSheet(d, FOUND)],
        _pictures("readings"),
    ),
    target_stage(_pictures("target")),
    moves_stage(_pictures("moves")),
    Stage(
        "Proof",
        ("Proof: both again.",),
        lambda d: (proved_share(d), ""),
        lambda d: [HeightsSheet(d, LEFT), PassesSheet(d), AgainSheet(d)],
        lambda d: [("", lambda d, w, h: proof(d.result, w, h, d.focus))],
    ),
    record_stage(proved_share),
)
STEPS = (
    NextStep("read", leads("Readings"), _read),
    *TO_MOVE,
    NextStep("left", lambda d, rest: leads("Proof", 0, (int(rest), 1))(d, rest), _again),
    *TO_PROVE,
    *[s for s in LED_TO if s.key != "instrument"],
    NextStep("instrument", leads("Readings")),
)
FACE = Face(
    ShelfDesk,
    STAGES,
    STEPS,
    report,
    lambda result, journal: Tables(told_rows(moved_told(result))),
    sheets_told=True,
)
