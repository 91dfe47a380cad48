"""Axis errors of a rotating laser, from the beam marked with each side facing the target.

Source: a tilted axis reads a plane; half the difference of opposite faces is its slope.
"""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.quantities import EQUAL

NEAREST = 15.0
"""Below this distance the spot's own width hides the error [m]."""


class RotaryAxis(Struct, frozen=True):
    """Errors of both axes, the beam rising on the plus side positive [rad]; `resolved` from 15 m on."""

    x: float
    y: float
    resolved: bool


def rotary_axis(distance: float, x_plus: float, x_minus: float, y_plus: float, y_minus: float) -> RotaryAxis:
    """Return e = (h₊ − h₋)/(2·D) of both axes.

    Parameters
    ----------
    distance : float
        To the target [m], above 0.
    x_plus, x_minus, y_plus, y_minus : float
        Heights of the beam with that side of the laser facing the target [m].
    """
    return RotaryAxis(
        (x_plus - x_minus) / (2 * distance), (y_plus - y_minus) / (2 * distance), distance >= NEAREST - EQUAL
    )
