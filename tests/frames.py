"""Frames that stand on feet which only push: what the program's word is tried on, and knows nothing of.

The frame is bars along its two long sides and cells that twist between them, no plate and no sharing of turns; every foot is a spring
of its own stiffness that lets go where the frame leaves it; the frame is not quite straight in itself, its weight is not shared
evenly, screws have backlash, and one foot may stand on something that gives way.

Source: the least of ½(y−y₀)ᵀK(y−y₀) + wᵀy + ½Σkᵢ·max(tᵢ−yᵢ, 0)², by the feet that push.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import linprog

DIVISION, STEP, PLACING = 5e-5, 0.2, 0.15
FREE = 1e-4
"""A foot wound down that hangs so far under its frame is wound no further [m]."""
FARTHEST = 3e-3
"""No foot is wound further at once [m]."""
BY_HAND, A_HAIR = 0.05, 1.5e-5
"""How far off a hand turns a screw: of the turn [1], and of itself [m], some degrees of a turn."""
FELT = 0.5 * STEP * DIVISION
"""What a foot lifts its frame by when it is said to take [m]."""


def bars(xy: np.ndarray) -> np.ndarray:
    """How a frame may bend (k, n) [1]: second differences along its sides, twists of its cells."""
    lines = [np.flatnonzero(xy[:, 1] == y) for y in sorted(set(xy[:, 1]))]
    lines = [at[np.argsort(xy[at, 0])] for at in lines]
    out = []
    for at in lines:
        for k in range(len(at) - 2):
            row = np.zeros(len(xy))
            row[at[k : k + 3]] = 1, -2, 1
            out.append(row)
    for one, other in zip(lines, lines[1:], strict=False):
        for k in range(min(len(one), len(other)) - 1):
            row = np.zeros(len(xy))
            row[[one[k], one[k + 1], other[k], other[k + 1]]] = 0.8, -0.8, -0.8, 0.8
            out.append(row)
    return np.array(out).reshape(-1, len(xy))


def as_stiff(xy: np.ndarray, springs: np.ndarray, share: float) -> np.ndarray:
    """The stiffness of a frame (n, n) that shares so much of its feet's turns on the whole, against that of the feet."""
    n, bends = len(xy), bars(xy)
    K, low, high = bends.T @ bends, 1e-6, 1e6
    if share <= 0 or n <= 3 or not len(bends):
        return np.zeros((n, n))
    for _ in range(60):
        c = math.sqrt(low * high)
        shared = (n - float(np.trace(np.linalg.solve(c * K + np.diag(springs), np.diag(springs))))) / (n - 3)
        low, high = (c, high) if shared < share else (low, c)
    return math.sqrt(low * high) * K


