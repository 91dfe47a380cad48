"""A body on feet while it is shown: tilts typed and said as the bubble shows them, and which foot is turned until it stands where."""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import Any, ClassVar

from vivid_keel.core.body.facts import STEEPEST
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.result import Planned
from vivid_keel.core.quantities import Tilt, parse_length, parse_tilt
from vivid_keel.desk.base import Cell, Column, Goto, Next
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.moving.moves import MovesSheet
from vivid_keel.desk.moving.stages import LED_TO, TO_MOVE, TO_PROVE
from vivid_keel.desk.stage import NextStep

FARTHEST = 100.0
"""No body is longer than this [m]; more is a unit forgotten."""


class BubbleDesk(MovingDesk):
    """A body on feet."""

    not_offered = frozenset({"height", "given", "fall", "sense", "beam", "clearance", "leaf_size"})

    @property
    @abstractmethod
    def division(self) -> float:
        """One division of the level in hand [rad]."""

    @abstractmethod
    def stop_words(self, i: int) -> str:
        """What the level shows once a foot was turned, and where it lies for that; "" where nothing tells."""

    @abstractmethod
    def watched(self, i: int) -> tuple[int, int, float] | None:
        """From which foot to which, by id, a level is watched while a foot is turned, and the body's tilt there then [rad]."""

    def _put_body(self, i: int, put: Planned, *, planned: bool) -> dict[str, Any]:
        body, where = super()._put_body(i, put, planned=planned), self.watched(i)
        if planned and where is not None and self.book.means_at(self.book.points[i].id).watched:
            body["watched"] = {"from": where[0], "to": where[1], "tilt_rad": where[2]}
        return body

    @abstractmethod
    def read_next(self, phase: str) -> str:
        """What is read next of a phase, in words; "" where all is read that is wanted."""

    def read_sheet(self, phase: str) -> int:
        """On which sheet that is read, by its number at the stage."""
        return 0

    @property
    @abstractmethod
    def left_begun(self) -> bool:
        """Whether anything was read as left."""

    def parse_reading(self, text: str) -> Any:
        return parse_length(text, self.book.unit, self.decimal_mark)

    def parse_place(self, text: str) -> float:
        """Return a place along or across as typed [m]; refuse one that no body reaches."""
        place = parse_length(text.strip(), self.book.style.far, self.decimal_mark).value
        if abs(place) > FARTHEST:
            raise KeelError(
                "bad-value",
                f"{text.strip()}: no foot stands {FARTHEST:.0f} m off; was another unit meant? Type it too: 900 mm, 3 ft",
            )
        return place

    def parse_bubble(self, text: str) -> Tilt:
        """Return what a level shows as typed: divisions, or any tilt with its unit; refuse what no level shows."""
        tilt = parse_tilt(text, "div", self.decimal_mark, self.division)
        if abs(tilt.value) > STEEPEST:
            raise KeelError(
                "bad-value",
                f"{math.tan(tilt.value) * 1000:.0f} mm/m is steeper than any level of this sort shows; was another unit meant?",
            )
        return tilt


class FeetMovesSheet(MovesSheet):
    """Which foot, which way, how far, until the bubble stands where."""

    titles: ClassVar[dict[str, Column]] = {
        **MovesSheet.titles,
        "post": Column("Order, foot", 104),
        "stop": Column("Level then shows", 200, True),
    }
    hint = "Level then shows: its own error in it, + the arrow's end high · Put in: Enter as planned · F4 why"

    def __init__(self, desk: BubbleDesk) -> None:
        super().__init__(desk)
        self.body = desk

    def _wanted(self) -> list[str]:
        return [name for name in super()._wanted() if name not in {"first", "over"}]

    def _stop(self, i: int) -> Cell:
        return Cell(self.body.stop_words(i), bold=True)

    def _stays(self, i: int, name: str) -> Cell:
        return Cell() if name == "stop" else super()._stays(i, name)


def _read(desk: BubbleDesk, stage: str) -> Next | None:
    what = desk.read_next(FOUND)
    if not what:
        return None
    return Next(f"Next: {what}", "wait until it rests; divisions, + where the arrow's end is high", "read")


def _again(desk: BubbleDesk, stage: str) -> Next | None:
    result = desk.result
    if not result.read or (result.to_do and not desk.left_begun and stage == "Moves"):
        return None
    what = desk.read_next(LEFT)
    if not what or (not desk.left_begun and not desk.book.booked and result.to_move):
        return None
    return Next(f"Next: {what}, as left", "along, across, and along again", "left")


def _put(desk: BubbleDesk, stage: str) -> Next | None:
    result = desk.result
    if stage != "Moves" or desk.cautions_first or not result.walk or desk.left_begun:
        return None
    step = result.walk[result.stage_in_hand][0]
    name = desk.book.points[step.place].name
    return Next(f"Next: turn {name}", f"{result.step_in_words(step)}; Enter books it", f"book:{step.place}")


def _to_book(desk: BubbleDesk, rest: str) -> Goto:
    sheet = FeetMovesSheet(desk)
    return Goto("Moves", 0, (sheet.row_of(int(rest)) if rest else 0, len(sheet.columns) - 1))


BODY_STEPS: tuple[NextStep[Any], ...] = (
    NextStep("read", lambda desk, rest: Goto("Readings", desk.read_sheet(FOUND)), _read),
    *[step for step in TO_MOVE if step.key not in {"left", "book"}],
    NextStep("book", _to_book, _put),
    NextStep("left", lambda desk, rest: Goto("Proof", desk.read_sheet(LEFT)), _again),
    *TO_PROVE,
    *LED_TO,
)
"""What comes next at a body once its feet are known."""
