"""From what was read to moves: the target everywhere, what is to be done, and what that is worth.

Source: deviation = height − target, move = −deviation; U with what the target took from the same readings.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, TypeVar

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.means import LEAVES, instruct
from vivid_keel.core.moving.plan import LOWER, RAISE, MovingBook, Point, TargetChoice
from vivid_keel.core.moving.response import Response
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import Learned
from vivid_keel.core.moving.stacks import Packing, ample_stock, choose_leaves, shopping
from vivid_keel.core.moving.stages import order, three_feet
from vivid_keel.core.moving.targets import Moves, Target, weight_rows, work_out
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import PROVEN_IN, judge_all
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

M = TypeVar("M", bound=Moved)

AS_GOOD_AS_NONE = 4.0
"""A left over of the tolerance by this counts as none [1]: below it leaves are saved."""
DEEPER = 8
"""How many leaves more in a stack are looked at where the most allowed doesn't reach [1]."""


def bring(
    make: type[M],
    book: MovingBook,
    task: Task,
    packing: Packing | None = None,
    target: TargetChoice | None = None,
) -> M:
    """Return what brings points to their target.

    Parameters
    ----------
    make : type
        What the trade makes of it.
    book : MovingBook
    task : Task
        Of this very book.
    packing : Packing, optional
        Chosen for the same `to_move` (see `pack`).
    target : TargetChoice, optional
        In place of the recorded one, while the line is being dragged.
    """
    if target is not None:
        book = replace(book, target=target)
    points, has, u = book.points, task.has, task.u
    heights, left_heights = task.found, task.left
    n = len(heights)
    moves, u_dev, u_left, own = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan), np.zeros(n)
    level, trouble = float("nan"), None
    targets = np.full(n, np.nan)
    share = book.limits.share
    # What is to keep some of an old sag keeps it of the sag as it was before any round. Whole targets are taken
    # from what stands now: a post that came up with its neighbours and can't go down is the highest from then on.
    from_first = share < 1 and bool(book.passes)
    try:
        engine = _engine_target(book, task)
        drawn = (
            np.array([point.wanted for point, h in zip(points, has, strict=True) if h])
            if book.target.kind == "given"
            else 0.0
        )
        base = task.first[has] if from_first else heights[has]
        worked: Moves = work_out(task.names, base - drawn, engine, task.xy)
        goal = base + share * (worked.target + drawn + book.target.lift - base)
        moves[has], targets[has] = goal - heights[has], goal
        moves[np.abs(moves) < 1e-12] = 0.0
        level = float(np.mean(worked.target)) + book.target.lift
        w = weight_rows(task.names, base - drawn, engine, task.xy)
        if not target_is_plane(book) and share == 1:
            own[has] = w[0]
            targets[:] = level  # a level line stands under a point that wasn't read, too
        # u² of (e_i − w_i)·h: u_i²·(1 − 2·w_ii) + Σ w_ij²·u_j²; readings of another round share nothing with these.
        if share < 1:
            w = share * w + (1 - share) * np.eye(len(w))
        carried = (w**2) @ (u[has] ** 2)
        shared = 0.0 if from_first else 2 * np.diag(w)
        tied = task.first_tied * u[has] ** 2 if from_first else 0.0
        u_dev[has] = np.sqrt(np.maximum(u[has] ** 2 * (1 - shared) + carried + tied, 0.0))
        whole = np.full(n, float(carried.max()))
        whole[has] = carried
        if task.own_error > 0:
            u_dev[has] = np.where(u_dev[has] > 0, np.hypot(u_dev[has], task.own_error), 0.0)
        u_left[:] = np.sqrt(task.u_again**2 * (1.0 + task.both) + whole)
    except KeelError as error:
        trouble = error
    tolerance = book.limits.tolerance
    verdicts = judge_all(moves, 2 * u_dev, tolerance)
    left_verdicts = judge_all(left_heights - targets, 2 * u_left, tolerance)
    learned = task.learned
    if task.influence is None:
        to_move = order_of_work(book, moves, verdicts, task.rank)
        broken = _broken(book, moves, to_move)
        lifts = _lifts(book, learned, moves, to_move)
    else:
        lifts = _lifts_elsewhere(book, task, moves, verdicts)
        to_move = order_of_work(
            book, lifts, ["" if abs(x) < EQUAL else "out" for x in lifts], np.arange(len(points))
        )
        broken = _broken(book, lifts, to_move)
    barred = set(broken)
    wanted = np.array(
        [0.0 if i in barred else wanted_thickness(points[i], float(lifts[i])) for i in to_move],
        dtype=np.float64,
    )
    told = (
        {}
        if book.means.kind == LEAVES
        else {i: instruct(book.means, float(lifts[i]), points[i].travel) for i in to_move if i not in barred}
    )
    if packing is not None and len(packing.stacks) != len(to_move):
        packing = None
    return make(
        book,
        task,
        level,
        moves,
        u_dev,
        u_left,
        verdicts,
        left_verdicts,
        to_move,
        wanted,
        packing,
        trouble,
        own,
        targets,
        lifts,
        broken,
        told,
        _feet(book),
    )


def _lifts(book: MovingBook, learned: Learned, moves: Floats, to_move: list[int]) -> Floats:
    """What is put under each point so that all make their moves [m]: the moves themselves until a round was seen."""
    if learned.response is None or not to_move:
        return moves.copy()
    n = len(moves)
    asked = np.where(np.isin(np.arange(n), to_move), moves, np.where(np.isnan(moves), np.nan, 0.0))
    there = np.array([point.stack for point in book.points]) if book.means.kind == LEAVES else None
    only_up = book.limits.ways == RAISE
    lifts = np.where(
        np.isnan(moves), np.nan, learned.response.moves_for(asked, raise_only=only_up, most=there)
    )
    lifts[[i for i in range(n) if i not in to_move and not np.isnan(moves[i])]] = 0.0
    return np.asarray(lifts)


