"""Bodies on feet that know nothing of the program, levelled by its word and by a hand worker: ./run measure bodies [BODIES] [SEED].

Two sorts of body: one whose feet always push, a foot wound up by m raising its own corner by (1 − ε)·m and tipping the whole by the
rest; and frames that feet may let go of (tests/frames.py). The level has an error of its own, never lies quite the same twice, and is
read to a fifth of a division. The program is asked with the settings that a new task has: first every foot is tried, then rounds as
long as it proposes one. Its word is followed by the bubble (turned until it stands where the sheet says) or by the turns (so many,
three parts in a hundred off). The hand worker has turned the level round once, and then turns one foot after the other until the
bubble stands in the middle, round about, until a whole round needs no turning: one stops when all lie in a band as wide as the
tolerance allows, the other goes on. Judged by the true heights. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from tests.frames import A_HAIR, BY_HAND, Frame
from tests.page import put
from tests.trades.supports.test_works import Book
from vivid_keel.core.body.facts import ITSELF
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.moving.engine import again_helps, counts_turns
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
    8: [(1.2 * k, 0.0) for k in range(4)] + [(1.2 * k, 1.0) for k in (3, 2, 1, 0)],
}
APART = 0.5
LOAD = {"stiff feet": (0.0, 0.1), "feet that rob load": (0.3, 0.5)}
"""How much of a turn tips the whole body instead of raising its corner: ε from, to."""
FRAMES = {
    "a frame that shares nothing": 0.0,
    "a frame that shares a fifth": 0.2,
    "a frame that shares half": 0.5,
    "a stiff frame": 0.9,
}
"""How much of their turns the feet of a frame share that they may let go of."""
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

    def turn_to(self, i: int, a: int, b: int, divisions: float, turns: float = math.inf) -> None:
        """Wind a foot until the bubble from a to b stands there, as well as it can be seen, or until it has made its `turns` [m]."""
        far = float(np.hypot(*(self.xy[b] - self.xy[a])))
        by = float(self.S[b, i] - self.S[a, i]) / far
        seen = (self.tilt(a, b) / DIVISION + self.zero + self.rng.normal(0, PLACING)) * DIVISION
        off = divisions * DIVISION - seen
        most = max(abs(turns) * (1 + self.rng.normal(0, BY_HAND)) + self.rng.normal(0, A_HAIR), 0.0)
        if abs(by) > 0.05 / far:
            self.turn(i, float(np.clip(off / by, -most, most)))


def truth(
    xy: list[tuple[float, float]], load: tuple[float, float] | float, rng: np.random.Generator
) -> Truth | Frame:
    at = np.array(xy)
    if isinstance(load, float):
        return Frame(at, load, rng)
    c = at - at.mean(axis=0)
    h = c @ rng.normal(0, 3e-4, 2) + rng.normal(0, 2e-4) * c[:, 0] * c[:, 1] * (len(xy) > 3)
    plane = np.column_stack([np.ones(len(at)), at])
    eps = rng.uniform(*load)
    S = (1 - eps) * np.eye(len(at)) + eps * plane @ np.linalg.pinv(plane)
    return Truth(at, h, S, rng.normal(0, 2), rng)


class Table:
    """A table that is booked as it is read."""

    tolerance: float

    @property
    def counts_turns(self) -> bool:
        """Whether the sheet says to stop after so many turns, or where the level shows its number if that comes first."""
        return counts_turns(self.result().book)

    def __init__(self, n: int, load: tuple[float, float] | float, seed: list[int]) -> None:
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
            book.add(Draft(book.work, "foot", {"name": "ABCDEFGH"[k], "x_m": x, "y_m": y}))
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
        order = [place for place in result.book.places if place not in result.book.laid[phase]]
        while (place := order.pop(0) if order else self.next_place(result, phase)) is not None:
            a, b = (self.ids.index(id) for id in place[:2])
            d = self.of.bubble(a, b, sense(place))
            body = {"from": place[0], "to": place[1], "way": place[2], "phase": phase, "text": f"{d:.1f}"}
            self.book.add(
                Draft(self.book.work, "laid", {**body, "tilt_rad": d * DIVISION, "step_rad": STEP * DIVISION})
            )
            result = result if order else self.result()
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

    def book_turned(self, result, i: int) -> None:
        """Book a foot as planned, by its turns."""
        body = {
            "point": result.book.points[i].id,
            "put_m": float(result.lifts[i]),
            "leaves": 0,
            "text": "as told",
        }
        self.book.add(Draft(self.book.work, "put", body))

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
        """How far what is judged stands off [m]."""
        return self.judged(keeper) @ self.of.h

    def judged(self, keeper: int) -> np.ndarray:
        """What is judged, as sums of the true heights (k, n) [1]."""
        n = len(self.ids)
        return np.eye(n) - np.eye(n)[keeper]

    def in_band(self) -> bool:
        """Whether all lie in a band as wide as the tolerance allows on both sides."""
        return bool(np.ptp(self.off(0)) <= 2 * self.tolerance)

    def by_hand(self, *, stops: bool = False) -> tuple[int, int]:
        """Rounds and turns of the hand worker; one who `stops` does so when his readings lie in the band."""
        t, n = self.of, len(self.ids)
        mark = (t.bubble(0, 1) - t.bubble(0, 1, -1)) / 2
        turns = 0
        for k in range(1, ROUNDS_BY_HAND + 1):
            if stops and self._reads_in(mark):
                return k - 1, turns
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

    def _reads_in(self, mark: float) -> bool:
        """Whether heights stepped round the sides, as the bubble shows them, lie in the band."""
        t, n, at = self.of, len(self.ids), [0.0]
        for a in range(n - 1):
            far = float(np.hypot(*(t.xy[a + 1] - t.xy[a])))
            at.append(at[-1] + (t.bubble(a, a + 1) - mark) * DIVISION * far)
        return float(np.ptp(at)) <= 2 * self.tolerance


class Bed(Table):
    """A bed on pairs of feet, only true to itself: across at every pair, each to stand as the head does."""

    def __init__(self, n: int, load: tuple[float, float] | float, seed: list[int]) -> None:
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

    def judged(self, keeper: int) -> np.ndarray:
        """Twist of every pair against the head, at the feet."""
        pairs = len(self.ids)
        rows = np.zeros((pairs, 2 * pairs))
        for k in range(pairs):
            rows[k, [2 * k + 1, 2 * k]] += 1, -1
            rows[k, [1, 0]] -= 1, -1
        return rows

    def by_hand(self, *, stops: bool = False) -> tuple[int, int]:
        t, n, turns = self.of, len(self.ids), 0
        for k in range(1, ROUNDS_BY_HAND + 1):
            mark, touched = t.bubble(0, 1), 0
            seen = [(t.bubble(2 * j, 2 * j + 1) - mark) * DIVISION * APART for j in range(n)]
            if stops and float(np.ptp(seen)) <= 2 * self.tolerance:
                return k - 1, turns
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
    "a table on 8 feet": (Table, 8),
    "a bed on 2 pairs": (Bed, 2),
    "a bed on 4 pairs": (Bed, 4),
}


@dataclass
class Came:
    """What came of one body: in after two rounds, and at the end; whether any feet's turns could bring it in; rounds, turns, how many
    stated U held of how many; of what is out, how many were called in; in by hand, stopping and going on; the hand's rounds and turns."""

    good: bool
    at_last: bool
    could: bool
    rounds: int
    turns: int
    held: int
    stated: int
    out: int
    false_in: int
    stops: bool
    hand: bool
    hand_rounds: int
    hand_turns: int


