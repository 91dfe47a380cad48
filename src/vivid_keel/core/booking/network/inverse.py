"""The entries of a sparse inverse that the uncertainties need, and no others."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import Stopped

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.intp]

CarryOn = Callable[[float], bool]
"""Told how much is done (0 … 1); False means: leave it."""


class Factor(Struct):
    """N = L·D·Lᵀ of a symmetric positive definite matrix, its rows and columns in the factor's order.

    Attributes
    ----------
    place : int array (n,)
        Where each unknown stands in the factor's order.
    below : list of list of int
        Rows of L under the diagonal of each column, ascending, closed as elimination closes them.
    """

    place: Ints
    below: list[list[int]]
    values: list[list[float]]
    pivots: list[float]
    solve: Callable[[Floats], Floats]


def factorise(matrix: Any) -> Factor:
    """Factorise a sparse symmetric positive definite matrix (n, n).

    Raises
    ------
    ArithmeticError
        Where the matrix is not positive definite, so that the diagonal can't serve as pivots.
    """
    from scipy.sparse.linalg import splu

    lu = splu(
        matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    )
    if (lu.perm_r != lu.perm_c).any():
        raise ArithmeticError("the pivots left the diagonal")
    place = np.asarray(lu.perm_c, dtype=np.intp)
    lower = lu.L.tocsc()
    lower.sort_indices()
    n = matrix.shape[0]
    start, rows, entries = lower.indptr.tolist(), lower.indices.tolist(), lower.data.tolist()
    found = [dict(zip(rows[a:b], entries[a:b], strict=True)) for a, b in zip(start, start[1:], strict=False)]
    own = matrix.tocoo()
    for i, j in zip(place[own.row].tolist(), place[own.col].tolist(), strict=True):
        if i > j:
            found[j].setdefault(i, 0.0)
    below: list[list[int]] = []
    values: list[list[float]] = []
    for j in range(n):
        column = found[j]
        column.pop(j, None)
        order = sorted(column)
        below.append(order)
        values.append([column[i] for i in order])
        if order:
            # What a column holds, its parent holds too: entries that cancelled to nothing are put back as 0.
            parent = found[order[0]]
            for i in order[1:]:
                parent.setdefault(i, 0.0)
    return Factor(place, below, values, lu.U.diagonal().tolist(), lu.solve)


def inverse_entries(
    factor: Factor, carry_on: CarryOn = lambda done: True
) -> tuple[Floats, Callable[[Ints, Ints], Floats]]:
    """Return the diagonal of N⁻¹ (n,), and a look-up of its entries on the pattern of the factor.

    Works back from the last column: with S the rows of L under the diagonal of column j,
    Z[S, j] = −Z[S, S]·L[S, j] and Z[j, j] = 1/d − L[S, j]·Z[S, j]. All of Z[S, S] lies within what the
    parent of j, the first of S, already holds.

    Parameters
    ----------
    factor : Factor
    carry_on : callable

    Raises
    ------
    Stopped

    References
    ----------
    The sparse inverse subset from the factor's own pattern (Takahashi's equations).
    """
    below, values = factor.below, factor.values
    n = len(below)
    diagonal = [0.0] * n
    off: list[list[float]] = [[] for _ in range(n)]
    waits = [0] * n  # children that still want the dense block of a column
    for rows in below:
        if len(rows) > 2:
            waits[rows[0]] += 1
    blocks: dict[int, tuple[Ints, Floats]] = {}
    for j in range(n - 1, -1, -1):
        if j % 512 == 0 and not carry_on(1.0 - j / n):
            raise Stopped
        rows, low = below[j], values[j]
        if len(rows) > 2:
            index, block = blocks[rows[0]]
            at = index.searchsorted(rows)
            inner = block[at[:, None], at]
            column = np.array(low)
            z = -(inner @ column)
            diagonal[j] = 1.0 / factor.pivots[j] - float(column @ z)
            off[j] = z.tolist()
            waits[rows[0]] -= 1
            if not waits[rows[0]]:
                del blocks[rows[0]]
            if waits[j]:
                blocks[j] = _block(j, rows, diagonal[j], z, inner)
            continue
        near = _small(rows, diagonal, below, off)
        if not rows:
            diagonal[j] = 1.0 / factor.pivots[j]
        elif len(rows) == 1:
            z1 = -near[0] * low[0]
            off[j] = [z1]
            diagonal[j] = 1.0 / factor.pivots[j] - low[0] * z1
        else:
            a, b, c = near
            z1, z2 = -(a * low[0] + b * low[1]), -(b * low[0] + c * low[1])
            off[j] = [z1, z2]
            diagonal[j] = 1.0 / factor.pivots[j] - low[0] * z1 - low[1] * z2
        if waits[j]:
            dense = np.array([[near[0]]] if len(rows) == 1 else [[near[0], near[1]], [near[1], near[2]]])
            blocks[j] = _block(j, rows, diagonal[j], np.array(off[j]), dense)
    carry_on(1.0)
    column_of = np.repeat(np.arange(n), [len(rows) for rows in below])
    keys = column_of * n + np.array([i for rows in below for i in rows], dtype=np.intp)
    flat = np.array([z for zs in off for z in zs])
    place, whole = factor.place, np.array(diagonal)

    def entries(rows: Ints, columns: Ints) -> Floats:
        """Z at pairs of unknowns that share a line."""
        i, j = place[rows], place[columns]
        at = np.searchsorted(keys, np.minimum(i, j) * n + np.maximum(i, j))
        return flat[at] if len(flat) else np.zeros(len(i))

    return whole[place], entries


def _block(j: int, rows: list[int], own: float, z: Floats, inner: Floats) -> tuple[Ints, Floats]:
    """The dense block of Z over j and the rows under it."""
    k = len(rows)
    out = np.empty((k + 1, k + 1))
    out[0, 0] = own
    out[0, 1:] = out[1:, 0] = z
    out[1:, 1:] = inner
    return np.array([j, *rows], dtype=np.intp), out


def _small(
    rows: list[int], diagonal: list[float], below: list[list[int]], off: list[list[float]]
) -> tuple[float, ...]:
    """Z[S, S] for at most two rows: most of a levelling network is chains, and numbers are quicker than arrays."""
    if len(rows) < 2:
        return (diagonal[rows[0]],) if rows else ()
    p, q = rows
    return diagonal[p], off[p][bisect_left(below[p], q)], diagonal[q]
