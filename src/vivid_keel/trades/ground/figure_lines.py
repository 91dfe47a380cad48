"""A piece of ground cut along a line; and where rain runs and stands on it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.surface.against import areas
from vivid_keel.figures.display import Dots, Picture, Trace
from vivid_keel.figures.words import legend, title
from vivid_keel.trades.ground.breaks import STANDING
from vivid_keel.trades.ground.figure import At, contoured, outlined, scaled
from vivid_keel.trades.ground.findings import show_volume
from vivid_keel.trades.ground.result import GroundResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

ARROWS, LONG, FLAT = 46.0, 20.0, 1e-4
"""One arrow in a square of so many pixels, so long; none where the ground falls by less [1]."""
MOST_WATERS = 12
DOTS = 7.0
"""A dot of what is known every so many pixels."""
SUN, SLANT = math.radians(35), 0.5
"""How high the sun stands, and how steep the usual slope is shown [1]."""
MOST_LIT = 6000
LIT = tuple(f"slope{k}" for k in range(6))
"""From what turns away to what faces the sun."""


def _nothing(picture: Picture, words: str) -> Picture:
    picture.text(picture.width / 2, picture.height / 2, words, "muted", 14, align="centre")
    picture.caption = words
    return picture


def along(result: GroundResult, width: float, height: float, line: int) -> Picture:
    """Return the ground along a line, with the plane over it and the points that the line goes through."""
    picture, book = Picture(width, height), result.book
    if line < 0:
        return _nothing(picture, "Name a line under Lines: the ground along it stands here.")
    one = book.lines[line]
    cut = result.along(line) if len(one.way) > 1 else np.empty((0, 2))
    if not len(cut) or np.isnan(cut).all():
        return _nothing(
            picture, f"{one.name}: no ground along it yet; say which points it goes through, and read them."
        )
    way = book.xy[list(one.way)]
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(way, axis=0).T))])
    plane = None if result.plane is None else result.plane.at(way)
    tops = book.heights[list(one.way)] + [book.stands_up.get(k, math.nan) for k in one.way]
    tops = tops if one.what in STANDING else np.full(len(tops), np.nan)
    heights = [cut[:, 1][~np.isnan(cut[:, 1])], tops[~np.isnan(tops)], *([] if plane is None else [plane])]
    low, high = (float(f(np.concatenate(heights))) for f in (np.min, np.max))
    left, right, top, bottom = 76.0, width - 30.0, 66.0, height - 64.0
    across, up = (right - left) / at[-1], (bottom - top) / max(high - low, 0.02)
    x, y = left + cut[:, 0] * across, bottom - (cut[:, 1] - low) * up
    stands = ~np.isnan(tops)
    if stands.sum() > 1:
        foot = np.stack(
            [left + at[stands] * across, bottom - (book.heights[list(one.way)][stands] - low) * up]
        )
        top_y = bottom - (tops[stands] - low) * up
        up_there = list(zip(foot[0].tolist(), top_y.tolist(), strict=True))
        picture.poly([*up_there, *list(zip(*foot.tolist(), strict=True))[::-1]], "wood", "ink", 1.2)
    gaps = np.flatnonzero(np.isnan(x))
    for part_x, part_y in zip(np.split(x, gaps), np.split(y, gaps), strict=True):
        keep = ~np.isnan(part_x)
        if keep.sum() > 1:
            ground = list(zip(part_x[keep].tolist(), part_y[keep].tolist(), strict=True))
            picture.poly(
                [*ground, (ground[-1][0], bottom + 14), (ground[0][0], bottom + 14)], "ground", "", 0
            )
            picture.items.append(Trace(part_x[keep], part_y[keep], "ink", 2.0))
    _band(picture, result, way, at, cut, (left, across), (bottom, up, low))
    if plane is not None:
        over = bottom - (plane - low) * up
        picture.items.append(Trace(left + at * across, over, "keel", 2.2))
    _posts(picture, result, one.way, left + at * across, top, bottom)
    for value, place in ((low, bottom), (high, top)):
        picture.text(left - 8, place + 4, show_length(value, book.style), "muted", 12, align="right")
    words = f"{one.name}: the ground along it"
    title(picture, words)
    far = f"{book.style.place(float(at[-1]))} {book.style.far} long"
    steep = " · thick: the plane" if plane is not None else ""
    legend(picture, f"{far} · heights × {up / across:.0f}{steep} · dots: within ± U")
    picture.caption = (
        f"{words}, {far}, between {show_length(low, book.style)} and {show_length(high, book.style)}"
    )
    return picture


def _band(
    picture: Picture,
    result: GroundResult,
    way: Floats,
    at: Floats,
    cut: Floats,
    along: tuple[float, float],
    up: tuple[float, float, float],
) -> None:
    """How well the ground is known along the line: dots above and below it, a U off."""
    far = np.arange(at[0], at[-1], DOTS / along[1])
    xy = np.column_stack([np.interp(far, at, way[:, k]) for k in (0, 1)])
    there = ~np.isnan(cut).any(axis=1)
    z, U = np.interp(far, cut[there, 0], cut[there, 1]), result.known_at(xy)
    known = ~np.isnan(U)
    for side in (-1.0, 1.0):
        y = up[0] - (z + side * U - up[2]) * up[1]
        picture.items.append(Dots(along[0] + far[known] * along[1], y[known], ("muted",), None, 1.0))


def low_sun(result: GroundResult, width: float, height: float) -> Picture:
    """Return the ground as it looks in low light from the upper left: what bends shows where figures don't."""
    picture, book = Picture(width, height), result.book
    if result.tin is None or not len(result.tin.pieces):
        return _nothing(picture, "Three points read, not in a line: then the ground's shape stands here.")
    at = scaled(result, width, height)
    pieces = result.tin.pieces
    if len(pieces) > MOST_LIT:
        pieces = result.thin.tin.pieces if result.thin.tin is not None else pieces[:MOST_LIT]
    for piece, shade in zip(pieces[:MOST_LIT], shades(pieces).tolist(), strict=False):
        ink = LIT[min(len(LIT) - 1, int(shade * len(LIT)))]
        picture.poly([at(x, y) for x, y in piece[:, :2].tolist()], ink, ink, 0.6)
    contoured(picture, result, at)
    outlined(picture, result, at)
    high = exaggerated(pieces)
    title(picture, "As low light from the upper left shows it")
    legend(picture, f"for the light heights × {high:.3g} · light: it faces the sun; dark: it turns away")
    picture.caption = f"{book.name} in low light"
    return picture


