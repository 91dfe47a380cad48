"""Bodies on feet that know nothing of the program, levelled by its word and by a hand worker: ./run measure bodies [BODIES] [SEED].

A body stands on feet that take load from one another: a foot wound up by m raises its own corner by (1 − ε)·m and tips the whole by
the rest. The level has an error of its own, never lies quite the same twice, and is read to a fifth of a division. The program's
word is followed by the bubble (turned until it stands where the sheet says) or by the turns (so many, three parts in a hundred off).
The hand worker has turned the level round once, and then turns one foot after the other until the bubble stands in the middle,
round about, until a whole round needs no turning. Judged by the true heights. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from tests.page import put
from tests.trades.supports.test_works import Book
from vivid_keel.core.body.facts import ITSELF
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.bed.book import fold_bed
from vivid_keel.trades.bed.result import wanted_next as bed_next
from vivid_keel.trades.bed.result import work_out_bed
from vivid_keel.trades.slab.book import fold_slab, sense
from vivid_keel.trades.slab.result import wanted_next as slab_next
from vivid_keel.trades.slab.result import work_out_slab

HEAD = "## Bodies on feet"
DIVISION, STEP, PLACING = 5e-5, 0.2, 0.15
U_TILT = DIVISION * math.hypot(STEP / math.sqrt(12), PLACING)
"""What one reading is worth [rad]."""
TABLES = {
    3: [(0.0, 0.0), (1.6, 0.0), (0.8, 0.9)],
    4: [(0.0, 0.0), (1.6, 0.0), (1.6, 0.9), (0.0, 0.9)],
    6: [(0.0, 0.0), (1.2, 0.0), (2.4, 0.0), (2.4, 1.0), (1.2, 1.0), (0.0, 1.0)],
}
APART = 0.5
LOAD = {"stiff feet": (0.0, 0.1), "feet that rob load": (0.3, 0.5)}
"""How much of a turn tips the whole body instead of raising its corner: ε from, to."""
ROUNDS_BY_HAND = 12


@dataclass
class Truth:
    """Feet in plan, their true heights, how they answer, and the level with its own error."""

    xy: np.ndarray
    h: np.ndarray
    S: np.ndarray
    zero: float
    rng: np.random.Generator

    def tilt(self, a: int, b: int) -> float:
        return float((self.h[b] - self.h[a]) / np.hypot(*(self.xy[b] - self.xy[a])))

    def bubble(self, a: int, b: int, way: int = 1) -> float:
        """What is read, in divisions."""
        true = self.tilt(a, b) / DIVISION + way * self.zero + self.rng.normal(0, PLACING)
        return round(true / STEP) * STEP

    def turn(self, i: int, m: float) -> None:
        self.h = self.h + self.S[:, i] * m

    def turn_to(self, i: int, a: int, b: int, divisions: float) -> None:
        """Wind a foot until the bubble from a to b stands there, as well as it can be seen."""
        far = float(np.hypot(*(self.xy[b] - self.xy[a])))
        by = float(self.S[b, i] - self.S[a, i]) / far
        seen = (self.tilt(a, b) / DIVISION + self.zero + self.rng.normal(0, PLACING)) * DIVISION
        off = divisions * DIVISION - seen
        if abs(by) > 0.05 / far:
            self.turn(i, off / by)


def truth(xy: list[tuple[float, float]], load: tuple[float, float], rng: np.random.Generator) -> Truth:
    at = np.array(xy)
    c = at - at.mean(axis=0)
    h = c @ rng.normal(0, 3e-4, 2) + rng.normal(0, 2e-4) * c[:, 0] * c[:, 1] * (len(xy) > 3)
    plane = np.column_stack([np.ones(len(at)), at])
    eps = rng.uniform(*load)
    S = (1 - eps) * np.eye(len(at)) + eps * plane @ np.linalg.pinv(plane)
    return Truth(at, h, S, rng.normal(0, 2), rng)


class Table:
    """A table that is booked as it is read."""

    tolerance: float

    def __init__(self, n: int, load: tuple[float, float], seed: list[int]) -> None:
        rng = np.random.default_rng(seed)
        self.of = truth(TABLES[n], load, rng)
        self.book = Book("slab")
        far = max(math.dist(p, q) for p, q in zip(TABLES[n], TABLES[n][1:], strict=False))
        self.tolerance = 4 * U_TILT * far
        book = self.book
        book.add(
            Draft(book.work, "limits", {"tolerance": book.read(f"{self.tolerance * 1000:.4f} mm", "mm")})
        )
        self.ids = [
            book.add(Draft(book.work, "foot", {"name": "ABCDEF"[k], "x_m": x, "y_m": y}))
            for k, (x, y) in enumerate(TABLES[n])
        ]

    def result(self):
        return work_out_slab(fold_slab(self.book.journal, self.book.work))

    def next_place(self, result, phase: str):
        """The order to its end: the first side once more, and what else is read to be sure."""
        more = (place for place in result.book.sure if place not in result.book.laid[phase])
        return slab_next(result, phase) or next(more, None)

    def read(self, phase: str):
        result = self.result()
        while (place := self.next_place(result, phase)) is not None:
            a, b = (self.ids.index(id) for id in place[:2])
            d = self.of.bubble(a, b, sense(place))
            body = {"from": place[0], "to": place[1], "way": place[2], "phase": phase, "text": f"{d:.1f}"}
            self.book.add(
                Draft(self.book.work, "laid", {**body, "tilt_rad": d * DIVISION, "step_rad": STEP * DIVISION})
            )
            result = self.result()
        return result

    def told(self, result, i: int) -> tuple[int, int, float]:
        """Where the level lies for a foot, and where its bubble is to stand."""
        place = next(p for p in result.book.places if self.ids[i] in p[:2] and p[2] == 1)
        a, b = (self.ids.index(id) for id in place[:2])
        return a, b, result.shown_after[i][place] / DIVISION

    def book_watched(self, result, i: int) -> None:
        """Book a foot as planned, turned until the level showed what it was to, as the desk does."""
        (start, to, way), shown = result.told_at(i)
        self._put(result, i, start, to, shown - way * result.body.zeros[LEVEL])

    def _put(self, result, i: int, start: int, to: int, tilt: float) -> None:
        body = {
            "point": result.book.points[i].id,
            "put_m": float(result.lifts[i]),
            "leaves": 0,
            "text": "as told",
        }
        body["watched"] = {"from": start, "to": to, "tilt_rad": tilt}
        self.book.add(Draft(self.book.work, "put", body))

    def off(self, keeper: int) -> np.ndarray:
        return self.of.h - self.of.h[keeper]

    def by_hand(self) -> tuple[int, int]:
        """Rounds and turns of the hand worker."""
        t, n = self.of, len(self.ids)
        mark = (t.bubble(0, 1) - t.bubble(0, 1, -1)) / 2
        turns = 0
        for k in range(1, ROUNDS_BY_HAND + 1):
            touched = 0
            for a in range(n):
                b = (a + 1) % n
                if abs(t.bubble(a, b) - mark) > STEP:
                    t.turn_to(b, a, b, mark)
                    touched += 1
            turns += touched
            if not touched:
                return k, turns
        return ROUNDS_BY_HAND, turns


class Bed(Table):
    """A bed on pairs of feet, only true to itself: across at every pair, each to stand as the head does."""

    def __init__(self, n: int, load: tuple[float, float], seed: list[int]) -> None:
        rng = np.random.default_rng(seed)
        pairs = [0.9 * k for k in range(n)]
        self.of = truth([(x, y) for x in pairs for y in (0.0, APART)], load, rng)
        self.book = book = Book("bed")
        self.tolerance = 4 * U_TILT * APART
        book.add(
            Draft(
                book.work,
                "limits",
                {"tolerance": book.read(f"{self.tolerance * 1000:.4f} mm", "mm"), "order": "three"},
            )
        )
        for fact, text, value in (
            ("truth", ITSELF, 1.0),
            ("division", "0.05", DIVISION),
            ("feet_apart", "0.5", APART),
        ):
            book.add(Draft(book.work, "body-fact", {"fact": fact, "text": text, "value": value}))
        self.ids = [
            book.add(Draft(book.work, "bed-station", {"name": f"{k}", "x_m": x, "feet": True}))
            for k, x in enumerate(pairs)
        ]

    def result(self):
        return work_out_bed(fold_bed(self.book.journal, self.book.work))

    def next_place(self, result, phase: str):
        more = (spot for spot in result.book.comes_back(phase) if spot not in result.book.read[phase])
        return bed_next(result, phase) or next(more, None)

    def read(self, phase: str):
        result = self.result()
        while (spot := self.next_place(result, phase)) is not None:
            j = self.ids.index(spot.at)
            d = self.of.bubble(2 * j, 2 * j + 1, spot.way)
            body = {"sort": spot.sort, "at": spot.at, "way": spot.way, "phase": phase, "text": f"{d:.1f}"}
            self.book.add(
                Draft(self.book.work, "bed-reading", {**body, "value": d * DIVISION, "step": STEP * DIVISION})
            )
            result = self.result()
        return result

    def told(self, result, i: int) -> tuple[int, int, float]:
        spot = result.spots[i // 2]
        return i - i % 2, i - i % 2 + 1, result.shown_after[i][spot] / DIVISION

    def book_watched(self, result, i: int) -> None:
        spot, shown = result.told_at(i)
        self._put(result, i, spot.at, -spot.at, shown - result.body.zeros[LEVEL])

    def off(self, keeper: int) -> np.ndarray:
        """Twist of every pair against the head, at the feet."""
        t = self.of.h[1::2] - self.of.h[::2]
        return t - t[0]

    def by_hand(self) -> tuple[int, int]:
        t, n, turns = self.of, len(self.ids), 0
        for k in range(1, ROUNDS_BY_HAND + 1):
            mark, touched = t.bubble(0, 1), 0
            for j in range(1, n):
                if abs(t.bubble(2 * j, 2 * j + 1) - mark) > STEP:
                    t.turn_to(2 * j, 2 * j, 2 * j + 1, mark)
                    touched += 1
            turns += touched
            if not touched:
                return k, turns
        return ROUNDS_BY_HAND, turns


KINDS = {
    "a table on 3 feet": (Table, 3),
    "a table on 4 feet": (Table, 4),
    "a table on 6 feet": (Table, 6),
    "a bed on 2 pairs": (Bed, 2),
    "a bed on 4 pairs": (Bed, 4),
}


@dataclass
class Came:
    """What came of one body: in after two rounds, rounds, turns, how many stated U held of how many; the hand's in, rounds, turns."""

    good: bool
    rounds: int
    turns: int
    held: int
    stated: int
    hand: bool
    hand_rounds: int
    hand_turns: int


