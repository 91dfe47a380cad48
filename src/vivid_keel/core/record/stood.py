"""Which benchmarks stood between occasions: heights of several years laid on the marks that stayed where they were.

Source: congruence of levelled heights by least squares with a free datum a part; one movement after the other looked for by its standardised
size (data snooping).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct, field

from vivid_keel.core.record.visits import rate_of

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.intp]

CRITICAL = 3.29
"""A standardised movement beyond this is met once in a thousand looks at marks that stood (normal law, two-sided 0.1 %)."""
SHOWS = 4.57
"""So many of its σ, and a movement is found nine times in ten (0.1 % significance, 90 % power) [1]."""
RIVAL = 4.0
"""Σ(v/σ)² by which another benchmark's movement must explain less, or it can't be told which of the two it was [1]."""
APART = 1.96 + math.sqrt(1.96**2 + RIVAL)
"""So many σ at right angles to a rival's movement, and that one explains less by `RIVAL` in all but one of forty [1]."""
NO_SHARE = 1e-9
STEP, ONCE, STEADY = "step", "once", "steady"


class Part(Struct, frozen=True, eq=False):
    """Marks that were read together: heights over a datum of their own.

    Attributes
    ----------
    occasion : int
        When: its place among the occasions, oldest first.
    names : sequence of str, length n
    heights : float array (n,)
        [m]
    covariance : float array (n, n)
        Of the readings alone [m²].
    """

    occasion: int
    names: Sequence[str]
    heights: Floats
    covariance: Floats


class Movement(Struct, frozen=True):
    """A benchmark that didn't stand.

    Attributes
    ----------
    name : str
    how : str
        STEP: it lies elsewhere from an occasion on; ONCE: at that occasion only, so rather read wrong there; STEADY: all along.
    occasion : int
        From which on, or at which.
    by, u : float
        Up + [m], a STEADY one over all the time.
    strength : float
        |by|/u [1].
    rivals : tuple of str
        Benchmarks whose movement would explain as much; where there are any it can't be told which it was, and all are kept.
    """

    name: str
    how: str
    occasion: int
    by: float
    u: float
    strength: float
    rivals: tuple[str, ...] = ()


class Series(Struct, frozen=True, eq=False):
    """A mark over the occasions it was read at: their places (k,), heights on the common datum (k,) [m] and their covariance (k, k) [m²]; and by
    how much each height would be out had each of several benchmarks moved of which it can't be told which did (k, c) [m]."""

    occasions: Ints
    heights: Floats
    covariance: Floats
    doubts: Floats = field(default_factory=lambda: np.zeros((0, 0)))

    def looks_about(self, occasion: int) -> tuple[int, int]:
        """Return the look before that at an `occasion`, −1 where there is none, and how many looks there are from it on."""
        before = self.occasions[self.occasions < occasion]
        return int(before[-1]) if len(before) else -1, len(self.occasions) - len(before)

    def doubt(self, first: int, last: int) -> float:
        """Return how far a change between two of its readings may be out by that [m]: a bound, on top of U.

        Parameters
        ----------
        first, last : int
            Places in the series.
        """
        if not self.doubts.size:
            return 0.0
        return float(np.abs(self.doubts[last] - self.doubts[first]).max())

    def change(self, first: int, last: int) -> tuple[float, float]:
        """Return the change between two of its readings, up +, and half of its U, with the doubt in it [m].

        Parameters
        ----------
        first, last : int
            Places in the series.
        """
        c = self.covariance
        variance = c[first, first] + c[last, last] - 2 * c[first, last]
        u = math.sqrt(max(float(variance), 0.0))
        # A bound comes on top of U, not into its root.
        return float(self.heights[last] - self.heights[first]), u + self.doubt(first, last) / 2

    def rate(self, times: Floats) -> tuple[float, float]:
        """Return its rate by a straight line [m a year], and half of its U with the doubt in it; `times` (k,) [years]."""
        value, u = rate_of(times, self.heights, self.covariance)
        return value, u + self.doubt(0, len(self.occasions) - 1) / 2 / max(float(np.ptp(times)), 1e-9)


