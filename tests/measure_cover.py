"""Does U cover? Every check of the kit, runs and networks, on instruments and books made here: ./run measure cover [TIMES] [SEED].

Nothing here is a stand-in of the program's: each check is carried out on an instrument whose error only this file knows, read as
hands read (rounded to what such a thing is read to, one look in fifty three times as wide), with paced distances 3 % out, a
spring balance and callipers that are out by the same in every round. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from tests import measure_bounds
from tests.page import put
from vivid_keel.core.booking.closing import ToleranceClass, close
from vivid_keel.core.booking.fineness import read_to, with_fineness
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.network import LevelledLine, adjust
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.booking.uncertainty import collimation_bound, height_uncertainty, worked_by
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.drift import fit_drift
from vivid_keel.core.instruments.kinds import KIND
from vivid_keel.core.instruments.outcome import Seen, Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.proof import PROVEN_IN

HEAD = "## What U covers"
Rng = np.random.Generator
Truth = dict[str, float]
Booked = dict[str, tuple[float, float]]  # step of the check → value and the step it is read to [SI or div]
EARTH = (1 - 0.13) / (2 * 6_371_000)


def look(rng: Rng, true: float, u: float, step: float) -> tuple[float, float]:
    """One look: honest noise, one in fifty three times as wide, rounded to what it is read to."""
    wild = 3.0 if rng.random() < 0.02 else 1.0
    return round((true + rng.normal(0, u) * wild) / step) * step, step


def reversal(step: float, typed: float) -> Callable[[Rng, int], tuple[Booked, Truth]]:
    """A precision level turned end for end, one division 0.05 mm/m."""

    def carried_out(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
        error, slope, out = rng.uniform(-1.5, 1.5), rng.uniform(-2, 2), {}
        for k in range(1, rounds + 1):
            out[f"a1/{k}"] = (look(rng, slope + error, 0.15, step)[0], typed)
            out[f"a2/{k}"] = (look(rng, slope - error, 0.15, step)[0], typed)
        return out, {"level": error * 0.00005, "plumb": error * 0.00005}

    return carried_out


def two_peg(
    plan: tuple[float, float, float, float], c_from: float
) -> Callable[[Rng, int], tuple[Booked, Truth]]:
    """A level of collimation c over pegs that nobody taped."""

    def carried_out(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
        c, peg, out = rng.normal(0, c_from), rng.uniform(-0.6, 0.6), {}
        true = [d * (1 + rng.normal(0, 0.03)) for d in plan]
        for key, d in zip(("d1a", "d1b", "d2a", "d2b"), plan, strict=True):
            out[key] = (d, 1.0)
        for k in range(1, rounds + 1):
            for n, setup in ((0, "1"), (2, "2")):
                eye = rng.uniform(1.3, 1.6)
                for side, height in ((0, 0.0), (1, peg)):
                    d = true[n + side]
                    u = 0.0007 + 0.00003 * max(d - 30, 0)
                    out[f"{'ab'[side]}{setup}/{k}"] = look(
                        rng, eye - height + c * d + EARTH * d * d, u, 0.001
                    )
        return out, {"collimation": c}

    return carried_out


def circular(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A circular bubble after half a turn, often hardly off at all."""
    size = rng.choice([0.0, 0.0003, 0.001])
    x, y, out = rng.normal(0, size), rng.normal(0, size), {}
    for k in range(1, rounds + 1):
        out[f"right/{k}"], out[f"away/{k}"] = look(rng, x, 0.0003, 0.0001), look(rng, y, 0.0003, 0.0001)
    return out, {"circular": math.hypot(x, y)}


