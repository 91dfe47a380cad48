"""What the program's word is worth, measured on buildings that know nothing of it: ./run measure.

    ./run measure moved [BUILDINGS] [SEED]     this;   ./run measure bodies|cover|slips …   bodies on feet, what U covers, finding the slip;   ./run measure   all

The building is no stand-in of the program's: beams of a real bending stiffness lie on posts that only push, every post on
ground that gives; packing closes by 0.05 mm a leaf; readings are rounded. It is packed by the program,
and by an attentive hand worker who jacks each low post to the mark, packs what fits, and adds last round's shortfall.
Success is judged by the true heights against the true height of the first keeper. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
import os
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from tests import (
    measure_bodies,
    measure_cover,
    measure_grounds,
    measure_plans,
    measure_slips,
    measure_tops,
    measure_yard,
    measure_years,
)
from tests.page import put

HEAD = "## What is moved"
LEAVES = (0.010, 0.006, 0.003, 0.0015, 0.0008, 0.0004, 0.0002)
CLOSES = 0.00005
STIFFNESS = {"a light timber beam": 1.3e6, "a steel girder": 6e6, "a stone wall": 20e6}
"""What stands on the posts, and its bending stiffness EI [N·m²]."""
FINE, COARSE = 0.0002, 0.0007
ROUNDS = 2
FITS = os.environ.get("FITS", "1") == "1"


@dataclass
class House:
    """Beams on posts that only push: where its posts' tops would be unloaded, and where its beams are."""

    rows: list[np.ndarray]
    spacing: float
    EI: float
    load: float
    springs: np.ndarray
    tops: np.ndarray
    u: float
    rng: np.random.Generator
    natural: np.ndarray = field(init=False)
    heights: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        self.natural = np.zeros(len(self.tops))
        self.heights = self.stand()
        # It has stood crooked for years: the beams have taken part of their bend as their own shape.
        self.natural = 0.6 * self.heights
        self.heights = self.stand()

    def bending(self, n: int) -> np.ndarray:
        """Stiffness of a continuous beam against heights at its posts, rotations free (condensed out) [N/m]."""
        full, L = np.zeros((2 * n, 2 * n)), self.spacing
        for k in range(n - 1):
            at = [2 * k, 2 * k + 1, 2 * k + 2, 2 * k + 3]
            full[np.ix_(at, at)] += (self.EI / L**3) * np.array(
                [
                    [12, 6 * L, -12, 6 * L],
                    [6 * L, 4 * L * L, -6 * L, 2 * L * L],
                    [-12, -6 * L, 12, -6 * L],
                    [6 * L, 2 * L * L, -6 * L, 4 * L * L],
                ]
            )
        y, turn = np.arange(0, 2 * n, 2), np.arange(1, 2 * n, 2)
        return full[np.ix_(y, y)] - full[np.ix_(y, turn)] @ np.linalg.solve(
            full[np.ix_(turn, turn)], full[np.ix_(turn, y)]
        )

    def stand(self, jack: int = -1, mark: float = math.nan) -> np.ndarray:
        """Heights of the beams over the posts, standing on those that push, one of them held up by a jack perhaps [m]."""
        out = np.zeros(len(self.tops))
        for at in self.rows:
            K = self.bending(len(at))
            weight = np.full(len(at), self.load * self.spacing)
            weight[[0, -1]] /= 2
            pushes = np.full(len(at), True)
            held = at == jack
            for _ in range(60):
                k = np.where(pushes & ~held, self.springs[at], 0.0) + np.where(held, 1e12, 0.0)
                to = np.where(held, mark, self.tops[at])
                y = np.linalg.solve(K + np.diag(k), K @ self.natural[at] - weight + k * to)
                now = self.tops[at] > y
                if (now == pushes).all() or not (now | held).any():
                    break
                pushes = now
            out[at] = y
        return out

    def read(self, heights: np.ndarray | None = None) -> np.ndarray:
        """One reading at every post, as finely as the scale is read."""
        true = self.heights if heights is None else heights
        step = 0.0001 if self.u <= FINE else 0.0005
        seen = true + self.rng.normal(0, math.sqrt(self.u**2 - step**2 / 12), len(true))
        return np.round(seen / step) * step

    def put(self, i: int, stack: tuple[float, ...], leaves: int | None = None) -> None:
        """Put so much more under a post (taken out: negative), and let the building down on it."""
        n = len(stack) if leaves is None else leaves
        self.tops[i] += sum(stack) - CLOSES * n
        self.heights = self.stand()

    def gap(self, i: int, mark: float) -> float:
        """What stands open over a post once it is jacked until the scale shows the mark [m]."""
        off = self.rng.normal(0, self.u)
        return float(mark + off - self.tops[i])


