"""A simulated building on stand-in supports: springy or stiff beams, closing packing, sinking blocking, reading noise."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct, field

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Building(Struct):
    """Supports in rows under beams; its true heights are hidden, readings are not.

    Attributes
    ----------
    xy : float array (n, 2)
        [m]
    heights : float array (n,)
        True heights of the beam over each support [m].
    carry : float array (n, n)
        How the beam answers a support raised by one [1].
    interface : float array (n,)
        What each interface under a support closes by [m].
    sink : float array (n,)
        How much of a lift the blocking gives back [1].
    u : float
        Noise of one reading [m].
    """

    xy: Floats
    heights: Floats
    carry: Floats
    interface: Floats
    sink: Floats
    u: float
    rng: np.random.Generator
    lifts: int = field(default=0)

    @property
    def n(self) -> int:
        return len(self.heights)

    def read(self) -> Floats:
        """Return one reading at every support, as a height [m]."""
        return np.asarray(self.heights + self.rng.normal(0, self.u, self.n))

    def read_one(self, i: int) -> float:
        return float(self.heights[i] + self.rng.normal(0, self.u))

    def pack(self, stacks: list[tuple[float, ...]], before: list[tuple[float, ...]] | None = None) -> None:
        """Put these leaves in under every support, in place of those of before, let down, and let it settle."""
        old = before or [()] * self.n
        put = np.array([sum(stack) - sum(o) for stack, o in zip(stacks, old, strict=True)])
        leaves = np.array([len(stack) - len(o) for stack, o in zip(stacks, old, strict=True)])
        support = (put - leaves * self.interface) * (1 - self.sink)
        self.heights = self.heights + self.carry @ support
        self.lifts += int((put > 0).sum())

    def jack_to(self, i: int, mark: float) -> float:
        """Raise one support with the jack until its reading shows the mark; return the gap that opened [m].

        The beam comes up by as much; let down on packing that thick, it gives part of that back.
        """
        return max(0.0, mark - self.read_one(i))


def building(rng: np.random.Generator, *, springy: float | None = None, u: float = 0.0003) -> Building:
    """Return a building of 8 to 24 supports in two to four rows, gone out of level over the years."""
    rows = int(rng.integers(2, 5))
    per = int(rng.integers(4, 7)) if rows < 4 else int(rng.integers(3, 7))
    per = min(per, 24 // rows)
    spacing = float(rng.uniform(1.8, 3.0))
    xy = np.array([(k * spacing, r * 3.0) for r in range(rows) for k in range(per)])
    n = len(xy)
    tilt = rng.normal(0, 0.0008, 2)
    sag = rng.normal(0, 0.003, n)
    heights = xy @ tilt + sag
    heights -= heights.max()
    soft = float(rng.uniform(0.0, 0.35)) if springy is None else springy
    carry = np.zeros((n, n))
    for r in range(rows):
        at = slice(r * per, (r + 1) * per)
        carry[at, at] = _beam(soft, rng.uniform(0.6, 1.6, per))
    return Building(xy, heights, carry, rng.uniform(0.00001, 0.00008, n), rng.uniform(0.0, 0.06, n), u, rng)


def _beam(soft: float, support: Floats) -> Floats:
    """Return how a beam on uneven springy supports answers each being raised: (K + κ·BᵀB)⁻¹·K, B its second differences.

    A stiff beam carries its neighbours along; a limp one (`soft` 0) leaves each support to itself.
    """
    n = len(support)
    if n < 3 or soft <= 0:
        return np.eye(n)
    b = np.zeros((n - 2, n))
    for k in range(n - 2):
        b[k, k : k + 3] = 1, -2, 1
    springs = np.diag(support)
    return np.asarray(np.linalg.solve(springs + 0.4 * soft * b.T @ b, springs))


LEAVES = (0.010, 0.006, 0.003, 0.0015, 0.0008, 0.0004, 0.0002)


def by_hand(site: Building, tolerance: float, most: int = 15) -> int:
    """Return the rounds a worker needs who goes round about, raises each to the mark, and guesses the packing.

    The mark is the highest reading of each round. Where a reading is low he jacks to the mark, measures
    the gap, packs what comes nearest from the leaves at hand, lets down, and goes on; round again until
    all stand within tolerance of the mark.
    """
    for round_ in range(1, most + 1):
        target = float(site.read().max())
        for i in range(site.n):
            if target - site.read_one(i) <= 0.5 * tolerance:
                continue
            gap = site.jack_to(i, target)
            stacks: list[tuple[float, ...]] = [() for _ in range(site.n)]
            stacks[i] = guess(gap)
            site.pack(stacks)
        if float(np.abs(site.heights - target).max()) <= tolerance:
            return round_
    return most + 1


def guess(gap: float, most: int = 4) -> tuple[float, ...]:
    """Return the leaves somebody takes by eye: the largest that goes in, again and again."""
    out: list[float] = []
    left = gap
    for leaf in LEAVES:
        while left >= leaf - 1e-9 and len(out) < most:
            out.append(leaf)
            left -= leaf
    return tuple(out)


def hide_building(seed: int, u: float) -> dict[str, float]:
    """Return the hidden numbers of a building that answers a work's moves: how springy, what closes, what sinks."""
    rng = np.random.default_rng(seed)
    return {
        "seed": float(seed),
        "soft": float(rng.uniform(0.05, 0.35)),
        "interface": float(rng.uniform(0.00002, 0.00008)),
        "sink": float(rng.uniform(0, 0.06)),
        "u": u,
    }


def line_moved(hidden: dict[str, float], rounds: int) -> float:
    """Return how much higher the line is after so many rounds [1] than it was at first [m]: in most of them somebody touched the tripod."""
    moved = 0.0
    for k in range(rounds):
        rng = np.random.default_rng([int(hidden["seed"]), k, 77])
        if rng.random() < 0.6:
            moved += float(rng.choice([-1, 1]) * rng.uniform(0.002, 0.006))
    return moved


def answer(
    hidden: dict[str, float], rows: list[list[int]], n: int, packed: list[tuple[Floats, Floats]]
) -> Floats:
    """Return by how much each support's height has changed since it was found, after these rounds [m], reading noise put in.

    Parameters
    ----------
    rows : list of list of int
        Supports along each beam, in order.
    packed : list of (put, leaves), each (n,)
        What every round put in [m] and how many leaves.
    """
    rng = np.random.default_rng(int(hidden["seed"]))
    carry = np.eye(n)
    for row in rows:
        carry[np.ix_(row, row)] = _beam(hidden["soft"], rng.uniform(0.6, 1.6, len(row)))
    change = np.zeros(n)
    for put, leaves in packed:
        change += carry @ ((put - leaves * hidden["interface"]) * (1 - hidden["sink"]))
    noise = np.random.default_rng([int(hidden["seed"]), len(packed)])
    return np.asarray(change + noise.normal(0, hidden["u"], n))
