"""Rounds of supports: stages of a lift, what the building answers, and what hangs on it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.response import Reason, Response, learned_interface, passes_to_go, reasons, took
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.moving.stages import neighbour_limit, stage
from vivid_keel.trades.supports.book import SupportsBook

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class PassTold:
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


@dataclass(frozen=True)
class Learned:
    """What the rounds taught: the building's answer, what an interface closes [m], and each round told."""

    response: Response | None
    interface: float
    told: list[PassTold]


def changes(book: SupportsBook) -> list[tuple[Floats, Floats, Floats]]:
    """Return put in, leaves, and change of height of every finished round (n,) each [m]; nan where not read."""
    sign = signs([p.sense for p in book.points])
    out = []
    for done in book.passes:
        put = np.array([done.put.get(p.id, 0.0) for p in book.points])
        leaves = np.array([done.leaves.get(p.id, 0) for p in book.points], dtype=float)
        change = np.full(len(book.points), np.nan)
        for i, p in enumerate(book.points):
            if p.id in done.before and p.id in done.after:
                worn = done.after[p.id].own - done.before[p.id].own if book.use_staff else 0.0
                change[i] = done.shift + sign[i] * (done.after[p.id].value - done.before[p.id].value - worn)
        out.append((put, leaves, change))
    return out


def learn(book: SupportsBook, u: float) -> Learned:
    """Return what the finished rounds taught; nothing while there are none."""
    delta = book.limits.interface
    happened = changes(book)
    if not happened:
        return Learned(None, delta, [])
    told = []
    for n, (put, leaves, change) in enumerate(happened, 1):
        delta = learned_interface([int(k) for k in leaves], put, change, delta, u)
        made = put - delta * leaves
        told.append(
            PassTold(
                n,
                int((np.abs(put) > 1e-9).sum()),
                took(made, change),
                reasons(made, change, u, [leaf.thickness for leaf in book.stock]),
            )
        )
    moves = [put - delta * leaves for put, leaves, _ in happened]
    seen = [change for _, _, change in happened]
    xy = np.array([(p.x, p.y) for p in book.points])
    apart = np.hypot(*(xy[:, None] - xy[None]).transpose(2, 0, 1))
    rows = [
        sorted((i for i, p in enumerate(book.points) if p.row == row), key=lambda i: book.points[i].x)
        for row in book.rows
    ]
    response = Response.beams(len(book.points), rows, moves, seen).learned(moves, seen, max(u, 1e-6), apart)
    return Learned(response, delta, told)


def to_go(book: SupportsBook, deviations: Floats, u: float) -> float:
    """Return about how many rounds it takes from here; nan while no round is finished."""
    if not book.passes or np.isnan(deviations).all():
        return math.nan
    _, _, change = changes(book)[-1]
    worst = float(np.nanmax(np.abs(deviations)))
    before = deviations - np.where(np.isnan(change), 0.0, change)
    return passes_to_go(worst, float(np.nanmax(np.abs(before))), book.limits.tolerance, u)


def limit_of(book: SupportsBook) -> float | None:
    """Return how far neighbours may differ within a round [m]; None where there is no such rule."""
    if book.limits.neighbours is not None:
        return book.limits.neighbours if book.limits.neighbours > 0 else None
    gaps = []
    for row in book.rows:
        xs = sorted(p.x for p in book.points if p.row == row)
        gaps += [b - a for a, b in zip(xs, xs[1:], strict=False) if b > a]
    return neighbour_limit(min(gaps)) if gaps else None


def stages(book: SupportsBook, lifts: Floats) -> list[Floats]:
    """Return how far each point has gone after each stage of the lift [m]."""
    return stage(lifts, limit_of(book), book.limits.clearance)


def rises(book: SupportsBook, moves: Floats) -> list[tuple[str, float]]:
    """Return by how much each thing that hangs on a row will rise [m], between the supports beside it; nan where not known."""
    out = []
    for thing in book.hanging:
        row = sorted(
            (p.x, float(moves[i])) for i, p in enumerate(book.points) if p.row == thing.row and moves[i] == moves[i]
        )
        rise = float(np.interp(thing.x, [x for x, _ in row], [m for _, m in row])) if row else math.nan
        out.append((thing.name, rise))
    return out
