"""A top made of panels: in plan where a finger would feel a step and where a ball would roll; from the side against the keel line."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.trades.panels.result import FL, FR, NL, NR, PanelsResult

TALL = 0.24
"""The greatest departure drawn from the side, of the picture's height [1]."""


def _nothing(width: float, height: float) -> Picture:
    picture = Picture(width, height)
    picture.caption = "A top without panels yet"
    words = "Say which panels it is made of: a name, how long, how wide."
    picture.text(width / 2, height / 2, words, "muted", 15, align="centre")
    return picture


def from_above(
    result: PanelsResult, width: float, height: float, focus: int = -1, *, left: bool = False
) -> Picture:
    """Return the panels in plan: fall arrows, seams with their steps, fixing points numbered in the order of work."""
    book, phase = result.book, LEFT if left else FOUND
    if not book.panels:
        return _nothing(width, height)
    picture = Picture(width, height)
    picture.caption = f"A top of {len(book.panels)} panels, from above"
    long = sum(one.long for one in book.panels)
    wide = max(one.wide for one in book.panels)
    scale = min((width - 80) / long, (height - 120) / wide)
    x0, y0 = (width - scale * long) / 2, (height + scale * wide) / 2 + 2

    def at(x: float, y: float) -> tuple[float, float]:
        return x0 + x * scale, y0 - y * scale

    for one in book.panels:
        (xa, ya), (xb, yb) = at(one.start, one.wide), at(one.start + one.long, 0.0)
        picture.box(xa, ya, xb - xa, yb - ya, "lit", "ink", 1.4)
        _fall(picture, result, one, phase, at(*one.middle), min(xb - xa, yb - ya))
    _points(picture, result, focus, phase, at)
    for seam in result.seams(phase):
        x = seam.right.start
        near, far = at(x, 0.0), at(x, min(seam.left.wide, seam.right.wide))
        picture.line(*near, *far, {"in": "in", "out": "out"}.get(seam.verdict, "open"), 3.0)
        for end, (px, py) in enumerate((near, far)):
            step = seam.steps[end]
            words = f"{book.style.amount(abs(step), 1)}"
            up = "" if abs(step) < 5e-6 else (f" {seam.right.name}" if step > 0 else f" {seam.left.name}")
            picture.text(
                px,
                py + (20 if end == 0 else -9),
                f"{words}{up}{' up' if up else ''}",
                "ink",
                13,
                bold=True,
                align="centre",
                ground=True,
            )
        symbols.verdict(picture, (near[0] + far[0]) / 2, (near[1] + far[1]) / 2, seam.verdict)
    words = "seams: step, and which side is up; arrows point downhill"
    picture.text(14, 24, f"From above, {'as left' if left else 'as found'}", "ink", 14, bold=True)
    picture.text(14, height - 10, f"Numbers are the order of work; {words}", "muted", 13)
    return picture


def _fall(
    picture: Picture, result: PanelsResult, one: object, phase: str, at: tuple[float, float], room: float
) -> None:
    g = result.gradient(one, phase)  # type: ignore[arg-type]
    x, y = at
    picture.text(x, y - 16, one.name, "ink", 15, bold=True, align="centre")  # type: ignore[attr-defined]
    if g is None:
        return
    fall = math.hypot(*g)
    words = f"{show_number(fall * 1000, 2)} mm/m"
    picture.text(x, y + 32, words, "muted", 13, align="centre", ground=True)
    if fall * 1000 < 0.005:
        return
    reach = min(46.0, room / 4)
    dx, dy = -g[0] / fall * reach, g[1] / fall * reach
    picture.line(x - dx / 2, y + 6 - dy / 2, x + dx / 2, y + 6 + dy / 2, "ink", 2.2)
    tip, side = (x + dx / 2, y + 6 + dy / 2), (-dy / reach * 5, dx / reach * 5)
    back = (tip[0] - dx / reach * 9, tip[1] - dy / reach * 9)
    picture.poly(
        [tip, (back[0] + side[0], back[1] + side[1]), (back[0] - side[0], back[1] - side[1])], "ink", "ink"
    )


