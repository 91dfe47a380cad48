"""How well a volume against a plane is known: what points are worth, and what the ground does between them.

Source: leaving one out. A point is off the plane through those round it by −h²/4·∇²z for points h apart on a field that curves, and a
plane through three such lies −h²/16·∇²z off it on the mean: a quarter of that. What is common to all that is a bias, told as a bound;
what differs from point to point is noise of each triangle. The shares were set by made-up ground, see docs/measured.md.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.surface.against import Plane, areas
from vivid_keel.core.surface.tin import Tin

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Bools = npt.NDArray[np.bool_]

QUARTER = 0.25
"""What a plane is off the ground, of what a point left out is off its neighbours [1]."""
EACH = 0.3
"""The same of one triangle by itself [1]."""
EDGE = 0.9
"""The same where the edge of water lies, which no mean over a triangle smooths [1]."""
MOST = 3.0
"""Where hardly any point has neighbours all round, its mean is trusted no worse than so many times [1]."""
SAMPLE, SEED = 2000, 2026
"""Of more points than that so many are left out in turn, drawn from a seed."""
ROUND = 4
"""So many neighbours at least foretell a point."""


class Known(Struct, frozen=True):
    """How well a volume is known.

    Attributes
    ----------
    u : float
        Standard uncertainty [m³].
    bias : float
        How much too large the planes make it, as far as the points tell [m³].
    between : float
        How far points are off those round them, root mean square [m].
    told : int
        How many points tell that; with none, what the ground does between them is in no number.
    """

    u: float
    bias: float
    between: float
    told: int

    @property
    def U(self) -> float:
        """Twice u, and the bias on top of it [m³]."""
        return 2 * self.u + abs(self.bias)


def foretold(tin: Tin) -> Floats:
    """Return how far each point is off the plane through those round it, by least squares (n,) [m]; nan at the rim, and of many points
    where they weren't drawn."""
    n, triangles = len(tin.xyz), tin.triangles
    out = np.full(n, np.nan)
    if n > SAMPLE:
        drawn = np.zeros(n, dtype=bool)
        drawn[np.random.default_rng(SEED).choice(n, SAMPLE, replace=False)] = True
    else:
        drawn = np.ones(n, dtype=bool)
    if tin.lines is not None:  # where the ground breaks, what lies round a point foretells nothing
        drawn[tin.lines.pieces] = False
        drawn[tin.given :] = False
    triangles = triangles[drawn[triangles].any(axis=1)]
    near: dict[int, list[int]] = {}
    for a, b, c in triangles.tolist():
        for point, others in ((a, (b, c)), (b, (c, a)), (c, (a, b))):
            if drawn[point]:
                near.setdefault(point, []).extend(others)
    alike: dict[int, list[tuple[int, list[int]]]] = {}
    for k, twice in near.items():
        round_it = sorted(set(twice))
        if (
            2 * len(round_it) == len(twice) and len(round_it) >= ROUND
        ):  # at the rim there is one more than triangles
            alike.setdefault(len(round_it), []).append((k, round_it))
    for many, those in alike.items():  # all that have so many round them at once
        at, rings = np.array([k for k, _ in those]), np.array([ring for _, ring in those])
        design = np.ones((len(those), many, 3))
        design[:, :, 1:] = tin.xyz[rings, :2] - tin.xyz[at, None, :2]
        out[at] = tin.xyz[at, 2] - (np.linalg.pinv(design)[:, 0] * tin.xyz[rings, 2]).sum(axis=1)
    return out


def _measured(tin: Tin, weight: Floats) -> Floats:
    """What hangs on each measured point [m²], of what hangs on each corner (n,): one put on a line stands on the two it lies between."""
    if tin.lines is None:
        return weight
    out, put_in, share = weight[: tin.given].copy(), weight[tin.given :], tin.lines.share
    np.add.at(out, tin.lines.between[:, 0], put_in * (1 - share))
    np.add.at(out, tin.lines.between[:, 1], put_in * share)
    return np.asarray(out)


def scatter(tin: Tin, off: Floats) -> tuple[Floats, Bools, float, float]:
    """How far measured points are off those round them (n,) [m], which of them tell it, its root mean square [m], and by how much that is
    to be trusted less for being told by few [1]."""
    from scipy.special import stdtrit

    off = off[: tin.given]
    told = ~np.isnan(off)
    m = int(told.sum())
    rms = math.sqrt(float((off[told] ** 2).mean())) if m else 0.0
    return off, told, rms, min(MOST, float(stdtrit(max(m - 1, 1), 0.97725)) / 2)


