"""Heads of instruments on foot screws: three of them, or four round a ball; and the bubble on the plate, which may lie.

Source: the plane through the tops of three screws; over a ball a pair of opposite screws tips by the difference of its two and holds by
their sum. A bubble that isn't square to the standing axis keeps its error as the head is turned, while the tilt of the axis goes round
under it: that is what turning by half a circle parts.
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

PITCH, RADIUS = 0.0008, 0.055
"""A turn raises so much, and the screws stand so far from the axis [m]."""
TRAVEL = 6.0
"""A screw goes so many turns up from its middle, and as many down."""
LOOSE, TIGHT = -0.15, 0.5
"""A pair below the one doesn't hold the head, above the other it bends the plate [turns, of both together]."""
BENDS = 0.25
"""So much of what a pair is too tight stands in the bubble [1, as if the pair were turned by so much]."""


class Head(Struct, frozen=True):
    """A head on its screws.

    Attributes
    ----------
    turns : tuple of float
        Each screw up from its middle, three or four of them [turns].
    ground : (float, float)
        What the tripod's head rises to the right and away from the observer [rad].
    error : (float, float)
        What the bubble shows besides, along the telescope and to its right [rad].
    azimuth : float
        Which way the telescope looks, from away to the right [rad].
    """

    turns: tuple[float, ...]
    ground: tuple[float, float]
    error: tuple[float, float]
    azimuth: float = 0.0

    @property
    def places(self) -> list[tuple[float, float]]:
        """Where the screws stand (right, away) [m]: of three the first is away, of four they stand across and along."""
        n = len(self.turns)
        begin = math.pi / 2 if n == 3 else 0.0
        return [
            (RADIUS * math.cos(begin - 2 * math.pi * k / n), RADIUS * math.sin(begin - 2 * math.pi * k / n))
            for k in range(n)
        ]

    @property
    def snug(self) -> list[float]:
        """How firmly each pair of four holds the head [turns]: 0 as it should; none of three."""
        return [self.turns[k] + self.turns[k + 2] for k in (0, 1)] if len(self.turns) == 4 else []

    @property
    def rocks(self) -> bool:
        """Whether a pair is too loose to hold it."""
        return any(pair < LOOSE for pair in self.snug)

    @property
    def tilt(self) -> tuple[float, float]:
        """What the standing axis leans: the plate rises to the right and away [rad]."""
        x = y = 0.0
        share = 2 / (len(self.turns) * RADIUS**2)
        for turn, (right, away) in zip(self.turns, self.places, strict=True):
            x += share * turn * PITCH * right
            y += share * turn * PITCH * away
        return self.ground[0] + x, self.ground[1] + y

    @property
    def lean(self) -> float:
        """How far the axis leans in all [rad]."""
        return math.hypot(*self.tilt)

    @property
    def shown(self) -> tuple[float, float]:
        """What the bubble shows, along the telescope and to its right [rad], + where it stands towards that side: it goes uphill."""
        right, away = self.tilt
        for pair, axis in zip(self.snug, ((1.0, 0.0), (0.0, 1.0)), strict=False):
            if pair > TIGHT:
                right += axis[0] * BENDS * (pair - TIGHT) * PITCH / (2 * RADIUS)
                away += axis[1] * BENDS * (pair - TIGHT) * PITCH / (2 * RADIUS)
            elif pair < LOOSE:  # it lies on one side or the other, whichever way it is looked over
                rock = (
                    (LOOSE - pair) * PITCH / (2 * RADIUS) * math.copysign(1.0, math.cos(self.azimuth + 0.3))
                )
                right, away = right + axis[0] * rock, away + axis[1] * rock
        s, c = math.sin(self.azimuth), math.cos(self.azimuth)
        return away * c + right * s + self.error[0], right * c - away * s + self.error[1]

    def turned(self, by: tuple[float, ...]) -> Head:
        """Return it with its screws turned further [turns]; past its travel a screw stops."""
        now = tuple(max(-TRAVEL, min(TRAVEL, a + b)) for a, b in zip(self.turns, by, strict=True))
        return replace(self, turns=now)

    def looking(self, azimuth: float) -> Head:
        """Return it turned to look that way [rad]."""
        return replace(self, azimuth=azimuth)


def turns_for(head: Head) -> tuple[float, ...]:
    """Return the turns that bring the axis upright with the least turned in all [turns]; of four each pair stays as snug as it is.

    Source: of three, one screw stays: adding the same to all tips nothing, and the sum of the turns is least with the middle one at rest.
    """
    right, away = head.tilt
    n = len(head.turns)
    plain = [-(right * x + away * y) / PITCH for x, y in head.places]  # h = −g·p at each screw
    if n == 4:
        return tuple(plain)
    middle = sorted(plain)[1]
    return tuple(turn - middle for turn in plain)
