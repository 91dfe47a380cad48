"""From what was read to moves: the target everywhere, what is to be done, and what that is worth.

Source: deviation = height − target, move = −deviation; U with what the target took from the same readings.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.moving.aim import Aim, aim
from vivid_keel.core.moving.holding import as_issued, holding, in_plan, stands
from vivid_keel.core.moving.means import LEAVES, SCREW, TRIM, Means, instruct
from vivid_keel.core.moving.plan import LOWER, RAISE, MovingBook, Point, TargetChoice
from vivid_keel.core.moving.response import DAMPING, Response
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import Learned
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.stages import order, three_feet
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT, judge_all
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

M = TypeVar("M", bound=Moved)

CARRY = 3
"""So many feet at least carry a body [1]."""
NEVER = 2**62
"""Entry of a target that nobody has chosen yet: later than all that is booked."""


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
    if target is not None and replace(target, id=book.target.id) != book.target:
        # Chosen now, it begins with what stands now.
        book = replace(book, target=replace(target, id=NEVER), keeper=None, plan=None, printed=None)
    points = book.points
    to = aim(book, task, quick=target is not None)
    moves = to.moves
    tolerance = book.limits.tolerance
    verdicts = judge_all(moves, 2 * to.u_deviation, tolerance)
    left_verdicts = judge_all(task.left - to.left_targets, 2 * to.u_left, tolerance)
    learned = task.learned
    if task.influence is None:
        to_move = order_of_work(book, moves, worth_it(book, task, to, verdicts), task.rank)
        broken = _broken(book, moves, to_move)
        barred = {i for i in broken if points[i].id not in book.booked}
        lifts = _lifts(book, learned, to, to_move, barred)
        while more := _carried_off(learned, to, lifts, to_move, barred, tolerance):
            to_move = to_move + more
            lifts = _lifts(book, learned, to, to_move, barred)
        if kept := no_thinner(book, lifts, to_move, barred):
            to_move = [i for i in to_move if i not in kept]
            lifts = _lifts(book, learned, to, to_move, barred)
            to_move = [i for i in to_move if i not in no_thinner(book, lifts, to_move, barred)]
        rising = bool(to_move) and feet_only_rise(book, task)
        if rising:
            lifts = _rising(book, learned, to)
            to_move = order_of_work(book, lifts, lifts >= EQUAL, task.rank)
            broken = [i for i in to_move if lifts[i] > book.limits.most + EQUAL]
        if to_move and not book.booked and not expected_to_help(learned, to, lifts, broken):
            to_move, broken = [], []
        if stands(book, book.plan):
            to_move = in_plan(book, to_move, moves.tolist())
            lifts = as_issued(book, lifts if rising else _lifts(book, learned, to, to_move, barred))
    else:
        lifts = _lifts_elsewhere(book, task, moves, verdicts)
        to_move = order_of_work(book, lifts, np.abs(lifts) >= EQUAL, np.arange(len(points)))
        broken = _broken(book, lifts, to_move)
    # What is booked in this round stays in it, whatever is decided later of target, stock or limits.
    begun = {i for i, point in enumerate(points) if point.id in book.booked}
    done = {i for i in begun if book.booked[points[i].id].whole}
    to_move += [i for i in sorted(begun) if i not in set(to_move) and not np.isnan(lifts[i])]
    broken = [i for i in broken if i not in begun]
    to_do = [i for i in to_move if i not in done]
    to_pack = [i for i in to_do if book.by_leaves(points[i].id)]
    barred, delta = set(broken), learned.interface
    wanted = np.array(
        [0.0 if i in barred else still_wanted(book, points[i], float(lifts[i]), delta) for i in to_pack],
        dtype=np.float64,
    )
    told = {
        i: instruct(
            book.means_at(points[i].id), *_still_to_do(book, points[i], float(lifts[i]), learned.interface)
        )
        for i in to_do
        if i not in barred and not book.by_leaves(points[i].id)
    }
    if packing is not None and len(packing.stacks) != len(to_pack):
        packing = None
    return make(
        book,
        task,
        to,
        verdicts,
        left_verdicts,
        to_move,
        to_do,
        to_pack,
        wanted,
        packing,
        lifts,
        broken,
        told,
        _feet(book),
        holding(book, lifts.tolist(), to_do),
    )


def worth_it(book: MovingBook, task: Task, to: Aim, verdicts: list[str]) -> npt.NDArray[np.bool_]:
    """Return which judged places (n,) are moved: what is proven out, and what is undecided where a move is expected to help.

    It helps where it lessens |deviation|, its means' rounding taken off, by more than the deviation's own u; with a
    coarse instrument a further round would do harm else. What was proven in at the end of a round stays so until it is
    proven out.
    """
    helps = np.abs(to.moves) - least_steps(book, len(to.moves)) / 4 > to.u_deviation
    out = np.array([verdict == PROVEN_OUT for verdict in verdicts], dtype=bool)
    undecided = np.array([verdict == NOT_PROVEN for verdict in verdicts], dtype=bool)
    return np.asarray(out | (undecided & helps & ~was_proven(book, task, to)))


def feet_only_rise(book: MovingBook, task: Task) -> bool:
    """Return whether the feet of a body are only wound up, once rounds have taught how it answers them.

    A foot pushes and never pulls: one that is wound down may let go, and what is read then answers to the others. To raise all the
    others brings the same shape; so even the foot that the target goes through may come along.
    """
    return (
        task.learned.carries
        and task.learned.response is not None
        and len(book.points) > CARRY
        and len(book.bodies) == 1
        and book.target.kind == "highest"
        and book.limits.ways != LOWER
        and all(means.kind == SCREW for means in book.all_means)
    )


def counts_turns(book: MovingBook) -> bool:
    """Return whether a foot is turned by so much, and the instrument only stops it sooner: of a frame on more feet than carry it, which
    may hold back what a foot raises, so that a level never comes to its number. Not where a round was booked by what was watched."""
    return (
        book.by_turns
        and len(book.points) > CARRY
        and all(means.kind == SCREW for means in book.all_means)
        and not any(one.watched for one in book.passes)
    )


LEAST_TURN = 5e-6
"""A foot is not touched for less [m]."""


def _rising(book: MovingBook, learned: Learned, to: Aim) -> Floats:
    """What each foot is wound up (n,) [m] so that all come level: as well as feet can that go either way, all raised by as much as the
    one would go down that would go furthest."""
    assert learned.response is not None
    keeper = to.keeper if to.by_keeper else -1
    either = learned.response.moves_for(to.moves, raise_only=False, keeper=keeper, damping=learned.damping)
    lifts = either - either.min()
    return np.where(np.isnan(to.moves), np.nan, np.where(lifts < LEAST_TURN, 0.0, lifts))


def expected_to_help(learned: Learned, to: Aim, lifts: Floats, but: Collection[int] = ()) -> bool:
    """Return whether lifts (n,) [m] are not expected to make the greatest deviation larger, by more than it is known to; `but` are places that
    are not moved."""
    if learned.response is None:
        return True
    answer = learned.response.matrix - (learned.response.matrix[to.keeper] if to.by_keeper else 0.0)
    asked = np.nan_to_num(to.moves)
    counts = ~np.isnan(to.moves) & ~np.isin(np.arange(len(asked)), list(but))
    now, then = np.abs(asked)[counts], np.abs(asked - answer @ np.nan_to_num(lifts))[counts]
    known = float(np.nanmax(to.u_deviation[counts], initial=0.0))
    return bool(then.max(initial=0.0) <= now.max(initial=0.0) + known + EQUAL)


def made_worse(result: Moved) -> tuple[float, float] | None:
    """Return the greatest deviation as found and as left [m], where the round in hand made it larger than it was for certain and more
    than is allowed; None where it didn't."""
    to, task = result.aim, result.task
    left, found = np.abs(task.left - to.left_targets), np.abs(to.moves)
    if not result.book.booked or not np.isfinite(left).all() or not np.isfinite(found).all() or not len(left):
        return None
    i, k = int(left.argmax()), int(found.argmax())
    sure = 2 * float(np.hypot(to.u_left[i], to.u_deviation[k]))
    if left[i] <= max(found[k] + sure, result.book.limits.tolerance):
        return None
    return float(found[k]), float(left[i])


