"""Which leaves go where: the guard that they are planned within, and one choice for all points from the one stock.

Source: what is planned within max(t − U, t/4) can also be proved within tolerance t; integer programming for the rest.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.moving.holding import reserved
from vivid_keel.core.moving.plan import leaf_key
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stacks import Packing, Room, ample_stock, choose_leaves, leaves_needed, shopping
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

FINEST = 10.0
"""The finest fit is the tolerance divided by this [1]: below it leaves are saved."""
LEAST_GUARD = 4.0
"""The guard is never less than the tolerance divided by this [1], however large U is."""
DEEPER = 8
"""How many leaves more in a stack are looked at where the most allowed doesn't reach [1]."""


def guard(result: Moved) -> float:
    """Return how near the target the packing is planned [m]: what is planned within it can also be proved within tolerance.

    Source: g = max(t − U, t/4) with U of the as-left reading; the finest fit is t/10.
    """
    tolerance = result.book.limits.tolerance
    if result.book.limits.finest:
        return tolerance / FINEST
    return max(tolerance - 2 * float(np.nanmax(result.u_left, initial=0.0)), tolerance / LEAST_GUARD)


def rooms(result: Moved, points: Sequence[int] | None = None, changed: Collection[int] = ()) -> Room | None:
    """Return what each of the points to be packed allows; None where all allow alike.

    What was put in at earlier stages counts in its stack, unless it is changed for another.
    """
    book = result.book
    most, stage = [], []
    for i in result.to_pack if points is None else points:
        put = book.booked.get(book.points[i].id)
        stays = put is not None and result.lifts[i] >= 0 and i not in changed
        lying = put.leaves - len(put.for_now) if put is not None and stays else 0
        most.append(book.limits.most_leaves - lying)
        per = result.per_stage(i)
        stage.append(per if result.lifts[i] > per + EQUAL else np.inf)
    if min(most, default=0) == book.limits.most_leaves and np.isinf(stage).all():
        return None
    return Room(np.array(most, dtype=int), np.array(stage))


def pack(
    result: Moved,
    seconds_left: Callable[[], float] = lambda: 20.0,
    better: Callable[[Packing], None] = lambda packing: None,
) -> Packing | None:
    """Choose leaves for every point to be moved, or None where there is nothing to choose from.

    What stands of an issued plan keeps its leaves; the rest is chosen from what that leaves in the stock. Where the stock
    leaves a point out of tolerance, what to buy is worked out too: every residual within the guard, with more leaves in a
    stack than are allowed where no number would do otherwise.
    """
    book = result.book
    if not len(result.to_pack) or not book.stock:
        return None
    keeps = reserved(result.held)
    stock = {leaf.thickness: max(leaf.count - keeps[leaf_key(leaf.thickness)], 0) for leaf in book.stock}
    free = [i for i in result.to_pack if i not in result.held]
    changed = [i for i in free if _wants_changing(result, i, stock)]
    for i in changed:
        for leaf in result.lying(i):
            stock[leaf] += 1
    leaves, counts = list(stock), list(stock.values())
    wanted = np.array([float(result.lifts[i]) if i in changed else result.wanted_at(i) for i in free])
    gap, most, tolerance = result.learned.interface, book.limits.most_leaves, book.limits.tolerance
    within = guard(result)
    found = _chosen(
        wanted,
        leaves,
        counts,
        gap,
        most,
        seconds_left,
        better,
        within,
        rooms(result, free, changed),
        tolerance,
    )
    merged = _with_what_stands(result, found, free, changed)
    if merged.greatest_residual <= tolerance:
        return merged
    if found.greatest_residual <= tolerance and book.plan is not None:
        return replace(merged, to_buy=_as_it_was_told(result), deeper=book.plan.deeper)
    if len(free) < len(result.to_pack):
        wanted = np.array([result.wanted_at(i) for i in result.to_pack])
        counts = [leaf.count for leaf in book.stock]
        leaves = [leaf.thickness for leaf in book.stock]
    can = wanted >= -within  # no leaf cures what would have to come down further than its packing
    buy = shopping(wanted[can], within, leaves, counts, gap, most, seconds_left)
    if buy is not None:
        return replace(merged, to_buy=buy)
    deeper = leaves_needed(wanted[can], within, leaves, gap, most + DEEPER) if can.any() else None
    if deeper is not None:
        buy = shopping(wanted[can], within, leaves, counts, gap, deeper, seconds_left)
    return replace(merged, to_buy=buy, deeper=deeper)


