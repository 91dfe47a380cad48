"""Packing leaves for all points together, from one finite stock.

Source: choosing leaves from a stock is an integer linear programme, solved with a proven bound (SciPy, HiGHS).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


_UNIT = 1e-5
"""The programme counts in hundredths of a millimetre, so that the solver's tolerances are nothing."""
_SLACK = 1e-5
"""Slack on a bound, in that unit: a tenth of a nanometre."""


@dataclass(frozen=True)
class Packing:
    """Leaves for n points.

    Attributes
    ----------
    stacks : list of tuple of float
        Leaves of each point, thick first [m].
    residuals : float array (n,)
        Achieved − wanted [m]; achieved = Σ leaves − interface × leaves.
    greatest_residual : float
        [m]
    leaves : int
        In all.
    proven : bool
        Whether no better choice exists; False when the time ran out first.
    bound : float
        No choice has a smaller greatest residual than this [m].
    to_buy : tuple of (thickness [m], count), or None
        What the stock lacks to bring every point within its tolerance; empty where it lacks nothing, None
        where no number of these thicknesses would.
    """

    stacks: list[tuple[float, ...]]
    residuals: Floats
    greatest_residual: float
    leaves: int
    proven: bool
    bound: float
    to_buy: tuple[tuple[float, int], ...] | None = ()

    def by_thickness(self) -> dict[float, int]:
        """Return how many leaves of each thickness [m] it takes, thick first."""
        counted = Counter(t for stack in self.stacks for t in stack)
        return dict(sorted(counted.items(), reverse=True))


def choose_leaves(
    wanted: Floats,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
    seconds_left: Callable[[], float] = lambda: 20.0,
    better: Callable[[Packing], None] = lambda packing: None,
) -> Packing:
    """Choose leaves for every point: least greatest |residual| first, then fewest leaves in all.

    Bisection over the greatest residual, each step an integer programme "fewest leaves within it";
    it starts at the bound that each point alone allows, which ample stock meets at once.

    Parameters
    ----------
    wanted : float array (n,)
        Thickness wanted at each point [m]; below 0 counts as a residual no leaf can cure.
    leaves : sequence of float, length k
        Thicknesses in stock [m].
    counts : sequence of int, length k
        How many of each.
    interface : float
        How much each leaf's interface closes under load [m].
    most_leaves : int, optional
        In one stack.
    seconds_left : callable
        Returns the time that may still be spent [s]; at 0 the best found so far is returned with
        `proven` False. The core has no clock of its own: the caller brings one.
    better : callable
        Is told every choice that is better than the one before, while the search goes on.
    """
    thickness, count = _merge(leaves, counts)
    n = len(wanted)
    if n == 0 or len(thickness) == 0 or not count.sum():
        return _packing(wanted, thickness, np.zeros((n, len(thickness)), dtype=int), interface, True, None)
    ample = ample_stock(wanted, leaves, counts, interface, most_leaves)
    if ample is not None:
        return ample
    programme = _Programme(wanted, thickness, count, interface, most_leaves, seconds_left)
    low = programme.alone()
    best = programme.fewest(low)
    if best is not None:
        return _packing(wanted, thickness, best, interface, programme.proven, low)
    chosen = np.zeros((n, len(thickness)), dtype=int)  # leaving everything bare is always possible
    high = programme.worst(chosen)
    while high - low > EQUAL and programme.time_left:
        middle = (low + high) / 2
        found = programme.fewest(middle, any_will_do=True)
        if found is not None:
            chosen, high = found, programme.worst(found)
            better(_packing(wanted, thickness, chosen, interface, False, low))
        elif programme.ruled_out:
            low = middle
        else:
            break  # the time ran out before it was told either way
    settled = programme.fewest(high) if programme.time_left else None
    if settled is not None:
        chosen = settled
    return _packing(wanted, thickness, chosen, interface, programme.proven and settled is not None, low)


def ample_stock(
    wanted: Floats,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
) -> Packing | None:
    """Return the best choice where every point can have its own best stack, at once; None where they compete for leaves.

    wanted (n,), leaves and interface are in metres [m], as of `choose_leaves`.
    """
    thickness, count = _merge(leaves, counts)
    if not len(wanted) or not count.sum():
        return None
    x = _each_alone(wanted, thickness - interface, count, most_leaves)
    return None if x is None else _packing(wanted, thickness, x, interface, True, None)