def again_helps(result: Moved) -> list[int]:
    """Return the judged places that another round would move, by what was read as left: what is proven out, and what is
    undecided where a move is expected to help. What its means can't move that way is left out: that would go on for ever. None while
    the line is in doubt, and none behind a round that made it worse."""
    if result.line_in_doubt or made_worse(result) is not None:
        return []
    book, task, to = result.book, result.task, result.aim
    off = np.abs(task.left - to.left_targets)
    held = was_proven(book, task, to)
    step = least_steps(book, len(off))
    return [
        i
        for i, verdict in enumerate(result.left_verdicts)
        if (
            verdict == PROVEN_OUT
            or (verdict == NOT_PROVEN and not held[i] and off[i] - step[i] / 4 > float(to.u_left[i]))
        )
        and can_go(result, i, float(to.left_targets[i] - task.left[i]))
    ]


def can_go(result: Moved, i: int, move: float) -> bool:
    """Return whether the means and the limits at a judged place let it go that way at all, by its move [m]."""
    book = result.book
    if result.task.influence is not None:
        return True
    point, up = book.points[i], move > 0
    if book.limits.ways == (LOWER if up else RAISE):
        return False
    kind = book.means_at(point.id).kind
    if kind == TRIM:
        return not up
    if kind != LEAVES or up:
        return True
    put, plan = result.begun(i), result.planned(i)
    there = point.stack + (put.put if put is not None else 0.0) + (plan.put if plan is not None else 0.0)
    return there > EQUAL


