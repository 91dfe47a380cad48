"""Vehicles: from a two-way level to the wheel, the step and the nose; which way to stand; how wide a board."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import product

from msgspec import Struct

from vivid_keel.core.quantities import EQUAL

SPRINGS = 0.010
"""How far the diagonals of four wheels may be at odds, to start with: what springs take up [m]."""
LEFT, RIGHT, NONE = "left", "right", "none"


class Trailer(Struct, frozen=True):
    """How a trailer is brought level.

    Attributes
    ----------
    wheel : str
        The low one, "none" where there is none.
    wheel_raise : float
        Packing under it, measured plumb [m].
    step : float or None
        The step of a ramp that comes nearest, None without a ramp [m].
    nose_raise : float
        At the coupling, after the wheel is raised; raise + [m].
    roll_left : float
        What is left over, right side high + [rad].
    """

    wheel: str
    wheel_raise: float
    step: float | None
    nose_raise: float
    roll_left: float


def trailer(
    roll: float, pitch: float, track: float, axle_to_coupling: float, steps: Sequence[float] | None = None
) -> Trailer:
    """Return which wheel of a single-axle trailer goes up, and how far its nose then.

    W = T·tan|roll| under the low wheel; the axle's middle goes up by half of what is put under and the
    nose does not, so the nose wants raised/2 − L·tan(pitch) (pitch as first read).

    Parameters
    ----------
    roll, pitch : float
        Right side high, nose high positive [rad].
    track, axle_to_coupling : float
        [m]
    steps : sequence of float, optional
        Heights of a ramp's steps [m]; nothing counts as a step of 0, the lower of two as near is taken.
    """
    want = track * math.tan(abs(roll))
    wheel = NONE if want <= EQUAL else LEFT if roll > 0 else RIGHT
    step = None if steps is None else nearest_step(want, steps)
    raised = want if step is None else step
    left = (
        0.0
        if step is None
        else math.atan(math.tan(roll) - math.copysign(raised / track, roll))
        if want > 0
        else 0.0
    )
    return Trailer(wheel, want, step, raised / 2 - axle_to_coupling * math.tan(pitch), left)


def nearest_step(want: float, steps: Sequence[float]) -> float:
    """Return the step nearest to a height, nothing (0) among them; the lower of two as near [m]."""
    best = 0.0
    for step in sorted(steps):
        if abs(step - want) < abs(best - want) - EQUAL:
            best = step
    return best


def at_jockey(nose_raise: float, axle_to_coupling: float, axle_to_jockey: float) -> float:
    """Return what the jockey wheel rises for a rise at the coupling [m]."""
    return nose_raise * axle_to_jockey / axle_to_coupling


def turned(roll: float, pitch: float, heading: float) -> tuple[float, float]:
    """Return roll and pitch after turning clockwise by a heading, all [rad].

    tan pitch′ = tan pitch·cos ψ + tan roll·sin ψ;  tan roll′ = tan roll·cos ψ − tan pitch·sin ψ.
    """
    p, r = math.tan(pitch), math.tan(roll)
    return math.atan(r * math.cos(heading) - p * math.sin(heading)), math.atan(
        p * math.cos(heading) + r * math.sin(heading)
    )


class Wheels(Struct, frozen=True):
    """Lifts of a vehicle's wheels [m], in the order given; the highest stays (raise only).

    `odds` is how far the diagonals are at odds once it stands on them [m]: what the springs must take up, or it rocks.
    """

    lifts: tuple[float, ...]
    steps: tuple[float, ...]
    roll_left: float
    pitch_left: float
    odds: float = 0.0


def wheels(
    roll: float,
    pitch: float,
    places: Sequence[tuple[float, float]],
    steps: Sequence[float] | None = None,
    springs: float = SPRINGS,
) -> Wheels:
    """Return how far each wheel goes up so that a vehicle stands level, raise only.

    Heights of the wheels follow from the two tilts; the highest is the keeper. Steps are chosen for all wheels
    together: of those that put the diagonals at odds by no more than the springs take up, the ones that leave the
    least tilt of the best plane through the wheels, then the least lift in all.

    Parameters
    ----------
    places : sequence of (forward, right)
        Of each wheel [m].
    steps : sequence of float, optional
        Heights of a ramp's steps or of blocks [m].
    springs : float
        How far the diagonals may be at odds [m].
    """
    import numpy as np

    at = np.array(places, dtype=float)
    height = at @ np.array([math.tan(pitch), math.tan(roll)])
    lifts = height.max() - height
    design = np.column_stack([at, np.ones(len(at))])
    flat = np.linalg.pinv(design)
    if steps is None:
        taken = lifts[None, :]
    else:
        keeper = int(np.argmax(height))
        free = [sorted({0.0, *steps}) if i != keeper else [0.0] for i in range(len(at))]
        taken = np.array(list(product(*free)))
    left = height + taken
    fit = left @ flat.T
    # Of four wheels in a rectangle each is off the best plane by a quarter of what the diagonals are at odds.
    odds = 4 * np.abs(left - fit @ design.T).max(axis=1) if len(at) > 3 else np.zeros(len(taken))
    tilt = np.hypot(fit[:, 0], fit[:, 1])
    stands = odds <= springs + EQUAL
    rank = np.lexsort((taken.sum(axis=1), tilt.round(9), ~stands))
    best = int(rank[0])
    return Wheels(
        tuple(lifts.tolist()),
        tuple(taken[best].tolist()),
        math.atan(float(fit[best, 1])),
        math.atan(float(fit[best, 0])),
        float(odds[best]),
    )


GROUND = {"firm gravel": 200e3, "dry turf": 100e3, "wet turf": 50e3, "soft mud": 25e3}
"""What ground of a class bears, about [Pa]: the owner's own knowledge comes first."""


def board_side(load: float, strength: float) -> float:
    """Return the side of a square board under a wheel, √(load/strength) [m]; load [N], strength [Pa]."""
    return math.sqrt(load / strength)
