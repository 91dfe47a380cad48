"""A simulated vehicle on soft ground: it answers what is put under a wheel, less what sinks in."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

MOST_ROLL, MOST_PITCH = math.radians(3.0), math.radians(2.0)
LEAST = math.radians(0.8)
"""It leans so much at least [rad]: level ground teaches nothing."""


def hide_vehicle(seed: int) -> dict[str, float]:
    """Return the hidden numbers of a vehicle as it was left standing: how it leans [rad], and how much of a lift sinks in again [1]."""
    rng = np.random.default_rng(seed)
    lean, tip = (float(rng.uniform(LEAST, most) * rng.choice([-1, 1])) for most in (MOST_ROLL, MOST_PITCH))
    return {"seed": float(seed), "roll": lean, "pitch": tip, "sinks": float(rng.uniform(0.0, 0.06))}


def stands(hidden: Mapping[str, float], lifts: Mapping[str, tuple[float, float]]) -> tuple[float, float]:
    """Return how it leans and tips [rad], right side and nose high +.

    Parameters
    ----------
    hidden : mapping
        As `hide_vehicle` made it, with how far each was lifted, "lifted " and its name [m].
    lifts : mapping
        What a lift there does to lean and tip, by its name [rad/m].
    """
    stay = 1 - hidden["sinks"]
    made = [(hidden.get(f"lifted {name}", 0.0) * stay, does) for name, does in lifts.items()]
    roll = hidden["roll"] + sum(lift * does[0] for lift, does in made)
    return roll, hidden["pitch"] + sum(lift * does[1] for lift, does in made)