def plate(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A plate bubble that is out by so many divisions shows twice as many after half a turn."""
    error, out = rng.normal(0, 1), {}
    for k in range(1, rounds + 1):
        out[f"first/{k}"], out[f"second/{k}"] = (look(rng, 2 * error, 0.2 * math.sqrt(2), 0.2) for _ in "ab")
    return out, {"plate": error}


def straight(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A straightedge over another, by leaves of 0.05 mm; the callipers are out by the same every time."""
    bow, thick, bias = rng.normal(0, 0.0001), rng.uniform(0, 0.0002), rng.uniform(-0.00002, 0.00002)
    out = {"thicker": (round((thick + bias) / 0.00001) * 0.00001, 0.00001)}
    for k in range(1, rounds + 1):
        out[f"g1/{k}"] = look(rng, 0.001 + bow + thick / 2, 0.000015, 0.00005)
        out[f"g2/{k}"] = look(rng, 0.001 - bow - thick / 2, 0.000015, 0.00005)
    return out, {"bow": bow}


def string(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A level that hangs off the middle of its string: one balance, up to 5 % out."""
    off, pull, bias, out = (
        rng.uniform(-0.3, 0.3),
        rng.uniform(30, 60),
        rng.uniform(-0.05, 0.05),
        {"span": (7.5, 0.1)},
    )
    for k in range(1, rounds + 1):
        out[f"off/{k}"] = look(rng, off, 0.005, 0.001)
        out[f"pull/{k}"] = look(rng, pull * (1 + bias), 0.03 * pull, 1.0)
    return out, {"off-middle": off * (0.006 * 7.5 + 0.25) / pull}


def plumb_frame(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A frame turned about on the same two feet."""
    own, lean, out = rng.normal(0, 0.0005), rng.normal(0, 0.002), {}
    for k in range(1, rounds + 1):
        out[f"m1/{k}"], out[f"m2/{k}"] = (
            look(rng, lean + own, 0.0003, 0.0005),
            look(rng, lean - own, 0.0003, 0.0005),
        )
    return out, {"frame": own}


def staff(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """Foot and joints against a tape."""
    truth: Truth = {"foot": rng.normal(0, 0.001), **{f"j{k}": rng.normal(0, 0.001) for k in (1, 2, 3)}}
    out: Booked = {}
    for k in range(1, rounds + 1):
        for key, error in truth.items():
            out[f"{key}/{k}"] = look(rng, (0.1 if key == "foot" else 0.2) - error, 0.0005, 0.0005)
    return out, truth


def axes(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A rotating laser marked with each side to a target paced at 20 m."""
    x, y, cone, true, out = *rng.normal(0, 0.0001, 3), 20 * (1 + rng.normal(0, 0.03)), {"d": (20.0, 1.0)}
    for k in range(1, rounds + 1):
        for key, slope in (("xp", cone + x), ("xm", cone - x), ("yp", cone + y), ("ym", cone - y)):
            out[f"{key}/{k}"] = look(rng, 1.2 + slope * true, 0.0007 + 0.00003 * 20, 0.0005)
    return out, {"x": x, "y": y}


def cone(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A laser between two walls, near one and then the other."""
    c, out = (
        rng.normal(0, 0.0001),
        {"d1a": (1.0, 1.0), "d1b": (19.0, 1.0), "d2a": (19.0, 1.0), "d2b": (1.0, 1.0)},
    )
    true = [v[0] * (1 + rng.normal(0, 0.03)) for v in out.values()]
    for k in range(1, rounds + 1):
        for n, setup in ((0, "1"), (2, "2")):
            line = rng.uniform(1.0, 1.5)
            for side in (0, 1):
                d = true[n + side]
                out[f"{'ab'[side]}{setup}/{k}"] = look(rng, line + c * d, 0.0007 + 0.00003 * d, 0.0005)
    return out, {"cone": c}


def fan(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A line laser's line on a wall: left, middle, right."""
    tilt, bow, out = rng.normal(0, 0.0002), rng.normal(0, 0.001), {"d": (5.0, 0.1), "w": (5.0, 0.1)}
    for k in range(1, rounds + 1):
        for key, height in (("l", 1 - 2.5 * tilt), ("m", 1 + bow), ("r", 1 + 2.5 * tilt)):
            out[f"{key}/{k}"] = look(rng, height, 0.0007 + 0.0001 * 5, 0.0005)
    return out, {"line": tilt, "bow": bow}


def fan_plumb(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A line laser's plumb line against a bob."""
    lean, out = rng.normal(0, 0.0002), {"h": (2.4, 0.1)}
    for k in range(1, rounds + 1):
        out[f"top/{k}"], out[f"foot/{k}"] = (
            look(rng, 2.4 * lean, 0.0005, 0.0005),
            look(rng, 0.0, 0.0005, 0.0005),
        )
    return out, {"plumb": lean}


def tube(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A water tube, both ends side by side."""
    index, out = rng.normal(0, 0.002), {}
    for k in range(1, rounds + 1):
        water = rng.uniform(0.4, 0.6)
        out[f"e1/{k}"], out[f"e2/{k}"] = (
            look(rng, water + index, 0.001, 0.001),
            look(rng, water, 0.001, 0.001),
        )
    return out, {"index": index}


def hydrostatic(rng: Rng, rounds: int) -> tuple[Booked, Truth]:
    """A hydrostatic level that drifts, read on its benchmark: one reading more than rounds."""
    rate, hours, out = rng.normal(0, 0.001), 0.0, {}
    for k in range(1, rounds + 2):
        out[f"t/{k}"], out[f"z/{k}"] = (hours, 0.25), look(rng, rate * hours, 0.002, 0.001)
        hours += 0.25 * int(rng.integers(2, 9))
    return out, {"drift": rate}


def field(rng: Rng, _: int) -> tuple[Booked, Truth]:
    """Ten differences twice over one line."""
    one, out = 0.0007 * rng.uniform(0.6, 1.6), {"both": (60.0, 1.0)}
    for which in (1, 2):
        for k in range(1, 11):
            eye = rng.uniform(1.3, 1.6)
            out[f"p{which}/{k}"] = round(eye + rng.normal(0, one), 4), 0.0001
            out[f"q{which}/{k}"] = round(eye - 0.2 + rng.normal(0, one), 4), 0.0001
    return out, {"double-run": one * math.sqrt(2) / math.sqrt(0.06) / math.sqrt(2)}


CHECKS: dict[str, tuple[str, str, str, tuple[int, ...], Callable[[Rng, int], tuple[Booked, Truth]]]] = {
    "reversal, tenths of a division": ("precision", "reversal", "divisions", (1, 2, 4), reversal(0.1, 0.1)),
    "reversal, half divisions": ("precision", "reversal", "divisions", (1, 2, 4), reversal(0.5, 0.1)),
    "reversal for plumb": ("precision", "plumb", "divisions", (1, 2, 4), reversal(0.2, 0.1)),
    "two-peg, midway then near": ("optical", "two-peg", "near", (1, 2, 4), two_peg((20, 20, 43, 3), 0.0003)),
    "two-peg, midway then outside": (
        "optical",
        "two-peg",
        "outside",
        (1, 2, 4),
        two_peg((10, 10, 40, 20), 0.0003),
    ),
    "two-peg, at thirds": ("optical", "two-peg", "thirds", (1, 2, 4), two_peg((15, 30, 30, 15), 0.0003)),
    "two-peg, both outside, line far out": (
        "optical",
        "two-peg",
        "both",
        (1, 4),
        two_peg((5, 35, 35, 5), 0.001),
    ),
    "circular bubble": ("optical", "circular", "", (1, 2, 4), circular),
    "plate bubble": ("optical", "plate", "three", (1, 2, 4), plate),
    "precision over a fixed line": ("optical", "field", "", (1,), field),
    "straightness": ("straightedge", "straightness", "", (1, 2, 4), straight),
    "string, level off the middle": ("string", "string", "", (1, 2, 4), string),
    "plumb bob frame": ("plumb-frame", "plumb-frame", "", (1, 2, 4), plumb_frame),
    "staff, foot and joints": ("staff", "staff", "", (1, 2, 4), staff),
    "axes of a rotating laser": ("rotary", "axes", "", (1, 2, 4), axes),
    "cone between two walls": ("rotary", "cone", "near", (1, 2, 4), cone),
    "line of a line laser": ("line", "line", "", (1, 2, 4), fan),
    "plumb line of a line laser": ("line", "line-plumb", "", (1, 2, 4), fan_plumb),
    "water tube": ("tube", "tube", "", (1, 2, 4), tube),
    "drift of a hydrostatic level": ("hydrostatic", "hydrostatic", "", (1, 2, 4), hydrostatic),
}
BOUNDS = {
    "straightness": "holds the callipers' bound",
    "string, level off the middle": "holds the balance's bound",
    "reversal, half divisions": "rests on the half division",
    "drift of a hydrostatic level": "Student's t of few readings",
}
"""Why U may cover more."""


def traits_of(kind: str) -> Traits:
    """A kind of instrument with its usual traits."""
    usual = usual_facts(KIND[kind].traits)
    return Traits(KIND[kind], usual.values, usual.texts)


def checked(what: tuple[str, int, int, int]) -> tuple[str, int, float, int, int]:
    """One check carried out again and again: how often U covers; and how many that are out are called in."""
    name, rounds, times, seed = what
    kind, key, way, _, carried_out = CHECKS[name]
    traits, rng = traits_of(kind), np.random.default_rng([seed, rounds, list(CHECKS).index(name)])
    inside, false, out = [], 0, 0
    for _ in range(times):
        booked, truth = carried_out(rng, rounds)
        seen = {k: Seen(n, f"{v[0]:g}", v[0], v[1]) for n, (k, v) in enumerate(booked.items(), 1)}
        for item in PROCEDURES[key].outcome(traits, way, seen).found:
            true = truth[item.key]
            inside.append(abs(item.value - true) <= item.U + 1e-12)
            if abs(true) > item.limit and key != "field":  # that one has a test of its own
                out += 1
                false += item.verdict == PROVEN_IN
    return name, rounds, float(np.mean(inside)), false, out


def drifted(what: tuple[int, float, int, int]) -> tuple[int, float, float]:
    """Share of instruments that don't drift and are told they do: so many checks, so many times the stated scatter."""
    checks, noise, times, seed = what
    rng, told = np.random.default_rng([seed, checks, 7]), 0
    for _ in range(times):
        days = np.sort(rng.uniform(0, 700, checks))
        wild = np.where(rng.random(checks) < 0.02, 3.0, 1.0)
        line = fit_drift(days, rng.normal(0, noise, checks) * wild, np.ones(checks))
        told += line is not None and line.tells
    return checks, noise, told / times


# Runs and networks

U_READ, USUAL = 0.0007, 0.001
NOISE = math.sqrt(U_READ**2 - USUAL**2 / 12)
"""What a reading is stated to be worth holds its rounding to the usual millimetre; this is the rest of it [m]."""
FREE = ToleranceClass("free", 9.0, "setup")


def run(
    rng: Rng,
    setups: int,
    step: float,
    collimation: float,
    unbalance: float,
    *,
    closed: bool,
    longer: float = 0.0,
) -> tuple[object, np.ndarray, np.ndarray, np.ndarray]:
    """One run over rough ground: (layout, readings rounded to a step, distances, true heights of the sights)."""
    kinds, marks, setup, readings, distances, truth = [], [], [], [], [], []
    ground = 0.0
    for s in range(setups):
        tilt = rng.uniform(-unbalance, unbalance)
        back, fore = 20.0 + tilt / 2, 20.0 - tilt / 2 + longer
        line = ground + rng.uniform(1.2, 1.8)
        last = closed and s == setups - 1
        sights = [("gate" if s == 0 else f"cp{s}", BS, ground, back)]
        sights.append((f"i{s}", IS, ground + rng.uniform(-1, 1), rng.uniform(2.0, 30.0)))
        ground = 0.0 if last else ground + rng.uniform(-1, 1)
        sights.append(("gate" if last else f"cp{s + 1}", FS, ground, fore))
        for mark, kind, height, far in sights:
            wild = 3.0 if rng.random() < 0.02 else 1.0
            read = line - height + collimation * far + rng.normal(0, NOISE) * wild
            kinds.append(kind)
            marks.append(mark)
            setup.append(s)
            readings.append(round(read / step) * step)
            distances.append(far)
            truth.append(height)
    layout = lay_out(kinds, marks, setup, {"gate": ListedMark("gate", 0.0)})
    return layout, np.array(readings), np.array(distances), np.array(truth)


def covered(
    rng: Rng,
    n: int,
    *,
    setups: int = 4,
    step: float = 0.001,
    collimation: float = 0.0,
    unbalance: float = 10.0,
    known: float = 0.0,
    closed: bool = False,
    paced: bool = False,
    longer: float = 0.0,
) -> tuple[float, int]:
    """How often |height − truth| ≤ U, over all sights but the start of n runs."""
    inside: list[bool] = []
    for _ in range(n):
        layout, readings, far, truth = run(
            rng, setups, step, collimation * rng.choice([-1, 1]), unbalance, closed=closed, longer=longer
        )
        reduction = reduce(layout, readings)
        distances = far if paced else np.full(len(far), np.nan)
        closure = close(reduction, distances, FREE, ("distance" if paced else "setups") if closed else "none")
        u = with_fineness(
            np.full(len(far), U_READ), read_to(readings, np.full(len(far), USUAL), "m", USUAL), USUAL
        )
        stated = height_uncertainty(reduction, closure, u)
        if known and paced:
            c = np.full(len(far), known)
            stated = stated + np.abs(worked_by(reduction, closure, readings, c, distances)) / 2
        elif known:
            c = np.full(len(far), known)
            bound = collimation_bound(
                reduction, closure, c, distances, np.full(len(far), 30.0), taken_out=False
            )
            stated = stated + bound / 2
        adjusted = reduction.heights + np.array([closure.correction[s] for s in layout.setup])
        loose = (layout.kinds != BS) & ~((layout.kinds == FS) & np.array([m == "gate" for m in layout.marks]))
        inside += (np.abs(adjusted - truth) <= 2 * stated)[loose].tolist()
    return float(np.mean(inside)), len(inside)


RUNS = {
    "open run, to the millimetre": {},
    "closed run, spread by set-ups": {"closed": True, "setups": 6},
    "closed run, spread by distance": {"closed": True, "setups": 6, "paced": True},
    "closed run, read to 5 mm": {"closed": True, "step": 0.005},
    "open run, read to a centimetre": {"step": 0.01},
    "collimation known, left in, no distances (a bound)": {
        "collimation": 0.0001,
        "known": 0.0001,
        "setups": 6,
    },
    "the same, closed (a bound)": {"collimation": 0.0001, "known": 0.0001, "setups": 6, "closed": True},
    "collimation known, left in, fore sights 10 m longer (a bound)": {
        "collimation": 0.0001,
        "known": 0.0001,
        "setups": 6,
        "paced": True,
        "longer": 10.0,
    },
    "collimation known, left in, balanced (a bound)": {
        "collimation": 0.0001,
        "known": 0.0001,
        "setups": 6,
        "paced": True,
        "unbalance": 3.0,
    },
}


def run_covers(what: tuple[str, int, int]) -> tuple[str, float]:
    """How often U covers the heights of runs of one sort."""
    name, times, seed = what
    return name, covered(np.random.default_rng([seed, list(RUNS).index(name)]), times, **RUNS[name])[0]  # type: ignore[arg-type]


def network_covers(what: tuple[str, int, int]) -> tuple[str, float]:
    """How often U covers the heights of a network of lines, its known marks without or with an error of their own."""
    name, times, seed = what
    rng, inside = np.random.default_rng([seed, 5]), []
    u_known = 0.002 if "uncertain" in name else 0.0
    for _ in range(times):
        true = np.concatenate([[50.0], 50 + rng.normal(0, 2, 7)])
        lines = []
        for i in range(8):
            for j in rng.choice(8, 2, replace=False).tolist():
                if i != j:
                    setups = int(rng.integers(1, 9))
                    sigma = U_READ * math.sqrt(2 * setups)
                    rise = true[j] - true[i] + rng.normal(0, sigma)
                    lines.append(LevelledLine(f"m{i}", f"m{j}", round(float(rise), 3), sigma))
        lines += [
            LevelledLine(f"m{i}", f"m{i + 1}", float(true[i + 1] - true[i] + rng.normal(0, 0.002)), 0.002)
            for i in range(7)
        ]
        known = {
            "m0": (true[0] + rng.normal(0, u_known), u_known),
            "m4": (true[4] + rng.normal(0, u_known), u_known),
        }
        net = adjust(known, lines)
        at = {mark: k for k, mark in enumerate(net.names)}
        for i in range(8):
            if u_known or i not in {0, 4}:
                inside.append(abs(net.heights[at[f"m{i}"]] - true[i]) <= 2 * net.u[at[f"m{i}"]])
    return name, float(np.mean(inside))


NETWORKS = ("network, known marks fixed", "network, known marks uncertain")


def table(times: int, seed: int) -> Iterator[str]:
    """The lines of the page."""
    with ProcessPoolExecutor() as pool:
        jobs = [(name, rounds, times, seed) for name, check in CHECKS.items() for rounds in check[3]]
        got = {(name, rounds): rest for name, rounds, *rest in pool.map(checked, jobs)}
        runs = list(pool.map(run_covers, [(name, max(times // 4, 20), seed) for name in RUNS]))
        nets = list(pool.map(network_covers, [(name, max(times // 4, 20), seed) for name in NETWORKS]))
        bounds = list(
            pool.map(
                measure_bounds.holds, [(name, max(times // 4, 20), seed) for name in measure_bounds.CASES]
            )
        )
        drifts = list(pool.map(drifted, [(n, f, 4 * times, seed) for n in (3, 4, 6, 10) for f in (1.0, 1.4)]))
    yield f"{HEAD}\n"
    yield (
        f"{times} checks a cell, `./run measure cover {times} {seed}`, {datetime.date.today()}. How often the true error lies within ± U "
        "after one, two and four rounds; and of the instruments that are truly beyond their limit, how many are called proven in:"
    )
    yield ""
    yield "| check | 1 round | 2 rounds | 4 rounds | false “in” | |"
    yield "|---|---|---|---|---|---|"
    for name, check in CHECKS.items():
        cells = [f"{100 * got[name, r][0]:.1f} %" if r in check[3] else "" for r in (1, 2, 4)]
        false = sum(got[name, r][1] for r in check[3])
        out = sum(got[name, r][2] for r in check[3])
        yield f"| {name} | {' | '.join(cells)} | {f'{100 * false / out:.1f} % of {out}' if out else '-'} | {BOUNDS.get(name, '')} |"
    yield ""
    yield "| heights of | U covers |"
    yield "|---|---|"
    for name, part in [*runs, *nets]:
        yield f"| {name} | {100 * part:.1f} % |"
    yield ""
    yield "Amounts that can't be negative, and the greatest of several, lie within their bounds (aim: 93 to 98; 95 or more where nothing is there; a band's bounds are stated wide):"
    yield ""
    yield "| what | truth within | said as “at most” |"
    yield "|---|---|---|"
    for name, inside, nought in bounds:
        yield f"| {name} | {100 * inside:.1f} % | {100 * nought:.0f} % |"
    yield ""
    yield "An instrument that doesn't drift is told that it does:"
    yield ""
    yield "| checks so far | scatter as stated | scatter 1.4 times the stated |"
    yield "|---|---|---|"
    for n in (3, 4, 6, 10):
        row = [f"{100 * part:.1f} %" for checks, _, part in drifts if checks == n]
        yield f"| {n} | {' | '.join(row)} |"


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    times, seed = int(words[0]) if words else 1000, int(words[1]) if len(words) > 1 else 1
    lines = list(table(times, seed))
    print("\n".join(lines))
    put(HEAD, lines)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
