"""Heights at the nodes of a body, from whatever was read on it, by least squares.

Source: adjustment of observations, weights 1/u²; a level's own zero is an unknown that turning it round tells apart; what
the readings can't tell is found by the null space of the scaled design and named, never given a number.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct, field

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

RIGID, TWIST, FREE = "rigid", "twist", "free"
SHAPES = (RIGID, TWIST, FREE)
TELLS = 1e-9
"""A singular value under so much of the greatest tells nothing [1]."""
APART = 1e-9
"""Two places nearer than this are one [m]."""


class Tilt(Struct, frozen=True):
    """A level laid from one node to another: `tilt` [rad] positive where `to` is high, whichever `way` (1, −1) the level lay."""

    level: str
    start: int
    to: int
    way: int
    tilt: float
    u: float


class Height(Struct, frozen=True):
    """A height read at a node, by a staff or a light plane [m]."""

    node: int
    height: float
    u: float


class Step(Struct, frozen=True):
    """How much higher one node is than another beside it: a seam, felt or measured [m]."""

    start: int
    to: int
    rise: float
    u: float


class Gap(Struct, frozen=True):
    """The light under a straightedge that lies on nodes `a` and `b`, at the node `middle` between them [m]."""

    a: int
    b: int
    middle: int
    gap: float
    u: float


Observation = Tilt | Height | Step | Gap


class Body(Struct, frozen=True):
    """A body by its nodes: names, places in plan (n, 2) [m], and how it may be shaped.

    `shape`: "rigid" a plane; "twist" a plane and an even twist; "free" each node for itself. `parts` are the nodes of each of
    its parts, by the part's name, where it is made of several that are each a plane of their own.
    """

    names: Sequence[str]
    xy: Floats
    shape: str = RIGID
    parts: Mapping[str, Sequence[int]] = field(default_factory=dict)


class Adjusted(Struct, frozen=True):
    """A body as it stands, by what was read.

    Attributes
    ----------
    heights, u : float array (n,)
        Of the nodes [m], standard uncertainties from those of the readings; the datum node 0 where nothing says how high it is.
    zeros, u_zeros : mapping of str to float
        Of each level [rad].
    gradient : (float, float) or None
        Of the plane that fits all nodes best, along x and y [1]; None where they tell none.
    u_gradient : (float, float) or None
        Their standard uncertainties [1].
    twist, u_twist : float or None
        k of k·(x − x̄)(y − ȳ) [1/m].
    residuals : float array (m,)
        Adjusted less observed, in the order of the observations [rad or m].
    freedom : int
        Observations more than unknowns [1].
    variance_factor : float or None
        Σ(v/u)² by the degrees of freedom [1]; None where there are none.
    covariance : float array (n, n)
        Of the heights [m²].
    joint : float array (n + k, n + k)
        Of the heights and the k levels' zeros, as they stand in `zeros` [m², m·rad, rad²].
    """

    heights: Floats
    u: Floats
    zeros: Mapping[str, float]
    u_zeros: Mapping[str, float]
    gradient: tuple[float, float] | None
    u_gradient: tuple[float, float] | None
    twist: float | None
    u_twist: float | None
    residuals: Floats
    freedom: int
    variance_factor: float | None
    covariance: Floats
    joint: Floats


def plane_of(xy: Floats) -> Floats | None:
    """Return the matrix (2, n) that takes heights [m] to the gradients [1] of their best plane; None where they tell none.

    `xy` are the places in plan (n, 2) [m].
    """
    centred = xy - xy.mean(axis=0)
    if len(xy) < 3 or np.linalg.svd(centred, compute_uv=False)[1] <= TELLS * max(
        np.abs(centred).max(), APART
    ):
        return None
    return np.asarray(np.linalg.pinv(centred))


def adjust(
    body: Body,
    observations: Sequence[Observation],
    zeros: Mapping[str, tuple[float, float]] | None = None,
) -> Adjusted:
    """Return a body as it stands.

    Parameters
    ----------
    body : Body
    observations : sequence of Tilt, Height, Step or Gap
        Each with its standard uncertainty u above 0.
    zeros : mapping of str to (float, float)
        What is known of the levels' zeros and how well [rad]; u 0: known exactly.

    Raises
    ------
    KeelError
        `points-in-line`, `not-observable` (names what), `bad-value`.
    """
    zeros = zeros or {}
    plane = plane_of(body.xy)
    if body.shape != FREE and plane is None:
        raise KeelError(
            "points-in-line", "the nodes lie in one line, or are fewer than three; give one beside it"
        )
    levels = list(dict.fromkeys(o.level for o in observations if isinstance(o, Tilt)))
    loose = [level for level in levels if zeros.get(level, (0.0, 1.0))[1] > 0]
    shape = _shape(body, datum=not any(isinstance(o, Height) for o in observations))
    rows, seen, u = [], [], []
    for o in observations:
        of_heights, way, value = _row(body, o)
        if isinstance(o, Tilt) and o.level not in loose:
            value -= o.way * zeros[o.level][0]
        of_zeros = [way if isinstance(o, Tilt) and o.level == level else 0.0 for level in loose]
        rows.append(np.concatenate([of_heights @ shape, of_zeros]))
        seen.append(value)
        u.append(o.u)
    for k, level in enumerate(loose):
        if level in zeros:
            rows.append(np.eye(len(loose) + shape.shape[1])[shape.shape[1] + k])
            seen.append(zeros[level][0])
            u.append(zeros[level][1])
    design = np.array(rows).reshape(-1, shape.shape[1] + len(loose))
    found = _solved(body, design, np.array(seen), np.array(u), shape, loose, plane)
    solution, cov = found
    m = shape.shape[1]
    heights, cov_h = shape @ solution[:m], shape @ cov[:m, :m] @ shape.T
    off = design @ solution - np.array(seen)
    freedom = len(design) - design.shape[1]
    factor = float(((off / np.array(u)) ** 2).sum()) / freedom if freedom > 0 else None
    zero_of = {level: zeros[level][0] for level in levels if level not in loose}
    zero_of |= {level: float(solution[m + k]) for k, level in enumerate(loose)}
    u_zero = dict.fromkeys(levels, 0.0)
    u_zero |= {level: float(np.sqrt(max(cov[m + k, m + k], 0.0))) for k, level in enumerate(loose)}
    gradient = None if plane is None else plane @ heights
    u_gradient = None if plane is None else np.sqrt(np.maximum(np.diag(plane @ cov_h @ plane.T), 0.0))
    twisted = body.shape == TWIST
    return Adjusted(
        heights,
        np.sqrt(np.maximum(np.diag(cov_h), 0.0)),
        {level: zero_of[level] for level in levels},
        u_zero,
        None if gradient is None else (float(gradient[0]), float(gradient[1])),
        None if u_gradient is None else (float(u_gradient[0]), float(u_gradient[1])),
        float(solution[m - 1]) if twisted else None,
        float(np.sqrt(cov[m - 1, m - 1])) if twisted else None,
        off[: len(observations)],
        freedom,
        factor,
        cov_h,
        _joint(shape, cov, levels, loose),
    )


def _joint(shape: Floats, cov: Floats, levels: list[str], loose: list[str]) -> Floats:
    """Covariance of heights and zeros; of a zero that is known exactly 0."""
    n, m = shape.shape
    whole = np.zeros((n + len(levels), m + len(loose)))
    whole[:n, :m] = shape
    for k, level in enumerate(loose):
        whole[n + levels.index(level), m + k] = 1.0
    return np.asarray(whole @ cov @ whole.T)


def row_of(body: Body, found: Adjusted, o: Observation) -> Floats:
    """Return what an observation is of the heights and zeros of a body as it was `found` (n + k,) [1/m of a tilt, else 1]."""
    of_heights, way, _ = _row(body, o)
    zeros = [way if isinstance(o, Tilt) and o.level == level else 0.0 for level in found.zeros]
    return np.concatenate([of_heights, zeros])


def _shape(body: Body, *, datum: bool) -> Floats:
    """The matrix (n, k) from the shape's unknowns to heights; with a `datum` the first node stands at 0."""
    n, centred = len(body.names), body.xy - body.xy.mean(axis=0)
    if body.parts:
        return _planes(body, datum=datum)
    if body.shape == FREE:
        return np.eye(n)[:, 1:] if datum else np.eye(n)
    columns = [np.ones(n), body.xy[:, 0], body.xy[:, 1]]
    if body.shape == TWIST:
        columns.append(centred[:, 0] * centred[:, 1])
    whole = np.column_stack(columns)
    return np.asarray((whole - whole[0])[:, 1:] if datum else whole)


