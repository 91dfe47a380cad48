"""How often water on made-up ground lies within its stated U: ./run measure grounds [HOW MANY] [SEED].

Ground of waves 5 to 25 m long and a tilt, told at a jittered grid to ± 5 mm (2u); the truth by a grid of 90,000 places. Nothing of it
is the program's. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np

from tests.page import put
from vivid_keel.core.surface.against import Plane, against
from vivid_keel.core.surface.tin import surface
from vivid_keel.core.surface.uncertainty import area_known, foretold, volume_known

HEAD = "## Water on ground"
LONG, WIDE = 20.0, 15.0
CELLS = [(n, rough) for n in (5, 6, 8, 12) for rough in (0.3, 1.0, 2.0)]
U_POINT = 0.0025


def field(rng, rough):
    """Heights of ground that rolls [m]."""
    waves, turns, begins = rng.uniform(5, 25, 8), *rng.uniform(0, 2 * math.pi, (2, 8))
    tall, tilt = rough * rng.normal(0, 0.05, 8) * waves / 15, rng.normal(0, 0.01, 2)

    def height(x, y):
        out = tilt[0] * x + tilt[1] * y
        for w, t, b, a in zip(waves, turns, begins, tall, strict=True):
            out = out + a * np.cos(2 * math.pi * (x * math.cos(t) + y * math.sin(t)) / w + b)
        return out

    return height


def one(n: int, rough: float, seed: list[int]) -> tuple[float, float, float, float, float, float, float]:
    """Volume stated, its U, the true one, and U without what lies between the points [m³]; area stated, its U, the true one [m²]."""
    rng = np.random.default_rng(seed)
    height = field(rng, rough)
    grid = np.meshgrid(np.linspace(0, LONG, n), np.linspace(0, WIDE, max(3, round(n * 0.75))))
    x, y = (a.ravel() for a in grid)
    inner = (x > 0) & (x < LONG) & (y > 0) & (y < WIDE)
    x = np.where(inner, x + rng.uniform(-0.3, 0.3, len(x)) * LONG / n, x)
    y = np.where(inner, y + rng.uniform(-0.3, 0.3, len(y)) * WIDE / n, y)
    z = height(x, y) + rng.normal(0, U_POINT, len(x))
    a, b = (
        p.ravel()
        for p in np.meshgrid((np.arange(300) + 0.5) * LONG / 300, (np.arange(300) + 0.5) * WIDE / 300)
    )
    there = height(a, b)
    water = float(np.quantile(there, rng.uniform(0.4, 1.0)))
    true = float(np.maximum(water - there, 0).mean() * LONG * WIDE)
    tin, plane = surface(np.column_stack([x, y, z])), Plane(water)
    known = volume_known(tin, plane, U_POINT, foretold(tin))
    bare = volume_known(tin, plane, U_POINT, np.full(len(x), np.nan))
    found, area = against(tin.pieces, plane), area_known(tin, plane, U_POINT, foretold(tin))
    wet = float((there < water).mean() * LONG * WIDE)
    return found.fill, known.U, true, bare.U, found.below_area, area.U, wet


def cell(count: int, seed: int, at: tuple[int, float]) -> list[tuple[float, ...]]:
    """Many grounds of one kind."""
    return [one(*at, [seed, at[0], round(at[1] * 10), k]) for k in range(count)]


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 300, int(words[1]) if len(words) > 1 else 1
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(cell, count, seed), CELLS))
    lines = [
        HEAD,
        "",
        f"{count} simulated grounds a cell, `./run measure grounds {count} {seed}`, {datetime.date.today()}: {LONG:g} × {WIDE:g} m, waves of 5 to 25 m, points at a jittered grid, each good to ± {2000 * U_POINT:g} mm; water over two fifths of it to all. How often the true volume lies within the stated U; with the points' own part of U alone; and U itself, of the volume:",
        "",
        "| points | how rough | U covers | points' part alone | U of the volume | U of the area covers | U of the area |",
        "|---|---|---|---|---|---|---|",
    ]
    for (n, rough), came in zip(CELLS, found, strict=True):
        told, U, true, bare, area, U_area, wet = np.array(came).T
        points = n * max(3, round(n * 0.75))
        lines.append(
            f"| {points} | {rough:g} | {np.mean(np.abs(told - true) <= U):.0%} | {np.mean(np.abs(told - true) <= bare):.0%} | {np.median(U / np.maximum(true, 1e-6)):.0%} | "
            f"{np.mean(np.abs(area - wet) <= U_area):.0%} | {np.median(U_area / wet):.0%} |"
        )
    put(HEAD, lines)
    print("\n".join(lines))
    return 0
