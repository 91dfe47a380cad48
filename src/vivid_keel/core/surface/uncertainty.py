"""How well a volume against a plane is known: what points are worth, and what the ground does between them.

Source: leaving one out. A point is off the plane through those round it by −h²/4·∇²z for points h apart on a field that curves, and a
plane through three such lies −h²/16·∇²z off it on the mean: a quarter of that. What is common to all that is a bias, told as a bound;
what differs from point to point is noise of each triangle. The shares were set by made-up ground, see docs/measured.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.surface.against import Plane, areas
from vivid_keel.core.surface.tin import Tin

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

QUARTER = 0.25
"""What a plane is off the ground, of what a point left out is off its neighbours [1]."""
EACH = 0.3
"""The same of one triangle by itself [1]."""
MOST = 3.0
"""Where hardly any point has neighbours all round, its mean is trusted no worse than so many times [1]."""
SAMPLE, SEED = 2000, 2026
"""Of more points than that so many are left out in turn, drawn from a seed."""
ROUND = 4
"""So many neighbours at least foretell a point."""


@dataclass(frozen=True, slots=True)
class Known:
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
    for k, twice in near.items():
        round_it = sorted(set(twice))
        if 2 * len(round_it) != len(twice) or len(round_it) < ROUND:
            continue  # at the rim a point has a neighbour more than triangles
        design = np.column_stack([np.ones(len(round_it)), tin.xyz[round_it, :2] - tin.xyz[k, :2]])
        out[k] = tin.xyz[k, 2] - np.linalg.lstsq(design, tin.xyz[round_it, 2], rcond=None)[0][0]
    return out


def _measured(tin: Tin, weight: Floats) -> Floats:
    """What hangs on each measured point [m²], of what hangs on each corner (n,): one put on a line stands on the two it lies between."""
    if tin.lines is None:
        return weight
    out, put_in, share = weight[: tin.given].copy(), weight[tin.given :], tin.lines.share
    np.add.at(out, tin.lines.between[:, 0], put_in * (1 - share))
    np.add.at(out, tin.lines.between[:, 1], put_in * share)
    return np.asarray(out)


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
    from scipy.special import stdtrit

    pieces = tin.pieces
    if not len(pieces):
        return Known(0.0, 0.0, 0.0, 0)
    d = pieces[:, :, 2] - plane.at(pieces[:, :, :2])
    part = areas(pieces) * ((d > 0) if above else (d < 0)).mean(axis=1)
    # What hangs on a corner that a cut made hangs on the point nearest to it.
    hung = np.bincount(tin.nearest, np.repeat(part / 3, 3), len(tin.xyz)).astype(np.float64)
    weight = _measured(tin, hung)
    off = off[: tin.given]
    told = ~np.isnan(off)
    m = int(told.sum())
    points = float((weight**2).sum()) * u**2
    if m == 0 or part.sum() <= 0:
        return Known(math.sqrt(points), 0.0, 0.0, m)
    rms = math.sqrt(float((off[told] ** 2).mean()))
    held = weight[told]
    mean = float(held @ off[told] / held.sum()) if held.sum() > 0 else 0.0
    bias = -mean * QUARTER * float(part.sum()) * (-1.0 if not above else 1.0)
    spread = (
        min(MOST, float(stdtrit(max(m - 1, 1), 0.97725)) / 2)
        * rms
        * QUARTER
        * float(part.sum())
        / math.sqrt(m)
    )
    each = EACH * rms * math.sqrt(float((part**2).sum()))
    return Known(math.sqrt(points + spread**2 + each**2), bias, rms, m)
