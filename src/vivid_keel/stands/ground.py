"""Simulated ground that answers readings, and a simulated track that a wagon passes over."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

WAVES, HUMPS = 6, 3


def hide_ground(seed: int) -> dict[str, float]:
    """Return the hidden numbers of a yard: its seed, from which all of it follows."""
    return {"seed": float(seed)}


def height(hidden: Mapping[str, float], x: float, y: float, size: float) -> float:
    """Return how high a simulated yard stands at a place [m], x and y [m]; `size` [m] is how far it reaches: humps are told by that."""
    rng = np.random.default_rng(int(hidden["seed"]))
    tilt = rng.normal(0, 0.01, 2)
    out = float(tilt @ (x, y))
    for wave, turn, begin, tall in zip(
        rng.uniform(6, 25, WAVES),
        rng.uniform(0, 2 * math.pi, WAVES),
        rng.uniform(0, 2 * math.pi, WAVES),
        rng.normal(0, 0.03, WAVES),
        strict=True,
    ):
        out += float(tall) * math.cos(2 * math.pi * (x * math.cos(turn) + y * math.sin(turn)) / wave + begin)
    for at_x, at_y, tall in zip(
        rng.uniform(0, size, HUMPS), rng.uniform(0, size, HUMPS), rng.uniform(0.03, 0.12, HUMPS), strict=True
    ):
        out += float(tall) * math.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / (0.08 * size) ** 2)
    return out


def read_to(value: float, step: float, u: float, hidden: Mapping[str, float], when: int) -> float:
    """Return a value [m] as a hand reads it: off by u [m], to a step [m]."""
    rng = np.random.default_rng([int(hidden["seed"]), when])
    return round((value + float(rng.normal(0, u))) / step) * step


def hide_track(seed: int) -> dict[str, float]:
    """Return the hidden numbers of a stretch of track: its seed, and what a measure of chips gives once a wagon has passed [measures]."""
    return {"seed": float(seed), "share": float(np.random.default_rng(seed).uniform(0.65, 1.0))}


def rails(hidden: Mapping[str, float], n: int) -> tuple[Floats, Floats]:
    """Return how far the left and the right rail lie below the aimed line at n sleepers (n,) [m], between two high spots."""
    rng = np.random.default_rng([int(hidden["seed"]), n])
    x = np.linspace(0, 1, n)
    ramp = np.minimum(1, np.minimum(x, 1 - x) * 6)
    out = []
    for deep in rng.uniform(0.004, 0.011, 2):
        wave = rng.normal(0, 0.2) * np.sin(2 * math.pi * x * rng.uniform(1, 3) + rng.uniform(0, 6))
        out.append(np.maximum(ramp * deep * (np.sin(math.pi * x) + wave), 0.0))
    return out[0], out[1]


def hollows(hidden: Mapping[str, float], n: int) -> tuple[dict[int, float], dict[int, float]]:
    """Return the hollows under the left and the right rail, by sleeper from 0 [measures]: a sleeper in six hangs."""
    rng = np.random.default_rng([int(hidden["seed"]), n, 1])
    out: list[dict[int, float]] = [{}, {}]
    for k in range(1, n - 1):
        if rng.random() < 1 / 6:
            out[int(rng.integers(2))][k] = float(rng.uniform(0.3, 1.8))
    return out[0], out[1]
