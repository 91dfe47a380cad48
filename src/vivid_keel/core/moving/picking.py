"""What picking a target from noisy readings adds to U: "the highest" is the highest partly because its reading is high.

Source: the parametric bootstrap: the choice repeated on readings re-drawn within their u, from a fixed seed, about
heights that are drawn together by as much as noise spread them (empirical Bayes).
"""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.targets import Target, work_out

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SEED = 2026
DRAWS = 256
FEWER = 160
LAWSON = 150
"""Rounds of reweighting until the flattest band is near enough for its spread."""
NEAR = 4.0
"""Points nearer to the one picked than this many u might have been picked as well [1]."""
COVERED = 0.9545
"""What U = 2u of a normal error covers [1]."""
JUMPS, JUMPS_FAR = 0.97, 0.98
"""Of the draws so many lie within U of the flattest band: it jumps, and more so than its draws where the points are spread widely
against their u (simulated: tests) [1]."""


AT_A_TIME = 16
"""So many errors are drawn together."""


def _noise(draws: int, n: int) -> Floats:
    """Return errors in units of u (draws, n), each with its opposite; means 0, spreads 1, and unrelated where there are draws enough.

    They are drawn for a few more at a time, so that each further reading need not draw anew.
    """
    return _drawn(draws, -(-n // AT_A_TIME) * AT_A_TIME)[:, :n]


@lru_cache(maxsize=8)
def _drawn(draws: int, n: int) -> Floats:
    half = np.random.default_rng(SEED).standard_normal((draws // 2, n))
    if n <= draws // 2:
        half, _ = np.linalg.qr(half)
    half /= np.sqrt((half**2).mean(axis=0))
    return np.vstack([half, -half])


def is_picked(target: Target) -> bool:
    """Whether a target is picked by the readings rather than reckoned from all of them alike."""
    return target.kind in {"highest", "lowest", "least-total", "least-greatest", "minimum-zone"} or (
        target.kind == "fall" and target.through == "highest"
    )


def picked(
    names: list[str], heights: Floats, target: Target, xy: Floats, u: Floats, spread: Floats | None = None
) -> tuple[Floats, Floats]:
    """Return the mean error of a target picked from readings, and the spread of reading − target, drawn many times.

    Parameters
    ----------
    heights : float array (n,)
        As read [m].
    target : Target
        One that `is_picked`.
    xy : float array (n, 2)
        Places in plan [m].
    u : float array (n,)
        Standard uncertainty of each reading [m].
    spread : float array, optional
        Their covariance (n, n) [m²], where readings tell several of them at once.

    Returns
    -------
    bias : float array (n,)
        Mean error of the target at each place [m]. Where one point is picked, that point is what the others are
        judged against: its own reading's error.
    spread : float array (2, n)
        Of the target's error, and of a reading's error less the target's [m].
    """
    n = len(heights)
    errors = _noise(FEWER if target.kind == "minimum-zone" else DRAWS, n)
    errors = errors * u if spread is None or spread.ndim == 1 else errors @ _root(spread)
    if target.kind == "minimum-zone":
        rest = heights - work_out(names, heights, target, xy).target
        level = _near_level(rest, u)
        missed = _zones(_edges_together(rest, u), xy, errors)
        # It jumps from one set of three or four points to another: what covers is told by the draws, not by their spread.
        held = JUMPS if level else JUMPS_FAR
        return np.zeros(n), np.quantile(np.abs([missed, errors - missed]), held, axis=1) / 2
    if target.kind in {"least-total", "least-greatest"}:
        about = _drawn_together(heights, u)
        missed = (_level(target.kind, about + errors) - _level(target.kind, about[None, :]))[:, None]
        return np.full(n, missed.mean()), np.array([np.full(n, missed.std()), (errors - missed).std(axis=0)])
    rest = heights - xy @ np.array(target.gradient) if target.kind == "fall" else heights
    up = -1.0 if target.kind == "lowest" else 1.0
    at = np.argmax(_near_together(up * rest, u) + up * errors, axis=1)
    missed = errors[np.arange(len(errors)), at][:, None]
    mine = np.isin(
        np.arange(n), at
    )  # a reading that is never picked has nothing to do with the target's error
    between = (errors - missed).std(axis=0)
    if spread is None or spread.ndim == 1:
        between = np.where(mine, between, np.hypot(u, missed.std()))
    return np.full(n, missed.mean()), np.array([np.full(n, missed.std()), between])


def _root(covariance: Floats) -> Floats:
    """What makes errors of one hang together as a covariance (n, n) [m²] has them: errors @ root."""
    values, ways = np.linalg.eigh(covariance)
    return np.asarray((ways * np.sqrt(np.maximum(values, 0.0))).T)


def _level(kind: str, heights: Floats) -> Floats:
    """Level of a horizontal target of each row of heights (k, n) [m]."""
    if kind == "least-total":
        return np.asarray(np.sort(heights, axis=1)[:, (heights.shape[1] - 1) // 2])
    return np.asarray((heights.max(axis=1) + heights.min(axis=1)) / 2)


def _near_together(heights: Floats, u: Floats) -> Floats:
    """Heights (n,) [m], those that might be the highest drawn together by as much as noise spread them."""
    top = int(np.argmax(heights))
    near = heights > heights[top] - NEAR * u[top]
    out = heights.copy()
    if near.sum() > 1:
        out[near] = heights[near].mean() + _drawn_together(heights[near] - heights[near].mean(), u[near])
    return out


def _drawn_together(heights: Floats, u: Floats) -> Floats:
    """Heights (n,) [m] as spread as they truly are, the spread that noise of u (n,) [m] adds taken off."""
    middle = float(heights.mean())
    spread = float(heights.var(ddof=1)) if len(heights) > 1 else 0.0
    noise = float((u**2).mean())
    return np.asarray(
        middle + np.sqrt(max(0.0, 1 - noise / spread) if spread > 0 else 0.0) * (heights - middle)
    )


def _near_level(rest: Floats, u: Floats) -> bool:
    """Whether the whole band (n,) [m] is no wider than what noise of u (n,) [m] may make of points in one plane."""
    return float(np.abs(rest).max()) < NEAR * float(u.max())


def _edges_together(rest: Floats, u: Floats) -> Floats:
    """Heights against the flattest band (n,) [m], those near either edge of it drawn together by as much as noise spread them."""
    if _near_level(rest, u):
        return _drawn_together(rest, u)
    rest, edge = rest.copy(), float(np.abs(rest).max())
    for side in (1.0, -1.0):
        near = side * rest > edge - NEAR * u
        rest[near] = rest[near].mean() + _drawn_together(rest[near] - rest[near].mean(), u[near])
    return rest


def least_bands(heights: Floats, xy: Floats) -> Floats:
    """Return the width of the flattest band (k,) [m] of each set of `heights` (k, n) [m] at places `xy` (n, 2) [m]."""
    return np.asarray(np.ptp(heights - _zones(np.zeros(len(xy)), xy, heights), axis=1))


def _zones(about: Floats, xy: Floats, errors: Floats) -> Floats:
    """How the flattest band moves with each set of errors (k, n) [m]: Lawson's reweighted least squares, all sets at once."""
    design = np.column_stack([xy - xy.mean(axis=0), np.ones(len(about))])
    heights = np.vstack([about, about + errors])
    weights = np.full(heights.shape, 1.0 / len(about))
    planes = heights
    for _ in range(LAWSON):
        normal = np.einsum("kn,ni,nj->kij", weights, design, design) + 1e-12 * np.eye(3)
        right = np.einsum("kn,ni,kn->ki", weights, design, heights)
        planes = np.linalg.solve(normal, right[:, :, None])[:, :, 0] @ design.T
        weights = weights * np.abs(heights - planes) + 1e-15
        weights /= weights.sum(axis=1, keepdims=True)
    return np.asarray(planes[1:] - planes[0])


def covering(bias: Floats, u: Floats) -> Floats:
    """Return the u (n,) [m] whose 2u covers as often as 2u of a normal error does, of an error with a bias [m] and a spread u [m]."""
    from scipy.special import ndtr

    spread = np.maximum(u, 1e-12)
    off = np.abs(bias) / spread
    beyond = np.full_like(
        spread, 1.85
    )  # how far past the bias it reaches, in spreads: from 1.69 (far off) to 2 (none)
    for _ in range(6):
        missed = ndtr(beyond) - ndtr(-beyond - 2 * off) - COVERED
        density = np.exp(-(beyond**2) / 2) + np.exp(-((beyond + 2 * off) ** 2) / 2)
        beyond = beyond - missed * np.sqrt(2 * np.pi) / density
    return np.asarray(np.where(u > 0, (off + beyond) * spread / 2, np.abs(bias) / 2))