def keep_it(body: Table, result) -> None:
    """Book the keeper with the first move, as the desk does."""
    if result.aim.keeper >= 0 and not result.aim.fixed and result.book.target.follows:
        point = result.book.points[result.aim.keeper]
        body.book.add(Draft(body.book.work, "keeper", {"point": point.id, "name": point.name}))


def one(kind: str, load: str, by: str, seed: int, n: int) -> Came:
    """Level one body by the program's word, and the same by hand."""
    make, feet = KINDS[kind]
    key = [seed, n, list(KINDS).index(kind), list(LOAD).index(load)]
    body = make(feet, LOAD[load], key)
    result = body.read("found")
    keeper = max(result.aim.keeper, 0)
    off = body.off(keeper)
    told = -result.moves if len(off) == len(result.moves) else (-result.moves)[1::2] - (-result.moves)[::2]
    u = result.u_deviation if len(off) == len(result.moves) else np.full(len(off), result.u_deviation.max())
    asked = np.abs(off) > 0
    held = int((np.abs(told - off)[asked] <= 2 * u[asked]).sum())
    rounds = turns = 0
    keep_it(body, result)
    while rounds < 2 and result.to_do:
        rounds += 1
        for i in list(result.to_do):
            turns += 1
            if by == "bubble":
                a, b, d = body.told(result, i)
                body.of.turn_to(i, a, b, d)
                body.book_watched(result, i)
            else:
                body.of.turn(i, float(result.lifts[i]) * (1 + body.of.rng.normal(0, 0.03)))
        result = body.read("left")
        made, leaves = result.put_in()
        entry = {
            "put": {str(k): v for k, v in made.items()},
            "leaves": {str(k): v for k, v in leaves.items()},
        }
        body.book.add(Draft(body.book.work, "pass", entry))
        result = body.result()
        keeper = max(result.aim.keeper, 0)
    good = bool(np.abs(body.off(keeper)).max() <= body.tolerance)
    hand = make(feet, LOAD[load], key)
    hand_rounds, hand_turns = hand.by_hand()
    return Came(
        good,
        rounds,
        turns,
        held,
        int(asked.sum()),
        bool(np.ptp(hand.off(0)) <= 2 * hand.tolerance),
        hand_rounds,
        hand_turns,
    )


