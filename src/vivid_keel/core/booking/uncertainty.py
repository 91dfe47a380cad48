"""How far each height of a run may be out, from the readings that carry it.

Source: propagation of variance (GUM, JCGM 100); Student's t for few repeats.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.booking.closing import Closure
from vivid_keel.core.booking.layout import BS, FS
from vivid_keel.core.booking.reduction import Reduction, reduce

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


def height_uncertainty(reduction: Reduction, closure: Closure, u_reading: Floats) -> Floats:
    """Return the standard uncertainty of every sight's height as adjusted [m]; nan where not reduced.

    Readings are independent. As observed, a height carries its start, the backsight and foresight of
    every set-up on its way and its own two readings. Spreading mixes in the closing: with a the part
    of the misclosure taken up to a set-up, what lies before it counts (1 − a) and what lies after
    counts a. Closed on the mark it set out from, the datum's own u stays whole.

    Parameters
    ----------
    reduction : Reduction
    closure : Closure
    u_reading : float array (n,)
        Of each reading [m].

    References
    ----------
    Propagation of variance through the linear spread (tests: simulated runs).
    """
    layout = reduction.layout
    if not layout.setups:
        return np.empty(0)
    v = u_reading**2
    listed = layout.listed
    carried: list[float] = []  # variance of readings handed to each set-up's backsight mark
    datum: list[float] = []  # variance of the listed height it starts from
    own: list[float] = []  # variance the whole set-up adds on its way through
    for s in range(layout.setups):
        back, source, fore = layout.backsight[s], layout.source[s], int(layout.leaving[s])
        if source >= 0:
            p = layout.parent[s]
            carried.append(carried[p] + (v[layout.backsight[p]] if p >= 0 else 0.0) + v[source])
            datum.append(datum[p])
        else:
            carried.append(0.0)
            mark = listed.get(layout.marks[back]) if back >= 0 else None
            datum.append(mark.u**2 if mark else 0.0)
        own.append((v[back] if back >= 0 else 0.0) + (v[fore] if fore >= 0 else 0.0))
    back_rows = np.asarray(layout.backsight)
    v_back = np.where(back_rows >= 0, v[np.maximum(back_rows, 0)], 0.0)
    at = layout.setup
    before, through, start = np.asarray(carried), np.asarray(own), np.asarray(datum)
    is_back = layout.kinds == BS
    out = np.where(is_back, before[at], before[at] + v_back[at] + v) + start[at]
    if closure.spread:
        out = _after_spreading(reduction, closure, v, before, through, start, v_back)
    return np.sqrt(np.where(np.isnan(reduction.heights), np.nan, out))


def _after_spreading(
    reduction: Reduction,
    closure: Closure,
    v: Floats,
    before: Floats,
    through: Floats,
    start: Floats,
    v_back: Floats,
) -> Floats:
    layout = reduction.layout
    at = layout.setup
    share = closure.share
    on_path = np.zeros(layout.setups, dtype=bool)
    on_path[closure.path] = True
    whole = float(sum(through[s] for s in closure.path))
    end = layout.listed[closure.mark]
    same_datum = layout.marks[layout.backsight[closure.path[0]]] == closure.mark
    v_end = 0.0 if same_datum else end.u**2
    parent, fore = np.asarray(layout.parent), layout.leaving
    a_before = np.where(parent >= 0, share[np.maximum(parent, 0)], 0.0)
    v_fore = np.where(fore >= 0, v[np.maximum(fore, 0)], 0.0)
    back = layout.kinds == BS
    a = np.where(back, a_before[at], share[at])
    rest = 1 - a
    kept = start[at] if same_datum else start[at] * rest**2 + v_end * a**2
    done = before[at] + through[at]  # carried up to and with the set-up's foresight
    as_back = before[at] * rest**2 + (whole - before[at]) * a**2
    as_fore = done * rest**2 + (whole - done) * a**2
    as_inter = (before[at] + v_back[at]) * rest**2 + v_fore[at] * a**2 + v + (whole - done) * a**2
    is_fore = np.arange(len(v)) == fore[at]
    on = np.maximum(kept + np.where(back, as_back, np.where(is_fore, as_fore, as_inter)), 0.0)
    if on_path.all():
        return np.asarray(on)
    # Off the path the readings of its own come on top of the mark that it hangs on, as that one is after spreading.
    hung = start.copy()
    for s in np.flatnonzero(~on_path).tolist():
        source, p = layout.source[s], layout.parent[s]
        if source >= 0:
            hung[s] = on[source] if on_path[p] else hung[p] + v_back[p] + v[source]
    return np.asarray(np.where(on_path[at], on, hung[at] + np.where(back, 0.0, v_back[at] + v)))


UNBALANCE = 1 / 3
"""Back and fore sights of unknown length may differ by so much of the reach [1]: 10 m of 30 m."""


def collimation_bound(
    reduction: Reduction, closure: Closure, c: Floats, distances: Floats, reach: Floats, *, taken_out: bool
) -> Floats:
    """Return how far a collimation error may put each height out where sights have no distance (n,) [m]: a bound.

    One error for all sights, which repeats don't average away: along a path it adds in proportion. Back and fore sights
    may differ by `UNBALANCE` of the reach, an intermediate by all of it; so may any sight beside one whose own part
    was taken out. Spreading takes its share, at the worst.

    Parameters
    ----------
    reduction : Reduction
    closure : Closure
    c : float array (n,)
        |collimation error| of what took each sight [rad], not negative.
    distances : float array (n,)
        [m], nan where unknown.
    reach : float array (n,)
        The longest ordinary sight of what took it [m].
    taken_out : bool
        Whether sights with a distance are freed of it.
    """
    layout = reduction.layout
    if not layout.setups:
        return np.empty(0)
    unknown = np.isnan(distances)
    back_row = np.maximum(layout.backs, 0)
    at = layout.setup

    def between(
        rows: npt.NDArray[np.intp], backs: npt.NDArray[np.intp], fore: npt.NDArray[np.bool_]
    ) -> Floats:
        both = unknown[rows] & unknown[backs]
        either = unknown[rows] | unknown[backs]
        far = np.where(fore & (both | ~np.array(taken_out)), UNBALANCE, 1.0) * reach[rows]
        return np.asarray(np.where(either, c[rows] * far, 0.0))

    leaving = np.maximum(layout.leaving, 0)
    through = np.where(
        (layout.leaving >= 0) & (layout.backs >= 0),
        between(leaving, back_row, np.ones(layout.setups, dtype=bool)),
        0.0,
    )
    rows = np.arange(len(distances))
    onward = (rows == layout.leaving[at]) | (layout.kinds == FS)
    own = np.where(layout.kinds == BS, 0.0, between(rows, back_row[at], onward))
    return _carried(reduction, closure, through, own)


def worked_by(reduction: Reduction, closure: Closure, booked: Floats, c: Floats, distances: Floats) -> Floats:
    """Return what collimation errors that stay in the readings do to each height (n,) [m]: c·ΣΔD along its way, spread with the misclosure.

    It is one error for all sights of an instrument: what balanced sights cancel is not counted, and a sight of unknown
    length adds nothing (see `collimation_bound`).

    Parameters
    ----------
    reduction : Reduction
    closure : Closure
    booked : float array (n,)
        Readings as booked [m].
    c : float array (n,)
        Collimation error of what took each sight [rad].
    distances : float array (n,)
        [m], nan where unknown.
    """
    layout = reduction.layout
    moved = reduce(layout, booked + c * np.nan_to_num(distances)).heights
    change = moved - reduce(layout, booked).heights
    if closure.spread and closure.row >= 0:
        share, parent = np.asarray(closure.share), np.asarray(layout.parent)
        before = np.where(parent >= 0, share[np.maximum(parent, 0)], 0.0)
        share = np.where(layout.kinds == BS, before[layout.setup], share[layout.setup])
        change = change - share * change[closure.row]
    return np.asarray(np.nan_to_num(change))


def axis_bound(
    reduction: Reduction, closure: Closure, axis: Floats, distances: Floats, reach: Floats
) -> Floats:
    """Return how far a light plane that is off level may put each height out (n,) [m]: a bound.

    Two sights of a set-up may lie on opposite sides of the laser, so that its tilt counts over both their lengths; which
    way it tips at the next set-up nobody knows, so they add in proportion.

    Parameters
    ----------
    reduction : Reduction
    closure : Closure
    axis : float array (n,)
        How far the plane may be off level for what took each sight [rad], not negative.
    distances, reach : float array (n,)
        [m]; `reach` stands in for a distance that is nan.
    """
    layout = reduction.layout
    if not layout.setups:
        return np.empty(0)
    far = axis * np.where(np.isnan(distances), reach, distances)
    backs, leaving = np.maximum(layout.backs, 0), np.maximum(layout.leaving, 0)
    through = np.where((layout.leaving >= 0) & (layout.backs >= 0), far[leaving] + far[backs], 0.0)
    own = np.where(layout.kinds == BS, 0.0, far + far[backs][layout.setup])
    return _carried(reduction, closure, through, own)


def _carried(reduction: Reduction, closure: Closure, through: Floats, own: Floats) -> Floats:
    """Return the bound at each sight (n,) [m]: what the set-ups on its way add, each `through` (m,), and its `own` (n,) [m].

    Spreading takes its share, at the worst.
    """
    layout = reduction.layout
    at = layout.setup
    rows = np.arange(len(own))
    is_back, is_leaving = layout.kinds == BS, rows == layout.leaving[at]
    done = layout.along(through, np.zeros(layout.setups).tolist())
    before = done - through
    bound = before[at] + own
    if closure.spread:
        whole = float(done[closure.path[-1]])
        parent = np.asarray(layout.parent)
        share_before = np.where(parent >= 0, closure.share[np.maximum(parent, 0)], 0.0)
        a = np.where(is_back, share_before[at], closure.share[at])
        on_way = np.isin(at, closure.path)
        passed = np.where(is_leaving, done[at], before[at])
        spread = passed * (1 - a) + np.maximum(whole - passed, 0.0) * a + np.where(is_leaving, 0.0, own)
        bound = np.where(on_way, spread, bound)
    return np.asarray(bound)


def student_k(repeats: int) -> float:
    """Return k [1] for U = k·u: t₀.₉₇₅(n − 1) where u rests on n repeats, else 2 (conventions)."""
    if repeats < 2:
        return 2.0
    from scipy.special import stdtrit

    return float(stdtrit(repeats - 1, 0.975))


def rectangular(half_width: float) -> float:
    """Return the standard uncertainty of a value known only to lie within ± half_width, in its unit [any]: half_width/√3."""
    return half_width / math.sqrt(3)