def house(rng: np.random.Generator, EI: float, u: float) -> House:
    """A building of 8 to 24 posts in two to four rows, gone out of level over the years."""
    rows = int(rng.integers(2, 5))
    per = int(rng.integers(4, max(5, 24 // rows + 1)))
    n = rows * per
    tops = -np.abs(rng.normal(0, 0.005, n))
    return House(
        [np.arange(r * per, (r + 1) * per) for r in range(rows)],
        float(rng.uniform(2.0, 3.0)),
        EI,
        float(rng.uniform(8e3, 15e3)),
        rng.uniform(25e6, 60e6, n),
        tops,
        u,
        rng,
    )


def nearest(want: float, most: int = 4) -> tuple[float, ...]:
    """The leaves somebody takes: thick first, the nearest sum."""
    out: list[float] = []
    left = want
    for leaf in LEAVES:
        while left >= leaf - LEAVES[-1] / 2 and len(out) < most:
            out.append(leaf)
            left -= leaf
    return tuple(out)


def by_hand(site: House, tolerance: float) -> list[np.ndarray]:
    """Two rounds of an attentive hand worker; returns the true heights against the first keeper's after each."""
    read = site.read()
    keeper = int(read.argmax())
    short, out = np.zeros(len(read)), []
    for number in range(ROUNDS):
        read = site.read()
        target = read[keeper]
        for i in np.argsort(read - target):
            seen = site.heights[i] + site.rng.normal(0, site.u)
            if i == keeper or target - seen <= 0.5 * tolerance:
                continue
            gap = site.gap(i, target + short[i])
            if gap > LEAVES[-1] / 2:
                site.put(i, nearest(gap))
        after = site.read()
        short = np.where(
            np.abs(after - after[keeper]) > 0.3 * tolerance,
            np.clip(short + after[keeper] - after, 0, None),
            short,
        )
        out.append(site.heights - site.heights[keeper])
        _ = number
    return out


class ByProgram:
    """The program's own sums on a building: entries as a person's would be, the sheet done as it stands."""

    def __init__(self, site: House, tolerance: float, beam: str, fits: bool = False) -> None:
        from tests.trades.supports.test_works import Book
        from vivid_keel.core.record.entries import Draft

        self.site, self.tolerance, self.draft = site, tolerance, Draft
        self.book = book = Book("supports")
        book.way(site.u)
        body = {
            "tolerance": book.read(f"{tolerance * 1000:g} mm", "mm"),
            "interface_m": 0.00002,
            "beam": beam,
            "fits": fits,
        }
        book.add(Draft(book.work, "limits", body))
        book.stock(*[(f"{leaf * 1000:g} mm", 200) for leaf in LEAVES])
        self.points = [
            book.post(f"{r}-{k}", x=k * site.spacing, row=str(r))
            for r, row in enumerate(site.rows)
            for k in range(len(row))
        ]
        self.read("found")

    def read(self, phase: str) -> None:
        book = self.book
        for point, height in zip(self.points, self.site.read(), strict=True):
            body = {"point": point, "phase": phase, "reading": book.read(f"{1.25 + height:.4f}")}
            book.add(self.draft(book.work, "reading", body))

    def supports(self):
        from vivid_keel.core.moving.choosing import pack

        bare = self.book.supports()
        return self.book.supports(packing=pack(bare, lambda: 2.0))

    def one_round(self):
        """Pack what the sheet says, in its order; read all again and end the round; return what was said before it ended."""
        book, result = self.book, self.supports()
        if not book.journal.standing(book.work, "keeper") and result.aim.keeper >= 0:
            point = result.book.points[result.aim.keeper]
            book.add(self.draft(book.work, "keeper", {"point": point.id, "name": point.name}))
        for i in result.to_move:
            plan = result.planned(i)
            if plan is None or (not plan.leaves and not plan.put):
                continue
            put, leaves, hung = plan.put, plan.leaves, 0.0
            if result.book.limits.fits and plan.put > 0:
                # Jacked to where the plan would have it, what stands open beyond the plan is filled too: it hung by that.
                lift = plan.put - result.learned.interface * plan.leaves
                mark = max(float(result.heights[i]) - 1.25 + lift, float(self.site.heights[i]))
                stack = nearest(self.site.gap(i, mark))
                if sum(stack) - plan.put > LEAVES[-1] / 2:
                    put, leaves, hung = sum(stack), len(stack), sum(stack) - plan.put
            self.site.put(i, (put,), leaves)
            body = {
                "point": result.book.points[i].id,
                "put_m": put,
                "leaves": leaves,
                "used": plan.used,
                "text": "as planned",
                "hung_m": hung,
            }
            book.add(self.draft(book.work, "put", body))
        self.read("left")
        done = book.supports()
        put, leaves = done.put_in()
        body = {
            "put": {str(k): v for k, v in put.items()},
            "leaves": {str(k): v for k, v in leaves.items()},
            "hung": {str(k): one.hung for k, one in done.book.booked.items() if one.hung},
        }
        book.add(self.draft(book.work, "pass", body))
        return done


def cell(what: tuple[str, float, float, int, int]) -> dict[str, float]:
    """One cell: a stiffness, a way of reading and a tolerance, over so many buildings."""
    beam, u, tolerance, buildings, seed = what
    ours, theirs = np.zeros((buildings, ROUNDS)), np.zeros((buildings, ROUNDS))
    covered = counted = false_in = out = suspects = rounds = 0
    for b in range(buildings):
        rng = [seed, b, int(STIFFNESS[beam] / 1e5), int(u * 1e6)]
        hand = by_hand(house(np.random.default_rng(rng), STIFFNESS[beam], u), tolerance)
        theirs[b] = [np.abs(off).max() <= tolerance for off in hand]
        site = house(np.random.default_rng(rng), STIFFNESS[beam], u)
        program = ByProgram(site, tolerance, beam, fits=FITS)
        keeper = program.book.supports().aim.keeper
        for k in range(ROUNDS):
            true = site.heights - site.heights[keeper]
            result = program.book.supports()
            asked = result.u_deviation > 0
            off = -result.moves - true
            covered += int((np.abs(off) <= 2 * result.u_deviation)[asked].sum())
            counted += int(asked.sum())
            hung = site.heights - site.tops
            done = program.one_round()
            true = site.heights - site.heights[keeper]
            ours[b, k] = np.abs(true).max() <= tolerance
            is_out = np.abs(true) > tolerance
            out += int(is_out.sum())
            false_in += sum(v == "in" for v, bad in zip(done.left_verdicts, is_out, strict=True) if bad)
            suspects += any(
                reason.kind != "hanging" or hung[reason.point] < 0.0002
                for reason in program.book.supports().learned.told[-1].reasons
            )
            rounds += 1
    return {
        "ours": float(ours[:, -1].mean()),
        "ours first": float(ours[:, 0].mean()),
        "hand": float(theirs[:, -1].mean()),
        "covered": covered / counted,
        "false in": false_in / max(out, 1),
        "out": out,
        "suspects": suspects / rounds,
    }


CELLS = [(beam, u, t) for u, t in ((FINE, 0.0015), (COARSE, 0.0015), (COARSE, 0.003)) for beam in STIFFNESS]


def measured(buildings: int, seed: int) -> list[tuple[tuple[str, float, float], dict[str, float]]]:
    """Every cell, on all cores."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return list(zip(CELLS, pool.map(cell, [(*one, buildings, seed) for one in CELLS]), strict=True))


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    buildings, seed = int(words[0]) if words else 100, int(words[1]) if len(words) > 1 else 1
    lines = [
        f"{HEAD}\n",
        f"{buildings} simulated buildings a cell, `./run measure moved {buildings} {seed}`, {datetime.date.today()}. All posts in "
        "tolerance after two rounds (after one), truth against the first keeper; the program is told what stands on the posts and packs "
        "what fits, the hand jacks to the mark, packs what fits and adds last round's shortfall:",
        "",
        "| what stands on the posts | reading ± | tolerance | program | hand | U covers | false “in” | rounds with a false suspicion |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for (beam, u, t), got in measured(buildings, seed):
        lines.append(
            f"| {beam} | {u * 1000:g} mm | {t * 1000:g} mm | {got['ours'] * 100:.0f} % ({got['ours first'] * 100:.0f} %) | "
            f"{got['hand'] * 100:.0f} % | {got['covered'] * 100:.0f} % | {got['false in'] * 100:.1f} % of {got['out']:.0f} | {got['suspects'] * 100:.0f} % |"
        )
        print(lines[-1], flush=True)
    put(HEAD, lines)
    return 0


def all_of(words: list[str]) -> int:
    """Measure one part by its name (moved, bodies, tops, grounds, years, cover, slips …), or all of them."""
    parts = {
        "moved": main,
        "plans": measure_plans.main,
        "bodies": measure_bodies.main,
        "tops": measure_tops.main,
        "grounds": measure_grounds.main,
        "yard": measure_yard.main,
        "years": measure_years.main,
        "cover": measure_cover.main,
        "slips": measure_slips.main,
    }
    if words and words[0] in parts:
        return parts[words[0]](words[1:])
    if words:
        return main(words)
    return max(part([]) for part in parts.values())


if __name__ == "__main__":
    sys.exit(all_of(sys.argv[1:]))
