"""Rounds: stages of a lift, what is answered, and what hangs on it.

Source: rounds as a contraction: what is left after each by the share that took.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.moving.means import FILL, LEAVES, SCREW, TRIM
from vivid_keel.core.moving.plan import ALONE, BEAMS, NOT_KNOWN, MovingBook
from vivid_keel.core.moving.response import (
    SEEN,
    SEEN_OF_A_BODY,
    Reason,
    Response,
    learned_interface,
    passes_to_go,
    reasons,
    to_learn_from,
    took,
)
from vivid_keel.core.moving.stages import neighbour_limit, stage
from vivid_keel.core.quantities import EQUAL, is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Happened = tuple[Floats, Floats, Floats]


class PassTold(Struct, frozen=True):
    """What a finished round did.

    Attributes
    ----------
    number, moved : int
    took : float
        Share of what was put in that the points went [1]; nan where nothing was moved.
    reasons : list of Reason
        Why points did not do what they should.
    """

    number: int
    moved: int
    took: float
    reasons: list[Reason]


class Learned(Struct, frozen=True):
    """What the rounds taught: the answer of what stands there, what an interface closes [m], and each round told; `damping` is
    the weight of the plain moves against that answer [1].
    """

    response: Response | None
    interface: float
    told: list[PassTold]
    damping: float = SEEN

    @property
    def carries(self) -> bool:
        """Whether one body stands on all, so that what is turned at one foot carries the others at once."""
        return self.damping == SEEN_OF_A_BODY


def learn(
    book: MovingBook,
    happened: Sequence[Happened],
    u: float,
    influence: Floats | None = None,
    tips: Floats | None = None,
    watched: float = math.nan,
    first: Floats | None = None,
) -> Learned:
    """Return what the finished rounds taught; nothing while there are none.

    Parameters
    ----------
    book : MovingBook
    happened : sequence of (put in, leaves, change of height)
        Of every finished round, over the points [m], nan where not read.
    u : float
        Standard uncertainty of one reading [m].
    influence : float array (n, m), optional
        What the judged places answer to the moved points before anything was seen; None: each for itself, or
        as beams over the rows.
    tips : float array (n, n), optional
        What each foot does to a rigid body on them; None where no one body stands on them.
    watched : float
        How much of a turn tips the whole, by levels that were watched while feet were turned [1]; nan where none was.
    first : float array (n,), optional
        Heights of the points before any round [m], which tell how stiff what stands on them can be at most.
    """
    delta = book.limits.interface
    if not happened:
        return Learned(_to_begin_with(book, first) if influence is None else None, delta, [])
    if influence is not None:
        return _learn_elsewhere(delta, happened, u, influence)
    points = tuple((point.row, point.x, point.y) for point in book.points)
    rounds = tuple(tuple(part.tobytes() for part in one) for one in happened)
    stock = tuple(leaf.thickness for leaf in book.stock)
    turns = _turns(book).tobytes()
    bent = b"" if first is None else first.tobytes()
    key = (points, rounds, stock, turns, delta, book.limits.beam, u, tips is not None, watched, bent)
    return _taught(_Rounds(key, book, happened, u, tips, watched, first))


@dataclass(frozen=True)
class _Rounds:
    """Finished rounds, told apart by all that is learned from: nothing that is typed now is in it."""

    key: tuple[object, ...]
    book: MovingBook = field(compare=False)
    happened: Sequence[Happened] = field(compare=False)
    u: float = field(compare=False)
    tips: Floats | None = field(compare=False)
    watched: float = field(compare=False)
    first: Floats | None = field(compare=False)


@lru_cache(maxsize=8)
def _taught(rounds: _Rounds) -> Learned:
    """What finished rounds taught, worked out once for as long as they stay the same, not at every reading of the next."""
    book, happened, u = rounds.book, rounds.happened, rounds.u
    delta = book.limits.interface
    told: list[PassTold] = []
    trusted: list[Happened] = []
    turns = _turns(book)
    for n, (put, leaves, change) in enumerate(happened, 1):
        before = _response(rounds, trusted, delta)
        delta = learned_interface([int(k) for k in leaves], put, change, delta, u)
        made = put - delta * leaves
        if (
            rounds.tips is not None
        ):  # how far feet share their turns is told by this round too: it makes nobody a suspect
            before = Response.on_feet(rounds.tips, [made], [change], max(u, 1e-7), rounds.watched)
        expected = made if before is None else before.matrix @ made
        thick = [leaf.thickness for leaf in book.stock]
        why = reasons(made, change, u, thick, expected, book.style, turns)
        told.append(
            PassTold(
                n,
                int((np.abs(put) > 1e-9).sum()),
                took(made, change),
                _sure_of(rounds, trusted, made, change, why),
            )
        )
        trusted.append((put, leaves, to_learn_from(made, change, u, expected, why)))
    response = _response(rounds, trusted, delta)
    return Learned(response, delta, told, SEEN if rounds.tips is None else SEEN_OF_A_BODY)


def _sure_of(
    rounds: _Rounds, trusted: Sequence[Happened], made: Floats, change: Floats, why: list[Reason]
) -> list[Reason]:
    """Return of the reasons `why` a round went as it did those that a stiffer beam, as stiff as this very round has it, doesn't explain
    as well: a leaf or a turn too many, a post that sank. One that didn't answer at all, or went the wrong way, is no beam's doing."""
    if not why or rounds.tips is not None:
        return why
    book, delta = rounds.book, rounds.book.limits.interface
    seen = [*((put - delta * leaves, went) for put, leaves, went in trusted), (made, change)]
    fits = Response.beams(len(made), in_rows(book), *zip(*seen, strict=True)).matrix @ made
    thick = [leaf.thickness for leaf in book.stock]
    too = {one.point for one in reasons(made, change, rounds.u, thick, fits, book.style, _turns(book))}
    return [reason for reason in why if reason.point in too or reason.kind not in {"leaf", "turn", "sank"}]


def _turns(book: MovingBook) -> Floats:
    """What a turn raises at each point (n,) [m]; 0 where neither a screw nor leaves move it, nan where leaves do."""
    out = np.zeros(len(book.points))
    for i, point in enumerate(book.points):
        means = book.means_at(point.id)
        out[i] = means.value("pitch") if means.kind == SCREW else math.nan if means.kind == LEAVES else 0.0
    return out


def _response(rounds: _Rounds, happened: Sequence[Happened], delta: float) -> Response | None:
    """What is known of the answer after so many rounds; None where nothing is and nobody said what stands there."""
    book, u = rounds.book, rounds.u
    if not happened:
        return _to_begin_with(book, rounds.first)
    moves = [put - delta * leaves for put, leaves, _ in happened]
    seen = [change for _, _, change in happened]
    xy = np.array([(point.x, point.y) for point in book.points])
    apart = np.hypot(*(xy[:, None] - xy[None]).transpose(2, 0, 1))
    if rounds.tips is not None:
        body = Response.on_feet(rounds.tips, moves, seen, max(u, 1e-7), rounds.watched)
        return body.learned(moves, seen, max(u, 1e-7), apart)
    rows = in_rows(book)
    return Response.beams(len(book.points), rows, moves, seen).learned(moves, seen, max(u, 1e-6), apart)


def in_rows(book: MovingBook) -> list[list[int]]:
    """Return the points of each row, along it."""
    points = book.points
    return [
        sorted((i for i, p in enumerate(points) if p.row == row), key=lambda i: points[i].x)
        for row in book.rows
    ]


def _to_begin_with(book: MovingBook, first: Floats | None) -> Response | None:
    """What is expected of what stands on the rows before anything was moved; None where nobody was asked what it is."""
    if not book.points:
        return None
    if book.limits.beam == NOT_KNOWN:
        return None if first is None else Response.stiffest(in_rows(book), first)
    stiff = BEAMS[book.limits.beam]
    return Response.stiffest(in_rows(book), np.zeros(len(book.points)), stiff) if stiff > 0 else None


def _learn_elsewhere(delta: float, happened: Sequence[Happened], u: float, influence: Floats) -> Learned:
    """What rounds taught where other places are judged than are moved: only S is learned, from its beginning S₀ on.

    Which of the moved points did not do what it should can't be told from places between them.
    """
    made = [put - delta * leaves for put, leaves, _ in happened]
    seen = [change for _, _, change in happened]
    told = [
        PassTold(n, int((np.abs(put) > 1e-9).sum()), took(influence @ put, change), [])
        for n, (put, change) in enumerate(zip(made, seen, strict=True), 1)
    ]
    return Learned(Response(influence).learned(made, seen, max(u, 1e-6)), delta, told)


def to_go(book: MovingBook, happened: Sequence[Happened], deviations: Floats, u: float) -> float:
    """Return about how many rounds [1] it takes from deviations (n,) [m] known to u [m]; nan while no round is finished."""
    if not happened or np.isnan(deviations).all():
        return math.nan
    _, _, change = happened[-1]
    worst = float(np.nanmax(np.abs(deviations)))
    before = deviations - np.where(np.isnan(change), 0.0, change)
    return passes_to_go(worst, float(np.nanmax(np.abs(before))), book.limits.tolerance, u)


def limit_of(book: MovingBook) -> float | None:
    """Return how far neighbours may differ within a stage [m]; None where there is no such rule.

    Unless it was said, a frame that stands alone has none, as has one that stands on screws everywhere, or ground
    that is made up.
    """
    if book.limits.neighbours is not None:
        return book.limits.neighbours if book.limits.neighbours > 0 else None
    if book.limits.beam == ALONE or all(means.kind in {SCREW, FILL, TRIM} for means in book.all_means):
        return None
    gaps = []
    for row in book.rows:
        xs = sorted(point.x for point in book.points if point.row == row)
        gaps += [b - a for a, b in zip(xs, xs[1:], strict=False) if b > a]
    return neighbour_limit(min(gaps)) if gaps else None


USUAL_CLEARANCE = 0.001
"""How far a jack goes above a leaf unless somebody says [m]: with none no leaf slips in."""


def clearance_of(book: MovingBook) -> float:
    """Return how far the jack goes above a leaf to slip it in [m]: what was entered, else 1 mm or a quarter of the thinnest leaf.

    Where neighbours may hardly differ, the usual clearance takes no more than half of that.
    """
    if book.limits.clearance is not None:
        return book.limits.clearance
    if not book.jacked or not book.some_leaves:
        return 0.0
    thin = min((leaf.thickness for leaf in book.stock if leaf.count + leaf.used > 0), default=0.0)
    usual, limit = max(USUAL_CLEARANCE, thin / 4), limit_of(book)
    return usual if limit is None else min(usual, limit / 2)


def stage_size(book: MovingBook) -> float:
    """Return the most that a point is moved at one stage [m]; inf where there is no such rule.

    What neighbours may differ by, less the jack's clearance; where that uses it up, which is said, still a part of it.
    """
    limit = limit_of(book)
    return math.inf if limit is None else max(limit - clearance_of(book), LEAST_STAGE * limit)


LEAST_STAGE = 0.25
"""A stage is never less than so much of what neighbours may differ by [1]."""


def clearance_uses_it_up(book: MovingBook) -> bool:
    """Whether the jack's clearance alone brings neighbours as far apart as they may be."""
    limit = limit_of(book)
    return limit is not None and clearance_of(book) >= limit - EQUAL


def stages(book: MovingBook, lifts: Floats) -> list[Floats]:
    """Return how far each point has gone after each stage of the lifts (n,) [m]."""
    size = stage_size(book)
    return stage(lifts, None if math.isinf(size) else size)


def rises(book: MovingBook, moves: Floats) -> list[tuple[str, float]]:
    """Return by how much each thing that hangs on a row will rise [m] by the moves (n,) [m] of the supports beside it; nan where not known."""
    out = []
    for thing in book.hanging:
        row = sorted(
            (point.x, float(moves[i]))
            for i, point in enumerate(book.points)
            if point.row == thing.row and not is_missing(moves[i])
        )
        rise = float(np.interp(thing.x, [x for x, _ in row], [m for _, m in row])) if row else math.nan
        out.append((thing.name, rise))
    return out
