"""Plumb: how far a post leans, read by a level held both ways round or by a bob, and what cures it.

Source: out of plumb = tilt × length; reversal parts the lean from the level's own error; a bob's string hangs plumb.
"""

from __future__ import annotations

import math

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.working import Working

LEVEL, BOB = "level", "bob"
U_READ = 0.0005
"""A builder's level held against a post and read: standard uncertainty of one reading, 0.5 mm over a metre [rad]."""
U_ZERO = 0.0010
"""What such a level may be out by itself, read one way only: half of 2 mm over a metre [rad]."""
U_TAPE = 0.0005
"""From the string to the face by a rule: standard uncertainty of one [m]."""


class Lean(Struct, frozen=True):
    """How a post leans one way.

    Attributes
    ----------
    tilt : float
        Positive: the head leans towards the far end of its row, or across it to the side of larger numbers [rad].
    u : float
        Standard uncertainty of it [rad].
    zero : float
        The level's own error, parted off by turning it round [rad]; nan where it wasn't, or a bob was used.
    length : float
        Of the post, over which it is judged [m].
    """

    tilt: float
    u: float
    zero: float
    length: float

    @property
    def off(self) -> float:
        """How far the head stands off plumb over the foot [m]."""
        return math.tan(self.tilt) * self.length

    @property
    def u_off(self) -> float:
        """Standard uncertainty of that [m]."""
        return self.u * self.length

    def under_edge(self, base: float) -> float:
        """Return how thick a wedge under the edge of a base so wide [m] brings it plumb [m]: under the side it leans to."""
        return abs(math.tan(self.tilt)) * base

    def brace(self, height: float, reach: float) -> float:
        """Return by how much a brace changes its length [m], fixed so high on the post and reaching out so far at its foot [m].

        On the side to which the post leans it becomes longer, on the other shorter.

        Raises
        ------
        KeelError
            `bad-value`: a brace without height or reach holds nothing.
        """
        if height <= 0 or reach <= 0:
            raise KeelError(
                "bad-value", "a brace stands out from the post and meets it above the foot; both above 0"
            )
        return abs(math.tan(self.tilt)) * height * reach / math.hypot(height, reach)


def by_level(first: float, turned: float | None, length: float, coarse: float = 0.0) -> Lean:
    """Return the lean by a level held against the post, read and turned round end for end about the upright.

    Parameters
    ----------
    first, turned : float
        The head's lean as it shows, before and after it was turned [rad]; turned None where it wasn't.
    length : float
        Of the post [m].
    coarse : float
        Step of the last digit typed [rad].

    Raises
    ------
    KeelError
        `bad-value`: a length that is not above 0.
    """
    _long(length)
    u_one = math.hypot(U_READ, coarse / math.sqrt(12))
    if turned is None:
        return Lean(first, math.hypot(u_one, U_ZERO), math.nan, length)
    return Lean((first + turned) / 2, u_one / math.sqrt(2), (first - turned) / 2, length)


def by_bob(top: float, bottom: float, string: float, length: float, coarse: float = 0.0) -> Lean:
    """Return the lean by a bob hung beside the post, on the side towards the far end of the row.

    Parameters
    ----------
    top, bottom : float
        From the face to the string, above and below [m].
    string : float
        Between the two [m].
    length : float
        Of the post [m].
    coarse : float
        Step of the last digit typed [m].

    Raises
    ------
    KeelError
        `bad-value`: a length or a string that is not above 0.
    """
    _long(length)
    if string <= 0:
        raise KeelError("bad-value", "the string between the two readings is longer than 0")
    u = math.sqrt(2) * math.hypot(U_TAPE, coarse / math.sqrt(12)) / string
    # Hung on the side it leans to, the string comes away from the face below.
    return Lean(math.atan((bottom - top) / string), u, math.nan, length)


def _long(length: float) -> None:
    if not length > 0:
        raise KeelError("bad-value", "a post is longer than 0; measure it from its foot to its head")


def why_lean(name: str, lean: Lean, how: str, numbers: str) -> Working:
    """Return the working of a lean: `how` is LEVEL or BOB, `numbers` the readings as they went in."""
    formula = {
        LEVEL: "θ = (a + b)/2, the level's own error (a − b)/2;  off = tan θ · L",
        BOB: "tan θ = (below − above)/string;  off = tan θ · L",
    }[how]
    return Working(f"{name} out of plumb", formula, numbers)
