"""Packing leaves for all points together, from one finite stock.

Source: choosing leaves from a stock is an integer linear programme, solved with a proven bound (SciPy, HiGHS).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.programme import (
    SLACK,
    UNIT,
    Bounds,
    Level,
    Programme,
    Tie,
    all_stacks,
    reachable,
)
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Room(Struct, frozen=True):
    """What each of n points allows: so many leaves `most` (n,) [1]; `stage` (n,) is what one stage lifts it [m]: a leaf thicker
    than that is held up by others first."""

    most: npt.NDArray[np.int_]
    stage: Floats


class Packing(Struct, frozen=True):
    """Leaves for n points.

    Attributes
    ----------
    stacks : list of tuple of float
        Leaves of each point, thick first [m].
    residuals : float array (n,)
        Achieved − wanted [m]; achieved = Σ leaves − interface × leaves.
    greatest_residual : float
        [m]
    leaves : int
        In all.
    proven : bool
        Whether no better choice exists; False when the time ran out first.
    bound : float
        No choice has a smaller greatest residual than this [m].
    to_buy : tuple of (thickness [m], count), or None
        What the stock lacks to bring every point within its tolerance; empty where it lacks nothing, None
        where no number of these thicknesses would.
    deeper : int or None
        Leaves in one stack that `to_buy` takes for granted, where the most allowed does not reach.
    aside : tuple of int
        The points (indices) that the whole stock, all for itself, can't bring in: served last.
    changed : tuple of int
        The points (indices) whose leaves of this round come out for the stack chosen.
    """

    stacks: list[tuple[float, ...]]
    residuals: Floats
    greatest_residual: float
    leaves: int
    proven: bool
    bound: float
    to_buy: tuple[tuple[float, int], ...] | None = ()
    deeper: int | None = None
    aside: tuple[int, ...] = ()
    changed: tuple[int, ...] = ()

    def by_thickness(self) -> dict[float, int]:
        """Return how many leaves of each thickness [m] it takes, thick first."""
        counted = Counter(t for stack in self.stacks for t in stack)
        return dict(sorted(counted.items(), reverse=True))


def choose_leaves(
    wanted: Floats,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
    seconds_left: Callable[[], float] = lambda: 20.0,
    better: Callable[[Packing], None] = lambda packing: None,
    tolerance: float | None = None,
    room: Room | None = None,
    reach: float | None = None,
    *,
    alike: bool = False,
) -> Packing:
    """Choose leaves for every point: least greatest |residual| first, then fewest leaves in all.

    With a tolerance every |residual| within it counts as it. Points that the whole stock, all for itself, can't bring
    within `reach` are set aside. For the others the residuals are made least from the worst down (the worst, then the
    next worst, …), then the fewest leaves are taken, then those with the fewest handlings; what is left of the stock
    serves the points set aside.

    Bisection over the greatest residual, each step an integer programme "fewest leaves within it";
    it starts at the bound that each point alone allows, which ample stock meets at once.

    Parameters
    ----------
    wanted : float array (n,)
        Thickness wanted at each point [m]; below 0 counts as a residual no leaf can cure.
    leaves : sequence of float, length k
        Thicknesses in stock [m].
    counts : sequence of int, length k
        How many of each.
    interface : float
        How much each leaf's interface closes under load [m].
    most_leaves : int, optional
        In one stack.
    seconds_left : callable
        Returns the time that may still be spent [s]; at 0 the best found so far is returned with
        `proven` False. The core has no clock of its own: the caller brings one.
    better : callable
        Is told every choice that is better than the one before, while the search goes on.
    tolerance : float, optional
        Within it a residual is as good as none [m].
    room : Room, optional
        What each point by itself allows, beside `most_leaves`.
    reach : float, optional
        A point that can be brought so near isn't set aside [m]; the tolerance where nothing is given.
    alike : bool
        Whether the points set aside may choose among the choices that are equally good for the others. Otherwise
        the others are planned as if those set aside weren't there.

    Raises
    ------
    KeelError
        `bad-value`: a tolerance below 0.
    """
    if tolerance is not None and tolerance < 0:
        raise KeelError("bad-value", "a tolerance is 0 or more")
    n = len(wanted)
    thickness, count = _useful(wanted, *_merge(leaves, counts), interface)
    if n == 0 or len(thickness) == 0 or not count.sum():
        return _packing(wanted, thickness, np.zeros((n, len(thickness)), dtype=int), interface, True, None)
    reach = tolerance if reach is None or tolerance is None else max(reach, tolerance)
    ample = ample_stock(wanted, leaves, counts, interface, most_leaves, tolerance, room, reach)
    if ample is not None:
        return ample
    bounds = _bounds(n, count, most_leaves, room)
    tie = None if tolerance is None else Tie(np.full(n, np.inf) if room is None else room.stage)
    programme = Programme(wanted, thickness, count, interface, bounds, seconds_left, tie)

    def packing(x: npt.NDArray[np.int_], proven: bool, bound: float) -> Packing:
        return _packing(wanted, thickness, x, interface, proven, bound)

    alone = programme.alone()
    aside = np.zeros(n, dtype=bool) if reach is None else alone > reach + EQUAL
    if tolerance is not None and aside.any() and not aside.all():

        def part(some: npt.NDArray[np.bool_], stock: npt.NDArray[np.int_]) -> Packing:
            own = None if room is None else Room(room.most[some], room.stage[some])
            return choose_leaves(
                wanted[some],
                thickness.tolist(),
                stock.tolist(),
                interface,
                most_leaves,
                seconds_left,
                better,
                tolerance,
                own,
                reach,
            )

        first = part(~aside, count)
        taken = np.array([first.by_thickness().get(t, 0) for t in thickness.tolist()], dtype=int)
        last = part(aside, count - taken)
        x = np.zeros((n, len(thickness)), dtype=int)
        x[~aside], x[aside] = _counted(first.stacks, thickness), _counted(last.stacks, thickness)
        proven = first.proven and last.proven
        if alike and programme.listed:
            x, proven = _among_alike(programme, x, aside, alone, tolerance)
        return replace(packing(x, proven, float(alone.max())), aside=tuple(np.flatnonzero(aside).tolist()))
    low = float(alone.max())
    # What each could have alone no choice betters: where the stock gives that to all, that is it.
    best = programme.fewest(low if tolerance is None else np.maximum(alone, tolerance))
    if best is not None:
        return packing(best, programme.proven, low)
    bare = np.zeros((n, len(thickness)), dtype=int)  # leaving everything bare is always possible
    bound, high, chosen = programme.least_greatest(low, bare, better=lambda x: better(packing(x, False, low)))
    if not programme.time_left:
        return packing(chosen, False, bound)
    if tolerance is None:
        settled = programme.fewest(high)
        return packing(
            chosen if settled is None else settled, programme.proven and settled is not None, bound
        )
    found = packing(*_from_the_worst_down(programme, high, chosen, alone, tolerance), bound)
    return replace(found, aside=tuple(np.flatnonzero(aside).tolist()))


def _counted(stacks: Sequence[tuple[float, ...]], thickness: Floats) -> npt.NDArray[np.int_]:
    """How many leaves of each thickness (k,) [m] the stacks hold (n, k) [1]."""
    return np.array([[stack.count(t) for t in thickness.tolist()] for stack in stacks], dtype=int)


def _among_alike(
    programme: Programme,
    chosen: npt.NDArray[np.int_],
    aside: npt.NDArray[np.bool_],
    alone: Floats,
    tolerance: float,
) -> tuple[npt.NDArray[np.int_], bool]:
    """Return the choice (n, k) that serves the points set aside best among those that are equally good for the others, and whether
    that is proven."""
    programme.group = aside.astype(int)
    programme.active, programme.settled, programme.budget = 1, tolerance, max(int(chosen[~aside].sum()), 1)
    others = np.sort(programme.residuals(chosen)[~aside])[::-1]
    levels: list[Level] = []
    for residual in others[others > tolerance + EQUAL].tolist():
        if levels and levels[-1].residual - residual < GRAIN:
            levels[-1] = levels[-1]._replace(points=levels[-1].points + 1)
        else:
            levels.append(Level(residual, 1))
    _, worst, chosen = programme.least_greatest(float(alone[aside].max()), chosen, levels)
    if not programme.time_left:
        return chosen, False
    return _from_the_worst_down(programme, worst, chosen, alone[aside], tolerance, levels)


WORST_DOWN = 6.0
"""How long the residuals below the greatest are bettered [s]."""
GRAIN = 1e-7
"""Residuals nearer than this count as the same [m]."""


def _from_the_worst_down(
    programme: Programme,
    worst: float,
    chosen: npt.NDArray[np.int_],
    alone: Floats,
    tolerance: float,
    settled_levels: Sequence[Level] = (),
) -> tuple[npt.NDArray[np.int_], bool]:
    """Return the choice (n, k) with residuals least from the worst down, then the fewest leaves, and whether that is proven.

    Level by level: the least that the worst can be, the fewest points that have to be as bad, and so on with the
    others, until those are within tolerance. If time runs out, the best so far.
    """
    levels = list(settled_levels)
    by_need, done = np.sort(alone)[::-1], 0
    programme.spend(WORST_DOWN)
    while worst > tolerance + EQUAL:
        count = programme.least_beyond(worst - GRAIN, worst, levels)
        if count is None or not programme.time_left:
            return chosen, False
        levels.append(Level(worst, count, programme.active))
        done += count
        if done >= len(alone):
            break
        within = programme.fewest(tolerance, levels)
        if within is not None:
            return within, programme.proven
        if not programme.ruled_out:
            return chosen, False
        start = programme.fewest(levels[-1].residual - GRAIN, levels, any_will_do=True)
        low = max(float(by_need[done]), tolerance)
        _, worst, chosen = programme.least_greatest(low, chosen if start is None else start, levels)
        if not programme.time_left:
            return chosen, False
    settled = programme.fewest(tolerance, levels)
    return (chosen, False) if settled is None else (settled, programme.proven)


def ample_stock(
    wanted: Floats,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
    tolerance: float | None = None,
    room: Room | None = None,
    reach: float | None = None,
) -> Packing | None:
    """Return the best choice where every point can have its own best stack, at once; None where they compete for leaves.

    wanted (n,), leaves, interface, tolerance, room and reach are in metres [m], as of `choose_leaves`.
    """
    thickness, count = _useful(wanted, *_merge(leaves, counts), interface)
    if not len(wanted) or not count.sum():
        return None
    stage = np.full(len(wanted), np.inf) if room is None else room.stage
    bounds = _bounds(len(wanted), count, most_leaves, room)
    x = _each_alone(wanted, thickness, interface, count, bounds, tolerance, stage)
    if x is None:
        return None
    found = _packing(wanted, thickness, x, interface, True, None)
    if tolerance is None:
        return found
    beyond = np.abs(found.residuals) > max(tolerance, reach or 0.0) + EQUAL
    return replace(found, aside=tuple(np.flatnonzero(beyond).tolist()))


def shopping(
    wanted: Floats,
    within: float,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
    seconds_left: Callable[[], float] = lambda: 5.0,
) -> tuple[tuple[float, int], ...] | None:
    """Return the fewest leaves to buy, of thicknesses in stock, that bring every point within a bound.

    Parameters
    ----------
    wanted : float array (n,)
        Thickness wanted at each point [m].
    interface : float
        What each interface closes [m].
    within : float
        Greatest |residual| allowed [m].

    Returns
    -------
    tuple of (thickness [m], count), thick first, or None where no number of them would do (or the time ran out).
    """
    from scipy.optimize import Bounds as Between
    from scipy.optimize import LinearConstraint, milp
    from scipy.sparse import csr_array, hstack, identity, kron

    thickness, count = _merge(leaves, counts, empty=True)
    n, k = len(wanted), len(thickness)
    if not n or not k:
        return None
    most = int(count.sum()) + 8 * n if most_leaves is None else most_leaves
    net = thickness - interface
    bare = csr_array((n, k))
    reach = hstack([kron(identity(n), csr_array(net[None, :] / UNIT)), bare], format="csr")
    stock = hstack([*[identity(k)] * n, -identity(k)], format="csr")
    each = hstack([kron(identity(n), csr_array(np.ones((1, k)))), bare], format="csr")
    middle, half = wanted / UNIT, within / UNIT + SLACK
    rules = [
        LinearConstraint(reach, middle - half, middle + half),
        LinearConstraint(stock, -np.inf, count),
        LinearConstraint(each, 0, most),
    ]
    cost = np.concatenate([np.full(n * k, 1e-3), np.ones(k)])
    upper = np.concatenate([np.full(n * k, float(most)), np.full(k, float(n * most))])
    found = milp(
        cost,
        constraints=rules,
        bounds=Between(0, upper),
        integrality=np.ones(len(cost)),
        options={"time_limit": max(min(seconds_left(), 5.0), 0.05)},
    )
    if found.x is None:
        return None
    buy = np.rint(found.x[n * k :]).astype(int)
    return tuple((float(t), int(b)) for t, b in zip(thickness, buy, strict=True) if b > 0)


def leaves_needed(
    wanted: Floats, within: float, leaves: Sequence[float], interface: float, most: int
) -> int | None:
    """Return how many leaves in one stack reach every point, were there leaves enough; None where no more than `most` would.

    wanted (n,), within, leaves and interface are in metres [m].
    """
    thickness, _ = _merge(leaves, [1] * len(leaves))
    net = thickness - interface
    for deep in range(1, most + 1):
        sums = reachable(net, np.full(len(net), deep), deep, float(wanted.max()))
        if sums is None:
            return None
        at = np.searchsorted(sums, wanted)
        near = np.minimum(
            np.abs(sums[np.maximum(at - 1, 0)] - wanted), np.abs(sums[np.minimum(at, len(sums) - 1)] - wanted)
        )
        if (near <= within + EQUAL).all():
            return deep
    return None


def _bounds(n: int, count: npt.NDArray[np.int_], most: int | None, room: Room | None) -> Bounds:
    """Return what each of n points allows of leaves of which there are so many (k,) [1]."""
    allowed = np.full(n, int(count.sum()) if most is None else most)
    upper = np.tile(count, (n, 1))
    if room is not None:
        allowed = np.minimum(allowed, room.most)
    return Bounds(np.maximum(allowed, 0), np.minimum(upper, np.maximum(allowed, 0)[:, None]))


def _each_alone(
    wanted: Floats,
    thickness: Floats,
    interface: float,
    count: npt.NDArray[np.int_],
    bounds: Bounds,
    tolerance: float | None,
    stage: Floats,
) -> npt.NDArray[np.int_] | None:
    """Return the optimum where every point can have its own best stack from the one stock, else None.

    The greatest residual can't be less than that of the point worst served by the whole stock, and no
    point can do with fewer leaves within it: where these choices fit the stock together, nothing is better.
    With a tolerance each point goes by its own best, or the tolerance where that is more. Of equally few leaves those
    are taken that need the fewest handlings, then those that come nearest.
    """
    net = thickness - interface
    alike = []
    for upper, most, points in bounds.alike():
        stacks = all_stacks(upper, most)
        if stacks is None:
            return None
        sums = stacks @ net
        by_sum = np.argsort(sums, kind="stable")
        alike.append((points, stacks[by_sum], sums[by_sum]))
    best = np.zeros(len(wanted))
    for points, _, sums in alike:
        at = np.searchsorted(sums, wanted[points])
        below, above = sums[np.maximum(at - 1, 0)], sums[np.minimum(at, len(sums) - 1)]
        best[points] = np.minimum(np.abs(below - wanted[points]), np.abs(above - wanted[points]))
    low = np.full(len(wanted), best.max()) if tolerance is None else np.maximum(best, tolerance)
    out = np.zeros((len(wanted), len(net)), dtype=int)
    for points, stacks, sums in alike:
        first = np.searchsorted(sums, wanted[points] - low[points] - EQUAL / 10)
        last = np.searchsorted(sums, wanted[points] + low[points] + EQUAL / 10, side="right")
        leaves = stacks.sum(axis=1)
        for i, a, b in zip(points.tolist(), first.tolist(), last.tolist(), strict=True):
            near = np.arange(a, b)
            fewest = near[leaves[near] == leaves[near].min()]
            if np.isfinite(stage[i]):
                held = stacks[fewest] @ (thickness > stage[i] + EQUAL)
                fewest = fewest[held == held.min()]
            out[i] = stacks[fewest[int(np.argmin(np.abs(sums[fewest] - wanted[i])))]]
    return out if (out.sum(axis=0) <= count).all() else None


def _useful(
    wanted: Floats, thickness: Floats, count: npt.NDArray[np.int_], interface: float
) -> tuple[Floats, npt.NDArray[np.int_]]:
    """Return the stock without the leaves that no choice takes: a stack has no more of one thickness than reach beyond what is wanted."""
    if not len(wanted) or not len(thickness):
        return thickness, count
    net = np.maximum(thickness - interface, 1e-7)
    per_point = np.floor(np.maximum(wanted, 0.0)[:, None] / net[None, :]) + 1
    return thickness, np.minimum(count, per_point.sum(axis=0)).astype(int)


def _merge(
    leaves: Sequence[float], counts: Sequence[int], *, empty: bool = False
) -> tuple[Floats, npt.NDArray[np.int_]]:
    """Thicknesses in stock, thick first, equal ones together; with `empty` those that are used up too."""
    have: dict[float, int] = {}
    for leaf, count in zip(leaves, counts, strict=True):
        key = next((t for t in have if abs(t - leaf) <= EQUAL), leaf)
        have[key] = have.get(key, 0) + count
    order = sorted((t for t, c in have.items() if c > 0 or empty), reverse=True)
    return np.array(order), np.array([have[t] for t in order], dtype=int)


def _packing(
    wanted: Floats,
    thickness: Floats,
    x: npt.NDArray[np.int_],
    interface: float,
    proven: bool,
    bound: float | None,
) -> Packing:
    stacks = [
        tuple(float(t) for t, c in zip(thickness, row, strict=True) for _ in range(int(c))) for row in x
    ]
    achieved = np.array([sum(stack) - interface * len(stack) for stack in stacks])
    residuals = achieved - wanted
    residuals[np.abs(residuals) < 1e-12] = 0.0
    greatest = float(np.abs(residuals).max()) if len(residuals) else 0.0
    return Packing(
        stacks, residuals, greatest, int(x.sum()), proven, greatest if bound is None else min(bound, greatest)
    )
