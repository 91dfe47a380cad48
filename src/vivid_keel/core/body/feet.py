"""What a body's feet do to it before anything was seen: it follows them, and every bubble on it with it.

Source: three feet carry a rigid body; four and more one that is rigid with an even twist, by least squares where there are more
feet than it has ways to go. From then on what really happened teaches (see `core/moving/response`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.body.model import TELLS
from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

MOST_TRIED = 1000
"""So many ways to watch feet are tried; beyond that each is watched where it shows most."""


def follows(nodes: Floats, feet: Floats) -> Floats:
    """Return what each node rises where a foot is wound up (n, k) [1].

    Parameters
    ----------
    nodes : float array (n, 2)
        Places in plan [m].
    feet : float array (k, 2)
        Places of the feet [m].

    Raises
    ------
    KeelError
        `points-in-line`: the feet stand in one line, or are fewer than three.
    """
    middle = feet.mean(axis=0)
    size = float(np.abs(feet - middle).max()) or 1.0

    def ways(places: Floats, twist: bool) -> Floats:
        x, y = ((places - middle) / size).T
        return np.column_stack([np.ones(len(places)), x, y, *([x * y] if twist else [])])

    plain = ways(feet, False)
    if len(feet) < 3 or np.linalg.svd(plain, compute_uv=False)[2] < TELLS:
        raise KeelError(
            "points-in-line",
            "the feet stand in one line, or are fewer than three: nothing holds the body across it",
        )
    twisted = ways(feet, True)
    four = len(feet) > 3 and np.linalg.svd(twisted, compute_uv=False)[3] > 1e-6
    return np.asarray(ways(nodes, four) @ np.linalg.pinv(twisted if four else plain))


def tilts_by_feet(influence: Floats, nodes: Floats, laid: Sequence[tuple[int, int]]) -> Floats:
    """Return what a level shows more where a foot is wound up (m, k) [rad/m].

    Parameters
    ----------
    influence : float array (n, k)
        What each node rises by each foot [1].
    nodes : float array (n, 2)
        [m]
    laid : sequence of (int, int)
        From which node to which a level is laid; positive where the second rises.
    """
    rows = [
        (influence[to] - influence[start]) / float(np.hypot(*(nodes[to] - nodes[start])))
        for start, to in laid
    ]
    return np.array(rows, dtype=np.float64).reshape(len(rows), influence.shape[1])


def bubble_after(tilts: Floats, by_feet: Floats, moves: Floats, order: Sequence[int]) -> Floats:
    """Return what each level shows after each foot in turn (len(order), m) [rad]: the number to stop at, there and everywhere.

    Parameters
    ----------
    tilts : float array (m,)
        What they show now [rad].
    by_feet : float array (m, k)
        What a foot does to them [rad/m].
    moves : float array (k,)
        How far each foot is wound up [m].
    order : sequence of int
        The feet, in the order they are turned.
    """
    done = np.zeros((len(order), len(moves)))
    for step, foot in enumerate(order):
        done[step:, foot] = moves[foot]
    return np.asarray(tilts + done @ by_feet.T)


def where_to_watch(by_feet: Floats, lies: Floats) -> list[int]:
    """Return for each foot, in the order they are turned, at which of the levels it is watched (k,): so that what no bubble tells adds
    up to least where the body then lies worst.

    A foot turned until a level stands where it should takes over the errors of the feet before it: e_i = (n_i − Σ_{j<i} r_ij·e_j)/r_ii,
    n_i one reading's. All choices are tried while they are few; else the level that the foot moves most.

    Parameters
    ----------
    by_feet : float array (m, k)
        What a foot does to the levels, one reading of each worth the same [rad/m].
    lies : float array (p, k)
        What a foot does to the places that are judged [1].
    """
    m, k = by_feet.shape
    if m**k > MOST_TRIED:
        return [int(i) for i in np.argmax(np.abs(by_feet), axis=0)]
    could = [[i for i in range(m) if by_feet[i, j]] or [0] for j in range(k)]

    def worst(chosen: tuple[int, ...]) -> float:
        errors = np.zeros((k, k))
        for j, at in enumerate(chosen):
            errors[j] = -by_feet[at, :j] @ errors[:j]
            errors[j, j] += 1.0
            errors[j] /= by_feet[at, j] or math.inf
        return float(((lies @ errors) ** 2).sum(axis=1).max())

    return list(min(product(*could), key=lambda chosen: worst(tuple(chosen))))