def _lifts_elsewhere(book: MovingBook, task: Task, moves: Floats, verdicts: list[str]) -> Floats:
    """What the moved points do so that the judged places, which are others, make their moves [m].

    Least squares over S·lifts = moves; a judged place that is proven in is asked to stay.
    """
    assert task.influence is not None
    response = task.learned.response or Response(task.influence)
    if not any(verdict and verdict != PROVEN_IN for verdict in verdicts):
        return np.zeros(task.influence.shape[1])
    known = ~np.isnan(moves)
    asked = np.where([verdict == PROVEN_IN for verdict in verdicts], 0.0, moves)
    lifts = np.linalg.lstsq(response.matrix[known], asked[known], rcond=None)[0]
    return np.asarray(np.where(np.abs(lifts) < 1e-7, 0.0, lifts), dtype=np.float64)


def order_of_work(
    book: MovingBook, moves: Floats, verdicts: list[str], rank: npt.NDArray[np.int_]
) -> list[int]:
    """Return the points to move in the order the work goes, by their moves (n,) [m]; what is proven in stays untouched."""
    todo = np.array([bool(verdict) and verdict != PROVEN_IN for verdict in verdicts], dtype=bool)
    if book.limits.order == "need":
        at = np.flatnonzero(todo)
        ordered: list[int] = at[np.lexsort((rank[at], -np.abs(moves[at])))].tolist()
        return ordered
    xy = np.array([(point.x, point.y) for point in book.points]).reshape(-1, 2)
    return order(np.where(todo, moves, np.nan), xy, book.limits.order)


def _feet(book: MovingBook) -> tuple[int, ...]:
    if book.limits.order != "three" or not book.points:
        return ()
    return three_feet(np.array([(point.x, point.y) for point in book.points])) or ()


def _broken(book: MovingBook, moves: Floats, to_move: list[int]) -> list[int]:
    """Return the points to be moved whose moves the limits rule out."""
    rule = book.limits
    down = rule.ways == RAISE
    up = rule.ways == LOWER
    if not (down or up or np.isfinite(rule.most)):
        return []
    return [
        i
        for i in to_move
        if (down and moves[i] < -EQUAL) or (up and moves[i] > EQUAL) or abs(moves[i]) > rule.most + EQUAL
    ]


def wanted_thickness(point: Point, move: float) -> float:
    """Return the packing wanted at a point for a move [m].

    Upward it comes on top of what is there. Downward the old stack comes out and a thinner one goes
    in; where there is none, nothing can be taken out (the result is below 0: no leaf cures that).
    """
    return move if move >= 0 else point.stack + move


def pack(
    result: Moved,
    seconds_left: Callable[[], float] = lambda: 20.0,
    better: Callable[[Packing], None] = lambda packing: None,
) -> Packing | None:
    """Choose leaves for every point to be moved, or None where there is nothing to choose from.

    Where the stock leaves a point out of tolerance, what to buy is worked out too: every residual within
    the tolerance less what an as-left reading is uncertain by (a quarter of it at least), with more leaves in a
    stack than are allowed where no number would do else.
    """
    book = result.book
    if not len(result.to_move) or not book.stock or book.means.kind != LEAVES:
        return None
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    gap, most, tolerance = result.learned.interface, book.limits.most_leaves, book.limits.tolerance
    found = choose_leaves(
        result.wanted, leaves, counts, gap, most, seconds_left, better, tolerance / AS_GOOD_AS_NONE
    )
    if found.greatest_residual <= tolerance:
        return found
    within = max(tolerance - 2 * float(np.nanmax(result.u_left)), tolerance / 4)
    can = result.wanted >= -within  # no leaf cures what would have to come down further than its packing
    buy = shopping(result.wanted[can], within, leaves, counts, gap, most, seconds_left)
    deeper = most
    while buy is None and deeper < most + DEEPER and seconds_left() > 0:
        deeper += 1
        buy = shopping(result.wanted[can], within, leaves, counts, gap, deeper, seconds_left)
    return replace(found, to_buy=buy, deeper=deeper if buy is not None and deeper > most else None)


def leaves_in_words(result: Moved) -> str:
    """Return what a target takes from the stock, told at once: a count, "short" where leaves run out or don't reach, or "".

    "scarce" where supports compete for the same leaves, and only the whole choice can tell.
    """
    book = result.book
    if not result.to_move or book.means.kind != LEAVES or not book.stock:
        return ""
    leaves, counts = [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock]
    found = ample_stock(
        result.wanted,
        leaves,
        counts,
        result.learned.interface,
        book.limits.most_leaves,
        book.limits.tolerance / AS_GOOD_AS_NONE,
    )
    if found is None:
        return "scarce"
    return str(found.leaves) if found.greatest_residual <= book.limits.tolerance else "short"


def target_is_plane(book: MovingBook) -> bool:
    """Whether the supports are brought to a plane rather than a level line."""
    return book.target.plane


def _engine_target(book: MovingBook, task: Task) -> Target:
    choice = book.target
    if choice.kind == "keep":
        name = next((point.name for point in book.points if point.id == choice.point), "")
        return Target("keep", name=name)
    if choice.kind == "height":
        return Target("height", height=task.shows.height_of(choice.reading))
    if choice.kind == "fall":
        return Target("fall", gradient=choice.gradient)
    return Target("highest" if choice.kind == "given" else choice.kind)
