"""The checks that come with the page. They catch sums, not readings."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import BS
from vivid_keel.core.booking.reduction import Reduction, first_and_last, rise_and_fall_heights


class PageCheck(Struct, frozen=True):
    """One arithmetic check: its name, both sides [m] and whether they agree."""

    name: str
    left: float
    right: float

    @property
    def agrees(self) -> bool:
        return abs(self.left - self.right) < 1e-7


class PageChecks(Struct, frozen=True):
    """ΣBS − ΣFS, Σrise − Σfall, the sum of heights, and the greatest difference of the two schools [m].

    `begun` and `ended` are what ΣBS − ΣFS adds: of every set-up its backsight, and its foresight or, where it has none, the
    last sight that stands in for it.
    """

    difference: PageCheck
    rise_and_fall: PageCheck
    intermediates: PageCheck
    schools: float
    stretches: int
    begun: float
    ended: float

    def stands_in(self, reduction: Reduction) -> bool:
        """Whether the sums add other sights than all backsights and all foresights."""
        return abs(self.begun - reduction.sum_bs) > 1e-9 or abs(self.ended - reduction.sum_fs) > 1e-9

    @property
    def computed(self) -> bool:
        """Whether anything was: where no sight hangs on a known height, nothing agrees with anything."""
        return self.stretches > 0

    @property
    def agree(self) -> bool:
        return (
            self.computed
            and self.difference.agrees
            and self.rise_and_fall.agrees
            and self.intermediates.agrees
            and self.schools < 1e-7
        )


def page_checks(reduction: Reduction) -> PageChecks:
    """Return the arithmetic checks of a book.

    A stretch is a chain of set-ups each starting on the foresight before it. ΣBS − ΣFS = last −
    first holds in every stretch, and so for their sums; the last intermediate stands in for the
    foresight of a set-up that ends a stretch without one.
    """
    layout = reduction.layout
    heights, used = reduction.heights, reduction.readings
    back_sum = fore_sum = climbed = 0.0
    stretches = 0
    first = last = 0.0
    ended = True
    good = [
        s
        for s in range(layout.setups)
        if layout.backsight[s] >= 0 and not np.isnan(reduction.collimation_height[s])
    ]
    firsts, ends = first_and_last(reduction)
    for s in good:
        back = layout.backsight[s]
        chained = not ended and s > 0 and layout.source[s] == layout.foresight[s - 1] >= 0
        if not chained:
            climbed += last - first
            stretches += 1
            first = float(heights[back])
        end = ends[s]
        back_sum += float(used[back])
        fore_sum += float(used[end])
        last = float(heights[end])
        ended = layout.foresight[s] < 0
    climbed += last - first
    forward = (layout.kinds != BS) & ~np.isnan(heights)
    hc_each = reduction.collimation_height[layout.setup][forward] if len(used) else np.empty(0)
    other = rise_and_fall_heights(reduction)
    both = ~np.isnan(heights) & ~np.isnan(other)
    return PageChecks(
        PageCheck("ΣBS − ΣFS = last − first", back_sum - fore_sum, climbed),
        PageCheck(
            "Σrise − Σfall = ΣBS − ΣFS",
            reduction.sum_rise - reduction.sum_fall,
            _between_ends(reduction, good, firsts, ends),
        ),
        PageCheck(
            "ΣH = Σ(HC × sights from it) − ΣIS − ΣFS",
            float(other[forward].sum()),
            float(hc_each.sum()) - float(used[forward].sum()),
        ),
        float(np.abs(heights - other)[both].max()) if both.any() else 0.0,
        stretches,
        back_sum,
        fore_sum,
    )


def _between_ends(reduction: Reduction, setups: list[int], first: list[int], last: list[int]) -> float:
    """First reading less last reading, over the set-ups: what rises and falls must add up to."""
    readings = reduction.readings
    return float(sum(readings[first[setup]] - readings[last[setup]] for setup in setups))
