"""Lines that a surface keeps: the tops and bottoms of walls and banks, kerbs, ridges and ditches.

Source: a side stands in a triangulation with empty circles if the circle over it as a diameter holds no other point (Gabriel). Points
are put on the lines until that is so of every piece; pieces that leave a corner are parted at powers of two from it, so that two that
leave it together are parted alike (Ruppert's shells).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.outline import side_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]

NEAR = 1e-9
"""A point that lies so near a line lies on it, of the whole's size [1]."""
AIR = 0.001
"""Two heights at one place that differ by more are two heights [m]."""
ROUNDS = 60
"""Lines that have to be parted more often than this come closer to one another than anybody measures."""
PIECES = 60_000
"""Lines that go to more pieces than this, and than four for every point, have a point in the wrong place."""


class Parted(Struct, frozen=True):
    """Lines with the points that were put on them.

    Attributes
    ----------
    xyz : float array (n + m, 3)
        The points as they were given, and behind them those that were put in [m].
    between : int array (m, 2)
        The two points as given that each one put in lies between.
    share : float array (m,)
        How far along it lies from the first to the second [1].
    pieces : int array (k, 2)
        The lines' pieces, by their ends.
    """

    xyz: Floats
    between: Ints
    share: Floats
    pieces: Ints


def parted(xyz: Floats, lines: Sequence[Sequence[int]]) -> Parted:
    """Return lines in pieces that any triangulation with empty circles keeps.

    Parameters
    ----------
    xyz : float array (n, 3)
        Points [m].
    lines : sequence of sequences of int
        Each from point to point, by number from 0.

    Raises
    ------
    KeelError
        `bad-line`: it goes from a point to itself, over a point or another line at another height, or nearer to one than it can be
        drawn, or for longer; the message names points and lines by number from 1.
    """
    work = _Work(xyz, lines)
    work.meet_points()
    work.meet_lines()
    work.corners = [set(cuts) for cuts in work.cuts]
    for _ in range(ROUNDS):
        if not work.part_once():
            return work.done()
        if len(work.put) > max(PIECES, 4 * len(xyz)):
            most = max(range(len(work.cuts)), key=lambda k: len(work.cuts[k]))
            a, b = (end + 1 for end in work.sides[most])
            raise KeelError(
                "bad-line",
                f"line {work.owner[most] + 1} runs so near to another between points {a} and {b} that it would go to "
                f"{len(work.cuts[most])} pieces; one of their places may be in the wrong unit",
            )
    raise KeelError(
        "bad-line",
        f"line {work.owner[0] + 1} comes too near to a point or another line to be kept apart from it",
    )


