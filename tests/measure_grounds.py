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
from vivid_keel.core.surface.between import heights_at, heights_known
from vivid_keel.core.surface.overlay import rise_between
from vivid_keel.core.surface.rolling import change_known, ground_of
from vivid_keel.core.surface.tin import blindest, emptiest, surface
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


def further(count: int, seed: int, n: int) -> str:
    """A line of the second table: heights between points, what changed, humps."""
    between = np.array([places(n, 1.0, [seed, n, 40, k]) for k in range(count)])
    same, other = (
        np.array([twice(n, 1.0, [seed, n, 41, k], same=alike) for k in range(count)])
        for alike in (True, False)
    )
    found = np.array([hump(n, [seed, n, 42, k]) for k in range(count)])
    lies = [np.mean(np.abs(told - true) <= U) for told, U, true in (same.T, other.T)]
    on, looked, crossed = (found[:, k] for k in range(3))
    return (
        f"| {n * max(3, round(n * 0.75))} | {between[:, 0].mean():.0%} | {1000 * np.median(between[:, 1]):.0f} mm | {lies[0]:.0%} | {lies[1]:.0%} | "
        f"{on.mean():.0%} | {(on | looked).mean():.0%} | {(on | looked | crossed).mean():.0%} |"
    )


def told(rng, n, height, by=lambda x, y: 0.0 * x):
    """A surface of points at a jittered grid of their own, as they were read [m]; `by`: what the ground rose since."""
    grid = np.meshgrid(np.linspace(0, LONG, n), np.linspace(0, WIDE, max(3, round(n * 0.75))))
    x, y = (a.ravel() for a in grid)
    inner = (x > 0) & (x < LONG) & (y > 0) & (y < WIDE)
    x = np.where(inner, x + rng.uniform(-0.3, 0.3, len(x)) * LONG / n, x)
    y = np.where(inner, y + rng.uniform(-0.3, 0.3, len(y)) * WIDE / n, y)
    return surface(np.column_stack([x, y, height(x, y) + by(x, y) + rng.normal(0, U_POINT, len(x))]))


def places(n: int, rough: float, seed: list[int]) -> tuple[float, float]:
    """How many of 40 places lie within the U of their height [1], and the usual U [m]."""
    rng = np.random.default_rng(seed)
    height = field(rng, rough)
    tin = told(rng, n, height)
    xy = rng.uniform((0, 0), (LONG, WIDE), (40, 2))
    U = 2 * heights_known(tin, xy, U_POINT, foretold(tin))
    return float(np.mean(np.abs(heights_at(tin, xy) - height(*xy.T)) <= U)), float(np.median(U))


def twice(n: int, rough: float, seed: list[int], *, same: bool) -> tuple[float, float, float]:
    """What ground gained since, or lost [m³], its U and the truth: a heap or a rut came between two visits, with the same points or others."""
    rng = np.random.default_rng(seed)
    height, heap = field(rng, rough), rng.uniform((3, 3), (LONG - 3, WIDE - 3), 2)
    size, tall = rng.uniform(4, 8), rng.uniform(0.05, 0.4) * rng.choice([-1, 1])

    def by(x, y):
        return tall * np.exp(-((x - heap[0]) ** 2 + (y - heap[1]) ** 2) / size**2)

    again = int(rng.integers(1 << 30))
    then = told(np.random.default_rng(again), n, height)
    now = told(np.random.default_rng(again if same else again + 1), n, height, by)
    if same:  # the places are the same; what is read there is not
        xyz = now.xyz.copy()
        xyz[:, 2] = height(*xyz[:, :2].T) + by(*xyz[:, :2].T) + rng.normal(0, U_POINT, len(xyz))
        now = surface(xyz)
    pieces = rise_between(then.pieces, now.pieces)
    found = against(pieces, Plane(0.0))
    a, b = (
        p.ravel()
        for p in np.meshgrid((np.arange(200) + 0.5) * LONG / 200, (np.arange(200) + 0.5) * WIDE / 200)
    )
    U = change_known(then, now, pieces, U_POINT)
    assert U is not None
    return found.cut if tall > 0 else found.fill, U, abs(float(by(a, b).mean())) * LONG * WIDE


def hump(n: int, seed: list[int]) -> tuple[bool, bool, bool]:
    """A hump of 2U, half a spacing to twice as wide, on ground of `n` points across: whether a point stands on it, whether one of the
    first three places proposed does, and whether the way proposed to walk crosses it."""
    rng = np.random.default_rng(seed)
    tin = told(rng, n, field(rng, 0.3))
    spacing = math.sqrt(LONG * WIDE / len(tin.xyz))
    at, half = rng.uniform((0, 0), (LONG, WIDE)), rng.uniform(0.5, 2.0) * spacing / 2
    on = bool(np.hypot(*(tin.xyz[:, :2] - at).T).min() < half)
    looks = [(x, y) for x, y, _ in emptiest(tin, 3)]
    looked = any(math.dist(at, place) < half for place in looks)
    edge = tin.xyz[rim(tin.xyz), :2]
    way = blindest(tin, edge)
    if way is None:
        return on, looked, False
    a, b = edge[list(way)]
    share = np.clip((at - a) @ (b - a) / ((b - a) @ (b - a)), 0, 1)
    return on, looked, bool(math.dist(at, a + share * (b - a)) < half)


LAYOUTS = ("a jittered grid", "at random", "in clusters", "along the edge only")
"""How points may lie."""
SCATTERED = [(layout, n, rough) for layout in LAYOUTS for n in (12, 20, 30, 60, 120) for rough in (0.3, 2.0)]
SCATTERED += [(LAYOUTS[1], n, rough) for n in (800, 3000) for rough in (0.3, 2.0)]