def _with_what_stands(result: Moved, found: Packing, free: list[int], changed: list[int]) -> Packing:
    """Return what was chosen for the points that are `free` together with the leaves of those whose plan stands."""
    if len(free) == len(result.to_pack) and not changed:
        return found
    plan, points = result.book.plan, result.book.points
    told_aside = plan.aside if plan is not None else frozenset()
    stand = [i for i in result.to_pack if i not in free and points[i].id in told_aside]
    chosen = dict(zip(free, found.stacks, strict=True))
    places = {i: k for k, i in enumerate(result.to_pack)}
    stacks = [chosen[i] if i in chosen else result.stack(i) or () for i in result.to_pack]
    over = dict(zip(free, found.residuals.tolist(), strict=True))
    residuals = np.array([over[i] if i in over else result.left_over(i) for i in result.to_pack])
    greatest = float(np.abs(residuals).max())
    return replace(
        found,
        stacks=stacks,
        residuals=residuals,
        greatest_residual=greatest,
        leaves=sum(map(len, stacks)),
        bound=min(found.bound, greatest) if free else greatest,
        aside=(*(places[free[k]] for k in found.aside), *(places[i] for i in stand)),
        changed=tuple(places[i] for i in changed),
    )


def _as_it_was_told(result: Moved) -> tuple[tuple[float, int], ...] | None:
    """Return what the stock lacked when the plan that stands was issued."""
    book = result.book
    if book.plan is None or book.plan.to_buy is None:
        return None
    thick = {leaf_key(leaf.thickness): leaf.thickness for leaf in book.stock}
    return tuple((thick[key], count) for key, count in book.plan.to_buy.items() if key in thick)


def _wants_changing(result: Moved, i: int, stock: Mapping[float, int]) -> bool:
    """Whether no leaf goes in any more beside those that lie at a point, and others in their place would bring it in."""
    lying, lift = result.lying(i), float(result.lifts[i])
    book = result.book
    if not lying or lift < 0 or i in result.broken:
        return False
    gap, t, most = result.learned.interface, book.limits.tolerance, book.limits.most_leaves

    def alone(wanted: float, more: Sequence[float], room: int) -> float:
        counts = [count + more.count(leaf) for leaf, count in stock.items()]
        asked = (np.array([wanted]), list(stock), counts, gap, room)
        best = ample_stock(*asked) if room > 0 else None
        return abs(wanted) if best is None else best.greatest_residual

    begun = result.begun(i)
    held = begun.for_now if begun is not None else ()
    beside = alone(float(result.wanted_at(i)), held, most - len(lying))
    return beside > t + EQUAL and alone(lift, (*held, *lying), most) <= t + EQUAL


REMEMBERED = 32
"""So many proven choices are kept: what was undone or is looked at again has its leaves at once."""
_proven: dict[tuple[object, ...], Packing] = {}


def _chosen(
    wanted: Floats,
    leaves: list[float],
    counts: list[int],
    interface: float,
    most: int,
    seconds_left: Callable[[], float],
    better: Callable[[Packing], None],
    within: float,
    room: Room | None,
    tolerance: float,
) -> Packing:
    """Return the choice of leaves, at once where the very same was asked before and proven then."""
    limits = None if room is None else (room.most.tobytes(), room.stage.tobytes())
    asked = (wanted.tobytes(), tuple(leaves), tuple(counts), interface, most, within, limits, tolerance)
    if (known := _proven.get(asked)) is not None:
        return known
    found = choose_leaves(
        wanted, leaves, counts, interface, most, seconds_left, better, within, room, tolerance
    )
    if found.proven:
        found.residuals.flags.writeable = False
        while len(_proven) >= REMEMBERED:
            _proven.pop(next(iter(_proven)), None)
        _proven[asked] = found
    return found


def leaves_in_words(result: Moved) -> str:
    """Return what a target takes from the stock, told at once: a count, "short" where leaves run out or don't reach, or "".

    "scarce" where supports compete for the same leaves, and only the whole choice can tell.
    """
    book = result.book
    if not result.to_pack or not book.stock:
        return ""
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    gap, most, tolerance = result.learned.interface, book.limits.most_leaves, book.limits.tolerance
    found = ample_stock(result.wanted, leaves, counts, gap, most, guard(result), rooms(result), tolerance)
    if found is None:
        return "scarce"
    return "short" if found.aside else str(found.leaves)