def shopping(
    wanted: Floats,
    within: float,
    leaves: Sequence[float],
    counts: Sequence[int],
    interface: float = 0.0,
    most_leaves: int | None = None,
    seconds_left: Callable[[], float] = lambda: 5.0,
) -> tuple[tuple[float, int], ...] | None:
    """Return the fewest leaves to buy, of thicknesses in stock, that bring every point within a bound.

    Parameters
    ----------
    wanted : float array (n,)
        Thickness wanted at each point [m].
    interface : float
        What each interface closes [m].
    within : float
        Greatest |residual| allowed [m].

    Returns
    -------
    tuple of (thickness [m], count), thick first, or None where no number of them would do (or the time ran out).
    """
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import csr_array, hstack, identity, kron

    thickness, count = _merge(leaves, counts, empty=True)
    n, k = len(wanted), len(thickness)
    if not n or not k:
        return None
    most = int(count.sum()) + 8 * n if most_leaves is None else most_leaves
    net = thickness - interface
    bare = csr_array((n, k))
    reach = hstack([kron(identity(n), csr_array(net[None, :] / _UNIT)), bare], format="csr")
    stock = hstack([*[identity(k)] * n, -identity(k)], format="csr")
    each = hstack([kron(identity(n), csr_array(np.ones((1, k)))), bare], format="csr")
    middle, half = wanted / _UNIT, within / _UNIT + _SLACK
    rules = [
        LinearConstraint(reach, middle - half, middle + half),
        LinearConstraint(stock, -np.inf, count),
        LinearConstraint(each, 0, most),
    ]
    cost = np.concatenate([np.full(n * k, 1e-3), np.ones(k)])
    upper = np.concatenate([np.full(n * k, float(most)), np.full(k, float(n * most))])
    found = milp(
        cost,
        constraints=rules,
        bounds=Bounds(0, upper),
        integrality=np.ones(len(cost)),
        options={"time_limit": max(min(seconds_left(), 5.0), 0.05)},
    )
    if found.x is None:
        return None
    buy = np.rint(found.x[n * k :]).astype(int)
    return tuple((float(t), int(b)) for t, b in zip(thickness, buy, strict=True) if b > 0)


def _each_alone(
    wanted: Floats, net: Floats, count: npt.NDArray[np.int_], most: int | None
) -> npt.NDArray[np.int_] | None:
    """Return the optimum where every point can have its own best stack from the one stock, else None.

    The greatest residual can't be less than that of the point worst served by the whole stock, and no
    point can do with fewer leaves within it: where these choices fit the stock together, nothing is better.
    """
    stacks = _all_stacks(count, int(count.sum()) if most is None else most)
    if stacks is None:
        return None
    sums = stacks @ net
    by_sum = np.argsort(sums, kind="stable")
    stacks, sums = stacks[by_sum], sums[by_sum]
    at = np.searchsorted(sums, wanted)
    below, above = sums[np.maximum(at - 1, 0)], sums[np.minimum(at, len(sums) - 1)]
    low = float(np.minimum(np.abs(below - wanted), np.abs(above - wanted)).max())
    first = np.searchsorted(sums, wanted - low - EQUAL / 10)
    last = np.searchsorted(sums, wanted + low + EQUAL / 10, side="right")
    leaves = stacks.sum(axis=1)
    out = np.zeros((len(wanted), len(net)), dtype=int)
    for i, (a, b) in enumerate(zip(first.tolist(), last.tolist(), strict=True)):
        near = np.arange(a, b)
        fewest = near[leaves[near] == leaves[near].min()]
        out[i] = stacks[fewest[int(np.argmin(np.abs(sums[fewest] - wanted[i])))]]
    return out if (out.sum(axis=0) <= count).all() else None


MOST_STACKS = 100_000
"""Stacks there may be to look at all of them."""


def _all_stacks(count: npt.NDArray[np.int_], most: int) -> npt.NDArray[np.int_] | None:
    """Every stack of at most `most` leaves the stock allows, one point to itself; None when there are too many."""
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


