"""How well the search for a slip does on books that know nothing of it: ./run measure slips [BOOKS] [SEED].

The books are no stand-ins of the program's: a run of three to eight set-ups over made-up ground, closed on its own or another
known mark; readings with honest noise, one in fifty of them three times as wide, rounded to the millimetre; distances paced.
One mistake is made while it is read, as a person makes it; what nothing else in the book bears witness of can't be told by
anybody and is counted apart. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from tests.page import put
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.slips import BookReadings, find_slips

HEAD = "## Finding the slip"
U = 0.0007
BOOKED = {
    "bare": (),
    "distances": ("distances",),
    "hairs": ("hairs",),
    "second looks": ("looks",),
    "all": ("distances", "hairs", "looks"),
}
"""What is booked beside the middle hair."""
KINDS = {
    "whole": "a whole metre",
    "tenth": "100 mm",
    "half-tenth": "50 mm",
    "hundredth": "10 mm",
    "swapped": "digits swapped",
    "hair": "a stadia hair",
    "columns": "columns exchanged",
    "overhead": "overhead without its sign",
    "face": "the other face",
    "joint": "a joint not home",
    "sank": "a change point sank",
    "moved": "the instrument moved",
    "nail": "a foot over a nail",
}
BLOCKS = {"whole": 1.0, "tenth": 0.1, "half-tenth": 0.05, "hundredth": 0.01}


@dataclass
class Made:
    """A book as it was read: its sights, what was read at them [m], and where the mistake was made."""

    kinds: list[int] = field(default_factory=list)
    marks: list[str] = field(default_factory=list)
    setup: list[int] = field(default_factory=list)
    middle: list[float] = field(default_factory=list)
    look: list[float] = field(default_factory=list)
    upper: list[float] = field(default_factory=list)
    lower: list[float] = field(default_factory=list)
    far: list[float] = field(default_factory=list)
    wrong: set[int] = field(default_factory=set)
    known: dict[str, float] = field(default_factory=dict)


def route(rng: np.random.Generator) -> list[list[tuple[int, str, float]]]:
    """Set-ups of (kind, mark, true height of the line above the mark [m]); overhead marks lie above it."""
    setups, out, height = int(rng.integers(3, 9)), [], {"A": 50.0}
    home = bool(rng.random() < 0.5)
    last, looks_back, ties = "", bool(rng.random() < 0.35), bool(rng.random() < 0.4)
    for s in range(setups):
        start = "A" if s == 0 else f"T{s}"
        line = height[start] + float(rng.uniform(0.6, 2.6))
        end = ("A" if home else "B") if s == setups - 1 else f"T{s + 1}"
        if end == "A" and not 0.3 < line - 50.0 < 3.9:
            end = "B"
        height.setdefault(end, line - float(rng.uniform(0.3, 3.4)))
        sights = [(BS, start, line - height[start])]
        for k in range(int(rng.integers(0, 5))):
            name = last if ties and k == 0 and last and 0.2 < line - height[last] < 4 else f"m{s}.{k}"
            over = rng.random() < 0.1
            height.setdefault(name, line + rng.uniform(0.3, 2.5) if over else line - rng.uniform(0.2, 3.6))
            sights.append((IS, name, line - height[name]))
            last = name
        if looks_back and len(sights) > 2:
            sights.append((IS, start, line - height[start]))
        out.append([*sights, (FS, end, line - height[end])])
    return out


def read(
    rng: np.random.Generator, booked: tuple[str, ...], slip: str = "", noise: float = 1.0, shared: float = 0.0
) -> Made | None:
    """A run read with one mistake of a kind, or None where this run offers no room for it."""
    made = Made()
    sights = [(s, *sight) for s, setup in enumerate(route(rng)) for sight in setup]
    n = len(sights)
    true = np.array([sight[3] for sight in sights])
    metres = rng.uniform(6, 40, n)
    off = np.zeros(n)  # what the staff or the line was off by: seen by every hair and look
    at = physical(rng, sights, true, slip, off) if slip in PHYSICAL else set()

    pointing = rng.normal(0, U * noise, n) * math.sqrt(
        shared
    )  # one pointing: all that is read at it shares its error
    alone = U * noise * math.sqrt(1 - shared)

    def look() -> np.ndarray:
        wild = np.where(rng.random(n) < 0.02, 3.0, 1.0)
        return np.round(true + off + pointing + rng.normal(0, alone, n) * wild, 3)

    middle, again, nothing = look(), look(), np.full(n, np.nan)
    upper = np.round(true + off + pointing + metres / 200 + rng.normal(0, alone, n), 3)
    lower = np.round(true + off + pointing - metres / 200 + rng.normal(0, alone, n), 3)
    if slip and slip not in PHYSICAL:
        at = misread(rng, sights, middle, (again, upper, lower), slip)
    if slip and not at:
        return None
    paced = np.round(metres * (1 + rng.normal(0, 0.03, n)))
    hairs = "hairs" in booked
    made.kinds = [sight[1] for sight in sights]
    made.marks = [sight[2] for sight in sights]
    made.setup = [sight[0] for sight in sights]
    made.middle, made.wrong = middle.tolist(), at
    made.look = (again if "looks" in booked else nothing).tolist()
    made.upper, made.lower = ((part if hairs else nothing).tolist() for part in (upper, lower))
    far = 100 * np.abs(upper - lower) if hairs else paced if "distances" in booked else nothing
    made.far = far.tolist()
    end = sights[-1][2]
    made.known = {"A": 50.0}
    if end == "B":
        made.known["B"] = 50.0 + sum(
            sight[3] * (sight[1] == BS) - sight[3] * (sight[1] == FS) for sight in sights
        )
    return made


PHYSICAL = {"joint", "sank", "moved", "nail"}


def physical(
    rng: np.random.Generator, sights: list, true: np.ndarray, slip: str, off: np.ndarray
) -> set[int]:
    """What the staff, the ground or the tripod did; the sights by which it is found."""
    n, size = len(sights), max(0.004, float(rng.normal(0.015, 0.0075)))
    if slip == "nail":
        mark = sights[int(rng.integers(n))][2]
        rows = [i for i in range(n) if sights[i][2] == mark]
        off[rows] += size
        return set(rows)
    if slip == "sank":
        row = int(rng.choice([i for i in range(1, n) if sights[i][1] == BS]))
        off[[i for i in range(row, n) if sights[i][2] == sights[row][2]]] += size
        return {row, row - 1}
    if slip == "moved":
        row = int(rng.choice([i for i in range(1, n) if sights[i][0] == sights[i - 1][0]]))
        later = [i for i in range(row, n) if sights[i][0] == sights[row][0]]
        off[later] += size * rng.choice([-1, 1])
        return {row}
    first, joint = int(rng.integers(sights[-1][0] + 1)), float(rng.choice([1.0, 1.5, 2.0, 3.0]))
    rows = [i for i in range(n) if sights[i][0] >= first and abs(true[i]) > joint]
    off[rows] += size * rng.choice([-1, 1])
    return set(rows) if len(rows) > 1 else set()


def misread(
    rng: np.random.Generator, sights: list, middle: np.ndarray, others: tuple[np.ndarray, ...], slip: str
) -> set[int]:
    """What the reader or the booker did to one sight, or a pair."""
    n = len(sights)
    i = int(rng.integers(n))
    if slip in BLOCKS:
        now = middle[i] + BLOCKS[slip] * rng.choice([-1, 1])
    elif slip == "swapped":
        digits = f"{round(abs(middle[i]) * 1000):04d}"
        k = int(rng.integers(3))
        now = math.copysign(int(digits[:k] + digits[k + 1] + digits[k] + digits[k + 2 :]) / 1000, middle[i])
    elif slip == "hair":
        now = others[1 + int(rng.integers(2))][i]
    elif slip == "columns":
        pairs = [(a, b) for a in range(n) for b in range(a + 1, n) if sights[a][0] == sights[b][0]]
        a, b = next((a, b) for a, b in rng.permutation(pairs) if (sights[a][1], sights[b][1]) == (BS, FS))
        for part in (middle, *others):
            part[[a, b]] = part[[b, a]]
        return {int(a), int(b)} if abs(middle[a] - middle[b]) > 0.003 else set()
    elif slip == "overhead":
        if middle[i] > 0:
            return set()
        for part in (middle, *others):
            part[i] = -part[i]
        return {i}
    else:  # feet read for metres
        if not 0 < middle[i] / 0.3048 < 5:
            return set()
        for part in (middle, *others):
            part[i] = round(part[i] / 0.3048, 3)
        return {i}
    if not 0 < abs(now) <= 5 or now * middle[i] < 0 or abs(now - middle[i]) < 0.003:
        return set()
    middle[i] = round(float(now), 3)
    return {i}


def as_booked(made: Made) -> BookReadings:
    """What the program gets to see."""
    listed = {name: ListedMark(name, height) for name, height in made.known.items()}
    parts = (made.middle, made.look, made.upper, made.lower, made.far)
    return BookReadings(
        lay_out(made.kinds, made.marks, made.setup, listed),
        *(np.array(part, dtype=float) for part in parts),
        np.full(len(made.kinds), U),
        3,
        "m",
    )


def shows(made: Made, booked: tuple[str, ...], slip: str) -> bool:
    """Whether anything else in the book bears witness of the mistake: a second reading, or a line that closes."""
    if slip not in PHYSICAL | {"columns", "overhead", "face"} and {"looks", "hairs"} & set(booked):
        return True
    seen = {name: made.marks.count(name) for name in made.marks}
    tied = [seen[made.marks[i]] > 1 or made.marks[i] in made.known for i in made.wrong]
    if slip == "sank":  # seen only by what was read of it before
        return True
    if slip == "moved":  # something tied on both sides of it on its set-up
        (row,) = made.wrong
        rows = [i for i in range(len(made.marks)) if made.setup[i] == made.setup[row]]
        tie = [seen[made.marks[i]] > 1 or made.marks[i] in made.known for i in rows]
        return any(tie[: rows.index(row)]) and any(tie[rows.index(row) :])
    if slip == "nail" and made.marks[next(iter(made.wrong))] not in made.known:
        return False  # every set-up saw it alike
    return any(tied)


@dataclass
class Tally:
    """Counts over the books of one cell."""

    books: int = 0
    told: int = 0
    shown: int = 0
    hit: int = 0
    silent: int = 0
    sure: int = 0
    sure_right: int = 0
    kind: int = 0
    kind_right: int = 0
    place: int = 0
    place_right: int = 0

    def __iadd__(self, other: Tally) -> Tally:
        for name in vars(self):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        return self


def places(suggestion) -> set[int]:
    """Rows that a suggestion sends the person to."""
    every = suggestion.kind in {"columns", "nail", "joint"}
    return set(suggestion.rows) if every else {suggestion.rows[0]}


def cell(what: tuple[str, str, int, int]) -> tuple[str, str, Tally]:
    """Books of one kind of slip with one way of booking."""
    slip, way, books, seed = what
    rng, out = np.random.default_rng([seed, list(KINDS).index(slip), list(BOOKED).index(way)]), Tally()
    while out.books < books:
        made = read(rng, BOOKED[way], slip)
        if made is None:
            continue
        out.books += 1
        search = find_slips(as_booked(made))
        found = search.suggestions
        seen = shows(made, BOOKED[way], slip)
        out.shown += seen
        out.silent += seen and not found
        out.hit += seen and any(places(s) & made.wrong for s in found[:3])
        if found and found[0].sure >= 0.9:
            out.sure += 1
            out.sure_right += bool(places(found[0]) & made.wrong)
        if found and search.place_known:
            out.place += 1
            out.place_right += any(places(s) & made.wrong for s in found[:3])
        if search.kind_known:
            out.kind += 1
            out.kind_right += search.kind_known == slip
    return slip, way, out


SHARED = (0.0, 0.8)
"""How much of a reading's variance is its pointing's, which looks and hairs share [1]."""


def accused(what: tuple[str, float, float, int, int]) -> tuple[str, float, float, float]:
    """Share of honest books of one way of booking, read with so many times the stated noise, that are accused of a slip."""
    way, noise, shared, books, seed = what
    rng = np.random.default_rng([seed, 99, list(BOOKED).index(way)])
    found = 0
    for _ in range(books):
        made = read(rng, BOOKED[way], noise=noise, shared=shared)
        assert made is not None
        found += bool(find_slips(as_booked(made)).suggestions)
    return way, noise, shared, found / books


def share(part: int, whole: int) -> str:
    """A share as it stands in the table."""
    return f"{100 * part / whole:.0f} %" if whole else "-"


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    books, seed = int(words[0]) if words else 100, int(words[1]) if len(words) > 1 else 1
    with ProcessPoolExecutor() as pool:
        got = list(pool.map(cell, [(slip, way, books, seed) for slip in KINDS for way in BOOKED]))
        honest = list(
            pool.map(
                accused,
                [(way, noise, s, 3 * books, seed) for way in BOOKED for noise in (1.0, 1.4) for s in SHARED],
            )
        )
    at = {(slip, way): tally for slip, way, tally in got}
    lines = [
        f"{HEAD}\n",
        f"{books} simulated books a cell, each with one slip, `./run measure slips {books} {seed}`, {datetime.date.today()}. The place "
        "of the slip is among the first three named, where anything else in the book bears witness of it (in brackets: how many of the books that is):",
        "",
        "| the slip | " + " | ".join(BOOKED) + " |",
        "|---|" + "---|" * len(BOOKED),
    ]
    for slip, label in KINDS.items():
        cells = (at[slip, way] for way in BOOKED)
        lines.append(
            f"| {label} | " + " | ".join(f"{share(t.hit, t.shown)} ({t.shown})" for t in cells) + " |"
        )
    lines += [
        "",
        "What is said at 90 % and more, and how often it was so; and honest books accused of a slip:",
        "",
        "| | " + " | ".join(BOOKED) + " |",
        "|---|" + "---|" * len(BOOKED),
    ]
    for label, said, right in (
        ("one place", "sure", "sure_right"),
        ("three places", "place", "place_right"),
        ("the kind", "kind", "kind_right"),
    ):
        row = []
        for way in BOOKED:
            total = Tally()
            for slip in KINDS:
                total += at[slip, way]
            row.append(f"{share(getattr(total, right), getattr(total, said))} of {getattr(total, said)}")
        lines.append(f"| {label}, at 90 % | " + " | ".join(row) + " |")
    for noise in (1.0, 1.4):
        for s in SHARED:
            row = [
                f"{100 * part:.1f} %"
                for way, factor, common, part in honest
                if (factor, common) == (noise, s)
            ]
            name = f"honest books accused, noise {noise:g} × the stated" + (
                ", looks and hairs share a pointing" if s else ""
            )
            lines.append(f"| {name} | " + " | ".join(row) + " |")
    print("\n".join(lines))
    put(HEAD, lines)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