def some(kind: str, load: str, by: str, count: int, seed: int) -> list[Came]:
    return [one(kind, load, by, seed, n) for n in range(count)]


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 300, int(words[1]) if len(words) > 1 else 1
    rows = [(kind, load, by) for kind in KINDS for load in LOAD for by in ("bubble", "turns")]
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(_row, count, seed), rows))
    lines = [
        f"{count} simulated bodies a row, `./run measure bodies {count} {seed}`, {datetime.date.today()}. Tolerance: 4 u of one reading over the longest side; judged by the true heights after two rounds. The hand worker turns one foot after the other to the bubble's middle, round about, {ROUNDS_BY_HAND} rounds at most; it is in where all lie in a band as wide as the tolerance allows. A turn is one foot turned once:",
        "",
        "| what | feet | followed by | in | U covers | rounds | turns | hand: in | rounds | turns |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    for (kind, load, by), came in zip(rows, found, strict=True):
        held, stated = sum(c.held for c in came), sum(c.stated for c in came)
        lines.append(
            f"| {kind} | {load} | the {by} | {np.mean([c.good for c in came]):.0%} | {held / stated:.0%} | "
            f"{np.median([c.rounds for c in came]):g} | {np.median([c.turns for c in came]):g} | "
            f"{np.mean([c.hand for c in came]):.0%} | {np.median([c.hand_rounds for c in came]):g} | {np.median([c.hand_turns for c in came]):g} |"
        )
    put(HEAD, [HEAD, "", *lines])
    print("\n".join(lines))
    return 0


def _row(count: int, seed: int, row: tuple[str, str, str]) -> list[Came]:
    return some(*row, count, seed)