class Frame(Struct, frozen=True, eq=False):
    """Parts of several occasions on one datum.

    Attributes
    ----------
    parts : sequence of Part
    shifts : float array (p,)
        What is taken off each part's heights [m]; nan for one that shares no benchmark with the rest.
    stood, moved : list of str, list of Movement
        Benchmarks that carry the datum, and those found not to have stood.
    freedom : int
        Readings of benchmarks that are over: 0 where nothing checks them.
    sum_squares : float
        Σ(v/σ)² of those that carry the datum [1].
    smallest : mapping of str to float
        The smallest movement up to the last occasion that would be found nine times in ten [m], by benchmark; inf where none would.
    """

    parts: Sequence[Part]
    shifts: Floats
    stood: list[str]
    moved: list[Movement]
    freedom: int
    sum_squares: float
    smallest: dict[str, float]
    _kept: dict[tuple[int, int], str]
    _solved: _Solved

    @property
    def undecided(self) -> bool:
        """Whether benchmarks moved against one another and it can't be told which."""
        return bool(self.moved) and bool(self.moved[-1].rivals)

    def series(self, name: str) -> Series:
        """Return a mark over the occasions, on the common datum; of parts that hang on nothing it has none.

        A benchmark that carries the datum is told against the others, as if it carried nothing; the only one can't have moved.
        """
        if name in self._kept.values():
            others = {at: other for at, other in self._kept.items() if other != name}
            told = _Solved(self.parts, others).series(name, self._in_doubt)
            if len(told.occasions) > 1:
                return told
        return self._solved.series(name, self._in_doubt)

    @property
    def _in_doubt(self) -> Movement | None:
        return self.moved[-1] if self.undecided else None


def lay_together(
    parts: Sequence[Part], benchmarks: Sequence[str], times: Sequence[float], *, search: bool = True
) -> Frame:
    """Return parts of several occasions on one datum: that of the benchmarks that stood.

    Each part has a shift of its own, each benchmark one height for all occasions. While a movement of one benchmark (from an occasion on, at
    one only, or steady) stands out beyond `CRITICAL`, the strongest is taken out; where another benchmark's would explain nearly as much,
    it is told as undecided and both are kept. The datum is that of the first part.

    Parameters
    ----------
    parts : sequence of Part
    benchmarks : sequence of str
        Names of marks that are held not to move, until shown otherwise.
    times : sequence of float
        Of the occasions, rising [years].
    search : bool
        Whether movements are looked for; where all marks may move, they carry the datum together and none is named.
    """
    kept = {
        (p, list(part.names).index(name)): name
        for name in benchmarks
        for p, part in enumerate(parts)
        if name in part.names
    }
    moved: list[Movement] = []
    solved = _Solved(parts, kept)
    smallest = solved.smallest(times)
    while True:
        found = None if not search or (moved and moved[-1].rivals) else solved.strongest(times)
        if found is None:
            break
        moved.append(found)
        if found.rivals:
            continue
        kept = {
            at: name
            for at, name in kept.items()
            if name != found.name or (found.how == ONCE and parts[at[0]].occasion != found.occasion)
        }
        solved = _Solved(parts, kept)
    out = {movement.name for movement in moved if not movement.rivals and movement.how != ONCE}
    carry = [name for name in dict.fromkeys(benchmarks) if name in set(kept.values()) and name not in out]
    return Frame(
        parts,
        solved.shifts,
        carry,
        moved,
        solved.freedom,
        solved.sum_squares,
        smallest,
        kept,
        solved,
    )