def was_proven(book: MovingBook, task: Task, to: Aim) -> npt.NDArray[np.bool_]:
    """Return which judged places (n,) were proven in against the keeper at the end of an earlier round of this visit."""
    held = np.zeros(len(to.moves), dtype=bool)
    if to.by_keeper:
        U = 2 * np.hypot(np.hypot(task.u, float(task.u[to.keeper])), task.own_error) + task.bound
        for left in task.rounds_left:
            off = np.abs(left - left[to.keeper] - (to.targets - to.targets[to.keeper]))
            held |= off + U <= book.limits.tolerance + EQUAL
    return held


def thinnest(book: MovingBook) -> float:
    """Return the thinnest leaf in stock [m]; 0 without any."""
    return min((leaf.thickness for leaf in book.stock if leaf.count > 0), default=0.0)


def least_steps(book: MovingBook, judged: int) -> Floats:
    """Return the least that the means can do [m] at each judged place (n,): the thinnest leaf in stock, a part of a turn;
    0 where it is as fine as you like. Where others are moved than are judged, what the coarsest of them can."""
    by_kind = {means.kind: _least(book, means) for means in book.all_means}
    if len(book.points) != judged:
        return np.full(judged, max(by_kind.values(), default=0.0))
    return np.array([by_kind[book.means_at(point.id).kind] for point in book.points], dtype=np.float64)


def _least(book: MovingBook, means: Means) -> float:
    if means.kind == LEAVES:
        return thinnest(book)
    if means.kind != SCREW or means.watched:
        return 0.0
    return means.value("pitch") / means.value("parts")


def _lifts(
    book: MovingBook, learned: Learned, to: Aim, to_move: list[int], barred: Collection[int]
) -> Floats:
    """What is put under each point so that all make their moves [m]: the moves themselves until a round was seen.

    What isn't to be moved is not touched: the others are reckoned with it as it stands, so that none carries it away.
    What the limits rule out (`barred`) isn't either, and what it wants is asked of nobody.
    """
    moves, n = to.moves, len(to.moves)
    touched = np.zeros(n, dtype=bool)
    touched[[i for i in to_move if i not in barred]] = True
    if learned.response is None or not to_move:
        return np.where(np.isnan(moves), np.nan, np.where(touched, moves, 0.0))
    there = np.array([point.stack if book.by_leaves(point.id) else np.inf for point in book.points])
    asked = moves.copy()
    asked[list(barred)] = np.nan
    lifts = learned.response.moves_for(
        asked,
        raise_only=book.limits.ways == RAISE,
        most=there,
        touched=touched,
        keeper=to.keeper if to.by_keeper else -1,
        damping=learned.damping if learned.told else DAMPING,
    )
    # Where that would leave a point out for the sake of those that it carries along, it makes its own move all the same:
    # what comes along is brought after. (A post that hung answered little the first time, and would be given up for ever.)
    asked = np.nan_to_num(asked)
    answer = learned.response.matrix - (learned.response.matrix[to.keeper] if to.by_keeper else 0.0)
    short = np.abs(asked - answer @ lifts) > book.limits.tolerance
    given_up = touched & short & (np.abs(lifts) < np.abs(asked)) & (lifts * asked >= 0)
    lifts = np.where(given_up, asked, lifts)
    return np.asarray(np.where(np.isnan(moves), np.nan, lifts))


