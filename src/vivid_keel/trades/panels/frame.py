"""The frame under a top of panels: its legs by a long level stepped lengthwise and a short one across, and what goes under each.

Source: heights are sums of tilt × span along the near side, and tilt × width across from there; the level's own error, not freed here,
adds up with the span. A frame need be no truer than what lies on it can be set by: a finer level buys nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.body.facts import PLACING
from vivid_keel.core.facts import Fact, Stated
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import LengthStyle, show_amount, show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

ALONG, ACROSS = "along", "across"
MOST_LEGS = 60
FRAME_FACTS = (
    Fact(
        "legs", "Pairs of legs of the frame", "", "0", "0: it isn't looked at here", 0, MOST_LEGS, whole=True
    ),
    Fact("legs_span", "From pair to pair", "m", "1", "as the long level spans it", 0.05, 20),
    Fact("legs_apart", "Legs apart, across", "m", "0.8", "", 0.05, 20),
    Fact("long_read", "The long level is read to", "mm/m", "0.5", "a builder's level: half a bubble's width"),
    Fact("long_zero", "and is true to", "mm/m", "0.5", "turned round it shows twice that"),
    Fact(
        "take",
        "The fixing points can take up",
        "mm",
        "5",
        "wedges and screws, from lowest to highest",
        0,
        200,
    ),
)
"""What is asked of a frame."""


class FrameRead(Struct, frozen=True):
    """What the level showed on the frame [rad], + the next pair, or the far leg, high; its text and entry."""

    id: int
    tilt: float
    text: str


FrameReads = Mapping[tuple[str, int], FrameRead]


@dataclass(frozen=True)
class Frame:
    """A frame as it was read; `read` by phase, along or across, and number."""

    facts: Stated
    read: Mapping[str, FrameReads]
    style: LengthStyle

    @property
    def pairs(self) -> int:
        """Pairs of legs."""
        return int(self.facts.values["legs"])

    @property
    def places(self) -> list[tuple[str, int]]:
        """Where it is read, in order: lengthwise from pair to pair, then across at each pair."""
        return [
            *((ALONG, k) for k in range(self.pairs - 1)),
            *((ACROSS, k) for k in range(self.pairs)),
        ] * (self.pairs > 1)

    def heights(self, phase: str) -> Floats | None:
        """Return how high each leg stands against the first (pairs, 2) [m], near and far; None before all is read."""
        read = self.read[phase]
        if not self.places or any(place not in read for place in self.places):
            return None
        v, n = self.facts.values, self.pairs
        near = (
            np.concatenate([[0.0], np.cumsum([read[ALONG, k].tilt for k in range(n - 1)])]) * v["legs_span"]
        )
        across = np.array([read[ACROSS, k].tilt for k in range(n)]) * v["legs_apart"]
        return np.column_stack([near, near + across])

    @cached_property
    def U(self) -> float:
        """How well the height of the last leg is known [m]: each reading for itself, the level's own error with the whole length."""
        v = self.facts.values
        one = v["long_read"] * math.hypot(1 / math.sqrt(12), PLACING)
        each = one * math.hypot(math.sqrt(max(self.pairs - 1, 0)) * v["legs_span"], v["legs_apart"])
        own = v["long_zero"] / math.sqrt(3) * math.hypot((self.pairs - 1) * v["legs_span"], v["legs_apart"])
        return 2 * math.hypot(each, own)

    def packing(self, phase: str) -> Floats | None:
        """Return what goes under each leg (pairs, 2) [m], to the highest."""
        heights = self.heights(phase)
        return None if heights is None else np.asarray(heights.max() - heights)

    def belly(self, phase: str) -> float:
        """How far the middle of the near side is off the line from end to end [m], + up; nan before it is read."""
        heights = self.heights(phase)
        if heights is None:
            return math.nan
        line = np.linspace(heights[0], heights[-1], len(heights))
        off = (heights - line).mean(axis=1)
        return float(off[int(np.abs(off).argmax())])


def frame_findings(frame: Frame, phase: str) -> list[Finding]:
    """Return what there is to say of a frame."""
    heights, style = frame.heights(phase), frame.style
    if heights is None:
        return []
    band, take, U = float(heights.max() - heights.min()), frame.facts.values["take"], frame.U
    u_words, take_words = show_amount(U, style, 1, up=True), show_amount(take, style, 1)
    fine = "A finer level would buy nothing here: what is left, the fixing points take up."
    out = [
        Finding(
            "in" if band + U <= take else "out" if band - U > take else "open",
            f"The frame is within {show_amount(band, style, 1)}",
            f"± {u_words}; the fixing points take up {take_words}. "
            + (
                fine
                if band + U <= take
                else "Pack its legs first, as the frame's sheet says; then read it again."
            ),
        )
    ]
    if take < U:
        out.append(
            Finding(
                "open",
                "This level is too coarse for the frame",
                f"It tells the last leg to ± {u_words}, and only {take_words} can be taken up. Turn it round to find its own error, or take one that is true to {show_number(frame.facts.values['long_zero'] * 500, 2)} mm/m.",
            )
        )
    belly = frame.belly(phase)
    if abs(belly) > U:
        out.append(
            Finding(
                "note",
                f"The frame has a belly of {show_amount(abs(belly), style, 1)}, {'up' if belly > 0 else 'down'}",
                "Its middle against the line from end to end: what goes under the middle legs takes it out.",
            )
        )
    return out
