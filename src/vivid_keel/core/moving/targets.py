"""Targets: the heights that points are to be brought to, and the moves that take.

Source: plane by least squares (hat matrix) or of the least zone; a fall from a point.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Target(Struct, frozen=True):
    """What to bring n points to.

    Attributes
    ----------
    kind : str
        highest, lowest, keep, height, mean, least-total, least-greatest, fall, best-fit,
        minimum-zone or given.
    name : str
        The keeper (keep), or the point a fall passes through ("" otherwise).
    height : float
        For `height` [m].
    gradient : (float, float)
        For `fall`: height gained per metre along x and y [1].
    through : str
        For `fall`: "highest", "mean" or "point".
    heights : mapping of str to float
        For `given` [m].
    """

    kind: str
    name: str = ""
    height: float = 0.0
    gradient: tuple[float, float] = (0.0, 0.0)
    through: str = "highest"
    heights: Mapping[str, float] | None = None


class Moves(Struct, frozen=True):
    """Targets and moves of n points.

    Attributes
    ----------
    target : float array (n,)
        Height each point is to have [m].
    moves : float array (n,)
        target − height [m]; + is raise, − is lower.
    greatest, total : float
        Greatest and sum of |move| [m].
    gradient : (float, float) or None
        Of a plane: height gained per metre along x and y [1].
    zone : float or None
        Least band between two parallel planes, measured plumb [m].
    """

    target: Floats
    moves: Floats
    greatest: float
    total: float
    gradient: tuple[float, float] | None = None
    zone: float | None = None


def work_out(
    names: Sequence[str],
    heights: Floats,
    target: Target,
    xy: Floats | None = None,
    lowest: float | None = None,
    highest: float | None = None,
) -> Moves:
    """Return the move of every point.

    Parameters
    ----------
    names : sequence of str, length n
    heights : float array (n,)
        [m], up positive.
    target : Target
    xy : float array (n, 2), optional
        Plan positions [m]; planes need them.
    lowest, highest : float, optional
        Bounds of every move [m]: lowest 0 is raise only.

    Raises
    ------
    KeelError
        `too-few-points`, `points-in-line`, `unknown-name`, `limit-broken` (naming the points).
    """
    if len(names) == 0:
        raise KeelError("too-few-points", "there is no point with a reading yet; read at least one")
    gradient: tuple[float, float] | None = None
    zone: float | None = None
    if target.kind in {"fall", "best-fit", "minimum-zone"}:
        to, gradient, zone = _plane(names, heights, target, xy)
    elif target.kind == "given":
        to = _given(names, target.heights or {})
    else:
        to = np.full(len(heights), _level(names, heights, target))
    moves = to - heights
    moves[np.abs(moves) < 1e-12] = 0.0
    _keep_limits(names, moves, lowest, highest)
    return Moves(to, moves, float(np.abs(moves).max()), float(np.abs(moves).sum()), gradient, zone)


def weights(names: Sequence[str], heights: Floats, target: Target) -> Floats:
    """Return w with horizontal target = w·heights (n,), for its uncertainty; zeros for a fixed height."""
    n = len(heights)
    w = np.zeros(n)
    if target.kind == "highest":
        w[int(np.argmax(heights))] = 1.0
    elif target.kind == "lowest":
        w[int(np.argmin(heights))] = 1.0
    elif target.kind == "keep":
        w[_index(names, target.name)] = 1.0
    elif target.kind == "mean":
        w[:] = 1.0 / n
    elif target.kind == "least-total":
        w[int(np.argsort(heights, kind="stable")[(n - 1) // 2])] = 1.0
    elif target.kind == "least-greatest":
        w[int(np.argmax(heights))] += 0.5
        w[int(np.argmin(heights))] += 0.5
    return w


def weight_rows(names: Sequence[str], heights: Floats, target: Target, xy: Floats | None) -> Floats:
    """Return W (n, n) with target at point i = W[i]·heights, for the uncertainty of every point's target.

    A horizontal target has equal rows. A best-fit plane spreads every reading (its hat matrix); the
    minimum zone is reckoned as the best fit; a fall rests on the point it goes through, or on all
    alike. Given and fixed heights rest on none.

    Parameters
    ----------
    heights : float array (n,)
        [m]
    xy : float array (n, 2) or None
        Places in plan [m].
    """
    n = len(heights)
    if target.kind in {"best-fit", "minimum-zone"}:
        assert xy is not None
        design = np.column_stack([xy - xy.mean(axis=0), np.ones(n)])
        return np.asarray(design @ np.linalg.pinv(design))
    if target.kind == "fall":
        assert xy is not None
        rest = heights - xy @ np.array(target.gradient)
        w = np.zeros(n)
        if target.through == "highest":
            w[int(np.argmax(rest))] = 1.0
        elif target.through == "mean":
            w[:] = 1.0 / n
        else:
            w[_index(names, target.name)] = 1.0
        return np.tile(w, (n, 1))
    return np.tile(weights(names, heights, target), (n, 1))


def _level(names: Sequence[str], heights: Floats, target: Target) -> float:
    if target.kind == "highest":
        return float(heights.max())
    if target.kind == "lowest":
        return float(heights.min())
    if target.kind == "keep":
        return float(heights[_index(names, target.name)])
    if target.kind == "height":
        return target.height
    if target.kind == "mean":
        return float(heights.mean())
    if target.kind == "least-total":
        return float(np.sort(heights)[(len(heights) - 1) // 2])
    if target.kind == "least-greatest":
        return float((heights.max() + heights.min()) / 2)
    raise KeelError("bad-value", f"“{target.kind}” is no kind of target")


def _index(names: Sequence[str], name: str) -> int:
    if name not in names:
        raise KeelError("unknown-name", f"{name} is not among the points that were read: {', '.join(names)}")
    return list(names).index(name)


def _given(names: Sequence[str], heights: Mapping[str, float]) -> Floats:
    missing = [n for n in names if n not in heights]
    if missing:
        raise KeelError("missing-field", f"no height is given for {', '.join(missing)}")
    unknown = [n for n in heights if n not in names]
    if unknown:
        raise KeelError("unknown-name", f"a height is given for {', '.join(unknown)}, which is no point here")
    return np.array([heights[n] for n in names], dtype=np.float64)


def _plane(
    names: Sequence[str], heights: Floats, target: Target, xy: Floats | None
) -> tuple[Floats, tuple[float, float], float | None]:
    if xy is None:
        raise KeelError("missing-field", "a plane needs the plan position of every point")
    if target.kind == "fall":
        gx, gy = target.gradient
        rest = heights - xy @ np.array([gx, gy])
        if target.through == "highest":
            level = float(rest.max())
        elif target.through == "mean":
            level = float(rest.mean())
        else:
            level = float(rest[_index(names, target.name)])
        return level + xy @ np.array([gx, gy]), (gx, gy), None
    if len(names) < 3:
        raise KeelError("too-few-points", "a plane needs at least three points that are not in line")
    middle = xy.mean(axis=0)
    centred = xy - middle
    spread = np.linalg.svd(centred, compute_uv=False)
    if spread[1] <= EQUAL + 1e-9 * spread[0]:
        raise KeelError(
            "points-in-line",
            "all points stand in one line, so the plane may tip about it; read one beside it",
        )
    design = np.column_stack([centred, np.ones(len(names))])
    if target.kind == "best-fit":
        fit = np.linalg.lstsq(design, heights, rcond=None)[0]
        return design @ fit, (float(fit[0]), float(fit[1])), None
    fit, half = _minimum_zone(design, heights)
    return design @ fit, (float(fit[0]), float(fit[1])), 2 * half


def _minimum_zone(design: Floats, heights: Floats) -> tuple[Floats, float]:
    """Least h with |heights − plane| ≤ h: a linear programme (Chebyshev fit).

    On a grid many planes may lie in the middle of a band as flat (three points in line bound it, and it may tip about
    them): of these the one with the least Σ|heights − plane| is taken.
    """
    from scipy.optimize import linprog
    from scipy.sparse import csr_array, hstack, identity, vstack

    # Scaled to the fit's own residuals so that the solver's tolerances are far below a micron.
    first = np.linalg.lstsq(design, heights, rcond=None)[0]
    rest = heights - design @ first
    reach = np.abs(design).max(axis=0)
    size = float(np.abs(rest).max())
    if size < 1e-12:
        return np.asarray(first, dtype=np.float64), 0.0
    scaled, n = design / reach, len(heights)
    ones = np.ones((n, 1))
    bounds = np.vstack([np.hstack([scaled, -ones]), np.hstack([-scaled, -ones])])
    right = np.concatenate([rest, -rest]) / size
    found = linprog(
        [0, 0, 0, 1], A_ub=bounds, b_ub=right, bounds=[(None, None)] * 3 + [(0, None)], method="highs-ds"
    )
    if not found.success:
        raise RuntimeError(f"minimum zone: {found.message}")
    half, plane = float(found.x[3]), found.x[:3]
    each = identity(n)
    closer = linprog(
        np.concatenate([np.zeros(3), np.ones(n)]),
        A_ub=vstack([hstack([csr_array(scaled), -each]), hstack([csr_array(-scaled), -each])]),
        b_ub=right,
        bounds=[(None, None)] * 3 + [(0, half + 1e-9)] * n,
        method="highs-ds",
    )
    if closer.success:
        plane = closer.x[:3]
    return np.asarray(first + plane * size / reach, dtype=np.float64), half * size


def _keep_limits(names: Sequence[str], moves: Floats, lowest: float | None, highest: float | None) -> None:
    low = moves < (lowest if lowest is not None else -np.inf) - EQUAL
    high = moves > (highest if highest is not None else np.inf) + EQUAL
    if not (low | high).any():
        return
    said = [
        f"{name} by {abs(move) * 1000:.1f} mm {'down' if move < 0 else 'up'}"
        for name, move, bad in zip(names, moves, low | high, strict=True)
        if bad
    ]
    raise KeelError("limit-broken", f"this target would move {', '.join(said)}, which the limits rule out")