class _Programme:
    """The integer programme: x[i, k] leaves of thickness k at point i."""

    def __init__(
        self,
        wanted: Floats,
        thickness: Floats,
        count: npt.NDArray[np.int_],
        interface: float,
        most: int | None,
        seconds_left: Callable[[], float],
    ) -> None:
        from scipy.sparse import csr_array, hstack, identity, kron

        self._seconds_left = seconds_left
        self.proven = True
        self.ruled_out = False
        self.wanted, self.net, self.count = wanted, thickness - interface, count
        n, k = len(wanted), len(thickness)
        self.most = int(count.sum()) if most is None else most
        self._reach = kron(identity(n), csr_array(self.net[None, :] / _UNIT), format="csr")
        self._stock = hstack([identity(k)] * n, format="csr")
        self._each = kron(identity(n), csr_array(np.ones((1, k))), format="csr")
        self._upper = np.tile(np.minimum(count, self.most), n)
        self._shape = (n, k)

    @property
    def time_left(self) -> bool:
        if self._seconds_left() > 0:
            return True
        self.proven = False
        return False

    def worst(self, x: npt.NDArray[np.int_]) -> float:
        return float(np.abs(x @ self.net - self.wanted).max())

    def alone(self) -> float:
        """Return the greatest residual if every point had the whole stock to itself [m]."""
        reachable = _reachable(self.net, self.count, self.most, float(self.wanted.max()))
        if reachable is None:
            return 0.0
        at = np.searchsorted(reachable, self.wanted)
        below = reachable[np.maximum(at - 1, 0)]
        above = reachable[np.minimum(at, len(reachable) - 1)]
        return float(np.minimum(np.abs(below - self.wanted), np.abs(above - self.wanted)).max())

    def fewest(self, within: float, *, any_will_do: bool = False) -> npt.NDArray[np.int_] | None:
        """Return the choice with the fewest leaves whose residuals are all within a bound [m], or None.

        The solver can't be stopped in the middle, so it is given the time in growing portions. `ruled_out`
        says after None whether there is no such choice, or the time ran out first.
        """
        from scipy.optimize import Bounds, LinearConstraint, milp

        n, k = self._shape
        middle, half = self.wanted / _UNIT, within / _UNIT + _SLACK
        rules = [LinearConstraint(self._reach, middle - half, middle + half)]
        rules.append(LinearConstraint(self._stock, 0, self.count))
        rules.append(LinearConstraint(self._each, 0, self.most))
        portion, found_x, self.ruled_out = 0.5, None, False
        while True:
            left = max(min(self._seconds_left(), portion), 0.05)
            found = milp(
                np.ones(n * k),
                constraints=rules,
                bounds=Bounds(0, self._upper),
                integrality=np.ones(n * k),
                options={"time_limit": left, "mip_rel_gap": 0.0},
            )
            found_x = found.x if found.x is not None else found_x
            if found.status != 1:
                self.ruled_out = found.x is None
                break
            if found_x is not None and any_will_do:
                break
            if self._seconds_left() <= 0:
                self.proven = False
                break
            portion *= 2
        if found_x is None:
            return None
        x = np.rint(found_x).astype(int).reshape(n, k)
        # The solver accepts values a whisker off whole; hold the rounded choice to the rule itself.
        return x if self.worst(x) <= within + 2 * _SLACK * _UNIT + 1e-12 else None


def _reachable(net: Floats, count: npt.NDArray[np.int_], most: int, up_to: float) -> Floats | None:
    """All thicknesses one stack can have [m], sorted; None when there are too many to list."""
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


def _merge(
    leaves: Sequence[float], counts: Sequence[int], *, empty: bool = False
) -> tuple[Floats, npt.NDArray[np.int_]]:
    """Thicknesses in stock, thick first, equal ones together; with `empty` those that are used up too."""
    have: dict[float, int] = {}
    for leaf, count in zip(leaves, counts, strict=True):
        key = next((t for t in have if abs(t - leaf) <= EQUAL), leaf)
        have[key] = have.get(key, 0) + count
    order = sorted((t for t, c in have.items() if c > 0 or empty), reverse=True)
    return np.array(order), np.array([have[t] for t in order], dtype=int)


def _packing(
    wanted: Floats,
    thickness: Floats,
    x: npt.NDArray[np.int_],
    interface: float,
    proven: bool,
    bound: float | None,
) -> Packing:
    stacks = [
        tuple(float(t) for t, c in zip(thickness, row, strict=True) for _ in range(int(c))) for row in x
    ]
    achieved = np.array([sum(stack) - interface * len(stack) for stack in stacks])
    residuals = achieved - wanted
    residuals[np.abs(residuals) < 1e-12] = 0.0
    greatest = float(np.abs(residuals).max()) if len(residuals) else 0.0
    return Packing(
        stacks, residuals, greatest, int(x.sum()), proven, greatest if bound is None else min(bound, greatest)
    )
