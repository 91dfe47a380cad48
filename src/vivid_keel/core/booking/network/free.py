"""Marks of levelled lines against one another, with the whole covariance: heights that hang on none but a mark of their own.

Source: least-squares adjustment of levelled differences with one mark held.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.network.adjust import LevelledLine, normal_equations, pieces, walked

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.intp]


class FreePiece(Struct, frozen=True, eq=False):
    """Marks of one piece against one another.

    Attributes
    ----------
    names : list of str, length n
        The first is held.
    heights : float array (n,)
        [m], the first as it was given.
    covariance : float array (n, n)
        Of the readings alone [m²]; the first has none.
    freedom : int
        Lines that are over.
    sum_squares : float
        Σ(v/σ)² [1].
    """

    names: list[str]
    heights: Floats
    covariance: Floats
    freedom: int
    sum_squares: float


def free_pieces(
    lines: Sequence[LevelledLine], wanted: Collection[str], near: Mapping[str, float]
) -> list[FreePiece]:
    """Return the wanted marks of each piece that hangs together, those pieces left out that hold none.

    Parameters
    ----------
    lines : sequence of LevelledLine
        σ above 0 [m].
    wanted : collection of str
        Marks that are asked for.
    near : mapping of str to float
        Heights that marks are known by [m]: the first of a piece that has one is held at it, else its first wanted one at 0.
    """
    names = list(dict.fromkeys(name for line in lines for name in (line.start, line.to)))
    out = []
    of_piece: dict[str, int] = {}
    found = pieces(names, lines)
    for number, piece in enumerate(found):
        of_piece.update(dict.fromkeys(piece, number))
    inside: list[list[LevelledLine]] = [[] for _ in found]
    for line in lines:
        inside[of_piece[line.start]].append(line)
    for piece, own in zip(found, inside, strict=True):
        asked = [name for name in piece if name in wanted]
        if not asked:
            continue
        held = next((name for name in asked if name in near), asked[0])
        asked.remove(held)
        out.append(_piece([held, *asked], near.get(held, 0.0), own))
    return out


SMALL = 600
"""Up to so many unknowns a full matrix serves, without the libraries that large ones want and that are slow to come [1]."""


def _full(ends: Ints, left: Floats, sigma: Floats, unknowns: int) -> tuple[Floats, Floats]:
    """Return Aᵀ·W·A and Aᵀ·W·l as full matrices; mark 0 is held, mark k is unknown k − 1."""
    design = np.zeros((len(ends), unknowns + 1))
    rows = np.arange(len(ends))
    design[rows, ends[:, 1]] += 1.0
    design[rows, ends[:, 0]] -= 1.0
    weighed = design[:, 1:].T / sigma**2
    return weighed @ design[:, 1:], weighed @ left


def _piece(asked: list[str], height: float, lines: list[LevelledLine]) -> FreePiece:
    names = list(dict.fromkeys([asked[0], *(n for line in lines for n in (line.start, line.to))]))
    at = {name: i for i, name in enumerate(names)}
    ends = np.array([[at[line.start], at[line.to]] for line in lines], dtype=np.intp)
    rise = np.array([line.rise for line in lines])
    sigma = np.array([line.sigma for line in lines])
    heights = walked(names, {asked[0]: (height, 0.0)}, ends, rise)
    column = np.arange(-1, len(names) - 1)
    covariance = np.zeros((len(asked), len(asked)))
    if len(names) > 1:
        left = rise - (heights[ends[:, 1]] - heights[ends[:, 0]])
        if len(names) - 1 <= SMALL:
            full, right = _full(ends, left, sigma, len(names) - 1)

            def solve(wanted: Floats) -> Floats:
                return np.asarray(np.linalg.solve(full, wanted))
        else:
            from scipy.sparse.linalg import splu

            normal, right = normal_equations(ends, left, sigma, column, [], heights)
            solve = splu(normal.tocsc()).solve
        heights[1:] += solve(right)
        rows = np.array([at[name] - 1 for name in asked[1:]], dtype=np.intp)
        unit = np.zeros((len(names) - 1, len(rows)))
        unit[rows, np.arange(len(rows))] = 1.0
        covariance[1:, 1:] = solve(unit)[rows]
    v = heights[ends[:, 1]] - heights[ends[:, 0]] - rise
    covariance = (covariance + covariance.T) / 2
    wanted = np.array([at[name] for name in asked])
    freedom = len(lines) - (len(names) - 1)
    return FreePiece(asked, heights[wanted], covariance, freedom, float(((v / sigma) ** 2).sum()))