def laid_out(rng, layout, n):
    """About n places on the ground (n, 2) [m]."""
    if layout == LAYOUTS[0]:
        k = round(math.sqrt(n / 0.75))
        grid = np.meshgrid(np.linspace(0, LONG, k), np.linspace(0, WIDE, max(3, round(k * 0.75))))
        xy = np.stack([a.ravel() for a in grid], axis=1)
        inner = ((xy > 0) & (xy < (LONG, WIDE))).all(axis=1)
        return xy + inner[:, None] * rng.uniform(-0.3, 0.3, xy.shape) * (LONG, WIDE) / k
    if layout == LAYOUTS[1]:
        return rng.uniform((0, 0), (LONG, WIDE), (n, 2))
    if layout == LAYOUTS[2]:
        middles = rng.uniform((0, 0), (LONG, WIDE), (max(3, n // 6), 2))
        return np.clip(
            middles[rng.integers(len(middles), size=n)] + rng.normal(0, 1.2, (n, 2)), 0, (LONG, WIDE)
        )
    gone = rng.uniform(0, 2 * (LONG + WIDE), n)
    x = np.clip(np.where(gone < LONG + WIDE, gone, 2 * LONG + WIDE - gone), 0, LONG)
    y = np.clip(np.where(gone < LONG + WIDE, gone - LONG, 2 * (LONG + WIDE) - gone), 0, WIDE)
    return np.column_stack([x, y])


def scattered(
    layout: str, n: int, rough: float, seed: list[int], fine: int = 200
) -> tuple[float, ...] | None:
    """Whether U covers volume and area (0, 1), how many of 40 heights it covers [1], U of the volume over it [1] and of a height [m];
    the truth by so `fine` a grid each way."""
    rng = np.random.default_rng(seed)
    height = field(rng, rough)
    xy = np.unique(laid_out(rng, layout, n).round(3), axis=0)
    tin = surface(np.column_stack([xy, height(*xy.T) + rng.normal(0, U_POINT, len(xy))]))
    ground = ground_of(tin, U_POINT)
    if ground is None:
        return None
    steps = np.meshgrid((np.arange(fine) + 0.5) * LONG / fine, (np.arange(fine) + 0.5) * WIDE / fine)
    every = np.stack([a.ravel() for a in steps], axis=1)
    est = heights_at(tin, every)
    on = ~np.isnan(est)
    there, one = height(*every[on].T), LONG * WIDE / fine**2
    plane = Plane(float(np.quantile(there, rng.uniform(0.4, 1.0))))
    U, U_area = ground.volume(plane), ground.wet_area(plane)
    # The surface and the truth in the same cells: how finely the truth is summed is no error of the surface.
    (told, true), (wet_told, wet) = (
        [float(part(heights).sum()) * one for heights in (est[on], there)]
        for part in (lambda z: np.maximum(plane.height - z, 0), lambda z: z < plane.height)
    )
    asked = rng.choice(len(there), 40)
    known = ground.heights(every[on][asked])
    return (
        abs(told - true) <= U,
        abs(wet_told - wet) <= U_area,
        float(np.mean(np.abs(est[on][asked] - there[asked]) <= known)),
        U / max(true, 1e-6),
        float(np.median(known)),
    )


def scattered_row(count: int, seed: int, at: tuple[str, int, float]) -> str:
    """A line of the third table."""
    layout, n, rough = at
    key = [seed, LAYOUTS.index(layout), n, round(10 * rough)]
    came = np.array(
        [one for k in range(count) if (one := scattered(*at, [*key, k])) is not None], dtype=float
    )
    volume, area, height, share, U = (
        came[:, 0].mean(),
        came[:, 1].mean(),
        came[:, 2].mean(),
        *np.median(came[:, 3:], axis=0),
    )
    least = 0.93 - 2 * math.sqrt(0.93 * 0.07 / len(came))
    missed = ", ".join(
        name for name, part in (("volume", volume), ("area", area), ("heights", height)) if part < least
    )
    return f"| {layout} | {n} | {rough:g} | {volume:.0%} | {area:.0%} | {height:.0%} | {share:.0%} | {1000 * U:.0f} mm | {missed} |"


def rim(xyz):
    """The points round it, in order."""
    middle = np.array([LONG, WIDE]) / 2
    out = [k for k, (x, y) in enumerate(xyz[:, :2]) if min(x, y) < 1e-9 or x > LONG - 1e-9 or y > WIDE - 1e-9]
    return sorted(out, key=lambda k: math.atan2(*(xyz[k, :2] - middle)[::-1]))


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
    lines += [
        "",
        "The same ground, middling rough. How often the height at a place anywhere lies within its U; how often what came and went between two visits does, read at the same points or at others; and a hump of 2U, half a spacing to twice as wide, anywhere: whether a point stands on it, or one of the first three places proposed for a look, or the way proposed to walk crosses it:",
        "",
        "| points | U of a height covers | U of a height | U of what changed covers, same points | other points | a point on the hump | or one of three looks | or the way to walk |",
        "|---|---|---|---|---|---|---|---|",
    ]
    with ProcessPoolExecutor() as pool:
        lines += pool.map(partial(further, count, seed), (3, 4, 5, 6, 8, 12))
    lines += [
        "",
        f"Points laid out otherwise, {max(20, count // 3)} grounds a row, by the covariance that is fitted to them; goal 93 to 98 in 100 from 30 points on, at least 93 below; a row names what lies two standard errors under it:",
        "",
        "| laid out | points | how rough | U of the volume covers | of the area | of a height | U of the volume | U of a height | |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    with ProcessPoolExecutor() as pool:
        lines += pool.map(partial(scattered_row, max(20, count // 3), seed), SCATTERED)
    put(HEAD, lines)
    print("\n".join(lines))
    return 0
