"""The error budget of a run: what the weakest height owes to each source."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.booking.layout import ListedMark
from vivid_keel.core.booking.uncertainty import height_uncertainty
from vivid_keel.core.instruments.defaults import reading_uncertainty
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.trades.run.result import RunResult


class RunBudget(Struct, frozen=True):
    """The budget of the least certain mark; "" where nothing is reduced."""

    mark: str
    budget: Budget


def run_budget(result: RunResult) -> RunBudget:
    """Return the contributions to the least certain height of a run [m].

    Each source is carried through the reduction by itself, the others nought: readings close by, what
    they grow by with distance, sights of unknown length, the benchmarks' own heights, and the
    collimation error as far as it is left. Their squares sum to those of `u_heights`.
    """
    u = result.u_heights()
    if not len(u) or np.isnan(u).all():
        return RunBudget("", Budget(()))
    row = int(np.nanargmax(u))
    d, n = result.distances, len(result.distances)
    base, grows = np.zeros(n), np.zeros(n)
    for k, i in enumerate(result.book.instruments):
        own = result.read_with() == k
        close = reading_uncertainty(i.base, 0.0, i.from_distance, i.reach, d)
        whole = reading_uncertainty(i.base, i.per_metre, i.from_distance, i.reach, d)
        base = np.where(own, close, base)
        grows = np.where(own, np.sqrt(np.maximum(whole**2 - close**2, 0.0)), grows)
    rest = np.sqrt(np.maximum(result.u_readings**2 - base**2 - grows**2, 0.0))
    nothing = np.zeros(n)
    sure = {name: ListedMark(m.name, m.height, m.fixed, 0.0) for name, m in result.layout.listed.items()}
    bare = replace(result.reduction, layout=replace(result.layout, listed=sure))
    left = result.left_by_collimation()
    bounds = [
        0.0 if b is None else float(b[row]) / 2
        for b in (result.collimation_bound(), result.axis_bound(), result.left_in())
    ]
    # Bounds come on top, not in the root: each line takes what it adds to the sum of squares.
    chance = u[row] - sum(bounds)
    unpaced = math.sqrt((chance + bounds[0]) ** 2 - chance**2)
    tipped = math.sqrt((chance + bounds[0] + bounds[1]) ** 2 - (chance + bounds[0]) ** 2)
    known = math.sqrt(max(0.0, u[row] ** 2 - (chance + bounds[0] + bounds[1]) ** 2))
    lines = [
        BudgetLine(
            "readings, close by",
            float(height_uncertainty(bare, result.closure, base)[row]),
            "a finer scale, or the mean of four readings each",
        ),
        BudgetLine(
            "growing with distance",
            float(height_uncertainty(bare, result.closure, grows)[row]),
            "sights of half the length",
        ),
        BudgetLine(
            "read more coarsely",
            float(height_uncertainty(bare, result.closure, rest)[row]),
            "read, and book, to the millimetre",
        ),
        BudgetLine(
            "collimation, length not booked",
            unpaced,
            "pace the sights and book their lengths",
        ),
        BudgetLine("a known collimation, left in", known, "switch it on under Proof, or equal sights"),
        BudgetLine("the laser's axes", tipped, "stand nearer, or have its axes adjusted and checked"),
        BudgetLine(
            "benchmarks' own heights",
            float(height_uncertainty(result.reduction, result.closure, nothing)[row]),
            "a better benchmark, or a second one",
        ),
        BudgetLine(
            "collimation left, unequal sights",
            0.0 if left is None else float(left[row]),
            "equal sights, or more rounds of the two-peg check",
        ),
    ]
    return RunBudget(result.layout.marks[row], Budget(tuple(line for line in lines if line.u > 1e-12)))
