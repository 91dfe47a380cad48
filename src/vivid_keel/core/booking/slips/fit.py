"""How well a book fits together: every sight as an observation of a line of sight over a mark.

Source: least squares with a sparse normal matrix; a residual's redundancy share is 1 − P·Q.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.network.inverse import Factor, factorise, inverse_entries
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.booking.slips.readings import BookReadings

if TYPE_CHECKING:
    from typing import Any

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.intp]

MIDDLE, LOOK, HAIRS = 0, 1, 2


class Fit(Struct, frozen=True, dict=True):
    """A book fitted by least squares: k observations, each HC(set-up) − H(mark) = reading.

    Attributes
    ----------
    sight, sort : int array (k,)
        Which sight an observation belongs to, and whether it is its middle hair, its second look or
        the mean of its outer hairs.
    left : float array (k,)
        Observed − fitted [m].
    weight, share : float array (k,)
        1/σ² [1/m²] and the redundancy share [1].
    squares : float
        Σ left²·weight [1], `freedom` what it should be.
    at_middle : int array (n,)
        The observation that is each sight's middle hair, -1 where the sight can't be reduced.
    """

    sight: Ints
    sort: Ints
    left: Floats
    weight: Floats
    share: Floats
    squares: float
    freedom: int
    at_middle: Ints
    _matrix: Any
    _factor: Factor | None

    @cached_property
    def of_sight(self) -> dict[int, list[int]]:
        """The observations of each sight."""
        out: dict[int, list[int]] = {}
        for k, i in enumerate(self.sight.tolist()):
            out.setdefault(i, []).append(k)
        return out

    def pull(self, slips: Floats) -> tuple[Floats, Floats]:
        """Return (Dᵀ·P·l, Dᵀ·P·R·D) (m,) of slips D, each of which touches several observations [m] (k, m).

        A slip takes Σ left²·weight from S to S − 2·Dᵀ·P·l + Dᵀ·P·R·D when it is taken out.
        """
        weighted = slips * self.weight[:, None]
        stays = (slips * weighted).sum(axis=0)
        if self._factor is not None:
            onto = self._across @ weighted
            stays -= (onto * self._factor.solve(onto)).sum(axis=0)
        return np.asarray(weighted.T @ self.left), np.maximum(stays, 0.0)

    @cached_property
    def _across(self) -> Any:
        """The matrix turned about."""
        return self._matrix.T.tocsr()


def fit_book(book: BookReadings) -> Fit:
    """Fit the heights of a book's marks and lines to everything that was read.

    The middle hairs, the second looks and the means of the outer hairs are all observations of the
    same difference; marks read from several set-ups and known marks tie the set-ups together. What
    is left over shows that something doesn't fit; how it is spread shows where.

    Parameters
    ----------
    book : BookReadings
    """
    layout = book.layout
    n = len(book.middle)
    heights = reduce(layout, book.middle).heights
    sound = ~np.isnan(heights)  # what hangs on a known mark, and nothing out of order
    mean = (book.upper + book.lower) / 2
    parts = [
        (MIDDLE, book.middle, sound),
        (LOOK, book.look, sound & ~np.isnan(book.look)),
        (HAIRS, mean, sound & ~np.isnan(mean)),
    ]
    sight = np.concatenate([np.flatnonzero(there) for _, _, there in parts])
    sort = np.concatenate([np.full(int(there.sum()), which) for which, _, there in parts])
    read = np.concatenate([values[there] for _, values, there in parts])
    weight = 1.0 / book.sigma[sight] ** 2
    at_middle = np.full(n, -1, dtype=np.intp)
    at_middle[np.flatnonzero(sound)] = np.arange(int(sound.sum()))
    if not len(sight):
        empty = np.empty(0)
        return Fit(sight, sort, empty, weight, empty, 0.0, 0, at_middle, None, None)
    names: dict[str, int] = {}
    for i in np.flatnonzero(sound).tolist():
        names.setdefault(layout.marks[i], len(names))
    setups = int(layout.setup.max()) + 1
    mark = np.array([names[layout.marks[i]] for i in sight.tolist()], dtype=np.intp)
    known = {names[name]: listed for name, listed in layout.listed.items() if name in names}
    held = np.full(len(names), np.nan)
    for i, listed in known.items():
        held[i] = listed.height
    near = np.zeros(len(names))
    for i in np.flatnonzero(sound).tolist():
        near[names[layout.marks[i]]] = heights[i]
    base = np.where(np.isnan(held), near, held)
    lines = _lines(book, base, mark, sight, read, setups)
    free = np.flatnonzero(np.isnan(held))
    column = np.full(len(names), -1)
    column[free] = setups + np.arange(len(free))
    matrix, used = _matrix(layout.setup[sight], column[mark], setups + len(free))
    left0 = read - (lines[layout.setup[sight]] - base[mark])
    normal = (matrix.T.multiply(weight) @ matrix).tocsc()
    factor = factorise(normal)
    step = factor.solve(matrix.T @ (weight * left0))
    left = left0 - matrix @ step
    diagonal, entries = inverse_entries(factor)
    s, m = used[layout.setup[sight]], np.where(column[mark] >= 0, used[np.maximum(column[mark], 0)], -1)
    both = m >= 0
    variance = diagonal[s].copy()
    variance[both] += diagonal[m[both]] - 2 * entries(s[both], m[both])
    share = np.clip(1.0 - variance * weight, 0.0, 1.0)
    return Fit(
        sight,
        sort,
        left,
        weight,
        np.where(share < 1e-9, 0.0, share),
        float((left**2 * weight).sum()),
        len(sight) - normal.shape[0],
        at_middle,
        matrix,
        factor,
    )


def _lines(book: BookReadings, base: Floats, mark: Ints, sight: Ints, read: Floats, setups: int) -> Floats:
    """A line of sight near each set-up's own [m]: from its first observation."""
    out = np.zeros(setups)
    at = book.layout.setup[sight]
    out[at[::-1]] = (base[mark] + read)[::-1]
    return out


def _matrix(setup: Ints, mark: Ints, columns: int) -> tuple[Any, Ints]:
    """Return A without columns that nothing touches, and where each column went (-1: nowhere)."""
    from scipy.sparse import csr_matrix

    k = len(setup)
    rows = np.concatenate([np.arange(k), np.flatnonzero(mark >= 0)])
    cols = np.concatenate([setup, mark[mark >= 0]])
    values = np.concatenate([np.ones(k), -np.ones(int((mark >= 0).sum()))])
    seen = np.unique(cols)
    used = np.full(columns, -1, dtype=np.intp)
    used[seen] = np.arange(len(seen))
    return csr_matrix((values, (rows, used[cols])), shape=(k, len(seen))), used
