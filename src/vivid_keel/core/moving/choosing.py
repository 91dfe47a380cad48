"""Which leaves go where: the guard that they are planned within, and one choice for all points from the one stock.

Source: what is planned within max(t − U, t/4) can also be proved within tolerance t; integer programming for the rest.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

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


def rooms(result: Moved) -> Room | None:
    """Return what each point to be packed allows; None where all allow alike.

    What was put in at earlier stages counts in its stack.
    """
    book = result.book
    most, stage = [], []
    for i in result.to_pack:
        put = book.booked.get(book.points[i].id)
        lying = 0 if put is None or result.lifts[i] < 0 else put.leaves - len(put.for_now)
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

    Where the stock leaves a point out of tolerance, what to buy is worked out too: every residual within
    the guard, with more leaves in a stack than are allowed where no number would do otherwise.
    """
    book = result.book
    if not len(result.to_pack) or not book.stock:
        return None
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    gap, most, tolerance = result.learned.interface, book.limits.most_leaves, book.limits.tolerance
    within = guard(result)
    found = _chosen(
        result.wanted, leaves, counts, gap, most, seconds_left, better, within, rooms(result), tolerance
    )
    if found.greatest_residual <= tolerance:
        return found
    can = result.wanted >= -within  # no leaf cures what would have to come down further than its packing
    buy = shopping(result.wanted[can], within, leaves, counts, gap, most, seconds_left)
    if buy is not None:
        return replace(found, to_buy=buy)
    deeper = leaves_needed(result.wanted[can], within, leaves, gap, most + DEEPER) if can.any() else None
    if deeper is not None:
        buy = shopping(result.wanted[can], within, leaves, counts, gap, deeper, seconds_left)
    return replace(found, to_buy=buy, deeper=deeper)


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
