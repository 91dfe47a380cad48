"""A body on feet while it is shown: tilts typed and said as the bubble shows them, and which foot is turned until it stands where."""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import Any, ClassVar

from vivid_keel.core.body.facts import STEEPEST
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import Tilt, parse_length, parse_tilt, show_number
from vivid_keel.desk.base import Cell, Column
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.moving.moves import MovesSheet

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

    def in_divisions(self, tilt: float) -> str:
        """A tilt [rad] as the bubble shows it."""
        return "" if math.isnan(tilt) else f"{show_number(tilt / self.division, 1, signed=True)} div"


class FeetMovesSheet(MovesSheet):
    """Which foot, which way, how far, until the bubble stands where."""

    titles: ClassVar[dict[str, Column]] = {
        **MovesSheet.titles,
        "post": Column("Order, foot", 104),
        "stop": Column("Level then shows", 200, True),
    }
    hint = "Level then shows: laid along the arrow, + where its end is high, its own error in it · Put in: Enter as planned · F4 why"

    def __init__(self, desk: BubbleDesk) -> None:
        super().__init__(desk)
        self.body = desk

    def _wanted(self) -> list[str]:
        return [name for name in super()._wanted() if name not in {"first", "over"}]

    def _amount(self, lift: float) -> Cell:
        """Fine work is said finer than a floor."""
        word = "raise" if lift >= 0 else "lower"
        return Cell(f"{word} {self.desk.book.style.amount(abs(lift), 2)}", bold=True, ink=word, sign=word)

    def _stop(self, i: int) -> Cell:
        return Cell(self.body.stop_words(i), bold=True)

    def _stays(self, i: int, name: str) -> Cell:
        return Cell() if name == "stop" else super()._stays(i, name)