def volume_known(tin: Tin, plane: Plane, u: float, off: Floats, *, above: bool = False) -> Known:
    """Return how well the volume below a plane is known, or above it.

    Parameters
    ----------
    tin : Tin
    plane : Plane
    u : float
        Standard uncertainty of one point's height [m].
    off : float array (n,)
        As `foretold` has it [m].
    above : bool
    """
    pieces = tin.pieces
    if not len(pieces):
        return Known(0.0, 0.0, 0.0, 0)
    d = pieces[:, :, 2] - plane.at(pieces[:, :, :2])
    part = areas(pieces) * ((d > 0) if above else (d < 0)).mean(axis=1)
    # What hangs on a corner that a cut made hangs on the point nearest to it.
    hung = np.bincount(tin.nearest, np.repeat(part / 3, 3), len(tin.xyz)).astype(np.float64)
    weight = _measured(tin, hung)
    off, told, rms, few = scatter(tin, off)
    m = int(told.sum())
    points = float((weight**2).sum()) * u**2
    if m == 0 or part.sum() <= 0:
        return Known(math.sqrt(points), 0.0, 0.0, m)
    held = weight[told]
    mean = float(held @ off[told] / held.sum()) if held.sum() > 0 else 0.0
    bias = -mean * QUARTER * float(part.sum()) * (-1.0 if not above else 1.0)
    spread = few * rms * QUARTER * float(part.sum()) / math.sqrt(m)
    each = EACH * rms * math.sqrt(float((part**2).sum()))
    return Known(math.sqrt(points + spread**2 + each**2), bias, rms, m)


def area_known(tin: Tin, plane: Plane, u: float, off: Floats) -> Known:
    """Return how well the area below a plane is known [m²].

    Where the plane meets the ground its edge moves by dz/slope: dA = ∮ dz/|∇z| dl, on each triangle with the share that its corners have
    of its part of that line.

    Parameters
    ----------
    tin : Tin
    plane : Plane
    u : float
        Standard uncertainty of one point's height [m].
    off : float array (n,)
        As `foretold` has it [m].
    """
    off, told, rms, few = scatter(tin, off)
    m = int(told.sum())
    moves, share = _edge_moves(tin, plane, math.hypot(u, EDGE * rms))
    if not len(moves):
        return Known(0.0, 0.0, rms, m)
    hung = np.bincount(tin.nearest, (moves[:, None] * share).reshape(-1), len(tin.xyz)).astype(np.float64)
    points = float((_measured(tin, hung) ** 2).sum()) * u**2
    each = EDGE * few * rms * math.sqrt(float((moves**2).sum()))
    spread = few * rms * QUARTER * float(moves.sum()) / math.sqrt(m) if m else 0.0
    bias = QUARTER * float(off[told].mean()) * float(moves.sum()) if m else 0.0
    return Known(math.sqrt(points + each**2 + spread**2), bias, rms, m)


def _edge_moves(tin: Tin, plane: Plane, by: float) -> tuple[Floats, Floats]:
    """By how much area each piece gains for a metre of height (k,) [m], at most all of it for a height of `by` [m], and the corners'
    share of its part of the edge (k, 3)."""
    pieces = tin.pieces
    d = pieces[:, :, 2] - plane.at(pieces[:, :, :2])
    under = d < 0
    tips = under.sum(axis=1)
    cut = (tips == 1) | (tips == 2)
    odd = np.where(tips == 1, under.argmax(axis=1), (~under).argmax(axis=1))
    order = (odd[:, None] + np.arange(3)) % 3
    p = np.take_along_axis(pieces[:, :, :2], order[:, :, None], axis=1)
    e = np.take_along_axis(d, order, axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        one, two = (e[:, 0] / (e[:, 0] - e[:, k]) for k in (1, 2))
        ends = [p[:, 0] + t[:, None] * (p[:, k] - p[:, 0]) for k, t in ((1, one), (2, two))]
        long = np.hypot(*(ends[1] - ends[0]).T)
        a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        twice = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
        f, g = e[:, 1] - e[:, 0], e[:, 2] - e[:, 0]
        slope = np.hypot(f * b[:, 1] - g * a[:, 1], g * a[:, 0] - f * b[:, 0]) / np.abs(twice)
        moves = np.where(cut, np.minimum(long / slope, np.abs(twice) / 2 / max(by, 1e-9)), 0.0)
    share = np.zeros_like(d)
    told = np.stack([1 - (one + two) / 2, one / 2, two / 2], axis=1)
    np.put_along_axis(share, order, np.where(cut[:, None], told, 0.0), axis=1)
    return np.nan_to_num(moves), np.nan_to_num(share)
