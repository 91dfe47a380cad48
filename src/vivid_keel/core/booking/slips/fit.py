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

MIDDLE, LOOK, HAIRS, POINTING = 0, 1, 2, 3


class Fit(Struct, frozen=True, dict=True):
    """A book fitted by least squares: k observations, each HC(set-up) − H(mark) = reading.

    Attributes
    ----------
    sight, sort : int array (k,)
        Which sight an observation belongs to, and whether it is its middle hair, its second look, the mean of its outer hairs, or
        that nothing is known of its pointing (see `fit_book`).
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

    @property
    def unknowns(self) -> int:
        """How many lines, marks and pointings were fitted."""
        return len(self.sight) - self.freedom

    @cached_property
    def of_sight(self) -> dict[int, list[int]]:
        """The observations of each sight."""
        out: dict[int, list[int]] = {}
        for k, i in enumerate(self.sight.tolist()):
            if self.sort[k] != POINTING:
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


def fit_book(book: BookReadings, own: float = 1.0, pointing: float = 0.0) -> Fit:
    """Fit the heights of a book's marks and lines to everything that was read.

    The middle hairs, the second looks and the means of the outer hairs are all observations of the
    same difference; marks read from several set-ups and known marks tie the set-ups together. What
    is left over shows that something doesn't fit; how it is spread shows where. What is read at one pointing shares its error:
    where a sight has looks or hairs, that is an unknown of its own, observed to be nought within its σ.

    Parameters
    ----------
    book : BookReadings
    own, pointing : float
        What of a reading's variance is its own, and its pointing's, in units of the stated one [1].
    """
    layout = book.layout
    n = len(book.middle)
    heights = reduce(layout, book.middle).heights
    sound = ~np.isnan(heights)  # what hangs on a known mark, and nothing out of order
    mean = (book.upper + book.lower) / 2
    has_look, has_hairs = sound & ~np.isnan(book.look), sound & ~np.isnan(mean)
    shares = (has_look | has_hairs) if pointing > 0 else np.zeros(n, dtype=bool)
    parts = [
        (MIDDLE, book.middle, sound),
        (LOOK, book.look, has_look),
        (HAIRS, mean, has_hairs),
        (POINTING, np.zeros(n), shares),
    ]
    sight = np.concatenate([np.flatnonzero(there) for _, _, there in parts])
    sort = np.concatenate([np.full(int(there.sum()), which) for which, _, there in parts])
    read = np.concatenate([values[there] for _, values, there in parts])
    part = np.where(sort == POINTING, pointing, np.where(shares[sight], own, own + pointing))
    weight = 1.0 / (book.sigma[sight] ** 2 * part)
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
    seen = sort != POINTING
    lines = _lines(book, base, mark[seen], sight[seen], read[seen], setups)
    free = np.flatnonzero(np.isnan(held))
    column = np.full(len(names), -1)
    column[free] = setups + np.arange(len(free))
    aimed = np.full(n, -1)
    aimed[shares] = setups + len(free) + np.arange(int(shares.sum()))
    # What each observation touches: its line, its mark and its pointing, -1 where there is none.
    touches = np.stack(
        [np.where(seen, layout.setup[sight], -1), np.where(seen, column[mark], -1), aimed[sight]], axis=1
    )
    matrix, used = _matrix(touches, setups + len(free) + int(shares.sum()))
    left0 = np.where(seen, read - (lines[layout.setup[sight]] - base[mark]), 0.0)
    normal = (matrix.T.multiply(weight) @ matrix).tocsc()
    factor = factorise(normal)
    step = factor.solve(matrix.T @ (weight * left0))
    left = left0 - matrix @ step
    share = np.clip(1.0 - _fitted_variance(factor, touches, used) * weight, 0.0, 1.0)
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


SIGNS = (1.0, -1.0, 1.0)
"""How a line, a mark and a pointing stand in an observation: HC − H + the pointing's error."""


def _fitted_variance(factor: Factor, touches: Ints, used: Ints) -> Floats:
    """The variance of each fitted observation [m²]."""
    diagonal, entries = inverse_entries(factor)
    out = np.zeros(len(touches))
    at = np.where(touches >= 0, used[np.maximum(touches, 0)], -1)
    for a in range(3):
        here = at[:, a] >= 0
        out[here] += diagonal[at[here, a]]
        for b in range(a):
            both = here & (at[:, b] >= 0)
            out[both] += 2 * SIGNS[a] * SIGNS[b] * entries(at[both, b], at[both, a])
    return out


def _lines(book: BookReadings, base: Floats, mark: Ints, sight: Ints, read: Floats, setups: int) -> Floats:
    """A line of sight near each set-up's own [m]: from its first observation."""
    out = np.zeros(setups)
    at = book.layout.setup[sight]
    out[at[::-1]] = (base[mark] + read)[::-1]
    return out


def _matrix(touches: Ints, columns: int) -> tuple[Any, Ints]:
    """Return A without columns that nothing touches, and where each column went (-1: nowhere)."""
    from scipy.sparse import csr_matrix

    rows, which = np.nonzero(touches >= 0)
    cols = touches[rows, which]
    seen = np.unique(cols)
    used = np.full(columns, -1, dtype=np.intp)
    used[seen] = np.arange(len(seen))
    shape = (len(touches), len(seen))
    return csr_matrix((np.array(SIGNS)[which], (rows, used[cols])), shape=shape), used
