"""What brings a shelf level."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tests.trades.shelf.book import SIDES, ShelfBook
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.findings import moving_findings, no_target
from vivid_keel.core.moving.means import LEAVES, SCREW, Means
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import Learned
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import Budget, BudgetLine

U_TAPE = 0.0003
"""u of a height by tape [m]."""


class ByTape(Struct, frozen=True):
    """Heights are measured as they are."""

    book: ShelfBook

    def at(self, place: int, height: float) -> float:
        return height

    def nominal(self, place: int, height: float) -> float:
        return height

    def read(self, place: int) -> float:
        return self.book.height(FOUND, SIDES[place])

    def hangs(self, place: int) -> bool:
        return True

    def height_of(self, reading: float) -> float:
        return reading


class ShelfResult(Moved, frozen=True):
    """A shelf worked out."""

    book: ShelfBook

    def budget(self) -> Budget:
        """What one deviation owes: two heights by tape."""
        return Budget(
            (BudgetLine("this height, by tape", U_TAPE), BudgetLine("the other's, by tape", U_TAPE))
        )


def measure(book: ShelfBook) -> Task:
    """Return what was measured."""
    found, left = (np.array([book.height(phase, side) for side in SIDES]) for phase in (FOUND, LEFT))
    has, u = ~np.isnan(found), np.full(2, U_TAPE)
    xy = np.array([(p.x, p.y) for p in book.points])[has]
    names = [s for s, h in zip(SIDES, has, strict=True) if h]
    learned = Learned(None, book.limits.interface, [])
    return Task(
        names, xy, np.arange(2), has, found, left, found, u, u, 0.0, 0.0, 0.0, 0.0, learned, (), ByTape(book)
    )


def work_out_shelf(book: ShelfBook, target: TargetChoice | None = None) -> ShelfResult:
    """Compute a shelf; its brackets have screws unless somebody says otherwise."""
    if book.means.kind == LEAVES:
        book = replace(book, means=Means(SCREW))
    return bring(ShelfResult, book, measure(book), None, target)


def shelf_findings(result: ShelfResult, stage: str) -> list[Finding]:
    """Return what there is to say about a shelf."""
    return no_target(result) + moving_findings(result, stage, result.budget(), "a tape", [])
