"""A plan stands: which of its lines still hold after what was booked, and what is planned again because it must be.

Source: a line holds while what it was planned from is unchanged, its point was booked as planned so far, and the stock has its
leaves; everything else is planned with what those leave.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec.structs import replace

from vivid_keel.core.moving.issued import IssuedPlan, Line
from vivid_keel.core.moving.plan import MovingBook, Put, leaf_key
from vivid_keel.core.moving.rounds import stage_size
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

AS_BEFORE = 1e-7
"""A move that changed by less is unchanged [m]."""


def terms_of(book: MovingBook) -> str:
    """Return under which decisions moves are planned, in one line: while it is the same an issued plan stands."""
    target, rule = book.target, book.limits
    ways = [f"{means.kind} {sorted((means.values or {}).items())}" for means in book.all_means]
    own = [(point.name, book.apart[point.id].kind) for point in book.points if point.id in book.apart]
    said = (
        target.kind,
        next((point.name for point in book.points if point.id == target.point), ""),
        "" if math.isnan(target.reading) else round(target.reading, 9),
        target.gradient,
        target.lift,
        rule.tolerance,
        rule.most_leaves,
        rule.interface,
        rule.ways,
        rule.most,
        rule.share,
        rule.order,
        rule.beam,
        rule.finest,
        round(stage_size(book), 9),
        ways,
        own,
        [
            (point.name, point.x, point.y, point.stack, point.wanted, point.aside, point.carries)
            for point in book.points
        ],
    )
    return repr(said)


def stands(book: MovingBook, plan: IssuedPlan | None) -> bool:
    """Whether an issued plan was made under the decisions that hold now."""
    return plan is not None and plan.terms == terms_of(book)


def in_plan(book: MovingBook, to_move: Sequence[int], moves: Sequence[float]) -> list[int]:
    """Return which points are moved, in the order of work: as the plan has it where what was read is unchanged.

    Parameters
    ----------
    book : MovingBook
        Whose plan stands.
    to_move : sequence of int
        As it would be planned now.
    moves : sequence of float, length n
        As of now [m].
    """
    plan, points = book.plan, book.points
    assert plan is not None
    same = {
        i
        for i, point in enumerate(points)
        if point.id in plan.moves and i < len(moves) and _same(moves[i], plan.moves[point.id])
    }
    stay = [i for i in same if points[i].id in plan.places]
    return [
        *sorted(stay, key=lambda i: plan.places[points[i].id]),
        *(i for i in to_move if i not in same),
    ]


def _same(now: float, then: float) -> bool:
    return abs(now - then) <= AS_BEFORE


def as_issued(book: MovingBook, lifts: Floats) -> Floats:
    """Return the lifts (n,) [m], what is put under each point, to the last bit as a plan that stands has them, where they are the same."""
    out = lifts.copy()
    assert book.plan is not None
    for i, point in enumerate(book.points):
        if _same(float(out[i]), then := book.plan.lifts.get(point.id, math.nan)):
            out[i] = then
    return out


def holding(book: MovingBook, lifts: Sequence[float], to_do: Sequence[int]) -> dict[int, tuple[Line, ...]]:
    """Return the lines of the issued plan that still hold and are still to be done, by the place of their point.

    Parameters
    ----------
    book : MovingBook
    lifts : sequence of float, length n
        What is put under each point, as of now [m].
    to_do : sequence of int
        Points where something is still to be done.
    """
    plan = book.plan
    if plan is None or not stands(book, plan):
        return {}
    out = {}
    for i in to_do:
        point = book.points[i]
        lines = plan.lines.get(point.id)
        if lines is None or not _same(float(lifts[i]), plan.lifts.get(point.id, math.nan)):
            continue
        rest = _rest(book, plan, lines, book.booked.get(point.id))
        if rest:
            out[i] = tuple(replace(line, step=replace(line.step, place=i)) for line in rest)
    return _in_stock(book, out)


def since(plan: IssuedPlan, put: Put | None) -> list[Put]:
    """Return what was booked at a point since a plan was issued, the oldest first, each with all that was before it."""
    out: list[Put] = []
    while put is not None and put.ids[-1] > plan.id:
        out.append(put)
        put = put.before
    return out[::-1]


def _rest(
    book: MovingBook, plan: IssuedPlan, lines: tuple[Line, ...], put: Put | None
) -> tuple[Line, ...] | None:
    """Return the lines of a point that are still to be done; None where it was booked otherwise than planned."""
    done = since(plan, put)
    if len(done) > len(lines):
        return None
    ways = all(as_planned(book, line, each) for line, each in zip(lines, done, strict=False))
    return lines[len(done) :] if ways else None


def as_planned(book: MovingBook, line: Line, put: Put) -> bool:
    """Return whether what was booked last at a point is what a line of the plan says.

    Where what fits goes in, a gap within half the thinnest leaf of the forecast counts as planned.
    """
    step, before = line.step, put.before
    stage = 0 if step.last else step.stage
    if put.stage != stage:
        return False
    went = put.put - (before.put if before is not None else 0.0)
    if book.limits.fits and step.told is None:
        thin = min((leaf.thickness for leaf in book.stock), default=0.0)
        return abs(went - step.put) <= thin / 2 + EQUAL and sorted(put.for_now) == sorted(step.for_now)
    if abs(went - step.put) > EQUAL:
        return False
    if step.told is not None:
        return True
    used = Counter(put.used)
    used.subtract(before.used if before is not None else {})
    planned = Counter(leaf_key(leaf) for leaf in step.into)
    planned.subtract(leaf_key(leaf) for leaf in step.out)
    return {k: n for k, n in used.items() if n} == {k: n for k, n in planned.items() if n} and sorted(
        put.for_now
    ) == sorted(step.for_now)


def _in_stock(book: MovingBook, lines: dict[int, tuple[Line, ...]]) -> dict[int, tuple[Line, ...]]:
    """Return the lines without those whose leaves the stock no longer has: the last in the order of work give way."""
    stock = {leaf_key(leaf.thickness): leaf.count for leaf in book.stock}
    out = dict(lines)
    while (short := _first_short(stock, out)) is not None:
        taking = [
            i for i, own in out.items() if any(leaf_key(t) == short for line in own for t in line.step.into)
        ]
        del out[taking[-1]]
    return out


def _first_short(stock: dict[str, int], lines: dict[int, tuple[Line, ...]]) -> str | None:
    """Return a leaf, by `leaf_key`, of which the stock hasn't enough for the lines, stage by stage; None where it has."""
    have = Counter(stock)
    for line in sorted((line for own in lines.values() for line in own), key=lambda line: line.step.stage):
        have.subtract(leaf_key(t) for t in line.step.into)
        have.update(leaf_key(t) for t in line.step.out)
        if short := next((key for key, count in have.items() if count < 0), None):
            return short
    return None


