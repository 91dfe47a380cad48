"""What is said of years side by side, measured on ground and floors that know nothing of the program: ./run measure years [HOW MANY] [SEED].

Levellings: marks and benchmarks on a way of three kilometres' worth of set-ups, there and back, readings rounded to the millimetre's tenth
and disturbed by their own chance; in one kind one reading in 200 is a slip, a centimetre off. Three occasions; watched marks settle evenly. In every other one a benchmark moved, by what the program says would have been told.

Floor posts: read by a staff from a line set up anew each year, a watch mark with them, packed at the first visit; each settles evenly.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import UTC, date, timedelta

import numpy as np

from tests.page import put
from tests.trades.supports.test_works import Book
from vivid_keel.core.facts import with_stated
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.lending import LentLine
from vivid_keel.trades.supports.visits import drifts_of
from vivid_keel.trades.years.book import FACTS, Levelling, YearsBook
from vivid_keel.trades.years.result import YearsResult, work_out_years

HEAD = "## Years side by side"
SIGMA = 0.0005
YEARS = (0.0, 1.1, 2.9)
SLIP = 1 / 200
FIRST = date(2022, 11, 15)


@dataclass
class Ground:
    """Marks on a way, benchmarks among them, and what they do."""

    benchmarks: int
    rng: np.random.Generator
    slips: bool = False

    def __post_init__(self) -> None:
        self.names = []
        for k in range(self.benchmarks):
            self.names += [f"BM {k + 1}", f"p{2 * k}", f"p{2 * k + 1}"]
        self.base = {name: float(self.rng.uniform(0, 4)) for name in self.names}
        self.rates = {
            name: float(self.rng.normal(0, 0.003)) for name in self.names if not name.startswith("BM")
        }
        self.moved: dict[str, tuple[float, float]] = {}

    def at(self, years: float) -> dict[str, float]:
        """True heights [m]."""
        out = {name: h + self.rates.get(name, 0.0) * years for name, h in self.base.items()}
        for name, (since, by) in self.moved.items():
            out[name] += by if years >= since else 0.0
        return out

    def levelled(self, k: int) -> Levelling:
        """A levelling of the whole way, there and back, three marks a set-up."""
        truth, lines, stand = self.at(YEARS[k]), [], 0
        given = float(self.rng.normal(0, 1.0))  # each year's book has a datum of its own
        for way in (self.names, self.names[::-1]):
            for a in range(0, len(way) - 1, 2):
                stand += 1
                line = max(truth[n] for n in way[a : a + 3]) + self.rng.uniform(0.3, 1.5) + given
                for name in way[a : a + 3]:
                    reading = line - given - truth[name] + self.rng.normal(0, SIGMA)
                    if self.slips and self.rng.random() < SLIP:
                        reading += 0.01
                    lines.append(LentLine(name, f"{stand}", round(reading, 4), SIGMA, 0.0, stand))
        when = FIRST + timedelta(days=round(YEARS[k] * 365.25))
        return Levelling(k + 1, f"{k}", f"{k}.keel", when, f"{when:%b %Y}", False, "", True, lines, {}, None)


def worked(ground: Ground, levellings: list[Levelling]) -> YearsResult:
    roles = {name: "benchmark" for name in ground.names if name.startswith("BM")}
    stated = with_stated(FACTS, [("allowed", "30", 0.03, 1)])
    return work_out_years(YearsBook(1, "", LengthStyle(), stated, roles, {}, levellings))


@dataclass
class Tally:
    """What came of one kind of ground."""

    tried: int = 0
    named: int = 0
    wrong: int = 0
    undecided: int = 0
    accused: int = 0
    still: int = 0
    rates: int = 0
    rates_in: int = 0
    changes_in: int = 0
    crossings: int = 0
    crossings_in: int = 0

    def add(self, other: Tally) -> None:
        for name, value in vars(other).items():
            setattr(self, name, getattr(self, name) + value)


def one(key: tuple[int, bool, int, int]) -> Tally:
    """One ground, levelled three times: with a benchmark that moved in every other."""
    benchmarks, slips, seed, n = key
    rng = np.random.default_rng([seed, benchmarks, int(slips), n])
    ground, out = Ground(benchmarks, rng, slips), Tally()
    if n % 2:
        plain = worked(ground, [ground.levelled(k) for k in range(3)])
        least = plain.frame.smallest
        which = f"BM {1 + int(rng.integers(benchmarks))}"
        by = least[which] if math.isfinite(least[which]) else 0.012
        ground.moved[which] = (YEARS[1 + int(rng.integers(2))], float(rng.choice([-1, 1])) * by)
        out.tried = 1
    result = worked(ground, [ground.levelled(k) for k in range(3)])
    first = result.frame.moved[0] if result.frame.moved else None
    if out.tried:
        out.undecided = int(first is not None and bool(first.rivals))
        out.named = int(first is not None and not first.rivals and first.name in ground.moved)
        out.wrong = int(first is not None and not first.rivals and first.name not in ground.moved)
    else:
        out.still, out.accused = 1, int(first is not None)
    truth = [ground.at(y) for y in YEARS]
    for mark in result.marks:
        if mark.name.startswith("BM"):
            continue
        rate = ground.rates[mark.name]
        change, U = mark.since_first
        out.rates += 1
        out.rates_in += int(abs(mark.drift.rate - rate) <= mark.drift.U_rate)
        out.changes_in += int(abs(change - (truth[2][mark.name] - truth[0][mark.name])) <= U)
        if math.isfinite(mark.drift.latest) and mark.drift.latest > 0:
            truly = 0.03 / abs(rate) - YEARS[2]
            out.crossings += 1
            out.crossings_in += int(mark.drift.earliest <= truly <= mark.drift.latest)
    return out


def levellings(benchmarks: int, slips: bool, count: int, seed: int) -> Tally:
    """So many grounds of one kind."""
    out = Tally()
    for n in range(count):
        out.add(one((benchmarks, slips, seed, n)))
    return out


def posts(key: tuple[int, int]) -> tuple[int, int]:
    """Five floor posts read at three visits, packed at the first: rates told, and those within their U."""
    seed, n = key
    rng = np.random.default_rng([seed, n, 5])
    book = Book("supports")
    book.way(0.0003)
    names = [f"A{k}" for k in range(5)]
    ids = {name: book.post(name, x=2.4 * k, sense="stands") for k, name in enumerate(names)}
    heights = {name: float(rng.normal(0, 0.003)) for name in names}
    rates = {name: float(rng.normal(-0.0008, 0.0008)) for name in names}

    def read_all(phase: str, years: float) -> None:
        line = 1.2 + rng.uniform(-0.1, 0.1)

        def text(height: float) -> str:
            return f"{line - height + rng.normal(0, 0.0003):.4f}"

        reading = book.read(text(0.4))
        book.add(Draft(book.work, "reference", {"phase": phase, "reading": reading}))
        for name in names:
            body = {
                "point": ids[name],
                "phase": phase,
                "reading": book.read(text(heights[name] + rates[name] * years)),
            }
            book.add(Draft(book.work, "reading", body))

    for visit, years in enumerate((0.0, 1.0, 3.0)):
        book.time = (
            datetime.datetime(2022, 5, 2, 9, tzinfo=UTC) + timedelta(days=365.25 * years)
        ).isoformat()
        if visit:
            book.add(Draft(book.work, "visit", {}))
        read_all("found", years)
        if not visit:
            heights = {name: h + float(rng.uniform(0, 0.004)) for name, h in heights.items()}
            read_all("left", years)
    told = drifts_of(book.supports())
    return len(names), sum(abs(told[name].rate - rates[name]) <= told[name].U_rate for name in names)


def main(words: list[str]) -> int:
    """Measure, print and write the page."""
    count = int(words[0]) if words else 400
    seed = int(words[1]) if len(words) > 1 else 1
    lines = [
        HEAD,
        "",
        f"{count} simulated grounds a row, three occasions each, `./run measure years {count} {seed}`, {datetime.date.today()}. In every other a benchmark moved by what the program says would be told; two benchmarks can't tell which. A mark's allowed change is 30 mm; crossings are those foretold within bounds:",
        "",
        "| benchmarks | readings | the one that moved is named | another | told as undecided | named where all stood | U of a change covers | U of a rate covers | crossing within what was foretold |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    kinds = [(2, False), (3, False), (4, False), (6, False), (4, True)]
    with ProcessPoolExecutor() as pool:
        found = [pool.submit(levellings, benchmarks, slips, count, seed) for benchmarks, slips in kinds]
        for (benchmarks, slips), future in zip(kinds, found, strict=True):
            t = future.result()

            def part(a: int, b: int) -> str:
                return f"{100 * a / b:.0f}%" if b else "–"

            row = (
                f"| {benchmarks} | {'one in 200 a slip of 10 mm' if slips else 'by chance only'} | {part(t.named, t.tried)} | {part(t.wrong, t.tried)} | {part(t.undecided, t.tried)} "
                f"| {part(t.accused, t.still)} | {part(t.changes_in, t.rates)} | {part(t.rates_in, t.rates)} | {part(t.crossings_in, t.crossings)} |"
            )
            print(row, flush=True)
            lines.append(row)
        came = list(pool.map(posts, [(seed, n) for n in range(count // 2)]))
    told, inside = sum(c[0] for c in came), sum(c[1] for c in came)
    said = f"Floor posts at three visits over three years, {count // 2} floors of five: the rate lies within its U in {100 * inside / told:.0f} of 100."
    print(said)
    put(HEAD, [*lines, "", said])
    return 0
