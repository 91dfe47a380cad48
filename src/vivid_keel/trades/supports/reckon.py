"""From readings to moves: the target at every support, what is to be done there, and what that is worth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.means import LEAVES, instruct
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.moving.stacks import Packing, ample_stock, choose_leaves, shopping
from vivid_keel.core.moving.stages import order, three_feet
from vivid_keel.core.moving.targets import Moves, Target, weight_rows, work_out
from vivid_keel.core.proof import PROVEN_IN, judge_all
from vivid_keel.core.quantities import EQUAL
from vivid_keel.trades.supports.book import FOUND, LEFT, LOWER, RAISE, PointRow, SupportsBook, TargetChoice
from vivid_keel.trades.supports.line import collimation_left, line_error, u_of
from vivid_keel.trades.supports.passes import Learned, learn
from vivid_keel.trades.supports.result import SupportsResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BOTH_LINES = 2.0
"""The watch mark read twice ties two lines together: two more readings in an as-left deviation."""


@dataclass(frozen=True)
class Measured:
    """What was read and what it taught, whatever the target: arrays run over the points, nan where not read.

    Attributes
    ----------
    sign, found, left : float array (n,)
        Sense of the scale; heights as found and as left, on the line of the as-found readings [m].
    shift : float
        How much higher the as-left line is [m].
    bent : float array (n,)
        How much higher the line of sight is at each point, where that is taken out [m].
    u, u_again : float array (n,)
        Standard uncertainty of one reading, as found and as left [m].
    has : bool array (n,)
        Which were read; `names` and `xy` [m] are theirs.
    own_error, both : float
        What collimation leaves between the points [m]; readings that tie the two lines.
    rank : int array (n,)
        Order of the names.
    learned : Learned
    """

    sign: Floats
    found: Floats
    left: Floats
    shift: float
    bent: Floats
    u: Floats
    u_again: Floats
    has: npt.NDArray[np.bool_]
    names: list[str]
    xy: Floats
    own_error: float
    both: float
    rank: npt.NDArray[np.int_]
    learned: Learned


def measure(book: SupportsBook) -> Measured:
    """Return what the readings of a book say, whatever its target is."""
    points = book.points
    sign = signs([p.sense for p in points])
    on = float(book.use_staff)  # the scale's own foot makes every reading too long, hung or stood
    found = np.array([p.found.value - on * p.found.own if p.found else np.nan for p in points], dtype=np.float64)
    left = np.array([p.left.value - on * p.left.own if p.left else np.nan for p in points], dtype=np.float64)
    shift = _line_shift(book)
    bent, bent_left = line_error(book), line_error(book, LEFT)
    heights = sign * found + bent
    has = ~np.isnan(heights)
    u = u_of(book, FOUND)
    both = BOTH_LINES if {FOUND, LEFT} <= book.reference.keys() else 0.0
    rank = np.empty(len(points), dtype=int)
    rank[sorted(range(len(points)), key=lambda i: points[i].name)] = np.arange(len(points))
    return Measured(
        sign, heights, shift + sign * left + bent_left, shift, bent, u, u_of(book, LEFT), has,
        [p.name for p, h in zip(points, has, strict=True) if h],
        np.array([(p.x, p.y) for p, h in zip(points, has, strict=True) if h], dtype=np.float64).reshape(-1, 2),
        collimation_left(book), both, rank, learn(book, float(u.max()) if len(points) else 0.0),
    )  # fmt: skip


def work_out_supports(
    book: SupportsBook, packing: Packing | None = None, target: TargetChoice | None = None, measured: Measured | None = None
) -> SupportsResult:  # fmt: skip
    """Compute a supports work.

    Parameters
    ----------
    book : SupportsBook
    packing : Packing, optional
        Chosen for the same `to_move` (see `pack`).
    target : TargetChoice, optional
        In place of the recorded one, while the line is being dragged.
    measured : Measured, optional
        Of this very book, where it is known already.
    """
    if target is not None:
        book = replace(book, target=target)
    m = measured or measure(book)
    points, has, u = book.points, m.has, m.u
    n = len(points)
    heights, left_heights = m.found, m.left
    moves, u_dev, u_left, own = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan), np.zeros(n)
    level, trouble = float("nan"), None
    targets = np.full(n, np.nan)
    share = book.limits.share
    # What is to keep some of an old sag keeps it of the sag as it was before any round. Whole targets are taken
    # from what stands now: a post that came up with its neighbours and can't go down is the highest from then on.
    from_first = share < 1 and bool(book.passes)
    try:
        engine = _engine_target(book)
        drawn = np.array([p.wanted for p, h in zip(points, has, strict=True) if h]) if book.target.kind == "given" else 0.0
        base = _first_heights(book, m)[has] if from_first else heights[has]
        worked: Moves = work_out(m.names, base - drawn, engine, m.xy)
        goal = base + share * (worked.target + drawn + book.target.lift - base)
        moves[has], targets[has] = goal - heights[has], goal
        moves[np.abs(moves) < 1e-12] = 0.0
        level = float(np.mean(worked.target)) + book.target.lift
        w = weight_rows(m.names, base - drawn, engine, m.xy)
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
        if m.own_error > 0:
            u_dev[has] = np.where(u_dev[has] > 0, np.hypot(u_dev[has], m.own_error), 0.0)
        u_left[:] = np.sqrt(m.u_again**2 * (1.0 + m.both) + whole)
    except KeelError as error:
        trouble = error
    tolerance = book.limits.tolerance
    verdicts = judge_all(moves, 2 * u_dev, tolerance)
    left_verdicts = judge_all(left_heights - targets, 2 * u_left, tolerance)
    to_move = order_of_work(book, moves, verdicts, m.rank)
    broken = _broken(book, moves, to_move)
    learned, lifts = m.learned, moves.copy()
    if learned.response is not None and to_move:
        asked = np.where(np.isin(np.arange(n), to_move), moves, np.where(np.isnan(moves), np.nan, 0.0))
        there = np.array([p.stack for p in points]) if book.means.kind == LEAVES else None
        only_up = book.limits.ways == RAISE
        lifts = np.where(np.isnan(moves), np.nan, learned.response.moves_for(asked, raise_only=only_up, most=there))
        lifts[[i for i in range(n) if i not in to_move and not np.isnan(moves[i])]] = 0.0
    barred = set(broken)
    wanted = np.array(
        [0.0 if i in barred else wanted_thickness(points[i], float(lifts[i])) for i in to_move], dtype=np.float64
    )
    told = {} if book.means.kind == LEAVES else {
        i: instruct(book.means, float(lifts[i]), points[i].travel) for i in to_move if i not in barred
    }  # fmt: skip
    if packing is not None and len(packing.stacks) != len(to_move):
        packing = None
    return SupportsResult(
        book, heights, left_heights, m.shift, level, moves, u_dev, u_left, verdicts, left_verdicts, to_move, wanted,
        packing, trouble, own, m.bent, targets, learned, lifts, broken, told, _feet(book),
    )  # fmt: skip


def order_of_work(book: SupportsBook, moves: Floats, verdicts: list[str], rank: npt.NDArray[np.int_]) -> list[int]:
    """Return the points to move in the order the work goes; what is proven in stays untouched."""
    todo = np.array([bool(v) and v != PROVEN_IN for v in verdicts], dtype=bool)
    if book.limits.order == "need":
        at = np.flatnonzero(todo)
        ordered: list[int] = at[np.lexsort((rank[at], -np.abs(moves[at])))].tolist()
        return ordered
    xy = np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2)
    return order(np.where(todo, moves, np.nan), xy, book.limits.order)


def _feet(book: SupportsBook) -> tuple[int, ...]:
    if book.limits.order != "three" or not book.points:
        return ()
    return three_feet(np.array([(p.x, p.y) for p in book.points])) or ()


def _broken(book: SupportsBook, moves: Floats, to_move: list[int]) -> list[int]:
    """Return the points to be moved whose moves the limits rule out."""
    rule = book.limits
    down = rule.ways == RAISE
    up = rule.ways == LOWER
    if not (down or up or np.isfinite(rule.most)):
        return []
    return [
        i for i in to_move
        if (down and moves[i] < -EQUAL) or (up and moves[i] > EQUAL) or abs(moves[i]) > rule.most + EQUAL
    ]  # fmt: skip


def _first_heights(book: SupportsBook, m: Measured) -> Floats:
    """Heights as they were before any round, on the line of this one (n,) [m]."""
    on = float(book.use_staff)
    first = np.array([p.first.value - on * p.first.own if p.first else np.nan for p in book.points], dtype=np.float64)
    return np.asarray(m.sign * first + m.bent - book.line_moved)


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


def leaves_in_words(result: SupportsResult) -> str:
    """Return what a target takes from the stock, told at once: a count, "short" where leaves run out or don't reach, or "".

    "scarce" where supports compete for the same leaves, and only the whole choice can tell.
    """
    book = result.book
    if not result.to_move or book.means.kind != LEAVES or not book.stock:
        return ""
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    found = ample_stock(result.wanted, leaves, counts, result.learned.interface, book.limits.most_leaves)
    if found is None:
        return "scarce"
    return str(found.leaves) if found.greatest_residual <= book.limits.tolerance else "short"


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
        return Target("height", height=float(signs([sense])[0]) * (choice.reading - book.scale_foot))
    if choice.kind == "fall":
        return Target("fall", gradient=choice.gradient)
    return Target("highest" if choice.kind == "given" else choice.kind)


def _line_shift(book: SupportsBook) -> float:
    """How much higher the as-left line is than the as-found one, by the scale standing on the watch mark [m]."""
    if {FOUND, LEFT} <= book.reference.keys():
        found, left = book.reference[FOUND], book.reference[LEFT]
        return left.value - found.value - (left.own - found.own if book.use_staff else 0.0)
    return 0.0


