"""The two-peg check: equal distances hide a collimation error, unequal ones show it.

Source: the two-peg test: the same error c·D on every reading, found from unequal sights.
"""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.booking.reduction import curvature_at
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import EQUAL

SHORTEST = 5.0
"""Smallest difference of the sights' differences that shows anything [m]."""


class PegSetUp(Struct, frozen=True):
    """One set-up: distances to the pegs and readings on them [m]."""

    to_a: float
    to_b: float
    a: float
    b: float


class TwoPeg(Struct, frozen=True):
    """What a two-peg check found.

    Attributes
    ----------
    collimation : float
        Slope c of the line of sight, rising away positive [rad].
    u : float or None
        Its standard uncertainty where that of a reading was given [rad].
    difference : float
        B above A [m].
    adjust_a, adjust_b : float
        What the second set-up must read when adjusted, curvature left in [m].
    lever : float
        (D₂A − D₂B) − (D₁A − D₁B) [m].
    """

    collimation: float
    u: float | None
    difference: float
    adjust_a: float
    adjust_b: float
    lever: float


def two_peg(first: PegSetUp, second: PegSetUp, *, curvature: bool, u_reading: float | None = None) -> TwoPeg:
    """Return the collimation error from two set-ups over two pegs.

    With a = true + c·D on each reading, after curvature and refraction where wanted:
    c = [(a₂ − b₂) − (a₁ − b₁)] / [(D₂A − D₂B) − (D₁A − D₁B)], Δ = (a₁ − c·D₁A) − (b₁ − c·D₁B),
    u(c) = 2·u(r)/|lever|.

    Parameters
    ----------
    u_reading : float or None
        Standard uncertainty of one reading [m]; None: u of the result is not stated.

    Raises
    ------
    KeelError
        `layout-too-short` where the lever is under 5 m, saying how far to move.
    """
    lever = (second.to_a - second.to_b) - (first.to_a - first.to_b)
    if abs(lever) < SHORTEST - EQUAL:
        raise KeelError(
            "layout-too-short",
            f"the two set-ups differ by {abs(lever):.1f} m only, which shows nothing; "
            f"move the second {SHORTEST - abs(lever):.1f} m or more towards one peg",
        )
    a1, b1, a2, b2 = (
        reading - (curvature_at(d) if curvature else 0.0)
        for reading, d in (
            (first.a, first.to_a),
            (first.b, first.to_b),
            (second.a, second.to_a),
            (second.b, second.to_b),
        )
    )
    c = ((a2 - b2) - (a1 - b1)) / lever
    return TwoPeg(
        c,
        None if u_reading is None else 2 * u_reading / abs(lever),
        (a1 - c * first.to_a) - (b1 - c * first.to_b),
        second.a - c * second.to_a,
        second.b - c * second.to_b,
        lever,
    )
