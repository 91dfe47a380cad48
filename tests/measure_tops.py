"""Tops made of panels, and axes, levelled by the program's word and by a hand worker: ./run measure tops [HOW MANY] [SEED].

The simulated pieces (`Top` on the `Table` of tests/trades/panels, `Turning` on the `Stone` of tests/trades/axis) know nothing of the
program. The level has an error of its own, never lies quite the same twice, and is read to a fifth of a division; a finger tells a
seam to a nail's step. The word is followed by the bubble (moved until it stands where the sheet says) or by the turns (so many, three
parts in a hundred off).

The hand worker has marked where the bubble stands when level. Of panels: the highest end stays, the panel there is brought level along
and across, the next to its seam by touch, its far end by the bubble, and so to the last; round about until a round moves nothing. Of
an axis: for one foot after the other two opposite readings towards it, and the foot turned until the level shows their mean.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from tests.page import put
from tests.trades.axis.test_axis_trade import FIVE, THREE, Stone
from tests.trades.panels.test_panels import IN, LONG, NAIL, WIDE, Table
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft

HEAD = "## Tops of panels, and axes"
DIVISION, STEP, PLACING = 5e-5, 0.2, 0.15
U_TILT = DIVISION * math.hypot(STEP / math.sqrt(12), PLACING)
ROUNDS_BY_HAND = 12
CORNERS = np.array([[1.0, x, y] for y in (IN, WIDE - IN) for x in (IN, LONG - IN)])
"""Of a panel's fixing points, as the program numbers them: near left, near right, far left, far right."""
SPREADS = np.linalg.pinv(CORNERS)


def seen_as(tilt: float, rng: np.random.Generator) -> float:
    """A tilt as it is read: placed a little otherwise, to a fifth of a division [rad]."""
    return round((tilt / DIVISION + rng.normal(0, PLACING)) / STEP) * STEP * DIVISION


class Top(Table):
    """Panels side by side on wedges."""

    def __init__(self, n: int, key: list[int]) -> None:
        rng = np.random.default_rng(key)
        planes = [(rng.normal(0, 1.5e-4), *rng.normal(0, 2e-4, 2)) for _ in range(n)]
        super().__init__(planes, float(rng.normal(0, 5e-5)), rng, names="ABCD"[:n])
        self.tolerance = max(4 * U_TILT * LONG * math.sqrt(n), NAIL)

    def points(self) -> np.ndarray:
        """True heights of all fixing points [m]."""
        return np.concatenate([CORNERS @ h for h in self.h])

    def off(self, keeper: int) -> np.ndarray:
        h = self.points()
        return h - h[keeper]

    def inside(self, keeper: int) -> bool:
        return bool(np.abs(self.off(keeper)).max() <= self.tolerance)

    def one_level(self) -> bool:
        """Whether all lie in a band as wide as the tolerance allows on both sides."""
        return bool(np.ptp(self.points()) <= 2 * self.tolerance)

    def told(self, result) -> np.ndarray:
        """How far the program says they are off the keeper, and how sure it is [m]."""
        return -result.moves

    def lift(self, i: int, by: float) -> None:
        """Drive one wedge."""
        k, corner = divmod(i, 4)
        self.h[k] = self.h[k] + SPREADS[:, corner] * by

    def follow(self, result, by: str) -> int:
        """Do what the sheet says; how many single movements that was."""
        todo = list(result.to_do)
        for i in todo:
            if by == "turns":
                self.lift(i, float(result.lifts[i]) * (1 + self.rng.normal(0, 0.03)))
                continue
            place, shown = result.told_at(i)
            before = self.true(place)
            self.lift(i, 1.0)
            slope = self.true(place) - before
            self.lift(i, -1.0)
            if abs(slope) > 1e-9:
                self.lift(i, (shown - before - self.rng.normal(0, PLACING) * DIVISION) / slope)
            else:  # the level where it lies tells nothing of this one: so many turns
                self.lift(i, float(result.lifts[i]) * (1 + self.rng.normal(0, 0.03)))
        return len(todo)

    def feels(self, k: int, y: float) -> float:
        """The step a finger feels at the seam behind panel k, to a nail [m]."""
        step = self.at(k + 1, 0.0, y) - self.at(k, LONG, y)
        return round((step + self.rng.uniform(-0.4, 0.4) * NAIL) / NAIL) * NAIL

    def tip(self, k: int, which: tuple[int, int], what: int) -> int:
        """Bring a panel's bubble along (1) or across (2) to the mark by two of its points; movements made."""
        off = seen_as(self.h[k][what], self.rng)
        if abs(off) <= STEP * DIVISION * 1.01:
            return 0
        reach = (LONG if what == 1 else WIDE) - 2 * IN
        for corner in which:
            by = -off * reach * (1 if CORNERS[which[0]][what] > reach / 2 else -1)
            self.lift(4 * k + corner, by * (1 + self.rng.normal(0, 0.03)))
        return 2

    def by_hand(self) -> tuple[int, int]:
        """Rounds and movements of the hand worker, who has the level's mark."""
        h, n, moves = self.points(), len(self.h), 0
        from_left = int(np.argmax(h)) < 2 * n
        order = range(n) if from_left else range(n - 1, -1, -1)
        near, far = ((0, 2), (1, 3)) if from_left else ((1, 3), (0, 2))
        for rounds in range(1, ROUNDS_BY_HAND + 1):
            touched = 0
            for place, k in enumerate(order):
                if place:
                    seam, sign = (k - 1, 1) if from_left else (k, -1)
                    for corner, y in zip(near, (0.0, WIDE), strict=True):
                        step = sign * self.feels(seam, y)
                        if abs(step) > NAIL / 2:
                            self.lift(4 * k + corner, -step)
                            touched += 1
                touched += self.tip(k, far, 1)
                if not place:
                    touched += self.tip(k, (2, 3), 2)
            moves += touched
            if not touched:
                return rounds, moves
        return ROUNDS_BY_HAND, moves