class _Work:
    """Lines while they are being parted: each side between two given points with the shares at which it is parted."""

    def __init__(self, xyz: Floats, lines: Sequence[Sequence[int]]) -> None:
        from scipy.spatial import cKDTree

        self.given, self.size = xyz, float(np.ptp(xyz[:, :2], axis=0).max())
        self.sides: list[tuple[int, int]] = []
        self.owner: list[int] = []
        seen = set()
        for k, line in enumerate(lines):
            for a, b in zip(line, line[1:], strict=False):
                if a == b:
                    raise KeelError("bad-line", f"line {k + 1} goes from point {a + 1} to itself")
                if (min(a, b), max(a, b)) not in seen:
                    seen.add((min(a, b), max(a, b)))
                    self.sides.append((a, b))
                    self.owner.append(k)
        self.ends = np.array(self.sides, dtype=np.int_).reshape(-1, 2)
        self.cuts: list[dict[float, int]] = [{0.0: a, 1.0: b} for a, b in self.sides]
        """What parts each side: shares of it, with the number of the point there."""
        self.corners: list[set[float]] = []
        """Where other sides may leave each, once they have met."""
        self.put: list[tuple[int, float]] = []
        """Points put in: on which side, at which share of it; numbered on from those given."""
        self.tree = cKDTree(xyz[:, :2])

    def _put_in(self, side: int, share: float) -> int:
        self.put.append((side, share))
        self.cuts[side][share] = len(self.given) + len(self.put) - 1
        return self.cuts[side][share]

    def meet_points(self) -> None:
        """Part every side where it goes over a given point."""
        plan = self.given[:, :2]
        for k, (a, b) in enumerate(self.sides):
            way = plan[b] - plan[a]
            far = float(way @ way)
            off = np.abs(side_of(plan[a], plan[b], plan)) / math.sqrt(far)
            share = (plan - plan[a]) @ way / far
            for p in np.flatnonzero((off <= NEAR * self.size) & (share > 0) & (share < 1)).tolist():
                if p in (a, b):
                    continue
                z = self._height(k, float(share[p]))
                if abs(z - self.given[p, 2]) > AIR:
                    raise KeelError(
                        "bad-line",
                        f"line {self.owner[k] + 1} goes over point {p + 1} {abs(z - self.given[p, 2]) * 1000:.0f} mm off its height; "
                        f"let it go through that point",
                    )
                self.cuts[k][float(share[p])] = p

    def meet_lines(self) -> None:
        """Part sides where they cross: there they are of one height."""
        if len(self.sides) < 2:
            return
        plan = self.given[:, :2]
        a, b = plan[self.ends[:, 0]], plan[self.ends[:, 1]]
        for i in range(len(a) - 1):
            others = np.arange(i + 1, len(a))
            c, d = a[others], b[others]
            one, two = side_of(a[i], b[i], c), side_of(a[i], b[i], d)
            three, four = side_of(c, d, a[i]), side_of(c, d, b[i])
            for n in np.flatnonzero((one * two < 0) & (three * four < 0)).tolist():
                j = int(others[n])
                mine, its = float(three[n] / (three[n] - four[n])), float(one[n] / (one[n] - two[n]))
                apart = self._height(i, mine) - self._height(j, its)
                if abs(apart) > AIR:
                    x, y = (a[i] + mine * (b[i] - a[i])).tolist()
                    raise KeelError(
                        "bad-line",
                        f"lines {self.owner[i] + 1} and {self.owner[j] + 1} cross at {x:.2f} along, {y:.2f} across, "
                        f"{abs(apart) * 1000:.0f} mm one above the other",
                    )
                self.cuts[j][its] = self._put_in(i, mine)

    def _height(self, side: int, share: float) -> float:
        a, b = self.sides[side]
        return float(self.given[a, 2] + share * (self.given[b, 2] - self.given[a, 2]))

    def _places(self, side: Ints, share: Floats) -> Floats:
        """Points at shares of sides (k, 3) → along, across (k, 2) [m]."""
        a, b = (self.given[self.ends[side, end], :2] for end in (0, 1))
        return np.asarray(a + share[:, None] * (b - a))

    def part_once(self) -> bool:
        """Part every piece whose circle holds another point; whether there was one."""
        from scipy.spatial import cKDTree

        of, at = [], []
        for k, cuts in enumerate(self.cuts):
            shares = sorted(cuts)
            of += [k] * (len(shares) - 1)
            at += list(zip(shares, shares[1:], strict=False))
        if not of:
            return False
        ends = self._places(np.repeat(of, 2), np.array(at).reshape(-1)).reshape(-1, 2, 2)
        middle, half = ends.mean(axis=1), np.hypot(*(ends[:, 1] - ends[:, 0]).T) / 2
        trees = [self.tree]
        if self.put:
            sides, shares_of = zip(*self.put, strict=True)
            trees.append(cKDTree(self._places(np.array(sides), np.array(shares_of))))
        # The piece's own two ends stand on the circle: what is nearer to its middle than they are stands in it.
        held = np.zeros(len(of), dtype=bool)
        for tree in trees:
            held |= tree.query(middle)[0] < half * (1 - 1e-7)
        for n in np.flatnonzero(held).tolist():
            self._part(of[n], *at[n])
        return bool(held.any())

    def _part(self, side: int, low: float, high: float) -> None:
        a, b = self.sides[side]
        length = float(np.hypot(*(self.given[b, :2] - self.given[a, :2])))
        share = (low + high) / 2
        if (low in self.corners[side]) != (high in self.corners[side]):  # at a power of two from the corner
            far = 2.0 ** math.floor(math.log2((high - low) * length * 2 / 3)) / length
            share = low + far if low in self.corners[side] else high - far
        self._put_in(side, share)

    def done(self) -> Parted:
        """Tell the pieces, and what was put in."""
        side = np.array([k for k, _ in self.put], dtype=np.int_)
        share = np.array([s for _, s in self.put], dtype=np.float64)
        heights = [self._height(k, s) for k, s in self.put]
        pieces: list[tuple[int, int]] = []
        for cuts in self.cuts:
            numbers = [cuts[s] for s in sorted(cuts)]
            pieces += zip(numbers, numbers[1:], strict=False)
        return Parted(
            np.concatenate([self.given, np.column_stack([self._places(side, share), heights])]),
            self.ends[side],
            share,
            np.array(pieces, dtype=np.int_).reshape(-1, 2),
        )


def beside(xy: Floats, by: float) -> Floats:
    """Return places beside a line, `by` [m] to the left of the way along it (− right), for each of its points, `xy` (m, 2) [m].

    Where it bends they stand where the two sides beside it meet, at most four times as far off.
    """
    way = np.diff(xy, axis=0)
    way = (
        way / np.maximum(np.hypot(*way.T), np.finfo(float).tiny)[:, None]
    )  # two at one place lie beside nothing
    left = np.column_stack([-way[:, 1], way[:, 0]])
    before, after = np.vstack([left[:1], left]), np.vstack([left, left[-1:]])
    both = before + after
    return np.asarray(xy + by * 2 * both / np.maximum((both**2).sum(axis=1), 0.25)[:, None])
