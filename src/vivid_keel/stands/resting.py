"""What has to come to rest before it is read: a bubble in its vial, water in a tube, a string and a bob in a draught, a plane of light.

Source: a bubble creeps (see `instruments.bubble_at`), water swings and is damped by its hose (`instruments.water_at`); a string and a bob
swing as damped pendulums, x = x₀·e^(−t/τ)·cos(ωt).
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.stands.instruments import bubble_at, water_at

VIAL, TUBE, PLANE, STRING, BOB = "vial", "tube", "plane", "string", "bob"
WARMS = 1.2
"""A warm hand bows the vial by so many divisions, all of it after some seconds."""
COOLS = 12.0
"""It goes back, or comes, within so many seconds to a third."""


FILLED, BORE = 8.0, 0.005
"""Water in the tube, and the radius of its bore [m]."""


class Vial(Struct, frozen=True):
    """A tube vial on a surface; the bubble's two ends are read from the middle, to the right +.

    Attributes
    ----------
    rest : float
        Where the middle of the bubble comes to rest [div].
    start : float
        Where it stood when it was put down [div].
    half : float
        Half the bubble's length [div].
    settles : float
        [s]
    since : float
        How long ago it was put down [s].
    warm : float
        What a hand bows it by just now [div].
    hand : bool
        Whether a hand lies on it.
    """

    rest: float
    start: float
    half: float
    settles: float
    since: float = 0.0
    warm: float = WARMS
    hand: bool = True

    @property
    def shows(self) -> float:
        """Where the middle of the bubble stands [div]."""
        return bubble_at(self.since, self.start, self.rest, self.settles) + self.warm

    @property
    def ends(self) -> tuple[float, float]:
        """Where its left and its right end stand [div]."""
        return self.shows - self.half, self.shows + self.half

    def later(self, seconds: float) -> Vial:
        """Return it so much later [s]."""
        goal, gone = (WARMS if self.hand else 0.0), math.exp(-max(seconds, 0.0) / COOLS)
        return replace(self, since=self.since + max(seconds, 0.0), warm=goal + (self.warm - goal) * gone)

    def let_go(self) -> Vial:
        """Return it with no hand on it."""
        return replace(self, hand=False)


class Mark(Struct, frozen=True):
    """Something whose edge is read on a scale once it stands: `what` it is, where its lower edge comes to rest, how thick it is [m].

    `off` is how far it stood off its rest when it was left to itself [m], `settles` how long it swings (to a tenth, or as its water
    does) [s], `since` how long ago that was [s].
    """

    what: str
    rest: float
    thick: float
    off: float
    settles: float
    since: float = 0.0

    @property
    def swing(self) -> float:
        """How far it is off its rest just now [m]."""
        if self.what == TUBE:
            return water_at(self.since, self.off, FILLED, BORE)
        if self.what == PLANE:
            return 0.0 if self.since >= self.settles else self.off * (1 - self.since / self.settles)
        turns = {STRING: 0.7, BOB: 0.4}[self.what]
        fades = math.exp(-math.log(10.0) * self.since / self.settles)
        return self.off * fades * math.cos(2 * math.pi * turns * self.since)

    @property
    def widest(self) -> float:
        """How far it still goes from its rest, at the most [m]."""
        later = (replace(self, since=self.since + k / 4).swing for k in range(12))
        return max(abs(one) for one in later)

    @property
    def edges(self) -> tuple[float, float]:
        """Where its lower and its upper edge are [m]."""
        return self.rest + self.swing, self.rest + self.swing + self.thick

    def later(self, seconds: float) -> Mark:
        """Return it so much later [s]."""
        return replace(self, since=self.since + max(seconds, 0.0))