def _points(picture: Picture, result: PanelsResult, focus: int, phase: str, at: object) -> None:
    book = result.book
    order = {i: k + 1 for k, i in enumerate(result.to_move)}
    stays = set(result.keepers) if result.read else set()
    for i, p in enumerate(book.points):
        x, y = at(p.x, p.y)  # type: ignore[operator]
        picture.disc(
            x,
            y,
            11,
            "keel" if i == focus else "paper",
            "keel" if i in stays else "ink",
            2.4 if i in stays else 1.4,
        )
        if phase == FOUND and i in order:
            picture.text(x, y + 5, str(order[i]), "ink", 13, bold=True, align="centre")
        off = result.deviation_left(i) if phase == LEFT else -float(result.moves[i])
        said = (
            "stays"
            if i in stays and phase == FOUND
            else ""
            if math.isnan(off)
            else book.style.amount(off, 1, signed=True)
        )
        one = next(one for one in book.panels if one.name == p.row)
        lower, right = p.y < one.middle[1], p.x > one.middle[0]
        # Away from the seam, so that neighbours' figures don't meet.
        picture.text(
            x + (14 if right else -14),
            y + (-17 if lower else 27),
            said,
            "muted",
            13,
            align="right" if right else "left",
            ground=True,
        )
        picture.hit(x - 18, y - 18, 36, 36, f"point:{i}", p.name)


def from_the_side(
    result: PanelsResult, width: float, height: float, focus: int = -1, *, left: bool = False
) -> Picture:
    """Return the near and the far edge of every panel against the target as the keel line, and the frame's near side below."""
    book, phase = result.book, LEFT if left else FOUND
    if not book.panels:
        return _nothing(width, height)
    picture = Picture(width, height)
    picture.caption = f"A top of {len(book.panels)} panels, from the side"
    long = sum(one.long for one in book.panels)
    x0, y0, most = 70.0, height * 0.44, TALL * height
    scale = (width - 140.0) / long
    picture.line(x0 - 30, y0, width - 40, y0, "keel", 2.2)
    body = result.of(phase)
    when = "as left" if left else "as found"
    picture.text(
        14,
        24,
        f"From the side, {when}: near edge solid, far edge dashed, the keel line is the target",
        "ink",
        14,
        bold=True,
    )
    if body is None:
        picture.text(width / 2, y0 - 16, "Not read yet", "muted", 14, align="centre")
    else:
        feet = np.array(result.top.feet)
        off = np.array([result.deviation_left(i) for i in range(len(feet))]) if left else -result.moves
        known = ~np.isnan(off)
        base = (
            float(np.nanmean(body.heights[feet][known] - off[known]))
            if known.any()
            else float(body.heights[feet].mean())
        )
        h = body.heights - base
        tall = most / max(float(np.abs(h).max()), book.limits.tolerance)
        for one in book.panels:
            at = result.top.begins[one.id]
            xa, xb = x0 + one.start * scale, x0 + (one.start + one.long) * scale
            for a, b, dash in ((FL, FR, True), (NL, NR, False)):
                picture.line(
                    xa,
                    y0 - h[at + a] * tall,
                    xb,
                    y0 - h[at + b] * tall,
                    "ink",
                    1.4 if dash else 2.6,
                    dash=dash,
                )
            picture.text((xa + xb) / 2, y0 + most + 22, one.name, "ink", 14, bold=True, align="centre")
        for edge in (book.limits.tolerance, -book.limits.tolerance):
            picture.line(x0 - 30, y0 - edge * tall, width - 40, y0 - edge * tall, "muted", 1.0, dash=True)
        if 0 <= focus < len(book.points):
            p = book.points[focus]
            picture.line(x0 + p.x * scale, y0 - most, x0 + p.x * scale, y0 + most, "keel", 1.2, dash=True)
    _frame(picture, result, (x0, height - 40.0, width - 140.0))
    return picture


def _frame(picture: Picture, result: PanelsResult, place: tuple[float, float, float]) -> None:
    """The frame's two sides against the line of its highest leg, its legs below."""
    frame = result.book.frame
    if frame is None or frame.pairs < 2:
        return
    heights = frame.heights(LEFT)
    when = "packed"
    if heights is None:
        heights, when = frame.heights(FOUND), "as found"
    x0, y, long = place
    step = long / (frame.pairs - 1)
    picture.text(14, y - 28, f"Frame, {when}" if heights is not None else "Frame, not read", "muted", 13)
    tall = 0.0 if heights is None else 18.0 / max(float(np.ptp(heights)), 1e-4)
    for side, dash in ((1, True), (0, False)):
        off = np.zeros(frame.pairs) if heights is None else heights[:, side] - heights.max()
        at = [(x0 + k * step, y - float(off[k]) * tall) for k in range(frame.pairs)]
        for a, b in zip(at, at[1:], strict=False):
            picture.line(*a, *b, "wood", 3.0 if not dash else 1.6, dash=dash)
        if not dash:
            for px, py in at:
                picture.line(px, py, px, y + 34, "wood", 5.0)
