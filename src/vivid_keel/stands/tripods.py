"""Tripods: three legs with their feet on ground that falls, is soft or is smooth; how the head lies, and what a foot that creeps does.

Source: the legs are hinged to the head, each swinging in the plane through the middle and its foot. With the feet where they are, a leg
reaches so far up from its foot as its length allows (√(L² − (r − ρ)²), r from the middle to the foot, ρ to the hinge); to the first
order of the tilt the head is parallel to the plane through those three heights over the feet.
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

HINGE = 0.06
"""From the middle of the head to a hinge [m]."""
LEGS = 3
SHORTEST, LONGEST = 0.95, 1.75
"""A leg pushed in, and pulled out [m]."""
NARROW, WIDE = 0.25, 0.95
"""From the middle to a foot, at the least and at the most [m]."""
FIRM, SOFT, SMOOTH = "firm ground", "soft ground", "a smooth floor"
SINKS, SLIDES = 0.004, 0.006
"""A foot not trodden in sinks by so much on soft ground; one not stopped on a smooth floor goes out by so much [m]."""


class Tripod(Struct, frozen=True):
    """A tripod as it stands.

    Attributes
    ----------
    legs : (float, float, float)
        How long each is [m].
    turned : float
        Which way the first leg points, from straight ahead to the right; the others follow by a third of a circle [rad].
    spread : float
        From the middle to each foot [m].
    slope : (float, float)
        What the ground rises to the right and straight ahead [1].
    ground : str
        `FIRM`, `SOFT` or `SMOOTH`.
    trodden, stopped : bool
        Whether the feet were trodden in; whether something stops them from going out.
    """

    legs: tuple[float, float, float]
    turned: float
    spread: float
    slope: tuple[float, float]
    ground: str
    trodden: bool = False
    stopped: bool = False

    @property
    def bearings(self) -> list[float]:
        """Which way each leg points [rad]."""
        return [self.turned + 2 * math.pi * k / LEGS for k in range(LEGS)]

    @property
    def feet(self) -> list[tuple[float, float]]:
        """Where each foot stands, to the right and straight ahead [m]."""
        return [(self.spread * math.sin(b), self.spread * math.cos(b)) for b in self.bearings]

    @property
    def holds(self) -> bool:
        """Whether the feet stay where they are."""
        return self.stopped if self.ground == SMOOTH else self.trodden

    @property
    def tilt(self) -> tuple[float, float]:
        """What the head rises to the right and straight ahead [rad]."""
        return _plane(self._tops)

    @property
    def height(self) -> float:
        """How high the head stands over the ground in the middle [m]."""
        return sum(top for _, _, top in self._tops) / LEGS

    @property
    def creeps(self) -> float:
        """How far the line comes down, and on one side, when the feet aren't held [m]."""
        if self.holds or self.ground == FIRM:
            return 0.0
        if self.ground == SOFT:
            return SINKS
        out = max(self.spread - HINGE, 0.0)
        leg = sum(self.legs) / LEGS
        return SLIDES * out / math.sqrt(max(leg**2 - out**2, 1e-4))

    @property
    def _tops(self) -> list[tuple[float, float, float]]:
        """Over each foot (right, ahead): how high its leg reaches [m]."""
        out = max(self.spread - HINGE, 0.0)
        return [
            (x, y, self.slope[0] * x + self.slope[1] * y + math.sqrt(max(leg**2 - out**2, 1e-4)))
            for (x, y), leg in zip(self.feet, self.legs, strict=True)
        ]

    def longer(self, leg: int, by: float) -> Tripod:
        """Return it with a leg pulled out by so much [m], as far as it goes."""
        legs = list(self.legs)
        legs[leg] = max(SHORTEST, min(LONGEST, legs[leg] + by))
        return replace(self, legs=(legs[0], legs[1], legs[2]))

    def spread_by(self, by: float) -> Tripod:
        """Return it with its feet set further out [m]; they are no longer held."""
        spread = max(NARROW, min(WIDE, self.spread + by))
        return replace(self, spread=spread, trodden=False, stopped=False)

    def turned_by(self, by: float) -> Tripod:
        """Return it set down anew, turned to the right [rad]; its feet are no longer held."""
        return replace(self, turned=(self.turned + by) % (2 * math.pi), trodden=False, stopped=False)


def _plane(tops: list[tuple[float, float, float]]) -> tuple[float, float]:
    """The slope of the plane through three points, to the right and straight ahead [1]."""
    (x1, y1, z1), (x2, y2, z2), (x3, y3, z3) = tops
    ax, ay, az, bx, by, bz = x2 - x1, y2 - y1, z2 - z1, x3 - x1, y3 - y1, z3 - z1
    area = ax * by - ay * bx
    return (az * by - bz * ay) / area, (ax * bz - bx * az) / area