def _planes(body: Body, *, datum: bool) -> Floats:
    """The same for parts that are each a plane: three unknowns a part, the first part's two where a datum stands in it."""
    columns = []
    for k, at in enumerate(body.parts.values()):
        own = np.zeros((len(body.names), 3))
        nodes = list(at)
        own[nodes] = np.column_stack([np.ones(len(nodes)), body.xy[nodes] - body.xy[nodes[0]]])
        columns.append(own[:, 1:] if datum and k == 0 else own)
    return np.hstack(columns)


def _row(body: Body, o: Observation) -> tuple[Floats, float, float]:
    """What an observation is of the heights (n,), how the level's zero goes into it, and what was seen."""
    row, way = np.zeros(len(body.names)), 0.0
    if isinstance(o, Height):
        row[o.node] = 1.0
        return row, way, o.height
    if isinstance(o, Gap):
        chord = body.xy[o.b] - body.xy[o.a]
        share = float((body.xy[o.middle] - body.xy[o.a]) @ chord) / float(chord @ chord)
        row[o.a], row[o.b] = 1 - share, share
        row[o.middle] -= 1.0
        return row, way, o.gap
    row[o.to], row[o.start] = 1.0, -1.0
    if isinstance(o, Step):
        return row, way, o.rise
    return row / float(np.hypot(*(body.xy[o.to] - body.xy[o.start]))), float(o.way), o.tilt


