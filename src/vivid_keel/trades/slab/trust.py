"""Which tool to trust with what: what each could tell of this table at best, beside what is allowed.

Source: U = 2u; a long level over its length, a light plane read twice, a fine level stepped √n times, feelers in their step, /√12 each.
"""

from __future__ import annotations

import math

from msgspec import Struct

from vivid_keel.trades.slab.book import SlabBook, apart

LONG_LEVEL, LONG_BASE = 5e-4, 1.2
"""A long builder's level: read to so much [rad], so long [m]."""
LIGHT = 3e-4
"""u of one reading of a light plane set low, at the same edge of the line each time [m]."""
STRAIGHT = 1e-5
"""How straight a good straightedge is, a metre [m/m]."""


class Tool(Struct, frozen=True):
    """What a tool tells of one corner against the rest: U [m], and what it is good for."""

    name: str
    U: float
    text: str


def tools_for(book: SlabBook) -> list[Tool]:
    """Return what could read this table, the finest last; over its longest diagonal. Empty while it has no feet."""
    points = book.points
    far = max((apart(p, q) for p in points for q in points), default=0.0)
    if not far:
        return []
    base = book.facts.values["base"]
    steps = max(1, round(far / base))
    laid = max(1, math.ceil(far / LONG_BASE))
    feeler = book.facts.values["feeler"]
    found = [
        Tool(
            "long builder's level",
            2 * LONG_LEVEL / math.sqrt(12) * min(far, LONG_BASE) * math.sqrt(laid),
            "coarse: brings it near",
        ),
        Tool(
            "light plane, set low",
            2 * math.sqrt(2) * LIGHT,
            "coarse: read the same edge of the line, near by",
        ),
        Tool(
            "straightedge and feelers",
            2 * 4 * math.hypot(feeler / math.sqrt(12), STRAIGHT * far / 2),
            "tells twist and hollow, never how level it lies",
        ),
        Tool(
            "level in hand, foot to foot",
            2 * math.sqrt(1.5) * book.u_tilt * far,
            "tells the feet; a bow between them hides from it",
        ),
        Tool(
            "level in hand, stepped over it",
            2 * math.sqrt(1.5) * book.u_tilt * base * math.sqrt(steps),
            "tells the whole surface, along eight lines",
        ),
    ]
    return sorted(found, key=lambda tool: -tool.U)