def reserved(lines: dict[int, tuple[Line, ...]]) -> Counter[str]:
    """Return how many leaves of each thickness the lines take out of the stock at most at once, in whatever order within a stage, by `leaf_key`."""
    taken: Counter[str] = Counter()
    most: Counter[str] = Counter()
    stages: dict[int, list[Step]] = {}
    for line in (line for own in lines.values() for line in own):
        stages.setdefault(line.step.stage, []).append(line.step)
    for _, steps in sorted(stages.items()):
        before = Counter(taken)
        for step in steps:
            taken.update(leaf_key(t) for t in step.into)
            before.update(Counter(leaf_key(t) for t in step.into) - Counter(leaf_key(t) for t in step.out))
            taken.subtract(leaf_key(t) for t in step.out)
        most |= before
    return most


def rest_of_stack(lines: Sequence[Line], lying: Sequence[float]) -> tuple[float, ...]:
    """Return the leaves that lines put in to stay, thick first [m]; `lying` are those that lie there for now [m]."""
    left: Counter[float] = Counter()
    for line in lines:
        left.update(line.step.into)
        left.subtract(line.step.out)
    left.update(lying)
    return tuple(sorted((+left).elements(), reverse=True))


def before_booking(book: MovingBook) -> MovingBook:
    """Return a round as it stood before anything was booked in it, its leaves back in the stock."""
    used: Counter[str] = Counter()
    for put in book.booked.values():
        used.update(put.used)
    stock = [
        replace(leaf, count=max(leaf.count + used[key], 0), used=max(leaf.used - used[key], 0))
        for leaf in book.stock
        for key in (leaf_key(leaf.thickness),)
    ]
    return replace(book, booked={}, stock=stock, plan=None, printed=None)