def _carried_off(
    learned: Learned, to: Aim, lifts: Floats, to_move: list[int], barred: Collection[int], tolerance: float
) -> list[int]:
    """Return the feet that stand well, and that what is turned would carry off by more than half the tolerance [m]: they are turned too.

    Of a body only, whose feet answer one another at once; posts under a building stay as they were proven.
    """
    if not learned.carries or learned.response is None or not to_move:
        return []
    answer = learned.response.matrix - (learned.response.matrix[to.keeper] if to.by_keeper else 0.0)
    left = np.abs(np.nan_to_num(to.moves) - answer @ np.nan_to_num(lifts))
    worse = (left > tolerance / 2) & (left > np.abs(np.nan_to_num(to.moves)) + EQUAL)
    stand = [
        i for i in np.flatnonzero(worse).tolist() if i not in to_move and i not in barred and i != to.keeper
    ]
    return [max(stand, key=lambda i: float(left[i]))] if stand else []


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
    book: MovingBook, moves: Floats, todo: npt.NDArray[np.bool_], rank: npt.NDArray[np.int_]
) -> list[int]:
    """Return the points to move (`todo` (n,)) in the order the work goes, by their moves (n,) [m]."""
    own = book.walked(np.flatnonzero(todo).tolist(), moves.tolist())
    if own is not None:
        return own
    if book.limits.order == "need":
        at = np.flatnonzero(todo)
        ordered: list[int] = at[np.lexsort((rank[at], -np.abs(moves[at]).round(9)))].tolist()
        return ordered
    xy = np.array([(point.x, point.y) for point in book.points]).reshape(-1, 2)
    return order(
        np.where(todo, moves, np.nan), xy, book.limits.order, _said_to_carry(book), corners=book.corners
    )


def _said_to_carry(book: MovingBook) -> tuple[int, ...]:
    """The feet of which a person said that they carry; none unless there are enough to stand on."""
    said = tuple(i for i, point in enumerate(book.points) if point.carries)
    return said if len(said) >= CARRY else ()


def _feet(book: MovingBook) -> tuple[int, ...]:
    if book.limits.order != "three" or not book.points:
        return ()
    xy = np.array([(point.x, point.y) for point in book.points])
    return _said_to_carry(book) or three_feet(xy, corners=book.corners) or ()


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


def no_thinner(book: MovingBook, lifts: Floats, to_move: list[int], barred: Collection[int]) -> set[int]:
    """Return the points (by `lifts` (n,) [m]) that would have to be repacked thinner, and for which the stock holds no such stack: they
    are left as they lie. A stack that comes out and finds no other to go in would leave its post hanging.

    The stock goes to the thinnest first, so that as many as it can serve are served.
    """
    if not book.stock:
        return set()
    thick = sorted((leaf.thickness for leaf in book.stock for _ in range(leaf.count)), reverse=True)
    left = sum(thick)
    tallest = sum(thick[: book.limits.most_leaves])
    out = set()
    down = [
        (book.points[i].stack + float(lifts[i]), i)
        for i in to_move
        if lifts[i] < -EQUAL
        and i not in barred
        and book.by_leaves(book.points[i].id)
        and book.points[i].id not in book.booked
    ]
    for wanted, i in sorted(down):
        # Nearer than it stands now is all that is asked of what goes in.
        least = wanted - abs(float(lifts[i])) + EQUAL
        if least > min(left, tallest):
            out.add(i)
        elif wanted > 0:
            left -= wanted
    return out


def still_wanted(book: MovingBook, point: Point, lift: float, interface: float) -> float:
    """Return the packing still wanted at a point for its whole lift [m], each interface closing by so much [m].

    Upward it comes on top of what is there. Downward the old stack comes out and a thinner one goes
    in; where there is none, nothing can be taken out (the result is below 0: no leaf cures that).
    """
    if lift < 0:
        return point.stack + lift
    put = book.booked.get(point.id)
    leaving = put.for_now if put is not None else ()
    return lift - (book.so_far(point, lift, interface) - sum(leaving) + interface * len(leaving))


def _still_to_do(book: MovingBook, point: Point, lift: float, interface: float) -> tuple[float, float]:
    """Return how far a point that isn't packed is still to go, and its own travel left upward [m]."""
    done = book.so_far(point, lift, interface)
    return lift - done, point.travel - done
