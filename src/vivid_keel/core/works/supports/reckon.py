"""From readings to moves: the target at every support, what is to be done there, and what that is worth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.means import LEAVES, instruct
from vivid_keel.core.levelling.proof import PROVEN_IN, judge
from vivid_keel.core.levelling.rounds import order, three_feet
from vivid_keel.core.levelling.scale import signs
from vivid_keel.core.levelling.stacks import Packing, choose_leaves, shopping
from vivid_keel.core.levelling.targets import Moves, Target, weight_rows, work_out
from vivid_keel.core.quantities import EQUAL
from vivid_keel.core.works.supports.book import FOUND, LEFT, LOWER, RAISE, PointRow, SupportsBook, TargetChoice
from vivid_keel.core.works.supports.line import collimation_left, line_error, u_of
from vivid_keel.core.works.supports.passes import Learned, learn
from vivid_keel.core.works.supports.result import SupportsResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BOTH_LINES = 2.0
"""The watch mark read twice ties two lines together: two more readings in an as-left deviation."""


def work_out_supports(
    book: SupportsBook, packing: Packing | None = None, target: TargetChoice | None = None, learned: Learned | None = None
) -> SupportsResult:
    """Compute a supports work.

    Parameters
    ----------
    book : SupportsBook
    packing : Packing, optional
        Chosen for the same `to_move` (see `pack`).
    target : TargetChoice, optional
        In place of the recorded one, while the line is being dragged.
    learned : Learned, optional
        What the finished rounds of this very book taught, where it is known already.
    """
    if target is not None:
        book = replace(book, target=target)
    points = book.points
    n = len(points)
    sign = signs([p.sense for p in points])
    found = np.array([p.found.value if p.found else np.nan for p in points], dtype=np.float64)
    left = np.array([p.left.value if p.left else np.nan for p in points], dtype=np.float64)
    shift = _line_shift(book)
    bent, bent_left = line_error(book), line_error(book, LEFT)
    heights, left_heights = sign * found + bent, shift + sign * left + bent_left
    has = ~np.isnan(heights)
    u, u_again = u_of(book, FOUND), u_of(book, LEFT)
    u_one = float(u.max()) if n else 0.0
    moves, u_dev, u_left, own = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan), np.zeros(n)
    level, trouble = float("nan"), None
    targets = np.full(n, np.nan)
    names = [p.name for p, h in zip(points, has, strict=True) if h]
    share = book.limits.share
    # What is to keep some of an old sag keeps it of the sag as it was before any round. Whole targets are taken
    # from what stands now: a post that came up with its neighbours and can't go down is the highest from then on.
    from_first = share < 1 and bool(book.passes)
    try:
        engine = _engine_target(book)
        xy = np.array([(p.x, p.y) for p, h in zip(points, has, strict=True) if h], dtype=np.float64)
        drawn = np.array([p.wanted for p, h in zip(points, has, strict=True) if h]) if book.target.kind == "given" else 0.0
        base = _first_heights(book, sign, bent)[has] if from_first else heights[has]
        worked: Moves = work_out(names, base - drawn, engine, xy)
        goal = base + share * (worked.target + drawn + book.target.lift - base)
        moves[has], targets[has] = goal - heights[has], goal
        moves[np.abs(moves) < 1e-12] = 0.0
        level = float(np.mean(worked.target)) + book.target.lift
        w = weight_rows(names, base - drawn, engine, xy)
        if not target_is_plane(book) and share == 1:
            own[has] = w[0]
            targets[:] = level  # a level line stands under a point that wasn't read, too
        # u² of (e_i − w_i)·h: u_i²·(1 − 2·w_ii) + Σ w_ij²·u_j²; readings of another round share nothing with these.
        if share < 1:
            w = share * w + (1 - share) * np.eye(len(w))
        carried = (w**2) @ (u[has] ** 2)
        shared = 0.0 if from_first else 2 * np.diag(w)
        tied = BOTH_LINES * u[has] ** 2 if from_first and FOUND in book.reference else 0.0
        u_dev[has] = np.sqrt(np.maximum(u[has] ** 2 * (1 - shared) + carried + tied, 0.0))
        whole = np.full(n, float(carried.max()))
        whole[has] = carried
        if (own_error := collimation_left(book)) > 0:
            u_dev[has] = np.where(u_dev[has] > 0, np.hypot(u_dev[has], own_error), 0.0)
        both = BOTH_LINES if {FOUND, LEFT} <= book.reference.keys() else 0.0
        u_left[:] = np.sqrt(u_again**2 * (1.0 + both) + whole)
    except KeelError as error:
        trouble = error
    tolerance = book.limits.tolerance
    verdicts = [
        judge(m, 2 * s, tolerance) if m == m else "" for m, s in zip(moves.tolist(), u_dev.tolist(), strict=True)
    ]
    deviations = (left_heights - targets).tolist()
    left_verdicts = [
        judge(d, 2 * s, tolerance) if d == d else "" for d, s in zip(deviations, u_left.tolist(), strict=True)
    ]
    to_move = order_of_work(book, moves, verdicts)
    broken = [i for i in to_move if _breaks(book, float(moves[i]))]
    learned = learned or learn(book, u_one)
    lifts = moves.copy()
    if learned.response is not None and to_move:
        asked = np.where(np.isin(np.arange(n), to_move), moves, np.where(np.isnan(moves), np.nan, 0.0))
        there = np.array([p.stack for p in points]) if book.means.kind == LEAVES else None
        only_up = book.limits.ways == RAISE
        lifts = np.where(np.isnan(moves), np.nan, learned.response.moves_for(asked, raise_only=only_up, most=there))
        lifts[[i for i in range(n) if i not in to_move and not np.isnan(moves[i])]] = 0.0
    wanted = np.array(
        [0.0 if i in broken else wanted_thickness(points[i], float(lifts[i])) for i in to_move], dtype=np.float64
    )
    told = {} if book.means.kind == LEAVES else {
        i: instruct(book.means, float(lifts[i]), points[i].travel) for i in to_move if i not in broken
    }  # fmt: skip
    if packing is not None and len(packing.stacks) != len(to_move):
        packing = None
    return SupportsResult(
        book, heights, left_heights, shift, level, moves, u_dev, u_left, verdicts, left_verdicts, to_move, wanted,
        packing, trouble, own, bent, targets, learned, lifts, broken, told, _feet(book),
    )  # fmt: skip


def order_of_work(book: SupportsBook, moves: Floats, verdicts: list[str]) -> list[int]:
    """Return the points to move in the order the work goes; what is proven in stays untouched."""
    need = np.array([m if v and v != PROVEN_IN else np.nan for m, v in zip(moves.tolist(), verdicts, strict=True)])
    if book.limits.order == "need":
        todo = np.flatnonzero(~np.isnan(need)).tolist()
        return sorted(todo, key=lambda i: (-abs(float(moves[i])), book.points[i].name))
    return order(need, np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2), book.limits.order)


def _feet(book: SupportsBook) -> tuple[int, ...]:
    if book.limits.order != "three" or not book.points:
        return ()
    return three_feet(np.array([(p.x, p.y) for p in book.points])) or ()


def _breaks(book: SupportsBook, move: float) -> bool:
    """Whether the limits rule out a move."""
    rule = book.limits
    if (rule.ways == RAISE and move < -EQUAL) or (rule.ways == LOWER and move > EQUAL):
        return True
    return abs(move) > rule.most + EQUAL


def _first_heights(book: SupportsBook, sign: Floats, bent: Floats) -> Floats:
    """Heights as they were before any round, on the line of this one (n,) [m]."""
    first = np.array([p.first.value if p.first else np.nan for p in book.points], dtype=np.float64)
    return np.asarray(sign * first + bent - book.line_moved)


def wanted_thickness(point: PointRow, move: float) -> float:
    """Return the packing wanted at a point [m].

    Upward it comes on top of what is there. Downward the old stack comes out and a thinner one goes
    in; where there is none, nothing can be taken out (the result is below 0: no leaf cures that).
    """
    return move if move >= 0 else point.stack + move


def pack(
    result: SupportsResult, seconds_left: Callable[[], float] = lambda: 20.0,
    better: Callable[[Packing], None] = lambda packing: None,
) -> Packing | None:  # fmt: skip
    """Choose leaves for every point to be moved, or None where there is nothing to choose from.

    Where the stock leaves a point out of tolerance, what to buy is worked out too: every residual within
    the tolerance less what an as-left reading is uncertain by (a quarter of it at least).
    """
    book = result.book
    if not len(result.to_move) or not book.stock or book.means.kind != LEAVES:
        return None
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    gap, most, tolerance = result.learned.interface, book.limits.most_leaves, book.limits.tolerance
    found = choose_leaves(result.wanted, leaves, counts, gap, most, seconds_left, better)
    if found.greatest_residual <= tolerance:
        return found
    within = max(tolerance - 2 * float(np.nanmax(result.u_left)), tolerance / 4)
    can = result.wanted >= -within  # no leaf cures what would have to come down further than its packing
    return replace(found, to_buy=shopping(result.wanted[can], within, leaves, counts, gap, most, seconds_left))


def target_is_plane(book: SupportsBook) -> bool:
    """Whether the supports are brought to a plane rather than a level line."""
    return book.target.plane


def _engine_target(book: SupportsBook) -> Target:
    choice = book.target
    if choice.kind == "keep":
        name = next((p.name for p in book.points if p.id == choice.point), "")
        return Target("keep", name=name)
    if choice.kind == "height":
        sense = book.limits.sense
        return Target("height", height=float(signs([sense])[0]) * choice.reading)
    if choice.kind == "fall":
        return Target("fall", gradient=choice.gradient)
    return Target("highest" if choice.kind == "given" else choice.kind)


def _line_shift(book: SupportsBook) -> float:
    """How much higher the as-left line is than the as-found one, by the scale standing on the watch mark [m]."""
    if {FOUND, LEFT} <= book.reference.keys():
        return book.reference[LEFT].value - book.reference[FOUND].value
    return 0.0