class _Solved:
    """Shifts and benchmarks' heights by least squares, in the piece that hangs on the earliest part that has benchmarks."""

    def __init__(self, parts: Sequence[Part], kept: dict[tuple[int, int], str]) -> None:
        self.parts = parts
        inside = _hanging(parts, kept)
        self.at = [at for at in kept if at[0] in inside]
        self.names = [kept[at] for at in self.at]
        marks = list(dict.fromkeys(self.names))
        used = sorted(inside)
        n, columns = len(self.at), len(used) - 1 + len(marks)
        design = np.zeros((n, max(columns, 0)))
        self.occasions = np.array([parts[p].occasion for p, _ in self.at], dtype=np.intp)
        for row, ((p, _), name) in enumerate(zip(self.at, self.names, strict=True)):
            if p != used[0]:
                design[row, used.index(p) - 1] = 1.0
            design[row, len(used) - 1 + marks.index(name)] = 1.0
        read = np.array([parts[p].heights[i] for p, i in self.at])
        self._weights = np.zeros((len(parts), n))
        self._marks, self._solution = marks, np.zeros((len(marks), n))
        self.shifts = np.full(len(parts), np.nan)
        self.freedom, self.sum_squares = n - columns, 0.0
        self._scale: dict[int, float] = {}
        if not n:
            self.freedom = 0
            return
        weight = np.zeros((n, n))
        for p in used:
            own = [row for row, (q, _) in enumerate(self.at) if q == p]
            c = parts[p].covariance[np.ix_([self.at[r][1] for r in own], [self.at[r][1] for r in own])]
            # A part's own datum is free: what all its heights have alike may be as large as it likes, which makes a held mark one among others.
            self._scale[p] = float(np.trace(c)) / len(own) or 1e-12
            weight[np.ix_(own, own)] = np.linalg.inv(c + self._scale[p])
        normal = _inverse(design.T @ weight @ design)
        solve = normal @ design.T @ weight
        found = solve @ read
        self.shifts[used[0]] = 0.0
        for k, p in enumerate(used[1:]):
            self.shifts[p] = found[k]
            self._weights[p] = solve[k]
        self._solution = solve[len(used) - 1 :]
        v = read - design @ found
        self.sum_squares = float(v @ weight @ v)
        self._weighed, self._residual = weight, weight @ v
        self._reach = weight - weight @ design @ solve

    def series(self, name: str, in_doubt: Movement | None = None) -> Series:
        """Return a mark over the occasions, on this datum: as read, and mended by what the benchmarks read with it tell of their own errors."""
        own = [
            (p, list(part.names).index(name))
            for p, part in enumerate(self.parts)
            if name in part.names and not math.isnan(self.shifts[p])
        ]
        own.sort(key=lambda one: self.parts[one[0]].occasion)
        read = np.array([self.parts[p].heights[i] for p, i in self.at])
        rows, beside = [], []
        for p, i in own:
            row, with_it = self._row(p, i)
            rows.append(row)
            beside.append(with_it)
        among = self._among
        heights = np.array(
            [self.parts[p].heights[i] + row @ read for (p, i), row in zip(own, rows, strict=True)]
        )
        covariance = np.zeros((len(own), len(own)))
        for a, (p, i) in enumerate(own):
            for b in range(len(own)):
                covariance[a, b] = rows[a] @ among @ rows[b] + rows[a] @ beside[b] + rows[b] @ beside[a]
            covariance[a, a] += self.parts[p].covariance[i, i]
        occasions = np.array([self.parts[p].occasion for p, _ in own], dtype=np.intp)
        if in_doubt is None:
            return Series(occasions, heights, covariance)
        after = self.occasions >= in_doubt.occasion
        suspects = [one for one in (in_doubt.name, *in_doubt.rivals) if one in self.names]
        moved = np.array([[float(other == one) for other in self.names] for one in suspects]).reshape(
            len(suspects), len(self.names)
        )
        doubts = np.array(rows).reshape(len(own), -1) @ (moved * after).T * in_doubt.by
        return Series(occasions, heights, covariance, doubts)

    def _row(self, p: int, i: int) -> tuple[Floats, Floats]:
        """What is added to a height of part p, by the readings of benchmarks (n,) [1]; and their covariance with it (n,) [m²].

        H = h − s − K·(h_b − H_b − s), K = C_hb·C_bb⁻¹: least squares for a mark that is free on every occasion.
        """
        own = [row for row, (q, _) in enumerate(self.at) if q == p]
        there = [self.at[row][1] for row in own]
        c = self.parts[p].covariance
        beside = np.zeros(len(self.at))
        beside[own] = c[i, there]
        scale = self._scale[p]
        share = np.linalg.solve(c[np.ix_(there, there)] + scale, c[i, there] + scale) if own else np.zeros(0)
        if (p, i) in self.at:  # a benchmark itself: it is where it is
            share = np.array([float(row == (p, i)) for row in (self.at[k] for k in own)])
        row = -(1 - float(share.sum())) * self._weights[p]
        for part, k in zip(share.tolist(), own, strict=True):
            row[k] -= part
            row += part * self._solution[self._marks.index(self.names[k])]
        return row, beside

    @cached_property
    def _among(self) -> Floats:
        """Covariance of the readings of benchmarks among one another (n, n) [m²]."""
        out = np.zeros((len(self.at), len(self.at)))
        for p in {q for q, _ in self.at}:
            own = [row for row, (q, _) in enumerate(self.at) if q == p]
            there = [self.at[row][1] for row in own]
            out[np.ix_(own, own)] = self.parts[p].covariance[np.ix_(there, there)]
        return out

    def strongest(self, times: Sequence[float]) -> Movement | None:
        """Return the strongest movement beyond CRITICAL, with its rivals; None where there is none."""
        if self.freedom <= 0:
            return None
        looked = [
            one
            for name in dict.fromkeys(self.names)
            for how, k in self._ways(name)
            if (one := self._look(name, how, k, times)) is not None
        ]
        most = max((one.strength for one in looked), default=0.0)
        if most <= CRITICAL:
            return None
        best = next(one for one in looked if one.strength >= most * (1 - NO_SHARE))  # of equal ones the first
        rivals = tuple(
            dict.fromkeys(
                one.name
                for one in looked
                if one.name != best.name and best.strength**2 - one.strength**2 < RIVAL
            )
        )
        return Movement(best.name, best.how, best.occasion, best.by, best.u, best.strength, rivals)

    def smallest(self, times: Sequence[float]) -> dict[str, float]:
        """Return the smallest movement of each benchmark up to its last reading that would be found, and told from any other's [m]."""
        names = list(dict.fromkeys(self.names))
        ways = {
            name: [z for how, k in self._ways(name) if (z := self._column(name, how, k, times)) is not None]
            for name in names
        }
        out = dict.fromkeys(names, math.inf)
        for name in names:
            read = self._read(name)
            z = self._column(name, STEP, read[-1], times) if len(read) > 1 else None
            if z is None:
                continue
            share = float(z @ self._reach @ z)
            needed = SHOWS
            for other in (way for rival in names if rival != name for way in ways[rival]):
                alike = float(z @ self._reach @ other) ** 2 / (share * float(other @ self._reach @ other))
                needed = max(needed, APART / math.sqrt(1 - alike) if alike < 1 - NO_SHARE else math.inf)
            out[name] = needed / math.sqrt(share)
        return out

    def _read(self, name: str) -> list[int]:
        return sorted({int(k) for k, other in zip(self.occasions, self.names, strict=True) if other == name})

    def _ways(self, name: str) -> list[tuple[str, int]]:
        """How a benchmark may have moved, and when."""
        read = self._read(name)
        out = [(STEP, k) for k in read[1:]]
        if len(read) > 2:
            out += [*((ONCE, k) for k in read[1:-1]), (STEADY, read[1])]
        return out

    def _column(self, name: str, how: str, occasion: int, times: Sequence[float]) -> Floats | None:
        """What a movement by 1 does to every reading (n,) [1]; None where nothing would show it."""
        own = np.array([other == name for other in self.names])
        k = self.occasions
        if how == STEP:
            column = own & (k >= occasion)
        elif how == ONCE:
            column = own & (k == occasion)
        else:
            at = np.array(times)[k]
            column = np.where(own, (at - at[own].min()) / max(float(np.ptp(at[own])), 1e-9), 0.0)
        z = np.asarray(column, dtype=np.float64)
        return z if float(z @ self._reach @ z) > NO_SHARE * float(z @ self._weighed @ z) else None

    def _look(self, name: str, how: str, occasion: int, times: Sequence[float]) -> Movement | None:
        z = self._column(name, how, occasion, times)
        if z is None:
            return None
        share = float(z @ self._reach @ z)
        by, u = float(z @ self._residual) / share, 1 / math.sqrt(share)
        return Movement(name, how, occasion, by, u, abs(by) / u)


def _inverse(matrix: Floats) -> Floats:
    """The inverse of normal equations; where weights are too unlike for one, that of the part that is told (least norm)."""
    try:
        return np.asarray(np.linalg.inv(matrix), dtype=np.float64)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.pinv(matrix, hermitian=True), dtype=np.float64)


def _hanging(parts: Sequence[Part], kept: dict[tuple[int, int], str]) -> set[int]:
    """Return the parts that hang together by benchmarks, from the earliest that shares one with another occasion."""
    marks: dict[str, set[int]] = {}
    for (p, _), name in kept.items():
        marks.setdefault(name, set()).add(p)
    best: set[int] = set()
    for start in sorted({p for p, _ in kept}, key=lambda p: parts[p].occasion):
        if start in best:
            continue
        inside, grown = {start}, True
        while grown:
            more = {p for members in marks.values() if members & inside for p in members}
            grown = not more <= inside
            inside |= more
        if len({parts[p].occasion for p in inside}) > len({parts[p].occasion for p in best}):
            best = inside
    return best