def exaggerated(pieces: Floats) -> float:
    """Return by how much heights are taken larger for the light [1]: so that the usual slope stands at SLANT."""
    slope = float(np.median(np.hypot(*_slopes(pieces))))
    return SLANT / max(slope, 1e-6)


def shades(pieces: Floats) -> Floats:
    """Return how bright triangles (k, 3, 3) [m] are, 0 to 1 (k,): the cosine to a sun in the upper left, 35° high, heights taken larger."""
    fx, fy = (exaggerated(pieces) * s for s in _slopes(pieces))
    sun = np.array([-1.0, 1.0, math.tan(SUN) * math.sqrt(2)])
    sun /= np.linalg.norm(sun)
    light = (-fx * sun[0] - fy * sun[1] + sun[2]) / np.sqrt(1 + fx**2 + fy**2)
    return np.asarray(np.clip(light, 0.0, 0.999999))


def _slopes(pieces: Floats) -> tuple[Floats, Floats]:
    """What triangles (k, 3, 3) rise along and across (k,) [1]."""
    a, b = pieces[:, 1] - pieces[:, 0], pieces[:, 2] - pieces[:, 0]
    twice = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    twice = np.where(np.abs(twice) > 1e-12, twice, np.inf)
    return (a[:, 2] * b[:, 1] - b[:, 2] * a[:, 1]) / twice, (a[:, 0] * b[:, 2] - b[:, 0] * a[:, 2]) / twice


def _posts(
    picture: Picture, result: GroundResult, way: tuple[int, ...], x: Floats, top: float, bottom: float
) -> None:
    """Where the line goes through points: their names, and how far the plane lies over them."""
    book, taken = result.book, -math.inf
    for k, place in zip(way, x.tolist(), strict=True):
        picture.line(place, top - 4, place, bottom + 14, "muted", 0.8)
        if place - taken < 40:
            continue
        taken = place
        picture.text(place, bottom + 30, book.points[k].name, "ink", 12, align="centre", ground=True)
        below = float(result.below[k])
        if not is_missing(below):
            said = book.style.amount(below, 0, signed=not book.water)
            picture.text(
                place, top - 12, said, "raise" if below > 0 else "lower", 12, bold=True, align="centre"
            )


