"""A bed seen from the front: its two ways against the keel line, the level across at each station; its profile and its twist."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.vial import vial
from vivid_keel.trades.bed.book import ACROSS, FRAME, Spot
from vivid_keel.trades.bed.result import BedResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BACK = (58.0, -92.0)
"""Where the rear way lies against the front one [px]."""
TALL = 24.0
"""The greatest departure drawn [px]."""


def _nothing(picture: Picture, words: str) -> Picture:
    picture.text(picture.width / 2, picture.height / 2, words, "muted", 15, align="centre")
    return picture


def ways_seen(
    result: BedResult,
    width: float,
    height: float,
    focus: int = -1,
    *,
    left: bool = False,
    moved: bool = False,
) -> Picture:
    """Return the ways; with `left` as they were left, with `moved` once all feet are turned."""
    picture, book = Picture(width, height), result.book
    stations, phase = book.stations, LEFT if left else FOUND
    picture.caption = f"A bed on {len(book.points)} feet, from the front"
    if len(stations) < 2 or not book.long:
        return _nothing(picture, "Say where its stations are: two at least, from the head to the tail.")
    x0, x1 = 96.0, width - 96.0 - BACK[0]
    y0 = height / 2 - BACK[1] / 2 - 6
    off = result.off_target(phase, moved=moved, upto=focus)
    both = np.concatenate([off, result.off_target(FOUND)])  # what is left is drawn as large as what was found
    tall = TALL / max(float(np.nanmax(np.abs(both))) if not np.isnan(both).all() else 0.0, 1e-6)

    def at(j: int, rear: int, lifted: float = 0.0) -> tuple[float, float]:
        x = x0 + (stations[j].x - stations[0].x) / book.long * (x1 - x0)
        return x + rear * BACK[0], y0 + rear * BACK[1] - lifted

    n = len(stations)
    for rear in (1, 0):
        (xa, ya), (xb, yb) = at(0, rear), at(n - 1, rear)
        picture.line(xa - 24, ya, xb + 24, yb, "keel", 1.6, dash=True)
        words = "rear way" if rear else "front way"
        picture.text(xa - 30, ya + 5, words, "muted", 13, align="right")
    lifts = np.nan_to_num(off) * tall
    nodes = [[at(j, rear, float(lifts[2 * j + rear])) for j in range(n)] for rear in (0, 1)]
    at_foot = {p.id: k for k, p in enumerate(book.points)}
    for rear in (1, 0):
        for j, s in enumerate(stations):
            x, y = nodes[rear][j]
            k = at_foot.get(-s.id if rear else s.id)
            if k is not None:
                here = k in (focus,)
                picture.box(x - 5, y + 3, 10, 20, "keel" if here else "wood", "ink", 1.2)
                picture.hit(x - 16, y - 12, 32, 44, f"point:{k}", book.points[k].name)
    for j in range(n):
        (xa, ya), (xb, yb) = nodes[0][j], nodes[1][j]
        picture.line(xa, ya, xb, yb, "muted", 1.4)
    for rear in (1, 0):
        picture.poly(nodes[rear], "", "ink", 3.0, closed=False)
    _said(picture, result, off, nodes)
    steps = result.shown_after if moved else {}
    after = steps.get(focus, list(steps.values())[-1] if steps else {})
    sort = next((spot.sort for spot in result.spots if spot.sort in {ACROSS, FRAME}), ACROSS)
    for j, s in enumerate(stations):
        spot = Spot(sort, s.id)
        tilt = after.get(spot, math.nan) if moved else _seen(result, spot, phase)
        if sort == ACROSS:
            vial(picture, nodes[0][j], nodes[1][j], tilt / book.division)
        picture.text(nodes[0][j][0], y0 + 80, s.name, "ink", 14, bold=True, align="centre")
    last = focus not in steps or focus == list(steps)[-1]
    turned = "once all feet are turned" if last else f"once {book.points[focus].name} is turned"
    words = turned if moved else "as left" if left else "as found"
    times = float(f"{tall * book.long / (x1 - x0):.1g}")
    over = "" if np.isnan(off).all() else f"; heights {times:,.0f} times larger"
    picture.text(14, 24, f"The ways against the target, {words}{over}", "ink", 14, bold=True)
    return picture


def _seen(result: BedResult, spot: Spot, phase: str) -> float:
    """What the level showed at a spot [rad]; as found what it would, where it was not laid there."""
    one = result.book.read[phase].get(spot)
    if one is not None and spot.sort == ACROSS:
        return one.value
    return result.would_show(spot) if phase == FOUND else math.nan


def _said(picture: Picture, result: BedResult, off: Floats, nodes: list[list[tuple[float, float]]]) -> None:
    """How far each way is off at each station, beside it."""
    style = result.book.style
    for rear, line in enumerate(nodes):
        for j, (x, y) in enumerate(line):
            by = float(off[2 * j + rear])
            if math.isnan(by):
                continue
            words = style.amount(by, 1, signed=True)
            base = max(y - 12, 44.0) if rear else y + 40  # in a low picture clear of the title
            picture.text(x, base, words, "muted", 13, align="centre", ground=True)


def twist_and_profile(result: BedResult, width: float, height: float, *, left: bool = False) -> Picture:
    """Return the twist at each station against the head with its U and what is allowed, over the profile of the front way."""
    picture, book, phase = Picture(width, height), result.book, LEFT if left else FOUND
    body = result.of(phase)
    picture.caption = "Twist at the stations, and the profile of the front way"
    if body is None:
        return _nothing(picture, "Read it across at every station, and turned round once at the head.")
    xs, offs = result.profile(phase)
    parts = 2 if len(xs) else 1
    tall = (height - 50) / parts
    t, c = result.cross(body)
    twist = (t - t[0]) * 1000
    U = 2 * np.sqrt(np.maximum(np.diag(c) + c[0, 0] - 2 * c[0], 0.0)) * 1000
    allowed = book.facts.values["twist"] * 1000
    stations = [s.x for s in book.stations]
    span = max(float(np.max(np.abs(twist) + U)), allowed, 1e-6)
    _band(
        picture,
        (40.0, tall),
        "Twist against the head, mm/m; + the front is low",
        (stations, twist, U),
        span,
        allowed,
    )
    for s in book.stations:
        picture.text(_along(picture, s.x, stations), height - 4, s.name, "muted", 13, align="centre")
    if len(xs):
        bow = book.facts.values["bow"] * 1000
        high = max(float(np.abs(offs).max()) * 1000, bow / 2, 1e-6)
        _band(
            picture,
            (40.0 + tall, tall),
            "Front way off its chord, mm",
            (xs.tolist(), offs * 1000, np.zeros(len(xs))),
            high,
            bow / 2,
        )
    return picture


def _along(picture: Picture, x: float, xs: list[float]) -> float:
    return 90.0 + (x - xs[0]) / (xs[-1] - xs[0]) * (picture.width - 180.0)


def _band(
    picture: Picture,
    place: tuple[float, float],
    title: str,
    of: tuple[list[float], Floats, Floats],
    span: float,
    allowed: float,
) -> None:
    """One curve in a band of the picture: (top, height) [px], its values over places with their U."""
    (top, tall), (xs, values, U) = place, of
    middle, half = top + tall / 2 + 4, tall / 2 - 26
    scale = half / span

    def y(v: float) -> float:
        return middle - v * scale

    left, right = _along(picture, xs[0], xs), _along(picture, xs[-1], xs)
    picture.box(left - 16, y(allowed), right - left + 32, 2 * allowed * scale, "lit", "")
    picture.line(left - 16, middle, right + 16, middle, "keel", 1.4, dash=True)
    picture.text(14, top + 8, title, "ink", 13, bold=True)
    picture.text(left - 22, y(allowed) + 5, show_number(allowed, 3), "muted", 13, align="right")
    points = [(_along(picture, x, xs), y(float(v))) for x, v in zip(xs, values, strict=True)]
    picture.poly(points, "", "ink", 2.0, closed=False)
    told: list[tuple[float, float]] = []
    for (px, py), u, v in zip(points, U, values, strict=True):
        if u > 0:
            picture.line(px, py - u * scale, px, py + u * scale, "muted", 1.4)
        picture.disc(px, py, 4, "paper", "ink", 1.6)
        words = show_number(float(v), 3, signed=True)
        if len(points) <= 12 and all(px + 8 > end or abs(py - at) > 15 for end, at in told):
            picture.text(px + 8, py - 7, words, "muted", 13, ground=True)
            told.append((px + 12 + text_width(words, 13), py))
