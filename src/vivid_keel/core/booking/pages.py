"""The totals of each page of the book, and of the whole of it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import BS, FS, IS
from vivid_keel.core.booking.reduction import Reduction

PER_PAGE = 24
"""Sights on a page of paper."""


class PageTotals(Struct, frozen=True):
    """A page: its sights (first, last), its sums and both sides of its check [m].

    `begun` and `ended` are the readings that its check adds: of every set-up the first and the last one on the page, which
    are its backsight and foresight unless it has none, or the page cuts it; `climbed` is what the heights say, `risen` what they say
    from sight to sight (the same, unless a sight between can't be reduced).
    """

    first: int
    last: int
    sum_bs: float
    sum_is: float
    sum_fs: float
    sum_rise: float
    sum_fall: float
    begun: float
    ended: float
    climbed: float
    risen: float

    @property
    def back_less_fore(self) -> float:
        """What the page's first readings exceed its last ones by [m]."""
        return self.begun - self.ended

    @property
    def stands_in(self) -> bool:
        """Whether other sights stand in for backsights or foresights."""
        return abs(self.begun - self.sum_bs) > 1e-9 or abs(self.ended - self.sum_fs) > 1e-9

    @property
    def agrees(self) -> bool:
        return (
            abs(self.back_less_fore - self.climbed) < 1e-7
            and abs(self.sum_rise - self.sum_fall - self.risen) < 1e-7
        )


def page_breaks(reduction: Reduction, per_page: int = PER_PAGE) -> list[tuple[int, int]]:
    """Return the sights of each page as (first, end): pages end with a set-up where one fits."""
    setup = reduction.layout.setup
    n, out, first = len(setup), [], 0
    while first < n:
        end = min(n, first + per_page)
        if end < n and setup[end] == setup[end - 1] and setup[end - 1] != setup[first]:
            end = int(np.searchsorted(setup, setup[end - 1]))
        out.append((first, end))
        first = end
    return out


def page_totals(reduction: Reduction, per_page: int = PER_PAGE) -> list[PageTotals]:
    """Return the totals of every page; sights that can't be reduced count nowhere."""
    layout, heights, used = reduction.layout, reduction.heights, reduction.readings
    good = ~np.isnan(heights)
    out = []
    for first, end in page_breaks(reduction, per_page):
        rows = first + np.flatnonzero(good[first:end])
        kinds, setups = layout.kinds[rows], layout.setup[rows]
        sums = [float(used[rows[kinds == kind]].sum()) for kind in (BS, IS, FS)]
        starts = np.flatnonzero(np.diff(setups, prepend=-1))
        firsts, lasts = rows[starts], rows[np.append(starts[1:], len(rows)) - 1] if len(rows) else rows
        within = np.delete(rows, starts)  # the rise to the first sight of a page stands on the page before
        stepped = within[good[within - 1]]
        out.append(
            PageTotals(
                first,
                end - 1,
                sums[0],
                sums[1],
                sums[2],
                float(reduction.rise[within].sum()),
                float(reduction.fall[within].sum()),
                float(used[firsts].sum()),
                float(used[lasts].sum()),
                float((heights[lasts] - heights[firsts]).sum()),
                float((heights[stepped] - heights[stepped - 1]).sum()),
            )
        )
    return out