class Turning(Stone):
    """An axis on feet, dished and skew on top (the level's zero holds that), with a bearing that wobbles."""

    def __init__(self, feet, eps: tuple[float, float], wobble: tuple[float, float], key: list[int]) -> None:
        rng = np.random.default_rng(key)
        x, y = rng.normal(0, 3e-4, 2)
        share, w = rng.uniform(*eps), rng.uniform(*wobble)
        super().__init__(x, y, rng.normal(0, 2e-4), w, feet, 8, None, share)
        self.hand = rng
        self.tolerance = 4 * U_TILT
        fact = {"fact": "tilt", "text": "x", "value": self.tolerance}
        self.book.add(Draft(self.book.work, "body-fact", fact))

    def shows(self, azimuth: float) -> float:
        """What the level truly shows there [rad]."""
        phi = math.radians(azimuth)
        wobble = self.wobble * math.cos(2 * phi + 0.4)
        return float(self.zero + self.lean @ [math.cos(phi), math.sin(phi)] + wobble)

    def read(self, phase: str = FOUND):
        for azimuth in self.result().book.azimuths:
            if azimuth not in self.result().book.read[phase]:
                tilt = seen_as(self.shows(azimuth), self.hand)
                body = {"azimuth": azimuth, "phase": phase, "text": "x", "tilt_rad": tilt}
                self.book.add(Draft(self.book.work, "turned", {**body, "step_rad": STEP * DIVISION}))
        return self.result()

    def off(self, keeper: int) -> np.ndarray:
        return self.lean.copy()

    def told(self, result) -> np.ndarray:
        return np.array([result.axis.x, result.axis.y])

    def inside(self, keeper: int) -> bool:
        return bool(np.hypot(*self.lean) <= self.tolerance)

    def one_level(self) -> bool:
        return self.inside(0)

    def turn(self, i: int, by: float) -> None:
        self.move(by * np.eye(len(self.xy))[i])

    def turn_to(self, i: int, azimuth: float, shown: float) -> None:
        """Turn a foot until the level, pointing there, shows so much, as well as it can be seen."""
        before = self.shows(azimuth)
        self.turn(i, 1e-3)
        slope = (self.shows(azimuth) - before) / 1e-3
        self.turn(i, -1e-3)
        if abs(slope) > 1e-9:
            self.turn(i, (shown - before - self.hand.normal(0, PLACING) * DIVISION) / slope)

    def follow(self, result, by: str) -> int:
        todo = list(result.to_do)
        for i in todo:
            if by == "turns":
                self.turn(i, float(result.lifts[i]) * (1 + self.hand.normal(0, 0.03)))
            else:
                self.turn_to(i, *result.told_at(i))
        return len(todo)

    def by_hand(self) -> tuple[int, int]:
        moves = 0
        for rounds in range(1, ROUNDS_BY_HAND + 1):
            touched = 0
            for i, (x, y) in enumerate(self.xy):
                azimuth = math.degrees(math.atan2(y, x))
                there, back = (seen_as(self.shows(azimuth + turn), self.hand) for turn in (0, 180))
                if abs(there - back) / 2 > STEP * DIVISION:
                    self.turn_to(i, azimuth, (there + back) / 2)
                    touched += 1
            moves += touched
            if not touched:
                return rounds, moves
        return ROUNDS_BY_HAND, moves


