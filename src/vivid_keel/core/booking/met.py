"""Marks met again: what a book says twice of one mark, and whether it agrees with itself.

Source: propagation of variance over the readings that two heights do not share; Bonferroni's bound over all comparisons.
"""

from __future__ import annotations

import math
from statistics import NormalDist
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.closing import ToleranceClass, allowed_by
from vivid_keel.core.booking.layout import Layout
from vivid_keel.core.booking.reduction import Reduction
from vivid_keel.core.booking.ways import Ways, ways_of

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

HONEST = 0.05
"""Share of honest books that may be accused by one of their marks met again [1]: of books, not of marks."""


class Met(Struct, frozen=True):
    """A mark that was read a second time, or a known one that was read on the way.

    Attributes
    ----------
    row, first : int
        The sight, and the one that it is held against; -1: the mark's listed height.
    difference : float
        Its height less the other [m].
    allowed : float
        How far an honest book may be off there [m]; nan where the class wants lengths that were not booked.
    leg : (int, int) or None
        Where both hang on one sight of a mark and went on from it by set-ups of their own: the set-ups with which the first
        and the second way begin. The leg from that mark to this one was levelled twice.
    """

    row: int
    first: int
    difference: float
    allowed: float
    leg: tuple[int, int] | None = None

    @property
    def agrees(self) -> bool:
        """Whether it is within what is allowed; what has no limit is not judged."""
        return not abs(self.difference) > self.allowed + 1e-9


def met_again(
    reduction: Reduction,
    u: Floats,
    steps: Floats,
    distances: Floats,
    tolerance: ToleranceClass,
    left: Floats | None = None,
    but: int = -1,
    *,
    wrong: bool = False,
) -> list[Met]:
    """Return every mark met again, known ones first, in the order of the book.

    A known mark closes the run up to there, by the class's limit for the way to it. Two sights of one mark may differ by what
    their readings allow, those that both ways share left out: z·u + the bound of what stays in the readings, z so that an honest
    book is accused in `HONEST` of cases with all its marks together.

    Parameters
    ----------
    reduction : Reduction
    u : float array (n,)
        Standard uncertainty of each reading [m].
    steps : float array (n,)
        What each was read to [m]: a step apart they may well be one.
    distances : float array (n,)
        [m], nan where unknown.
    tolerance : ToleranceClass
    left : float array (n,), optional
        How far each reading may be out by what stays in it [m], a bound.
    but : int
        The sight that closes the run, which is judged by itself; -1 for none.
    wrong : bool
        Only those that don't agree: in a long book that is asked at every key.
    """
    layout = reduction.layout
    if not layout.setups:
        return []
    known = _known(reduction, distances, tolerance, but)
    if wrong:
        known = [one for one in known if not one.agrees]
    return [*known, *_twice(reduction, u, steps, left, wrong=wrong)]


def _known(reduction: Reduction, distances: Floats, tolerance: ToleranceClass, but: int) -> list[Met]:
    layout, heights, out = reduction.layout, reduction.heights, []
    rows = [row for row in layout.known_met if row != but and not math.isnan(heights[row])]
    if not rows:
        return []
    nothing = np.zeros(layout.setups).tolist()
    passed = layout.along(np.ones(layout.setups), nothing)
    backs = np.where(layout.backs >= 0, distances[layout.backs], np.nan)
    far = layout.along(backs + np.where(layout.sources >= 0, distances[layout.sources], 0.0), nothing)
    for row in rows:
        s = int(layout.setup[row])
        length = float(far[s] + distances[row])
        allowed = allowed_by(tolerance, int(passed[s]), None if math.isnan(length) else length)
        difference = float(heights[row]) - layout.listed[layout.marks[row]].height
        out.append(Met(row, -1, difference, math.nan if allowed is None else allowed))
    return out


def _twice(reduction: Reduction, u: Floats, steps: Floats, left: Floats | None, *, wrong: bool) -> list[Met]:
    layout, heights = reduction.layout, reduction.heights
    ways = ways_of(layout)
    sound = ~np.isnan(heights[ways.row]) & ~np.isnan(heights[ways.first])
    pairs = int(sound.sum())
    if not pairs:
        return []
    z = NormalDist().inv_cdf(1 - HONEST / 2 / pairs)
    variance = _apart(layout, ways, u**2)
    for k in np.flatnonzero(ways.top < 0).tolist():
        variance[k] += _datums(layout, ways.begun[k])
    allowed = z * np.sqrt(np.maximum(variance, 0.0))
    if left is not None:
        allowed = allowed + _apart(layout, ways, left)
    allowed = np.maximum(allowed, np.maximum(steps[ways.row], steps[ways.first]))
    difference = heights[ways.row] - heights[ways.first]
    if wrong:
        sound &= np.abs(difference) > allowed + 1e-9
    return [
        Met(
            int(ways.row[k]),
            int(ways.first[k]),
            float(difference[k]),
            float(allowed[k]),
            _leg(layout, ways, k),
        )
        for k in np.flatnonzero(sound).tolist()
    ]


def _apart(layout: Layout, ways: Ways, each: Floats) -> Floats:
    """What the readings that the two ways don't share come to (p,), `each` (n,) the part of every reading."""
    entered = np.where(layout.backs >= 0, each[layout.backs], 0.0)
    entered = entered + np.where(layout.sources >= 0, each[layout.sources], 0.0)
    sums = layout.along(entered, np.zeros(layout.setups).tolist())
    above = np.where(ways.top >= 0, sums[ways.top], 0.0)
    out = np.zeros(len(ways.row))
    for k, rows in enumerate((ways.first, ways.row)):
        out += np.where(ways.begun[:, k] >= 0, sums[layout.setup[rows]] - above, 0.0) + each[rows]
    # Both leave by one sight of the common set-up: it moves both alike.
    together = (ways.leaves[:, 0] == ways.leaves[:, 1]) & (ways.top >= 0)
    return np.asarray(out - np.where(together, 2 * each[ways.leaves[:, 0]], 0.0))


def _datums(layout: Layout, begun: npt.NDArray[np.intp]) -> float:
    """The variance that two ways from listed marks have from them [m²]: none where it is one mark."""
    names = [layout.marks[layout.backsight[int(s)]] for s in begun]
    if names[0] == names[1]:
        return 0.0
    return sum(layout.listed[name].u ** 2 for name in names if name in layout.listed)


def _leg(layout: Layout, ways: Ways, k: int) -> tuple[int, int] | None:
    begun = (int(ways.begun[k, 0]), int(ways.begun[k, 1]))
    if min(begun) < 0 or begun[0] == begun[1]:
        return None
    marks = [layout.marks[layout.backsight[s]] for s in begun if layout.backsight[s] >= 0]
    return begun if len(marks) == 2 and marks[0] == marks[1] else None
