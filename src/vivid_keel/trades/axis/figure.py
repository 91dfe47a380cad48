"""An axis from above: its feet round it, the level's bubble at every azimuth, and which way it leans, against what is allowed."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Picture
from vivid_keel.trades.axis.book import BACK
from vivid_keel.trades.axis.result import AxisResult


def _ring(
    picture: Picture, x: float, y: float, r: float, ink: str, width: float, *, dash: bool = False
) -> None:
    at = [(x + r * math.cos(k * math.pi / 36), y - r * math.sin(k * math.pi / 36)) for k in range(73)]
    for k, (a, b) in enumerate(zip(at, at[1:], strict=False)):
        if not dash or k % 2:
            picture.line(*a, *b, ink, width)


def from_above(
    result: AxisResult, width: float, height: float, focus: int = -1, *, left: bool = False
) -> Picture:
    """Return the plan at the left, and at the right where the axis leans to."""
    picture, book = Picture(width, height), result.book
    picture.caption = f"An axis on {len(book.points)} feet, from above"
    if len(book.points) < 3:
        words = "Say where its feet stand: three at least, not in a line."
        picture.text(width / 2, height / 2, words, "muted", 15, align="centre")
        return picture
    phase = LEFT if left else FOUND
    cx, cy, r = width * 0.3, height / 2 + 10, height / 2 - 52
    _plan(picture, result, (cx, cy, r), focus, phase)
    _lean(picture, result, (width * 0.77, cy, r), phase)
    picture.text(14, 24, f"From above, {'as left' if left else 'as found'}", "ink", 14, bold=True)
    return picture


def _plan(
    picture: Picture, result: AxisResult, place: tuple[float, float, float], focus: int, phase: str
) -> None:
    """Its feet, the turning part, and what the level showed at every azimuth."""
    (cx, cy, r), book = place, result.book
    xy = np.array([(p.x, p.y) for p in book.points])
    xy = xy - xy.mean(axis=0)
    scale = r / max(float(np.hypot(*xy.T).max()), 1e-6)
    _ring(picture, cx, cy, r * 0.66, "ink", 1.6)
    for i, p in enumerate(book.points):
        x, y = cx + xy[i, 0] * scale, cy - xy[i, 1] * scale
        picture.line(cx, cy, x, y, "wood", 5.0)
        picture.disc(x, y, 9, "keel" if i == focus else "wood", "ink", 1.4)
        off = result.deviation_left(i) if phase == LEFT else -float(result.moves[i])
        said = "" if math.isnan(off) else f" {book.style.amount(off, 1, signed=True)}"
        right = x >= cx - 1
        picture.text(
            x + (14 if right else -14),
            y + 5,
            f"{p.name}{said}",
            "ink",
            13,
            bold=True,
            align="left" if right else "right",
            ground=True,
        )
        picture.hit(x - 18, y - 18, 36, 36, f"point:{i}", p.name)
    picture.disc(cx, cy, r * 0.6, "lit", "ink", 1.2)
    for azimuth, one in book.read[phase].items():
        if azimuth == BACK:
            continue
        phi = math.radians(azimuth)
        x, y = cx + r * 0.4 * math.cos(phi), cy - r * 0.44 * math.sin(phi)
        words = show_number(one.tilt / book.division, 1, signed=True)
        picture.text(x, y + 5, words, "muted", 13, align="centre")


def _lean(picture: Picture, result: AxisResult, place: tuple[float, float, float], phase: str) -> None:
    """Where the axis leans to, as an arrow from the middle to its high side, with its U and the ring of what is allowed."""
    (cx, cy, r), book, axis = place, result.book, result.of(phase)
    allowed = book.facts.values["tilt"]
    reach = max(allowed, axis.tilt if axis is not None else 0.0) * 1.25
    one = r / reach
    _ring(picture, cx, cy, allowed * one, "keel", 1.6, dash=True)
    for azimuth, name in ((0, "0°"), (90, "90°"), (180, "180°"), (270, "270°")):
        phi = math.radians(azimuth)
        picture.line(cx, cy, cx + r * math.cos(phi), cy - r * math.sin(phi), "rule", 1.0)
        picture.text(
            cx + (r + 16) * math.cos(phi),
            cy - (r + 14) * math.sin(phi) + 5,
            name,
            "muted",
            13,
            align="centre",
        )
    allowed_words = f"allowed {show_number(allowed * 1000, 3)} mm/m"
    picture.text(cx, cy + r + 34, allowed_words, "keel", 13, align="centre")
    if axis is None:
        return
    x, y = cx + axis.x * one, cy - axis.y * one
    picture.line(cx, cy, x, y, "ink", 2.4)
    u = (
        2
        * book.u_tilt
        * math.sqrt(max(float(np.linalg.eigvalsh(axis.covariance[1:3, 1:3]).max()), 0.0))
        * one
    )
    _ring(picture, x, y, max(u, 4.0), "ink", 1.6)
    said = f"leans {show_number(axis.tilt * 1000, 3)} mm/m"
    picture.text(cx, cy - r - 32, said, "ink", 14, bold=True, align="centre")
