"""A telescope on a compensator: hairs and image in focus or not, parallax, a compensator that hangs, an image that swims.

Source: the eyepiece is set to a plane, the object lens makes the image in another, the hairs stand in a third. The eye makes good a little
of the eyepiece's error by itself, and so an image can look sharp with the eyepiece out: it lies off the hairs by δ, and an eye that moves
by y sees it move against them by δ·y/E, which is δ·y/E·d/F on a staff at the distance d.
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

TURN = 0.0004
"""A turn of either focus moves its plane by so much [m]."""
RELIEF, FOCAL = 0.012, 0.25
"""From the image to the eye behind the eyepiece, and the focal length of the object lens [m]."""
EYE = 0.001
"""The eye moves by so much to either side of the middle [m]."""
BEARS = 0.25
"""The eye makes good so much by itself [turns]."""
SWINGS, TREMBLES = 0.9, 0.19
"""A shaking floor swings once in so long, hot air trembles once in so long [s]."""
REACH = 8.0
"""Either focus goes so many turns to both sides."""


class Telescope(Struct, frozen=True):
    """A telescope that looks at a staff.

    Attributes
    ----------
    eyepiece : float
        How far it is from showing the hairs sharply to this eye [turns].
    image : float
        How far the image lies from the plane of the hairs [turns of the focus].
    distance : float
        To the staff [m].
    line : float
        Where a level line meets the staff [m].
    hangs : float
        How much higher the line points while the compensator hangs [m, on the staff]; 0 where it swings freely.
    eye : float
        Where the eye is behind the eyepiece, −1 to 1 [of `EYE`].
    aside : float
        How far the staff stands to the right of the hair [of the field's half].
    capped, tapped : bool
        Whether the cap is on, whether it was tapped.
    swims : float
        How far the image goes up and down with a floor that shakes [m, on the staff].
    shimmers : float
        How far hot air makes it tremble [m, on the staff].
    """

    eyepiece: float
    image: float
    distance: float
    line: float
    hangs: float = 0.0
    eye: float = 0.0
    aside: float = 0.0
    capped: bool = False
    tapped: bool = False
    swims: float = 0.0
    shimmers: float = 0.0

    @property
    def moves(self) -> float:
        """How far the image goes on the staff as the eye goes from the middle to its edge [m]: the parallax."""
        return self.image * TURN * EYE / RELIEF * self.distance / FOCAL

    @property
    def shows(self) -> float:
        """Where the middle hair is seen on the staff [m]."""
        return self.line + (0.0 if self.tapped else self.hangs) + self.moves * self.eye

    @property
    def hairs_soft(self) -> float:
        """How far the hairs are from sharp [turns]; 0 where the eye makes it good."""
        return max(abs(self.eyepiece) - BEARS, 0.0)

    @property
    def staff_soft(self) -> float:
        """How far the staff is from sharp [turns]."""
        return max(abs(self.image - self.eyepiece) - BEARS / 2, 0.0)

    def trembles(self, seconds: float) -> float:
        """How far the image is off at a time [m, on the staff]: a slow swing of the floor, a quick tremble of the air."""
        swing = self.swims * math.sin(2 * math.pi * seconds / SWINGS)
        return swing + self.shimmers * math.sin(2 * math.pi * seconds / TREMBLES) * math.sin(5.1 * seconds)

    def set(self, *, eyepiece: float = 0.0, image: float = 0.0) -> Telescope:
        """Return it with its eyepiece, its focus turned further [turns]."""
        e, i = (max(-REACH, min(REACH, value)) for value in (self.eyepiece + eyepiece, self.image + image))
        return replace(self, eyepiece=e, image=i)
