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
    _told: dict[str, Series] = field(default_factory=dict)

    @property
    def undecided(self) -> bool:
        """Whether benchmarks moved against one another and it can't be told which."""
        return bool(self.moved) and bool(self.moved[-1].rivals)

    def series(self, name: str) -> Series:
        """Return a mark over the occasions, on the common datum; of parts that hang on nothing it has none.

        A benchmark that carries the datum is told against the others, as if it carried nothing; the only one can't have moved.
        """
        if name not in self._told:
            self._told[name] = self._series(name)
        return self._told[name]

    def _series(self, name: str) -> Series:
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


class _Ways(Struct, frozen=True, eq=False):
    """How a benchmark may have moved: its own readings (m,), each way and when, what a movement by 1 does to those readings (w, m) [1], how
    well it would show (w,) [1/m²], and the first and the last occasion it was read at."""

    rows: Ints
    told: list[tuple[str, int]]
    columns: Floats
    share: Floats
    first: int
    last: int


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
        self._rows: dict[int, list[int]] = {p: [] for p in used}
        """The readings of each part."""
        self._turn = {name: k for k, name in enumerate(marks)}
        first = {p: k - 1 for k, p in enumerate(used)}
        for row, ((p, _), name) in enumerate(zip(self.at, self.names, strict=True)):
            self._rows[p].append(row)
            if p != used[0]:
                design[row, first[p]] = 1.0
            design[row, len(used) - 1 + self._turn[name]] = 1.0
        read = np.array([parts[p].heights[i] for p, i in self.at])
        self._weights = np.zeros((len(parts), n))
        self._solution = np.zeros((len(marks), n))
        self.shifts = np.full(len(parts), np.nan)
        self.freedom, self.sum_squares = n - columns, 0.0
        self._scale: dict[int, float] = {}
        self._covariances: dict[int, Floats] = {}
        """Of the benchmarks' readings in each part [m²]."""
        if not n:
            self.freedom = 0
            return
        weight = np.zeros((n, n))
        for p in used:
            own = self._rows[p]
            there = [self.at[row][1] for row in own]
            c = self._covariances[p] = parts[p].covariance[np.ix_(there, there)]
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
        self._design, self._solve = design, solve

    @cached_property
    def _reach(self) -> Floats:
        """How each reading pulls at what is left of each (n, n) [1/m²]."""
        return np.asarray(self._weighed - self._weighed @ self._design @ self._solve)

    @cached_property
    def _shares(self) -> dict[int, Floats]:
        """How much of a benchmark's own error in a part stands in each of its heights (m, n) [1]."""
        out: dict[int, Floats] = {}
        for p, own in self._rows.items():
            there = [self.at[row][1] for row in own]
            c, scale = self.parts[p].covariance, self._scale[p]
            share = np.linalg.solve(self._covariances[p] + scale, c[there] + scale)
            share[:, there] = np.eye(len(own))  # a benchmark itself: it is where it is
            out[p] = np.asarray(share, dtype=np.float64)
        return out

    def series(self, name: str, in_doubt: Movement | None = None) -> Series:
        """Return a mark over the occasions, on this datum: as read, and mended by what the benchmarks read with it tell of their own errors."""
        own = [
            (p, list(part.names).index(name))
            for p, part in enumerate(self.parts)
            if name in part.names and not math.isnan(self.shifts[p])
        ]
        own.sort(key=lambda one: self.parts[one[0]].occasion)
        read = np.array([self.parts[p].heights[i] for p, i in self.at])
        rows = np.array([self._row(p, i) for p, i in own]).reshape(len(own), len(self.at))
        heights = np.array([self.parts[p].heights[i] for p, i in own]) + rows @ read
        among = np.zeros_like(rows)
        for p, readings in self._rows.items():  # readings of several parts have nothing in common
            among[:, readings] = rows[:, readings] @ self._covariances[p]
        covariance = among @ rows.T
        for k, (p, i) in enumerate(own):
            there = [self.at[row][1] for row in self._rows.get(p, ())]
            beside = rows[:, self._rows.get(p, [])] @ self.parts[p].covariance[there, i]
            covariance[:, k] += beside
            covariance[k] += beside
        covariance[np.diag_indices(len(own))] += [self.parts[p].covariance[i, i] for p, i in own]
        occasions = np.array([self.parts[p].occasion for p, _ in own], dtype=np.intp)
        if in_doubt is None:
            return Series(occasions, heights, covariance)
        after = self.occasions >= in_doubt.occasion
        suspects = [one for one in (in_doubt.name, *in_doubt.rivals) if one in self.names]
        moved = np.array([[float(other == one) for other in self.names] for one in suspects]).reshape(
            len(suspects), len(self.names)
        )
        doubts = rows @ (moved * after).T * in_doubt.by
        return Series(occasions, heights, covariance, doubts)

    def _row(self, p: int, i: int) -> Floats:
        """What is added to a height of part p, by the readings of benchmarks (n,) [1].

        H = h − s − K·(h_b − H_b − s), K = C_hb·C_bb⁻¹: least squares for a mark that is free on every occasion.
        """
        own = self._rows.get(p, [])
        share = self._shares[p][:, i] if own else np.zeros(0)
        row = share @ self._solution[[self._turn[self.names[k]] for k in own]]
        row -= (1 - float(share.sum())) * self._weights[p]
        row[own] -= share
        return np.asarray(row)

    def strongest(self, times: Sequence[float]) -> Movement | None:
        """Return the strongest movement beyond CRITICAL, with its rivals; None where there is none."""
        if self.freedom <= 0:
            return None
        looked = [
            one
            for name in dict.fromkeys(self.names)
            for one in self._movements(name, self._ways(name, times))
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
        ways = {name: self._ways(name, times) for name in dict.fromkeys(self.names)}
        out = dict.fromkeys(ways, math.inf)
        for name, own in ways.items():
            last = next(
                (
                    k
                    for k, (how, at) in enumerate(own.told)
                    if how == STEP and at == own.last and own.last > own.first
                ),
                -1,
            )
            if last < 0:
                continue
            share, needed = float(own.share[last]), SHOWS
            pull = own.columns[last] @ self._reach[own.rows]
            for rival, other in ways.items():
                if rival == name or not len(other.share):
                    continue
                alike = (other.columns @ pull[other.rows]) ** 2 / (share * other.share)
                worst = float(alike.max())
                needed = max(needed, APART / math.sqrt(1 - worst) if worst < 1 - NO_SHARE else math.inf)
            out[name] = needed / math.sqrt(share)
        return out

    def _ways(self, name: str, times: Sequence[float]) -> _Ways:
        """How a benchmark may have moved, and when, of what anything would show."""
        rows = np.array([row for row, other in enumerate(self.names) if other == name], dtype=np.intp)
        k = self.occasions[rows]
        read = sorted(set(k.tolist()))
        ways = [(STEP, at) for at in read[1:]]
        if len(read) > 2:
            ways += [*((ONCE, at) for at in read[1:-1]), (STEADY, read[1])]
        at = np.array(times)[k]
        gone = (at - at.min()) / max(float(np.ptp(at)), 1e-9)
        columns = np.array(
            [k >= when if how == STEP else k == when if how == ONCE else gone for how, when in ways],
            dtype=np.float64,
        ).reshape(len(ways), len(rows))
        block = np.ix_(rows, rows)
        share = ((columns @ self._reach[block]) * columns).sum(axis=1)
        shows = share > NO_SHARE * ((columns @ self._weighed[block]) * columns).sum(axis=1)
        told = [way for way, there in zip(ways, shows.tolist(), strict=True) if there]
        return _Ways(rows, told, columns[shows], share[shows], read[0], read[-1])

    def _movements(self, name: str, ways: _Ways) -> list[Movement]:
        """How far a benchmark moved in each way, if it did."""
        by, u = ways.columns @ self._residual[ways.rows] / ways.share, 1 / np.sqrt(ways.share)
        return [
            Movement(name, how, occasion, one, own, abs(one) / own)
            for (how, occasion), one, own in zip(ways.told, by.tolist(), u.tolist(), strict=True)
        ]


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