MOST_ROUNDS = 4


def keep_it(body: Table, result) -> None:
    """Book the keeper with the first move, as the desk does."""
    if result.aim.keeper >= 0 and not result.aim.fixed and result.book.target.follows:
        point = result.book.points[result.aim.keeper]
        body.book.add(Draft(body.book.work, "keeper", {"point": point.id, "name": point.name}))


def covered(body: Table, result) -> tuple[int, int]:
    """How many of the deviations as found lie within the U stated, and of how many."""
    off = body.off(max(result.aim.keeper, 0))
    feet = len(off) == len(result.moves)
    told = -result.moves if feet else (-result.moves)[1::2] - (-result.moves)[::2]
    u = result.u_deviation if feet else np.full(len(off), result.u_deviation.max())
    asked = np.abs(off) > 0
    return int((np.abs(told - off)[asked] <= 2 * u[asked]).sum()), int(asked.sum())


def one(kind: str, load: str, by: str, seed: int, n: int) -> Came:
    """Level one body by the program's word, and the same by hand."""
    make, feet = KINDS[kind]
    how = FRAMES[load] if load in FRAMES else LOAD[load]
    key = [seed, n, list(KINDS).index(kind), list({**LOAD, **FRAMES}).index(load)]
    body = make(feet, how, key)
    turns = body.of.try_feet() if isinstance(body.of, Frame) else 0
    result = body.read("found")
    held, stated = covered(body, result)
    keep_it(body, result)
    rounds, out, false_in, states = 0, 0, 0, [False]
    while rounds < MOST_ROUNDS and result.to_do:
        rounds += 1
        for i in list(result.to_do):
            turns += 1
            if by == "bubble":
                a, b, d = body.told(result, i)
                if body.counts_turns:
                    body.of.turn_to(i, a, b, d, float(result.lifts[i]))
                    body.book_turned(result, i)
                else:
                    body.of.turn_to(i, a, b, d)
                    body.book_watched(result, i)
            else:
                body.of.turn(i, float(result.lifts[i]) * (1 + body.of.rng.normal(0, 0.03)))
                body.book_turned(result, i)
        result = body.read("left")
        off = np.abs(body.off(max(result.aim.keeper, 0)))
        states.append(bool(off.max() <= body.tolerance))
        if len(off) == len(result.left_verdicts):
            is_out = off > body.tolerance
            out += int(is_out.sum())
            false_in += sum(v == "in" for v, bad in zip(result.left_verdicts, is_out, strict=True) if bad)
        if not again_helps(result):
            break
        made, leaves = result.put_in()
        entry = {
            "put": {str(k): v for k, v in made.items()},
            "leaves": {str(k): v for k, v in leaves.items()},
        }
        body.book.add(Draft(body.book.work, "pass", entry))
        result = body.result()
        if (did := covered(body, result))[1]:
            held, stated = held + did[0], stated + did[1]
    if rounds == 0:
        states[0] = bool(np.abs(body.off(max(result.aim.keeper, 0))).max() <= body.tolerance)
    could = (
        body.of.could_come(body.tolerance, body.judged(max(result.aim.keeper, 0)))
        if isinstance(body.of, Frame)
        else True
    )
    stops, goes_on = make(feet, how, key), make(feet, how, key)
    stops.by_hand(stops=True)
    hand_rounds, hand_turns = goes_on.by_hand()
    return Came(
        states[min(2, len(states) - 1)],
        states[-1],
        could,
        rounds,
        turns,
        held,
        stated,
        out,
        false_in,
        stops.in_band(),
        goes_on.in_band(),
        hand_rounds,
        hand_turns,
    )


