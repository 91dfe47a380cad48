"""Error budgets: which contribution dominates, and what would halve the whole.

Source: variances add; halving u wants the share of the greatest contribution brought down.
"""

from __future__ import annotations

import math

from vivid_keel.core.proof import Budget, BudgetLine


def shares(budget: Budget) -> list[float]:
    """Return each line's share of the variance, as many as there are lines; they sum to 1 (0 each where nothing is)."""
    whole = budget.u**2
    return [line.u**2 / whole if whole > 0 else 0.0 for line in budget.lines]


def to_halve(budget: Budget) -> list[tuple[BudgetLine, float]]:
    """Return the fewest lines to better, the largest first, and what each may be at most, so that U is half.

    A line that must go by itself keeps what is left of a quarter of the variance; where that is
    nothing, the next larger is bettered with it, all in the same proportion.
    """
    whole = budget.u**2
    if whole <= 0:
        return []
    by_size = sorted(budget.lines, key=lambda line: -line.u)
    for count in range(1, len(by_size) + 1):
        rest = sum(line.u**2 for line in by_size[count:])
        room = whole / 4 - rest
        if room > 1e-4 * whole:  # less room than that is no instruction anybody could follow
            scale = math.sqrt(room / (whole - rest))
            return [(line, line.u * scale) for line in by_size[:count]]
    return [(line, line.u / 2) for line in by_size]
