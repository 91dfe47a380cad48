"""A surface from above, as lines of one height."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import LengthStyle
from vivid_keel.figures.display import Picture

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

At = tuple[float, float]
FINE = 48
"""The raster on which lines are drawn has so many cells along its long side."""
FEWEST, MOST = 4, 9
"""About so many lines are drawn."""


def interval(low: float, high: float) -> float:
    """Return a round step [m] that parts a range [m] into a handful."""
    span = max(high - low, 1e-7)
    ten = 10.0 ** math.floor(math.log10(span / FEWEST))
    return next(step * ten for step in (1.0, 2.0, 5.0, 10.0) if span / (step * ten) <= MOST)


def contours(
    places: Sequence[At],
    off: Floats,
    lines: Sequence[tuple[At, At]],
    read: Sequence[tuple[At, At]],
    style: LengthStyle,
    width: float,
    height: float,
) -> Picture:
    """Return the picture of heights `off` (n,) [m] at places [m]; of nan the lines that are to be read, and what was `read`."""
    picture = Picture(width, height)
    xy = np.array(places)
    wide, deep = float(np.ptp(xy[:, 0])), float(np.ptp(xy[:, 1]))
    scale = min((width - 220) / wide, (height - 90) / deep)
    x0, y0 = max(40.0, (width - 120 - wide * scale) / 2), (height + deep * scale) / 2 + 8

    def at(p: At) -> At:
        return x0 + p[0] * scale, y0 - p[1] * scale

    picture.poly([at((0.0, 0.0)), at((wide, 0.0)), at((wide, deep)), at((0.0, deep))], "lit", "ink", 1.6)
    for name, p in zip("ABCD", ((0.0, 0.0), (wide, 0.0), (wide, deep), (0.0, deep)), strict=True):
        x, y = at(p)
        picture.text(x + (-12 if p[0] == 0 else 12), y + 5, name, "ink", 14, bold=True, align="centre")
    for a, b in lines:
        picture.line(*at(a), *at(b), "muted", 0.8, dash=True)
    if np.isnan(off).any():
        for a, b in read:
            picture.line(*at(a), *at(b), "keel", 2.4)
        picture.text(14, 24, "The eight lines; drawn full is read", "ink", 14, bold=True)
        picture.caption = "The lines of a surface that is being read"
        return picture
    step = interval(float(off.min()), float(off.max()))
    levels = np.arange(math.ceil(off.min() / step), math.floor(off.max() / step) + 1) * step
    xs, ys, grid = _raster(xy, off, wide, deep)
    for level in levels.tolist():
        ink = "ink" if abs(level) < step / 2 else "raise" if level < 0 else "lower"
        for a, b in _lines_at(xs, ys, grid, level):
            picture.line(*at(a), *at(b), ink, 1.8)
    words = style.amount(step, 2)
    picture.text(14, 24, f"Off its flattest plane, a line every {words} {style.small}", "ink", 14, bold=True)
    high, low = int(off.argmax()), int(off.argmin())
    for k, ink in ((high, "lower"), (low, "raise")):
        x, y = at(places[k])
        picture.disc(x, y, 5, "paper", ink, 2.0)
        said = f"{style.amount(float(off[k]), 1, signed=True)} {style.small}"
        right = places[k][0] < wide * 0.75
        picture.text(
            x + (10 if right else -10),
            y - 8,
            said,
            ink,
            14,
            bold=True,
            align="left" if right else "right",
            ground=True,
        )
    picture.text(width - 150, 60, "orange: high", "lower", 13)
    picture.text(width - 150, 80, "blue: low", "raise", 13)
    picture.caption = f"Surface, lines every {words} {style.small}"
    return picture


def _raster(xy: Floats, off: Floats, wide: float, deep: float) -> tuple[Floats, Floats, Floats]:
    """A surface over scattered places on a raster: its columns, its rows [m], and heights (rows, columns) [m]."""
    from scipy.interpolate import LinearNDInterpolator

    rows = max(6, min(round(FINE * deep / wide), 4 * FINE))
    xs, ys = np.linspace(0, wide, FINE + 1), np.linspace(0, deep, rows + 1)
    return xs, ys, np.asarray(LinearNDInterpolator(xy, off)(*np.meshgrid(xs, ys)))


def _lines_at(xs: Floats, ys: Floats, grid: Floats, level: float) -> list[tuple[At, At]]:
    """Where a raster has one height: straight pieces, linear in each of its triangles."""
    out: list[tuple[At, At]] = []
    above = grid >= level
    square = above[:-1, :-1] + 0 + above[1:, :-1] + above[:-1, 1:] + above[1:, 1:]
    for j, i in np.argwhere((square > 0) & (square < 4)).tolist():
        corners = [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)]
        for half in ((0, 1, 2), (0, 2, 3)):
            tri = [corners[k] for k in half]
            cut = []
            for (a, b), (c, d) in zip(tri, tri[1:] + tri[:1], strict=True):
                u, v = float(grid[b, a]) - level, float(grid[d, c]) - level
                if (u < 0) != (v < 0) and not math.isnan(u + v):
                    t = u / (u - v)
                    cut.append((float(xs[a] + t * (xs[c] - xs[a])), float(ys[b] + t * (ys[d] - ys[b]))))
            if len(cut) == 2:
                out.append((cut[0], cut[1]))
    return out
