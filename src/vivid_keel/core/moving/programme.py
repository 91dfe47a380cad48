"""Leaves for all points together where they compete for one stock: an integer linear programme.

Source: mixed-integer programming with a proven bound (SciPy, HiGHS); residuals from the worst down by
allowing, level by level, the fewest points above it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt
    from scipy.optimize import LinearConstraint

    Floats = npt.NDArray[np.float64]


class Level(NamedTuple):
    """A residual that some points may have [m], how many of them [1], and the group that they belong to."""

    residual: float
    points: int
    group: int = 0


UNIT = 1e-5
"""The programme counts in hundredths of a millimetre, so that the solver's tolerances are nothing."""
DEEPEST, MOST_COLUMNS = 8, 400_000
"""Leaves in a stack [1], and stacks of all points together [1], up to which every stack is listed."""
FINE = 1e-7
"""The greatest residual is settled to so much [m]."""
SLACK = 1e-5
"""Slack on a bound, in that unit: a tenth of a nanometre."""


AT_ONCE = 256
"""So many stacks are held against all others at once."""


class Bounds(Struct, frozen=True):
    """What each of n points allows: so many leaves `most` (n,) [1], of each of k thicknesses `upper` (n, k) [1]."""

    most: npt.NDArray[np.int_]
    upper: npt.NDArray[np.int_]

    def alike(self) -> list[tuple[npt.NDArray[np.int_], int, npt.NDArray[np.int_]]]:
        """Return what is allowed (k,) and how many leaves [1], each once, with the points (m,) that it holds for."""
        rows = np.column_stack([self.upper, self.most])
        each, which = np.unique(rows, axis=0, return_inverse=True)
        which = which.ravel()
        return [(row[:-1], int(row[-1]), np.flatnonzero(which == k)) for k, row in enumerate(each)]


class Tie(Struct, frozen=True):
    """What decides between choices with equally few leaves: first the handlings, then the residuals.

    `stage` (n,) is what one stage lifts [m]: a leaf thicker than that is held up by others first, which is a handling more.
    """

    stage: Floats

    def cost(self, i: int, leaves: npt.NDArray[np.int_], thickness: Floats, residuals: Floats) -> Floats:
        """Return what stacks (m, k) of a point cost beside their leaves [1], by thickness (k,) and residuals (m,) [m]: less than a leaf
        over all points together."""
        handlings = leaves @ (thickness > self.stage[i] + EQUAL)
        weight = 0.4 / (len(self.stage) * max(DEEPEST, 1))
        return np.asarray(
            weight * handlings + weight * 0.4 / len(self.stage) * residuals / (residuals.max() + EQUAL)
        )


