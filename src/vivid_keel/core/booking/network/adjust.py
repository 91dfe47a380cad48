"""Least squares of levelled lines between marks.

Source: least-squares adjustment of levelled differences; data snooping by standardised residuals.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.network.inverse import CarryOn, factorise, inverse_entries
from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.intp]

CRITICAL = 3.29
"""A standardised residual beyond this is met once in a thousand good lines (normal law, two-sided 0.1 %)."""
SMALLEST_SLIP = 4.13
"""Non-centrality at 0.1 % significance and 80 % power [1]."""
NO_SHARE = 1e-9


class LevelledLine(Struct, frozen=True):
    """A levelled line: `to` stands `rise` above `start` [m], known to σ [m]."""

    start: str
    to: str
    rise: float
    sigma: float


class Network(Struct, frozen=True, dict=True):
    """A network adjusted, with m marks and n lines.

    Attributes
    ----------
    names : list of str, length m
    heights : float array (m,)
        Adjusted [m].
    u : float array (m,)
        Standard uncertainty from the σ given [m]; 0 for a mark held fixed.
    ends : int array (n, 2)
        Index of each line's two marks.
    residuals : float array (n,)
        Adjusted − observed rise [m].
    sigma : float array (n,)
    redundancy : float array (n,)
        Share of each line, σ_v²/σ² [1]; they and those of weighted marks sum to the degrees of freedom.
    freedom : int
        Lines and weighted marks less unknowns.
    sum_squares : float
        Σ(v/σ)² over lines and weighted marks [1].
    """

    names: list[str]
    heights: Floats
    u: Floats
    ends: Ints
    residuals: Floats
    sigma: Floats
    redundancy: Floats
    freedom: int
    sum_squares: float

    @property
    def variance_factor(self) -> float | None:
        """Σ(v/σ)² by degrees of freedom [1]; None where nothing is left over."""
        return self.sum_squares / self.freedom if self.freedom > 0 else None

    @cached_property
    def standardised(self) -> Floats:
        """|v|/σ_v of each line [1]; nan where nothing checks it (n,)."""
        share = np.where(self.redundancy < NO_SHARE, np.nan, self.redundancy)
        return np.asarray(np.abs(self.residuals) / (self.sigma * np.sqrt(share)))

    @property
    def smallest_slip(self) -> Floats:
        """The smallest slip in each line that the test would find [m]; inf where nothing checks it (n,)."""
        with np.errstate(divide="ignore"):
            return np.where(
                self.redundancy < NO_SHARE,
                np.inf,
                SMALLEST_SLIP * self.sigma / np.sqrt(np.maximum(self.redundancy, 1e-300)),
            )

    @property
    def worst(self) -> int:
        """The line with the largest standardised residual, -1 where none is checked; of equal ones the first, on any machine."""
        s = np.round(self.standardised, 9)
        return int(np.nanargmax(s)) if len(s) and not np.isnan(s).all() else -1

    @property
    def suspicious(self) -> bool:
        """Whether the worst line is beyond the critical value."""
        return self.worst >= 0 and float(self.standardised[self.worst]) > CRITICAL

    def limits(self) -> tuple[float, float] | None:
        """Return the two-sided 5 % limits of the variance factor [1] (2.5 % and 97.5 %), None without freedom."""
        if self.freedom <= 0:
            return None
        from scipy.special import chdtri

        low, high = (float(chdtri(self.freedom, q)) / self.freedom for q in (0.975, 0.025))
        return low, high


def pieces(names: Sequence[str], lines: Sequence[LevelledLine]) -> list[list[str]]:
    """Return the marks of each piece of a network that hangs together, in the order of `names`."""
    at = {name: i for i, name in enumerate(names)}
    root = list(range(len(names)))

    def find(i: int) -> int:
        while root[i] != i:
            root[i] = root[root[i]]
            i = root[i]
        return i

    for line in lines:
        a, b = find(at[line.start]), find(at[line.to])
        root[max(a, b)] = min(a, b)
    out: dict[int, list[str]] = {}
    for i, name in enumerate(names):
        out.setdefault(find(i), []).append(name)
    return list(out.values())


def adjust(
    known: Mapping[str, tuple[float, float]],
    lines: Sequence[LevelledLine],
    carry_on: CarryOn = lambda done: True,
) -> Network:
    """Return the network of least squares.

    Observation h_to − h_start = Δ + v, weight 1/σ². A known mark with u = 0 is held; one with u > 0
    is weighted by 1/u² like an observation of its height.

    Parameters
    ----------
    known : mapping of str to (height, u)
        [m]
    lines : sequence of LevelledLine
    carry_on : callable
        Told how far the uncertainties are; False stops.

    Raises
    ------
    KeelError
        `no-known-mark`; `disconnected`, naming the marks that hang on nothing.
    Stopped
        When `carry_on` said so.

    References
    ----------
    Least squares by the normal equations Aᵀ·W·A (Gauss-Markov); reliability by redundancy shares.
    """
    if not known:
        raise KeelError("no-known-mark", "no mark's height is known; list at least one benchmark or datum")
    names = list(dict.fromkeys([*known, *(n for line in lines for n in (line.start, line.to))]))
    loose = [piece for piece in pieces(names, lines) if not any(name in known for name in piece)]
    if loose:
        said = "; ".join(", ".join(piece[:6]) + (" …" if len(piece) > 6 else "") for piece in loose[:4])
        raise KeelError(
            "disconnected",
            f"no line joins these to a known mark: {said}; level a line to them, or list one as known",
        )
    at = {name: i for i, name in enumerate(names)}
    ends = np.array([[at[line.start], at[line.to]] for line in lines], dtype=np.intp).reshape(-1, 2)
    rise = np.array([line.rise for line in lines])
    sigma = np.array([line.sigma for line in lines])
    held = np.array([name in known and known[name][1] == 0.0 for name in names])
    near = walked(names, known, ends, rise)
    unknown = np.flatnonzero(~held)
    if not len(unknown):
        v = near[ends[:, 1]] - near[ends[:, 0]] - rise
        return Network(
            names,
            near,
            np.zeros(len(names)),
            ends,
            v,
            sigma,
            np.ones(len(lines)),
            len(lines),
            float(((v / sigma) ** 2).sum()),
        )
    column = np.full(len(names), -1)
    column[unknown] = np.arange(len(unknown))
    weighted = [(at[name], height, u) for name, (height, u) in known.items() if u > 0]
    normal, right = normal_equations(
        ends, rise - (near[ends[:, 1]] - near[ends[:, 0]]), sigma, column, weighted, near
    )
    factor = factorise(normal)
    heights = near.copy()
    heights[unknown] += factor.solve(right)
    diagonal, entries = inverse_entries(factor, carry_on)
    u = np.zeros(len(names))
    u[unknown] = np.sqrt(np.maximum(diagonal, 0.0))
    a, b = column[ends[:, 0]], column[ends[:, 1]]
    both = (a >= 0) & (b >= 0)
    variance = u[ends[:, 0]] ** 2 + u[ends[:, 1]] ** 2
    variance[both] -= 2 * entries(a[both], b[both])
    v = heights[ends[:, 1]] - heights[ends[:, 0]] - rise
    squares = float(((v / sigma) ** 2).sum()) + sum(((heights[i] - h) / s) ** 2 for i, h, s in weighted)
    share = 1.0 - variance / sigma**2
    return Network(
        names,
        heights,
        u,
        ends,
        v,
        sigma,
        np.clip(np.where(share < NO_SHARE, 0.0, share), 0.0, 1.0),
        len(lines) + len(weighted) - len(unknown),
        squares,
    )


def walked(names: list[str], known: Mapping[str, tuple[float, float]], ends: Ints, rise: Floats) -> Floats:
    """Return heights carried from the known marks along the first lines that reach each mark (m,) [m].

    `ends` (n, 2) are each line's two marks, `rise` (n,) what the second stands above the first [m]. The least squares then only has to find millimetres, which keeps all digits of a long chain.
    """
    out = np.full(len(names), np.nan)
    beside: list[list[tuple[int, float]]] = [[] for _ in names]
    for (a, b), d in zip(ends.tolist(), rise.tolist(), strict=True):
        beside[a].append((b, d))
        beside[b].append((a, -d))
    heights: list[float | None] = [known[name][0] if name in known else None for name in names]
    queue = [i for i, h in enumerate(heights) if h is not None]
    for i in queue:  # grows while it is walked
        here = heights[i]
        assert here is not None
        for j, d in beside[i]:
            if heights[j] is None:
                heights[j] = here + d
                queue.append(j)
    out[:] = heights
    return out


def normal_equations(
    ends: Ints,
    left: Floats,
    sigma: Floats,
    column: Ints,
    weighted: list[tuple[int, float, float]],
    near: Floats,
) -> tuple[Any, Floats]:
    """Return Aᵀ·W·A (sparse, k × k) and Aᵀ·W·l (k,) for the k unknowns.

    Parameters
    ----------
    ends : int array (n, 2)
        Each line's two marks.
    left, sigma : float array (n,)
        What is left of each rise over `near`, and its σ [m].
    column : int array (m,)
        Each mark's place among the unknowns, −1 for one that is held.
    weighted : list of (mark, height, u)
        Marks whose height was observed, too [m].
    near : float array (m,)
        Heights that the unknowns are counted from [m].
    """
    from scipy.sparse import coo_matrix

    n = int(column.max()) + 1
    w = 1.0 / sigma**2
    a, b = column[ends[:, 0]], column[ends[:, 1]]
    right = np.zeros(n)
    rows, cols, values = [], [], []
    for mine, other, sign in ((a, b, -1.0), (b, a, 1.0)):
        there = mine >= 0
        np.add.at(right, mine[there], sign * (w * left)[there])
        rows.append(mine[there])
        cols.append(mine[there])
        values.append(w[there])
        both = there & (other >= 0) & (mine != other)
        rows.append(mine[both])
        cols.append(other[both])
        values.append(-w[both])
    for i, height, u in weighted:
        k = column[i]
        rows.append(np.array([k]))
        cols.append(np.array([k]))
        values.append(np.array([1.0 / u**2]))
        right[k] += (height - near[i]) / u**2
    matrix = coo_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(cols))), shape=(n, n))
    return matrix.tocsc(), right
