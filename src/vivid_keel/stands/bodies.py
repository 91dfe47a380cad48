"""A simulated body on feet: out of level, its feet taking load from one another, read by a level with a hidden error."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SLACK = 0.03
"""A turn goes so far astray, of itself [1]."""


def hide_body(seed: int, n: int, division: float) -> dict[str, float]:
    """Return the hidden numbers of a body on `n` feet: their heights [m], the level's own error [rad], how much a turn tips the whole [1],
    which foot is sprung and by how much of its turn [1], and how much of what was turned closes again until it is next looked at [1]."""
    rng = np.random.default_rng(seed)
    hidden = {"seed": float(seed), "zero": float(rng.normal(0, 2)) * division}
    hidden["share"] = float(rng.uniform(0.0, 0.35))
    hidden["sprung"], hidden["gives"] = float(rng.integers(n)), float(rng.uniform(0.0, 0.25))
    hidden["closes"] = float(rng.uniform(0.0, 0.04))
    for k, h in enumerate(rng.normal(0, 6 * division, n)):
        hidden[f"h{k}"] = float(h)
    hidden["wobble"] = float(rng.uniform(0.0, 0.5)) * division  # of a bearing, where one turns
    return hidden


def turned_by(hidden: Mapping[str, float], n: int) -> Floats:
    """Return how far each foot was turned in all [m]."""
    return np.array([hidden.get(f"turned{k}", 0.0) for k in range(n)])


def heights(hidden: Mapping[str, float], tips: Floats, looks: int = 0) -> Floats:
    """Return the true heights of the feet (n,) [m]; `tips` (n, n) [1] is what each does to a rigid body; after so many looks."""
    n = len(tips)
    answer = (1 - hidden["share"]) * np.eye(n) + hidden["share"] * tips
    made = turned_by(hidden, n)
    sprung = int(hidden["sprung"])
    if sprung < n:
        made[sprung] *= 1 - hidden["gives"]
    stay = 1.0 - hidden["closes"] * (1.0 - 0.5**looks)
    # Feet that were added since it was hidden stand where they were put.
    begun = np.array([hidden.get(f"h{k}", 0.0) for k in range(n)])
    return np.asarray(begun + answer @ made * stay)


def really_turned(hidden: Mapping[str, float], foot: int, move: float, when: int) -> float:
    """Return how far a hand turns a foot that is to go by `move` [m]; `when` tells one turn from another."""
    rng = np.random.default_rng([int(hidden["seed"]), foot, when])
    return move * (1 + float(rng.normal(0, SLACK)))


def seen(tilt: float, division: float, read: float, seed: int, when: int) -> float:
    """Return a bubble as it is read for a tilt [rad], its own error in it [rad]: to a part `read` [1] of a division [rad], never laid alike."""
    rng = np.random.default_rng([seed, when])
    return float(round((tilt / division + rng.normal(0, 0.15)) / read) * read * division)