class Programme:
    """The integer programme: x[i, k] leaves of thickness k at point i.

    `group` (n,) tells points that are settled already from those still looked at: the `active` group. The others keep
    within `settled` [m] or their own levels, with no more than `budget` leaves together.
    """

    def __init__(
        self,
        wanted: Floats,
        thickness: Floats,
        count: npt.NDArray[np.int_],
        interface: float,
        bounds: Bounds,
        seconds_left: Callable[[], float],
        tie: Tie | None = None,
    ) -> None:
        self._seconds_left = seconds_left
        self.proven = True
        self.keep_back = 0.0
        self.ruled_out = False
        self.wanted, self.net, self.count = wanted, thickness - interface, count
        n, k = len(wanted), len(thickness)
        self.bounds = bounds
        self._upper = bounds.upper.ravel()
        self._shape = (n, k)
        self._listed = self._list()
        self._thickness, self._tie = thickness, tie
        self.group = np.zeros(n, dtype=int)
        self.active, self.settled, self.budget = 0, 0.0, 0
        self._smallest: dict[tuple[int, int, int, float | None], npt.NDArray[np.int_]] = {}

    def _list(self) -> list[tuple[npt.NDArray[np.int_], npt.NDArray[np.int_], Floats]] | None:
        """Every stack that the points of a kind may have, by what it comes to: (points, stacks, sums); None where there are too many."""
        out, many = [], 0
        for upper, most, points in self.bounds.alike():
            stacks = all_stacks(upper, most) if most <= DEEPEST else None
            if stacks is None or (many := many + len(stacks) * len(points)) > MOST_COLUMNS:
                return None
            sums = stacks @ self.net
            order = np.argsort(sums, kind="stable")
            out.append((points, stacks[order], sums[order]))
        return out

    @property
    def time_left(self) -> bool:
        if self._seconds_left() > self.keep_back:
            return True
        self.proven = False
        return False

    def spend(self, seconds: float) -> None:
        """Let what follows take no longer than so many of the seconds that are left [s]."""
        self.keep_back = max(0.0, self._seconds_left() - seconds)

    def residuals(self, x: npt.NDArray[np.int_]) -> Floats:
        """Return |achieved − wanted| of a choice (n, k) at each point (n,) [m]."""
        return np.asarray(np.abs(x @ self.net - self.wanted))

    def worst(self, x: npt.NDArray[np.int_]) -> float:
        """Return the greatest residual of a choice (n, k) [m]."""
        return float(self.residuals(x).max())

    def alone(self) -> Floats:
        """Return the residual of each point if it had the whole stock to itself (n,) [m]; zeros where that is too long to list."""
        out = np.zeros(len(self.wanted))
        for upper, most, points in self.bounds.alike():
            wanted = self.wanted[points]
            sums = reachable(self.net, upper, most, float(wanted.max()))
            if sums is None:
                continue
            at = np.searchsorted(sums, wanted)
            below, above = sums[np.maximum(at - 1, 0)], sums[np.minimum(at, len(sums) - 1)]
            out[points] = np.minimum(np.abs(below - wanted), np.abs(above - wanted))
        return out

    def fewest(
        self, within: float | Floats, levels: Sequence[Level] = (), *, any_will_do: bool = False
    ) -> npt.NDArray[np.int_] | None:
        """Return the choice (n, k) with the fewest leaves whose residuals are all within a bound [m], or None.

        within is one bound or one a point (n,) [m]; `levels` say how many points may go how far beyond it.
        `ruled_out` says after None whether there is no such choice, or the time ran out first.
        """
        x, _ = self._solved(self._base(within), levels, np.ones(self._upper.size), 0.0, any_will_do)
        return x

    def least_beyond(self, within: float, top: float, levels: Sequence[Level]) -> int | None:
        """Return how few points [1] go beyond a bound up to `top` [m], the others within it; None if it can't be told."""
        everyone = [*levels, Level(top, len(self.wanted), self.active)]
        _, beyond = self._solved(self._base(within), everyone, np.zeros(self._upper.size), 1.0, False)
        return beyond

    def _base(self, within: float | Floats) -> Floats:
        """The bound of each point (n,) [m]: that of the active group, and what the others are settled at."""
        return np.where(self.group == self.active, within, self.settled)

    @property
    def listed(self) -> bool:
        """Whether every stack of every point is listed."""
        return self._listed is not None

    def _solved(
        self, base: Floats, levels: Sequence[Level], cost: Floats, dear: float, any_will_do: bool
    ) -> tuple[npt.NDArray[np.int_] | None, int | None]:
        """Solve for x and for which point goes to which level; `dear` is the cost of one that goes to the last.

        The solver can't be stopped in the middle, so it is given the time in growing portions. Where every stack can be
        listed, a point takes one of them: that says the same and is solved a hundred times as fast.
        """
        if self._listed is not None:
            return self._by_stacks(self._listed, base, levels, float(cost.max()), dear, any_will_do)
        from scipy.optimize import LinearConstraint
        from scipy.sparse import csr_array, hstack, identity, kron

        n, k = self._shape
        m = len(levels)
        reach = kron(identity(n), csr_array(self.net[None, :] / UNIT), format="csr")
        stock = hstack([identity(k)] * n, format="csr")
        each = kron(identity(n), csr_array(np.ones((1, k))), format="csr")
        middle, half = self.wanted / UNIT, base / UNIT + SLACK
        rules: list[LinearConstraint] = []
        if m:
            more = np.array([level.residual for level in levels])[None, :] - base[:, None]
            rows = np.repeat(np.arange(n), m)
            wide = csr_array(
                ((np.maximum(more, 0.0) / UNIT).ravel(), (rows, np.arange(n * m))), shape=(n, n * m)
            )
            rules.append(LinearConstraint(hstack([reach, -wide], format="csr"), -np.inf, middle + half))
            rules.append(LinearConstraint(hstack([reach, wide], format="csr"), middle - half, np.inf))
            once = kron(identity(n), csr_array(np.ones((1, m))))
            rules.append(LinearConstraint(hstack([csr_array((n, n * k)), once], format="csr"), 0, 1))
            slots = hstack([identity(m)] * n)
            allowed = np.array([level.points for level in levels])
            rules.append(LinearConstraint(hstack([csr_array((m, n * k)), slots], format="csr"), 0, allowed))
            stock = hstack([stock, csr_array((k, n * m))], format="csr")
            each = hstack([each, csr_array((n, n * m))], format="csr")
        else:
            rules.append(LinearConstraint(reach, middle - half, middle + half))
        rules += [LinearConstraint(stock, 0, self.count), LinearConstraint(each, 0, self.bounds.most)]
        slot = np.tile([*([0.0] * (m - 1)), dear], n) if m else np.empty(0)
        found_x = self._best(
            np.concatenate([cost, slot]),
            rules,
            np.concatenate([self._upper, np.ones(n * m)]),
            any_will_do=any_will_do,
        )
        if found_x is None:
            return None, None
        x = np.rint(found_x[: n * k]).astype(int).reshape(n, k)
        slots_used = np.rint(found_x[n * k :]).reshape(n, m)
        allowed_to = base + (slots_used * np.maximum(more, 0.0)).sum(axis=1) if m else base
        # The solver accepts values a whisker off whole; hold the rounded choice to the rule itself.
        if (self.residuals(x) > allowed_to + 2 * SLACK * UNIT + 1e-12).any():
            return None, None
        return x, int(slots_used[:, -1].sum()) if m else 0

    def _best(
        self, cost: Floats, rules: list[LinearConstraint], upper: Floats, *, any_will_do: bool
    ) -> Floats | None:
        """Return the cheapest whole numbers within the rules, or None; in growing portions, so that any can be taken early."""
        from scipy.optimize import Bounds as Between
        from scipy.optimize import milp

        portion, found_x, self.ruled_out = 0.5, None, False
        while True:
            left = max(min(self._seconds_left() - self.keep_back, portion), 0.05)
            found = milp(
                cost,
                constraints=rules,
                bounds=Between(0, upper),
                integrality=np.ones(len(cost)),
                options={"time_limit": left, "mip_rel_gap": 0.0},
            )
            found_x = found.x if found.x is not None else found_x
            if found.status != 1:
                self.ruled_out = found.x is None
                break
            if found_x is not None and any_will_do:
                break
            if self._seconds_left() <= self.keep_back:
                self.proven = False
                break
            portion *= 2
        return found_x

    def _by_stacks(
        self,
        listed: list[tuple[npt.NDArray[np.int_], npt.NDArray[np.int_], Floats]],
        base: Floats,
        levels: Sequence[Level],
        a_leaf: float,
        dear: float,
        any_will_do: bool,
    ) -> tuple[npt.NDArray[np.int_] | None, int | None]:
        """The same with a column for every stack that a point may have within its bound or a level's.

        A stack that holds another of the same point and level within it is never wanted: it takes more leaves of the stock.
        """
        from scipy.optimize import LinearConstraint
        from scipy.sparse import csr_array

        n, k = self._shape
        point: list[int] = []
        level: list[int] = []
        taken: list[npt.NDArray[np.int_]] = []
        for points, stacks, sums in listed:
            for i in points.tolist():
                if not self.time_left:
                    self.ruled_out = False
                    return None, None
                own = [
                    (j, level.residual)
                    for j, level in enumerate(levels)
                    if level.group == self.group[i] and level.residual > base[i] + EQUAL / 10
                ]
                for j, bound in [(-1, float(base[i])), *own]:
                    some = self._worth_having(i, stacks, sums, bound, float(base[i]) if j >= 0 else None)
                    point += [i] * len(some)
                    level += [j] * len(some)
                    taken.append(some)
        m = len(point)
        if not m or len(set(point)) < n:
            self.ruled_out = True
            return None, None
        leaves, slots = np.vstack(taken), np.array(level)
        column, thickness = np.nonzero(leaves)
        in_level = np.flatnonzero(slots >= 0)
        rows = np.concatenate([point, n + thickness, n + k + slots[in_level]])
        columns = np.concatenate([np.arange(m), column, in_level])
        each = np.concatenate([np.ones(m), leaves[column, thickness], np.ones(len(in_level))])
        one, allowed = np.ones(n), np.array([level.points for level in levels])
        rules = [
            LinearConstraint(
                csr_array((each, (rows, columns)), shape=(n + k + len(levels), m)),
                np.concatenate([one, np.zeros(k + len(levels))]),
                np.concatenate([one, self.count, allowed]),
            )
        ]
        of = np.array(point)
        if self.budget:
            settled = np.where(self.group[of] == self.active, 0, leaves.sum(axis=1))
            rules.append(LinearConstraint(csr_array(settled[None, :]), 0, self.budget))
        # Where any choice will do, it need not be the cheapest: that is told twice as soon.
        cost = np.zeros(m) if any_will_do else leaves.sum(axis=1) * a_leaf
        if a_leaf and self._tie is not None and not any_will_do:
            cost = cost + self._ties(of, leaves)
        if levels:
            cost = cost + dear * (slots == len(levels) - 1)
        found_x = self._best(cost, rules, np.ones(m), any_will_do=any_will_do)
        if found_x is None:
            return None, None
        chosen = np.flatnonzero(np.rint(found_x) > 0)
        x = np.zeros((n, k), dtype=int)
        x[of[chosen]] = leaves[chosen]
        return x, int((slots[chosen] == len(levels) - 1).sum()) if levels else 0

    def _ties(self, of: npt.NDArray[np.int_], leaves: npt.NDArray[np.int_]) -> Floats:
        """What each stack (m, k) of the points `of` (m,) costs beside its leaves [1]."""
        assert self._tie is not None
        out = np.zeros(len(of))
        residuals = np.abs(leaves @ self.net - self.wanted[of])
        for i in np.unique(of).tolist():
            own = of == i
            out[own] = self._tie.cost(i, leaves[own], self._thickness, residuals[own])
        return out

    def _worth_having(
        self, i: int, stacks: npt.NDArray[np.int_], sums: Floats, bound: float, beyond: float | None
    ) -> npt.NDArray[np.int_]:
        """Return the stacks (m, k) of a point whose residual lies within a bound [m], and `beyond` another [m], and hold no such within."""
        near = slice(
            int(np.searchsorted(sums, self.wanted[i] - bound - EQUAL / 10)),
            int(np.searchsorted(sums, self.wanted[i] + bound + EQUAL / 10, side="right")),
        )
        key = (i, near.start, near.stop, beyond)
        if key not in self._smallest:
            some = stacks[near]
            if beyond is not None:
                some = some[np.abs(sums[near] - self.wanted[i]) > beyond + EQUAL / 10]
            self._smallest[key] = some[smallest(some)]
        return self._smallest[key]

    def least_greatest(
        self,
        low: float,
        chosen: npt.NDArray[np.int_],
        levels: Sequence[Level] = (),
        better: Callable[[npt.NDArray[np.int_]], None] = lambda x: None,
    ) -> tuple[float, float, npt.NDArray[np.int_]]:
        """Return what no choice undercuts [m], and a choice (n, k) with what it reaches [m], which is the same if time lasts.

        Bisection between `low` [m], which is known not to be undercut, and what the choice so far reaches; the
        points that the levels let go beyond don't count. Where every stack is listed it goes by what a residual
        can be at all, of which there are few.
        """
        high = self.beyond_levels(chosen, levels)
        # Where some may go beyond, the next worst is hardly better than the worst: it is looked for from there down.
        reach = 1 if levels else MOST_COLUMNS
        while high - low > FINE and self.time_left:
            within, undercut = self._to_try(low, high, reach)
            reach *= 2
            found = None if within >= high else self.fewest(within, levels, any_will_do=True)
            if found is not None:
                chosen, high = found, self.beyond_levels(found, levels)
                better(chosen)
            elif within >= high or self.ruled_out:
                low = undercut
            else:
                break  # the time ran out before it was told either way
        return low, high, chosen

    def _to_try(self, low: float, high: float, reach: int) -> tuple[float, float]:
        """Return a greatest residual to try between two [m], no more than `reach` [1] of those there can be below the higher, and what is
        not undercut if there is none such [m]."""
        if self._residuals is None:
            return (low + high) / 2, (low + high) / 2
        could = self._residuals[(self._residuals > low - EQUAL / 10) & (self._residuals < high - EQUAL / 10)]
        at = max(len(could) // 2, len(could) - reach)
        within, undercut = (float(could[k]) if k < len(could) else high for k in (at, at + 1))
        return within, undercut

    @cached_property
    def _residuals(self) -> Floats | None:
        """What |achieved − wanted| can be at all, of any point with any stack of its own (m,) [m], rising; None where they are not listed."""
        if self._listed is None:
            return None
        each = [
            np.abs(sums[None, :] - self.wanted[points][:, None]).ravel() for points, _, sums in self._listed
        ]
        return np.asarray(np.unique(np.round(np.concatenate(each), 12)))

    def beyond_levels(self, x: npt.NDArray[np.int_], levels: Sequence[Level]) -> float:
        """Return the greatest residual of a choice (n, k) [m] but for as many points as the levels let go beyond."""
        left = np.sort(self.residuals(x)[self.group == self.active])[::-1]
        let_go = sum(level.points for level in levels if level.group == self.active)
        return float(left[let_go]) if let_go < len(left) else 0.0


def smallest(stacks: npt.NDArray[np.int_]) -> npt.NDArray[np.intp]:
    """Return which stacks (m, k) [leaves of each thickness, 1], no two alike, hold no other of them within; fewest leaves first."""
    order = np.argsort(stacks.sum(axis=1), kind="stable")
    by_leaf = np.ascontiguousarray(stacks.T.astype(np.int16))
    alone = []
    for some in np.array_split(by_leaf, len(stacks) // AT_ONCE + 1, axis=1):
        within = by_leaf[0][:, None] <= some[0]
        for each, part in zip(by_leaf[1:], some[1:], strict=True):
            within &= each[:, None] <= part
        alone.append(within.sum(axis=0) == 1)  # itself
    kept: npt.NDArray[np.intp] = order[np.concatenate(alone)[order]]
    return kept


def reachable(net: Floats, count: npt.NDArray[np.int_], most: int, up_to: float) -> Floats | None:
    """Return all thicknesses that one stack of net leaves [m] can have, up to `up_to` [m], sorted; None when there are too many to list."""
    ceiling = up_to + float(net.max()) + EQUAL
    sums: dict[int, set[int]] = {0: {0}}  # leaves used → thicknesses in 1/1000 µm
    grain = 1e-9
    steps = np.rint(net / grain).astype(np.int64).tolist()
    top = round(ceiling / grain)
    for step, available in zip(steps, count.tolist(), strict=True):
        grown: dict[int, set[int]] = {used: set(values) for used, values in sums.items()}
        for used, values in sums.items():
            for more in range(1, min(available, most - used) + 1):
                new = {v + more * step for v in values if v + more * step <= top}
                if not new:
                    break
                grown.setdefault(used + more, set()).update(new)
        sums = grown
        if sum(map(len, sums.values())) > 200_000:
            return None
    return np.array(sorted(set().union(*sums.values()))) * grain


MOST_STACKS = 100_000
"""Stacks there may be to look at all of them."""


def all_stacks(count: npt.NDArray[np.int_], most: int) -> npt.NDArray[np.int_] | None:
    """Return every stack (m, k) of at most `most` leaves [1] that the stock's `count` (k,) [1] allows, one point to itself; None when
    there are too many."""
    out = np.zeros((1, 0), dtype=int)
    for available in count.tolist():
        used = out.sum(axis=1)
        parts = []
        for more in range(min(available, most) + 1):
            fits = out[used + more <= most]
            parts.append(np.column_stack([fits, np.full(len(fits), more, dtype=int)]))
        out = np.vstack(parts)
        if len(out) > MOST_STACKS:
            return None
    return out