@dataclass
class Frame:
    """Feet in plan, the tops of their screws, the frame on them, and the level with its own error."""

    xy: np.ndarray
    share: float
    rng: np.random.Generator
    h: np.ndarray = field(init=False)
    tops: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        n, rng = len(self.xy), self.rng
        self.springs = rng.uniform(0.7, 1.3, n)
        self.K = as_stiff(self.xy, self.springs, self.share)
        self.weight = 10 ** rng.uniform(-4.7, -3.7) * rng.uniform(0.8, 1.2, n)
        self.own = rng.normal(0, 2e-5, n)
        self.backlash, self.last = rng.uniform(0, 2e-5, n), np.zeros(n)
        self.zero = rng.normal(0, 2)
        middle = self.xy - self.xy.mean(axis=0)
        self.tops = middle @ rng.normal(0, 3e-4, 2) + rng.normal(0, 1.5e-4, n)
        self.pushes, self.bent = np.full(n, True), self.K @ self.own
        self.gives: dict[bytes, tuple[np.ndarray, np.ndarray]] = {}
        self.stand()

    def stand(self) -> None:
        """Let it down on the feet that push."""
        n, pushes = len(self.tops), self.pushes
        if not self.K.any() and n > 3:  # it hangs together by nothing: every corner stands on its own foot
            self.h = self.tops - self.weight / self.springs
            return
        for k in range(200):
            known = pushes.tobytes()
            if known not in self.gives:
                own = np.where(pushes, self.springs, 0.0)
                self.gives[known] = (np.linalg.pinv(self.K + np.diag(own)), own)
            inverse, own = self.gives[known]
            y = inverse @ (self.bent - self.weight + own * self.tops)
            now = self.tops > y
            if (now == pushes).all():
                break
            if k < 20:
                pushes = now
            else:  # it went round in a circle: one at a time
                off = np.flatnonzero(now != pushes)
                pushes = pushes.copy()
                pushes[off[0 if k % 2 else -1]] ^= True
            if pushes.sum() < 3:
                pushes = np.zeros(n, dtype=bool)
                pushes[np.argsort(y - self.tops)[:4]] = True
        self.pushes, self.h = pushes, y

    def tilt(self, a: int, b: int) -> float:
        """How much higher b is than a, by how far they are apart [rad]."""
        return float((self.h[b] - self.h[a]) / np.hypot(*(self.xy[b] - self.xy[a])))

    def bubble(self, a: int, b: int, way: int = 1) -> float:
        """What is read, in divisions."""
        true = self.tilt(a, b) / DIVISION + way * self.zero + self.rng.normal(0, PLACING)
        return round(true / STEP) * STEP

    def turn(self, i: int, m: float) -> None:
        """Wind a foot by so much [m]; turned back, it first takes up its backlash."""
        way = math.copysign(1.0, m)
        if self.last[i] == -way:
            m = way * max(abs(m) - self.backlash[i], 0.0)
        self.last[i] = way
        self.tops[i] += m
        self.stand()

    def turn_to(self, i: int, a: int, b: int, divisions: float, turns: float = math.inf) -> None:
        """Wind a foot until the bubble from a to b stands there, as well as it can be seen, or until it has made its `turns` [m], as well
        as a hand can; no further down than until it hangs."""
        off = self.zero + self.rng.normal(0, PLACING)
        up = 1.0 if i == b else -1.0

        def short() -> bool:
            return up * (self.tilt(a, b) / DIVISION + off) < up * divisions

        start = self.tops[i]
        far = FARTHEST
        if math.isfinite(turns):
            far = max(abs(turns) * (1 + self.rng.normal(0, BY_HAND)) + self.rng.normal(0, A_HAIR), 0.0)
        low, high = (start, start + far) if short() else (start - far, start)
        for _ in range(24):
            self.tops[i] = (low + high) / 2
            self.stand()
            low, high = (self.tops[i], high) if short() else (low, self.tops[i])
        self.last[i] = math.copysign(1.0, self.tops[i] - start)
        if self.h[i] - self.tops[i] > FREE:
            self.tops[i] = self.h[i] - FREE
            self.stand()

    def try_feet(self) -> int:
        """Bring every foot that turns freely up until it just takes; how many those were."""
        freely = [i for i in range(len(self.tops)) if self.h[i] - self.tops[i] > 1e-6]
        for i in freely:
            if (gap := self.h[i] - self.tops[i]) > 0:
                self.turn(i, float(gap))
            before = self.h[i]
            for _ in range(60):
                if self.h[i] - before >= FELT:
                    break
                self.turn(i, 5e-6)
        return len(freely)

    def could_come(self, tolerance: float, judged: np.ndarray) -> bool:
        """Whether any winding of its feet brings what is `judged`, sums of its corners' heights (k, n) [1], within a tolerance [m], by all
        that is true of it: a linear programme in the heights y, and no foot may pull: K(y − y₀) + w ≥ 0."""
        n = len(self.xy)
        A = np.vstack([judged, -judged, -self.K])
        b = np.concatenate([np.full(2 * len(judged), tolerance), self.weight - self.bent])
        scale = 1e6
        return bool(linprog(np.zeros(n), A, b * scale, bounds=[(None, None)] * n).status == 0)