def some(kind: str, load: str, by: str, count: int, seed: int) -> list[Came]:
    return [one(kind, load, by, seed, n) for n in range(count)]


ROWS = [
    (kind, load, by)
    for kind, (make, feet) in KINDS.items()
    for load in ([*FRAMES][: 4 if feet > 3 else 1] if make is Table else [*LOAD, *FRAMES])
    for by in ("bubble", "turns")
]


def below(share: float, aim: float, count: int) -> bool:
    """Whether a share lies two of its standard errors under what is aimed at."""
    return share + 2 * math.sqrt(max(aim * (1 - aim), 1 / count) / count) < aim


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 200, int(words[1]) if len(words) > 1 else 1
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(_row, count, seed), ROWS))
    lines = [
        f"{count} simulated bodies a row, `./run measure bodies {count} {seed}`, {datetime.date.today()}, with the settings that a new task has; the best are the same. Tolerance: 4 u of one reading over the longest side; judged by the true heights after two rounds, and when no further one is proposed. “Could be”: how many any turning of the feet brings in, by one who knows all that is true of the frame. The hand worker turns one foot after the other to the bubble's middle, round about, {ROUNDS_BY_HAND} rounds at most, and stops when his readings are in, or goes on; he is in where all lie in a band as wide as the tolerance allows. A turn is one foot turned once, feet brought up because they hung counted. A row is marked where what is in lies two standard errors below 95 of 100 of what could be, or below the better hand:",
        "",
        "| what | feet | followed by | in after two rounds | at last | could be | U covers | false “in” | rounds | turns | hand stops: in | goes on: in | rounds | turns | |",
        "|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    for (kind, load, by), came in zip(ROWS, found, strict=True):
        held, stated = sum(c.held for c in came), sum(c.stated for c in came)
        good, could = np.mean([c.good for c in came]), np.mean([c.could for c in came])
        hands = [float(np.mean([c.stops for c in came])), float(np.mean([c.hand for c in came]))]
        missed = [
            word
            for word, aim in (("under 95 of what could be", 0.95 * could), ("under the hand", max(hands)))
            if below(good, aim, count)
        ]
        out, false_in = sum(c.out for c in came), sum(c.false_in for c in came)
        lines.append(
            f"| {kind} | {load} | the {by} | {good:.0%} | {np.mean([c.at_last for c in came]):.0%} | {could:.0%} | {held / stated:.0%} | {false_in / max(out, 1):.1%} of {out} | "
            f"{np.median([c.rounds for c in came]):g} | {np.median([c.turns for c in came]):g} | {hands[0]:.0%} | {hands[1]:.0%} | "
            f"{np.median([c.hand_rounds for c in came]):g} | {np.median([c.hand_turns for c in came]):g} | {'; '.join(missed)} |"
        )
    put(HEAD, [HEAD, "", *lines])
    print("\n".join(lines))
    return 0


def _row(count: int, seed: int, row: tuple[str, str, str]) -> list[Came]:
    return some(*row, count, seed)