NONE, SOME, MUCH = (0.0, 0.0), (0.0, 0.1), (0.3, 0.5)
KINDS = {
    "a top in 2 panels": partial(Top, 2),
    "a top in 3 panels": partial(Top, 3),
    "a top in 4 panels": partial(Top, 4),
    "an axis on 3 feet": partial(Turning, THREE, SOME, NONE),
    "an axis on 3 feet, its bearing wobbles": partial(Turning, THREE, SOME, (5e-5, 2e-4)),
    "an axis on 5 feet, two tip the base": partial(Turning, FIVE, MUCH, NONE),
    "an axis on 5 feet that wobbles and tips": partial(Turning, FIVE, MUCH, (5e-5, 2e-4)),
}


@dataclass
class Came:
    """What came of one piece: in after two rounds, rounds, movements, how many stated U held of how many; whether it was said to be
    in and its worst seam then [m] (nan: no seam, or not said); the hand's in, rounds, movements."""

    good: bool
    rounds: int
    moves: int
    held: float
    stated: int
    seam: float
    hand: bool
    hand_rounds: int
    hand_moves: int


def one(kind: str, by: str, seed: int, n: int) -> Came:
    """Level one piece by the program's word, and the same by hand."""
    key = [seed, n, list(KINDS).index(kind)]
    piece = KINDS[kind](key=key)
    result = piece.read(FOUND)
    keeper = result.aim.keeper
    if isinstance(piece, Top):
        U = 2 * result.u_deviation
    else:
        U = 2 * U_TILT * np.sqrt(np.diag(result.axis.covariance)[1:3])
    off, told = piece.off(keeper), piece.told(result)
    asked = U > 1e-12
    held = int((np.abs(told - off)[asked] <= U[asked]).sum())
    point = result.book.points[keeper]
    piece.book.add(Draft(piece.book.work, "keeper", {"point": point.id, "name": point.name}))
    result = piece.result()
    rounds = moves = 0
    while rounds < 2 and result.to_do:
        rounds += 1
        moves += piece.follow(result, by)
        piece.read(LEFT)
        result = piece.end(piece.result()) if isinstance(piece, Turning) else piece.end()
    seam = math.nan
    if isinstance(piece, Top) and all(one.verdict == "in" for one in result.seams(FOUND)):
        seam = piece.truth()[0]
    good = piece.inside(next(k for k, p in enumerate(result.book.points) if p.id == point.id))
    hand = KINDS[kind](key=key)
    hand_rounds, hand_moves = hand.by_hand()
    return Came(good, rounds, moves, held, int(asked.sum()), seam, hand.one_level(), hand_rounds, hand_moves)


def some(kind: str, by: str, count: int, seed: int) -> list[Came]:
    return [one(kind, by, seed, n) for n in range(count)]


def blamed(count: int, seed: int) -> tuple[int, int]:
    """Of axes that are plumb but wobble, in how many a foot is told to move; and how many there were."""
    told = 0
    for n in range(count):
        piece = Turning(FIVE if n % 2 else THREE, NONE, (5e-5, 2e-4), [seed, n, 99])
        piece.lean[:] = 0.0
        told += bool(piece.read(FOUND).to_move)
    return told, count


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 300, int(words[1]) if len(words) > 1 else 1
    rows = [(kind, by) for kind in KINDS for by in ("bubble", "turns")]
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(_row, count, seed), rows))
        told, of = pool.submit(blamed, count, seed).result()
    lines = [
        f"{count} simulated pieces a row, `./run measure tops {count} {seed}`, {datetime.date.today()}. Tolerance of an axis: 4 u of one reading; of a top: 4 u of one reading over a panel, times √panels, and no less than a nail's step. Judged as they truly lie after two rounds; the hand worker's when he finds nothing more to move, {ROUNDS_BY_HAND} rounds at most (a top of his is in where all lies in a band of twice the tolerance). A movement is one wedge, screw or foot moved once:",
        "",
        "| what | followed by | in | U covers | rounds | movements | worst seam where said to be in | hand: in | rounds | movements |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    for (kind, by), came in zip(rows, found, strict=True):
        held, stated = sum(c.held for c in came), sum(c.stated for c in came)
        seams = [c.seam for c in came if not math.isnan(c.seam)]
        seam = f"{max(seams) * 1000:.3f} mm of {len(seams)}" if seams else "–"
        lines.append(
            f"| {kind} | the {by} | {np.mean([c.good for c in came]):.0%} | {held / stated:.0%} | "
            f"{np.median([c.rounds for c in came]):g} | {np.median([c.moves for c in came]):g} | {seam} | "
            f"{np.mean([c.hand for c in came]):.0%} | {np.median([c.hand_rounds for c in came]):g} | {np.median([c.hand_moves for c in came]):g} |"
        )
    lines += [
        "",
        f"Of {of} axes that stand plumb and wobble by 0.05 to 0.2 mm/m, a foot was told to move in {told}.",
    ]
    put(HEAD, [HEAD, "", *lines])
    print("\n".join(lines))
    return 0


def _row(count: int, seed: int, row: tuple[str, str]) -> list[Came]:
    return some(*row, count, seed)
