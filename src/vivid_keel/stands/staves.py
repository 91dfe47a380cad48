"""A staff as a holder holds it: leaning, its joint open, on a nail.

Source: a staff that leans by θ meets a level line at h/cos θ; what stands under its foot is missing from the reading; an upper length that
has sunk into the lower one shows too much above the joint.
"""

from __future__ import annotations

import math

from msgspec import Struct

FINE, SIDEWAYS, JOINT, NAIL = "held well", "it leaned to a side", "its joint gaped", "it stood on a nail"
ASIDE = math.radians(6.0)
"""So far it leans to a side where it does [rad]."""
GAPES, STANDS = 0.012, 0.018
"""An open joint shows so much too much; what it stands on takes so much away [m]."""


class HeldStaff(Struct, frozen=True):
    """A staff on a point whose height under the line is `height` [m], leaning by `lean` towards the observer or away [rad], held with a fault."""

    height: float
    lean: float
    fault: str = FINE

    @property
    def wrong(self) -> float:
        """What the fault adds to the reading [m]."""
        return {
            SIDEWAYS: self.height * (1 / math.cos(ASIDE) - 1),
            JOINT: GAPES,
            NAIL: -STANDS,
        }.get(self.fault, 0.0)

    @property
    def shows(self) -> float:
        """What the line meets on it [m]."""
        return (self.height + self.wrong) / math.cos(self.lean)