def _solved(
    body: Body,
    design: Floats,
    seen: Floats,
    u: Floats,
    shape: Floats,
    loose: list[str],
    plane: Floats | None,
) -> tuple[Floats, Floats]:
    """The unknowns and their covariance, by weighted least squares.

    Raises
    ------
    KeelError
        `not-observable`.
    """
    count = design.shape[1]
    if count == 0:
        return np.zeros(0), np.zeros((0, 0))
    long = np.linalg.norm(design, axis=1)
    scaled = design / np.where(long > 0, long, 1.0)[:, None]
    wide = np.linalg.norm(scaled, axis=0)
    wide[wide == 0] = 1.0
    scaled = scaled / wide
    padded = np.vstack([scaled, np.zeros((max(count - len(scaled), 0), count))])
    _, size, right = np.linalg.svd(np.linalg.qr(padded, mode="r"))
    blind = right[: len(size)][size < TELLS * max(float(size.max()), 1e-300)]
    if len(blind):
        raise KeelError("not-observable", _untold(body, blind, wide, shape, loose, plane))
    weighted = design / u[:, None]
    norm = np.linalg.norm(weighted, axis=0)
    q, r = np.linalg.qr(weighted / norm)
    solution = np.linalg.solve(r, q.T @ (seen / u)) / norm
    inverse = np.linalg.inv(r) / norm[:, None]
    return solution, inverse @ inverse.T


def _untold(
    body: Body, blind: Floats, wide: Floats, shape: Floats, loose: list[str], plane: Floats | None
) -> str:
    """What these readings can't tell, in words, and what would."""
    m = shape.shape[1]
    free = blind / wide  # directions in which the unknowns may go unseen

    def unseen(of: Floats) -> bool:
        return bool(np.abs(free @ of).max() > 1e-7 * np.abs(free).max() * max(np.abs(of).max(), 1e-300))

    zeros = [level for k, level in enumerate(loose) if unseen(np.eye(m + len(loose))[m + k])]
    nodes = [
        name
        for name, row in zip(body.names, shape, strict=True)
        if unseen(np.concatenate([row, np.zeros(len(loose))]))
    ]
    said = [f"{level}'s own zero" for level in zeros]
    if body.parts:
        loose_parts = [part for part, at in body.parts.items() if {body.names[i] for i in at} & set(nodes)]
        said += [f"how {', '.join(loose_parts)} {'lies' if len(loose_parts) == 1 else 'lie'}"] * bool(
            loose_parts
        )
    elif plane is not None and body.shape != FREE:
        for axis, row in zip(("along x", "along y"), plane @ shape, strict=True):
            if unseen(np.concatenate([row, np.zeros(len(loose))])):
                said.append(f"the tilt {axis}")
    elif nodes:
        said.append(f"the height of {', '.join(nodes[:6])}")
    if body.shape == TWIST and unseen(np.eye(m + len(loose))[m - 1]):
        said.append("the twist")
    cure = "read it turned round once at the same place" if zeros else "read there too"
    return f"these readings can't tell {' and '.join(said) or 'how it stands'}: {cure}"