def rain(result: GroundResult, width: float, height: float) -> Picture:
    """Return which way the ground falls, and where rain stands on it: how much, and where it runs over."""
    picture, book = Picture(width, height), result.book
    if result.tin is None or not len(result.tin.pieces):
        return _nothing(picture, "Three points read, not in a line: then the ground's fall stands here.")
    at = scaled(result, width, height)
    waters = result.rain[:MOST_WATERS]
    for water in waters:
        _water(picture, result, at, water.level, water.lowest)
    contoured(picture, result, at)
    outlined(picture, result, at)
    _arrows(picture, result, at)
    for water in waters:
        x, y = at(*water.lowest[:2])
        words = f"{show_volume(water.volume, book.style)}, {show_amount(water.lowest[2], book.style, 0)} deep"
        picture.text(x, y - 10, words, "ink", 12, bold=True, align="centre", ground=True)
        x, y = at(*water.spill)
        picture.disc(x, y, 6, "paper", "keel", 2.0)
    several = len(result.rain)
    words = (
        f"Rain stands in {several} hollow{'s' if several > 1 else ''}"
        if several
        else "Rain runs off: no hollow holds it"
    )
    title(picture, words)
    legend(picture, "Arrows: downhill · dark: water that stands · ring: where it runs over", 12)
    picture.caption = words
    return picture


def _water(
    picture: Picture, result: GroundResult, at: At, level: float, lowest: tuple[float, float, float]
) -> None:
    """The ground under one water: what lies below its level and hangs together with its lowest place."""
    pieces = below_level(result.tin.pieces, level, np.array(lowest[:2])) if result.tin is not None else []
    for piece in pieces:
        picture.poly([at(x, y) for x, y in piece[:, :2].tolist()], "leaf", "leaf", 0.6)


def below_level(pieces: Floats, level: float, place: Floats) -> list[Floats]:
    """Return what of triangles (k, 3, 3) lies below a level and hangs together with a place (2,) [m]: polygons (m, 3)."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    wet = pieces[pieces[:, :, 2].min(axis=1) < level - 1e-9]
    if not len(wet):
        return []
    corners, numbers = np.unique(wet[:, :, :2].reshape(-1, 2).round(9), axis=0, return_inverse=True)
    numbers = numbers.reshape(-1, 3)
    low = wet[:, :, 2] < level
    # Two triangles have one water where a corner below its level is of both.
    rows = np.repeat(np.arange(len(wet)), 3)[low.reshape(-1)]
    cols = numbers.reshape(-1)[low.reshape(-1)] + len(wet)
    n = len(wet) + len(corners)
    label = connected_components(coo_array((np.ones(len(rows)), (rows, cols)), shape=(n, n)), directed=False)[
        1
    ]
    here = label[len(wet) + int(np.hypot(*(corners - place).T).argmin())]
    return [_under(piece, level) for piece in wet[label[: len(wet)] == here]]


def _under(piece: Floats, level: float) -> Floats:
    """What of a triangle (3, 3) lies below a level."""
    out = []
    for a, b in zip(piece, np.roll(piece, -1, axis=0), strict=True):
        if a[2] <= level:
            out.append(a)
        if (a[2] < level) != (b[2] < level):
            out.append(a + (level - a[2]) / (b[2] - a[2]) * (b - a))
    return np.array(out)


def _arrows(picture: Picture, result: GroundResult, at: At) -> None:
    """Downhill, an arrow in each square of the picture: that of the largest triangle whose middle lies there."""
    assert result.tin is not None
    pieces = result.tin.pieces
    middle, size = pieces[:, :, :2].mean(axis=1), areas(pieces)
    one, two = pieces[:, 1] - pieces[:, 0], pieces[:, 2] - pieces[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        fall = (
            np.column_stack(
                [one[:, 1] * two[:, 2] - one[:, 2] * two[:, 1], one[:, 2] * two[:, 0] - one[:, 0] * two[:, 2]]
            )
            / (2 * size)[:, None]
        )
    steep = np.hypot(*fall.T)
    x, y = at.all(middle)
    seen: dict[tuple[int, int], int] = {}
    for k in np.argsort(-size).tolist():
        if steep[k] > FLAT and math.isfinite(steep[k]):
            seen.setdefault((int(x[k] // ARROWS), int(y[k] // ARROWS)), k)
    for k in seen.values():
        way = fall[k] / steep[k]
        tip = (float(x[k] + way[0] * LONG / 2), float(y[k] - way[1] * LONG / 2))
        tail = (float(x[k] - way[0] * LONG / 2), float(y[k] + way[1] * LONG / 2))
        picture.line(*tail, *tip, "muted", 1.2)
        side = np.array([-way[1], way[0]])
        head = [
            (tip[0] - (way[0] * 7 + s * side[0] * 3.5), tip[1] + (way[1] * 7 + s * side[1] * 3.5))
            for s in (1, -1)
        ]
        picture.poly([tip, *head], "muted", "muted", 0.5)
