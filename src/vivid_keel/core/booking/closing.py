"""Closing a run: misclosure, what is allowed, and spreading what is allowed.

Source: closing and spreading a levelling run in proportion to set-ups or to length, as every textbook of surveying has it.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import BS, Layout
from vivid_keel.core.booking.reduction import Reduction
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import at_most

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class ToleranceClass(Struct, frozen=True):
    """An allowed misclosure: coefficient·√n for n set-ups, or coefficient·√K for K km one way [m]."""

    name: str
    coefficient: float
    per: str  # "setup" or "km"


CLASSES = (
    ToleranceClass("rough ground works", 0.024, "km"),
    ToleranceClass("ordinary site works", 0.012, "km"),
    ToleranceClass("setting out", 0.005, "setup"),
    ToleranceClass("careful", 0.002, "setup"),
)
"""Defaults; the person can set any coefficient of their own."""


class Closure(Struct, frozen=True):
    """How a run closes.

    Attributes
    ----------
    mark, row : str, int
        The closing mark and the foresight that meets it; "" and -1 when open.
    misclosure : float or None
        Observed − known [m].
    allowed : float or None
        [m]; of an open run for the way so far; None when the class wants lengths that were not booked.
    accepted : bool or None
        |misclosure| ≤ allowed; None when either is unknown.
    path : list of int
        Set-ups from the listed start to the last one, which share the misclosure, in order.
    length : float or None
        One-way length of the path [m]; None where a distance is missing.
    spread : bool
        Whether corrections are applied.
    correction : float array (m,)
        Sum of corrections up to and with each set-up [m].
    share : float array (m,)
        The same as a fraction of −misclosure [1].
    """

    mark: str
    row: int
    misclosure: float | None
    allowed: float | None
    accepted: bool | None
    path: list[int]
    length: float | None
    spread: bool
    correction: Floats
    share: Floats


def close(
    reduction: Reduction,
    distances: Floats,
    tolerance: ToleranceClass,
    spread: str = "setups",
    *,
    override: bool = False,
) -> Closure:
    """Return misclosure, allowance and the corrections of a run.

    Each set-up of the path from the closing sight back to its listed start takes −w/n (or −w by its
    BS + FS distances) and hands it on; set-ups off the path take what they hang on.

    Parameters
    ----------
    reduction : Reduction
    distances : float array (n,)
        [m], nan where unknown.
    tolerance : ToleranceClass
    spread : {"setups", "distance", "none"}
    override : bool
        Spread even what is over the limit (the person's decision, recorded with a reason).

    Raises
    ------
    KeelError
        `no-distance` when a spread by distance is wanted and a sight of the path has none.
    """
    layout = reduction.layout
    zero = np.zeros(layout.setups)
    closing = layout.closing()
    path = layout.path
    lengths = _lengths(layout, path, distances)
    length = None if lengths is None else float(lengths.sum())
    allowed = allowed_by(tolerance, len(path) or layout.setups, length)
    if closing is None or math.isnan(reduction.heights[closing[0]]):
        return Closure("", -1, None, allowed, None, path, length, False, zero, zero)
    row, mark = closing
    misclosure = float(reduction.heights[row]) - layout.listed[mark].height
    accepted = None if allowed is None else at_most(abs(misclosure), allowed)
    applied = spread != "none" and (accepted is True or override)
    if not applied:
        return Closure(mark, row, misclosure, allowed, accepted, path, length, False, zero, zero)
    if spread == "distance":
        if lengths is None:
            missing = _first_without(layout, path, distances)
            raise KeelError(
                "no-distance",
                "spreading by distance needs the distance of every sight that the way goes by",
                str(missing),
            )
        own = lengths / lengths.sum()
    else:
        own = np.full(len(path), 1.0 / len(path))
    share = _handed_on(layout, path, own)
    return Closure(mark, row, misclosure, allowed, accepted, path, length, True, -misclosure * share, share)


def adjusted_heights(reduction: Reduction, closure: Closure) -> dict[str, float]:
    """Return every mark's height after spreading [m]; a fixed mark at its listed height always."""
    layout = reduction.layout
    out = reduction.observed()
    if closure.spread:
        for mark, row in layout.holds.items():
            if not math.isnan(reduction.heights[row]) and (
                layout.kinds[row] != BS or mark not in layout.listed
            ):
                out[mark] = float(reduction.heights[row] + correction_at(layout, closure, row))
    for name, listed in layout.listed.items():
        if listed.fixed and (closure.spread or name in out):
            out[name] = listed.height
    return out


def correction_at(layout: Layout, closure: Closure, row: int) -> float:
    """Return what spreading adds to the height at a row [m]: at a backsight what its mark had before the set-up."""
    setup = int(layout.setup[row])
    if layout.kinds[row] == BS:
        setup = layout.parent[setup]
    return float(closure.correction[setup]) if setup >= 0 else 0.0


def allowed_by(tolerance: ToleranceClass, n: int, length: float | None) -> float | None:
    """Return what a class allows over n set-ups of a one-way length [m]: the limit [m], None where it wants a length that is missing."""
    if tolerance.per == "setup":
        return tolerance.coefficient * math.sqrt(n)
    # Both sights of every set-up make up the way walked; K is that way in kilometres.
    return None if length is None else tolerance.coefficient * math.sqrt(length / 1000)


def _lengths(layout: Layout, path: list[int], distances: Floats) -> Floats | None:
    """Distances of the two sights of each set-up that the path goes by [m], None where one is missing."""
    back, fore = layout.backs[path], layout.leaving[path]
    if not path or fore.min() < 0:
        return None
    out = distances[back] + distances[fore]
    return None if np.isnan(out).any() else np.asarray(out)


def _first_without(layout: Layout, path: list[int], distances: Floats) -> int:
    for s in path:
        for row in (layout.backsight[s], int(layout.leaving[s])):
            if row >= 0 and math.isnan(distances[row]):
                return row
    return layout.backsight[path[0]]


def _handed_on(layout: Layout, path: list[int], own: Floats) -> Floats:
    part = np.zeros(layout.setups)
    part[path] = own
    return layout.along(part, np.zeros(layout.setups).tolist())
