"""A simulated closed run, booked honestly or with one slip, by somebody who knows which."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.slips import BookReadings
from vivid_keel.core.quantities import is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SIGMA = 0.0007
"""Honest reading noise, one standard deviation [m]."""
JOINTS = (1.0, 1.5, 2.0, 3.0)
SLIPS = (
    "whole",
    "tenth",
    "half-tenth",
    "hundredth",
    "swapped",
    "hair",
    "columns",
    "overhead",
    "face",
    "joint",
    "sank",
    "moved",
    "nail",
)
BLOCKS = {"whole": 1.0, "tenth": 0.1, "half-tenth": 0.05, "hundredth": 0.01}


class BookedRun(Struct, frozen=True):
    """A closed run of n sights as it was read: three numbers a sight, nan where not taken [m]."""

    kinds: list[int]
    marks: list[str]
    setup: list[int]
    middle: Floats
    look: Floats
    mean: Floats
    interval: Floats
    length: Floats
    tells_length: bool

    def readings(self) -> BookReadings:
        """Return what the program gets to see of it."""
        layout = lay_out(self.kinds, self.marks, self.setup, {"BM": ListedMark("BM", 50.0)})
        nothing = np.full(len(self.kinds), np.nan)
        upper, lower = self.mean + self.interval / 2, self.mean - self.interval / 2
        length = np.where(
            np.isnan(self.mean), self.length if self.tells_length else nothing, 100 * self.interval
        )
        return BookReadings(
            layout, self.middle, self.look, upper, lower, length, np.full(len(self.kinds), SIGMA), 3, "m"
        )


class Slip(Struct, frozen=True):
    """One mistake: its kind, the sights it touches (the one to read again first), and what it added.

    `added` maps (sight, 0 middle · 1 look · 2 hairs) to metres.
    """

    kind: str
    rows: tuple[int, ...]
    added: tuple[tuple[int, int, float], ...]


def honest_run(rng: np.random.Generator, sights: int) -> BookedRun:
    """Return a closed run of about `sights` sights, read with honest noise and rounded to the millimetre.

    The person books more or less: hairs, second looks, distances, a last look at the mark the set-up
    began on, and marks read from two set-ups, each by chance.
    """
    setups = max(2, min(8, sights // int(rng.integers(3, 7))))
    hairs, looks, last_look, ties, tells = (bool(rng.random() < p) for p in (0.45, 0.4, 0.4, 0.5, 0.7))
    inner = max(0, sights - 2 * setups)
    share = rng.multinomial(inner, np.full(setups, 1 / setups))
    kinds: list[int] = []
    marks: list[str] = []
    setup: list[int] = []
    height: list[float] = []
    heights = {"BM": 50.0}
    ground = 50.0
    lines: list[float] = []
    for s in range(setups):
        start = "BM" if s == 0 else f"CP {s}"
        lines.append(heights[start] + float(rng.uniform(0.9, 2.4)))
        sighted = [(BS, start)]
        for k in range(int(share[s])):
            carried = [
                m for m, kind, at in zip(marks, kinds, setup, strict=True) if kind == IS and at == s - 1
            ]
            again = ties and k == 0 and carried and abs(lines[s] - heights[carried[-1]]) < 3.5
            name = carried[-1] if again and heights[carried[-1]] < lines[s] else f"p{len(marks)}.{k}"
            over = rng.random() < 0.12
            if name not in heights:
                reading = -float(rng.uniform(0.3, 2.5)) if over else float(rng.uniform(0.2, 3.4))
                heights[name] = lines[s] - reading
            sighted.append((IS, name))
        if last_look and share[s]:
            sighted.append((IS, start))
        end = "BM" if s == setups - 1 else f"CP {s + 1}"
        if end not in heights:
            heights[end] = lines[s] - float(rng.uniform(0.4, 3.2))
        elif not 0.2 < lines[s] - heights[end] < 3.8:
            lines[s] = heights[end] + 1.4  # the last set-up stands where the benchmark can be read
        for kind, name in [*sighted, (FS, end)]:
            kinds.append(kind)
            marks.append(name)
            setup.append(s)
            height.append(heights[name])
        ground = heights[end]
    assert ground == 50.0
    n = len(kinds)
    truth = np.array([lines[s] for s in setup]) - np.array(height)
    length = np.round(rng.uniform(6, 40, n))

    def read(taken: bool) -> Floats:
        return np.round(truth + rng.normal(0, SIGMA, n), 3) if taken else np.full(n, np.nan)

    interval = np.round(length / 100 + rng.normal(0, SIGMA, n), 3)
    return BookedRun(kinds, marks, setup, read(True), read(looks), read(hairs), interval, length, tells)


def every_slip(run: BookedRun, kind: str, size: float = 0.0) -> list[Slip]:
    """Return every mistake of a kind that could be made in a run as it was read; `size` for free ones [m]."""
    n = len(run.kinds)
    if kind in BLOCKS:
        return [Slip(kind, (i,), ((i, 0, step),)) for i in range(n) for step in (BLOCKS[kind], -BLOCKS[kind])]
    if kind == "swapped":
        return [
            Slip(kind, (i,), ((i, 0, other - run.middle[i]),))
            for i in range(n)
            for other in _swaps(run.middle[i])
        ]
    if kind == "hair":
        return [Slip(kind, (i,), ((i, 0, way * run.interval[i] / 2),)) for i in range(n) for way in (1, -1)]
    if kind == "overhead":
        return [_whole(run, kind, (i,), [i], -2 * run.middle[i]) for i in range(n) if run.middle[i] < 0]
    if kind == "face":
        return [_whole(run, kind, (i,), [i], run.middle[i] / 0.3048 - run.middle[i]) for i in range(n)]
    if kind == "columns":
        return [_exchanged(run, a, b) for a, b in _beside(run)]
    if kind == "sank":
        after = [i for i in range(1, n) if run.kinds[i] == BS and run.kinds[i - 1] == FS]
        below = {i: [j for j in range(i, n) if run.marks[j] == run.marks[i]] for i in after}
        return [_whole(run, kind, (i,), below[i], size) for i in after]
    if kind == "moved":
        later = [[j for j in range(i, n) if run.setup[j] == run.setup[i]] for i in range(n)]
        return [
            _whole(run, kind, (i,), later[i], size) for i in range(1, n) if run.setup[i] == run.setup[i - 1]
        ]
    if kind == "nail":
        on = {mark: [i for i in range(n) if run.marks[i] == mark] for mark in run.marks}
        return [_whole(run, kind, tuple(rows), rows, size) for rows in on.values()]
    assert kind == "joint"
    out: dict[tuple[int, ...], Slip] = {}
    for joint in JOINTS:
        for s in set(run.setup):
            rows = [i for i in range(n) if run.setup[i] >= s and abs(run.middle[i]) > joint]
            if len(rows) > 1:
                out.setdefault(tuple(rows), _whole(run, kind, tuple(rows), rows, -size))
    return list(out.values())


def _whole(run: BookedRun, kind: str, rows: tuple[int, ...], touched: list[int], size: float) -> Slip:
    return Slip(kind, rows, tuple((i, sort, float(size)) for i in touched for sort in (0, 1, 2)))


def _exchanged(run: BookedRun, a: int, b: int) -> Slip:
    parts = enumerate((run.middle, run.look, run.mean))
    added = [(sort, float(part[b] - part[a])) for sort, part in parts]
    return Slip(
        "columns", (a, b), tuple((i, sort, way * d) for sort, d in added for i, way in ((a, 1.0), (b, -1.0)))
    )


def _beside(run: BookedRun) -> list[tuple[int, int]]:
    """Pairs that stand side by side on paper: those of a set-up, and those of a change point."""
    n = len(run.kinds)
    back = {run.setup[i]: i for i in range(n) if run.kinds[i] == BS}
    fore = {run.setup[i]: i for i in range(n) if run.kinds[i] == FS}
    return [(back[s], fore[s]) for s in back] + [(fore[s], back[s + 1]) for s in back if s + 1 in back]


def _swaps(reading: float) -> list[float]:
    digits = f"{round(abs(reading) * 1000):04d}"
    other = [
        digits[:k] + digits[k + 1] + digits[k] + digits[k + 2 :]
        for k in range(3)
        if digits[k] != digits[k + 1]
    ]
    return [math.copysign(int(o) / 1000, reading) for o in other]


def with_slip(run: BookedRun, slip: Slip) -> BookedRun:
    """Return the run as it would have been booked with a mistake in it."""
    parts = [run.middle.copy(), run.look.copy(), run.mean.copy()]
    for i, sort, size in slip.added:
        parts[sort][i] = round(parts[sort][i] + size, 3)
    return replace(run, middle=parts[0], look=parts[1], mean=parts[2])


def one_slip(rng: np.random.Generator, run: BookedRun) -> Slip:
    """Return a mistake of a random kind, at a random place, of a random size."""
    while True:
        kind = SLIPS[int(rng.integers(len(SLIPS)))]
        choices = every_slip(run, kind, free_size(rng, kind))
        if choices:
            slip = choices[int(rng.integers(len(choices)))]
            booked = with_slip(run, slip)
            if (kind not in BLOCKS and kind != "swapped") or all(
                _readable(booked.middle[i], run.middle[i]) for i in slip.rows
            ):
                return slip


def _readable(booked: float, beside: float) -> bool:
    """Nobody books a reading beyond the staff, or one with the sign of the other side."""
    return 0.0 < abs(booked) <= 5.0 and booked * beside > 0


def free_size(rng: np.random.Generator, kind: str) -> float:
    """Return how much a staff sinks or slides, or an instrument settles [m]."""
    if kind == "moved":
        return float(rng.choice([-1, 1]) * max(0.004, abs(rng.normal(0, 0.015))))
    return max(0.004, float(rng.normal(0.015, 0.0075)))


class Verdict(Struct, frozen=True):
    """What the numbers of a booked run can tell at all, to somebody who knows how slips are made.

    Attributes
    ----------
    rows : dict of int to float
        How likely the slip is to be at each row, of all slips that could have been made [1].
    kinds : dict of str to float
    """

    rows: dict[int, float]
    kinds: dict[str, float]

    @property
    def tells_row(self) -> bool:
        """Whether three rows hold nine tenths of it."""
        return sum(sorted(self.rows.values())[-3:]) >= 0.9

    @property
    def tells_kind(self) -> bool:
        return max(self.kinds.values()) >= 0.9


def what_can_be_told(booked: BookedRun) -> Verdict:
    """Return how likely every slip is, given a book that holds one, by the simulator's own likelihoods.

    Every mistake that could have led to this book is undone in turn; what is left must satisfy the
    conditions that an honest run satisfies: the left null space of its equations.
    """
    y, at = _stacked(booked)
    space, inverse = _conditions(booked, at)
    t = y @ space
    found: list[tuple[str, int, float]] = []
    for kind in SLIPS:
        undone = _undoing(booked, kind)
        if not undone:
            continue
        shift = np.zeros((len(undone), len(y)))
        for n, slip in enumerate(undone):
            for i, sort, size in slip.added:
                if (i, sort) in at:
                    shift[n, at[(i, sort)]] += size
        d = shift @ space
        with_t, with_d = d @ inverse @ t, np.einsum("ij,jk,ik->i", d, inverse, d)
        sizes, weights = _sizes(kind)
        logs = np.outer(with_t, sizes) - 0.5 * np.outer(with_d, sizes**2) + np.log(weights / len(undone))
        top = logs.max(axis=1, keepdims=True)
        whole = top[:, 0] + np.log(np.exp(logs - top).sum(axis=1))
        found += [(slip.kind, slip.rows[0], float(log)) for slip, log in zip(undone, whole, strict=True)]
    top = max(log for _, _, log in found)
    rows: dict[int, float] = {}
    kinds: dict[str, float] = {}
    for kind, row, log in found:
        p = math.exp(log - top)
        rows[row] = rows.get(row, 0.0) + p
        kinds[kind] = kinds.get(kind, 0.0) + p
    total = sum(rows.values())
    return Verdict({r: p / total for r, p in rows.items()}, {k: p / total for k, p in kinds.items()})


def _undoing(booked: BookedRun, kind: str) -> list[Slip]:
    """Every slip of a kind that could have made this book, with what it added to it; free ones one metre."""
    n = range(len(booked.kinds))
    if kind == "overhead":
        return [_whole(booked, kind, (i,), [i], 2 * booked.middle[i]) for i in n if booked.middle[i] > 0]
    if kind == "face":
        return [_whole(booked, kind, (i,), [i], booked.middle[i] * (1 - 0.3048)) for i in n]
    slips = every_slip(booked, kind, 1.0)
    if (
        kind in BLOCKS or kind == "swapped"
    ):  # what was read must have been on the staff, on its side of the line
        way = -1.0 if kind == "swapped" else 1.0
        read = [booked.middle[slip.rows[0]] - way * slip.added[0][2] for slip in slips]
        slips = [
            slip for slip, r in zip(slips, read, strict=True) if _readable(r, booked.middle[slip.rows[0]])
        ]
    if kind in {"swapped", "columns"}:  # doing it again undoes it
        return [replace(slip, added=tuple((i, sort, -d) for i, sort, d in slip.added)) for slip in slips]
    return slips


def _sizes(kind: str) -> tuple[Floats, Floats]:
    """Sizes a slip may have, in the unit of `every_slip`, with their weights."""
    if kind not in {"joint", "sank", "moved", "nail"}:
        return np.ones(1), np.ones(1)
    grid = np.arange(-0.06, 0.0601, 0.0005)
    if kind == "moved":
        p = np.where(np.abs(grid) >= 0.004, np.exp(-0.5 * (grid / 0.015) ** 2), 0.0)
    else:
        p = np.where(grid >= 0.004, np.exp(-0.5 * ((grid - 0.015) / 0.0075) ** 2), 0.0)
    p /= p.sum()
    return grid[p > 1e-6], p[p > 1e-6]


def _stacked(booked: BookedRun) -> tuple[Floats, dict[tuple[int, int], int]]:
    """All numbers read, in one row, and where each stands; the benchmark's height taken off."""
    y: list[float] = []
    at: dict[tuple[int, int], int] = {}
    for sort, part in enumerate((booked.middle, booked.look, booked.mean)):
        for i, value in enumerate(part.tolist()):
            if not is_missing(value):
                at[(i, sort)] = len(y)
                y.append(value + (50.0 if booked.marks[i] == "BM" else 0.0))
    return np.array(y), at


def _conditions(booked: BookedRun, at: dict[tuple[int, int], int]) -> tuple[Floats, Floats]:
    """The conditions an honest run satisfies (k, c), and the inverse covariance of their misclosures (c, c)."""
    names = [m for m in dict.fromkeys(booked.marks) if m != "BM"]
    setups = max(booked.setup) + 1
    a = np.zeros((len(at), setups + len(names)))
    for (i, _), k in at.items():
        a[k, booked.setup[i]] = 1.0
        if booked.marks[i] != "BM":
            a[k, setups + names.index(booked.marks[i])] = -1.0
    left, values, _ = np.linalg.svd(a)
    rank = int((values > 1e-9).sum())
    space = left[:, rank:]
    return space, np.linalg.inv(space.T @ space * (SIGMA**2 + 0.001**2 / 12))
