"""Supports in plan with the order of work, and their proof: as found and as left against the tolerance."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stages import ORDERS
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.moving.elevation import tip
from vivid_keel.figures.words import headed


def plan(result: Moved, width: float, height: float, focus: int = -1) -> Picture:
    """Return the supports in plan with the order of work."""
    picture = Picture(width, height)
    points = result.book.points
    if not points:
        picture.text(width / 2, height / 2, "No supports yet.", "muted", 15, align="centre")
        return picture
    x, y = np.array([point.x for point in points]), np.array([point.y for point in points])
    left, right, top, bottom = (
        40 + max(text_width(r, 13) for r in result.book.rows),
        width - 60.0,
        60.0,
        height - 76.0,
    )
    scale = min(
        (right - left) / max(float(np.ptp(x)), 0.1), (bottom - top) / max(float(np.ptp(y)), 0.1), 200.0
    )
    cx, cy = (left + right) / 2, (top + bottom) / 2
    px = cx + (x - (x.min() + x.max()) / 2) * scale
    py = cy + (y - (y.min() + y.max()) / 2) * scale
    if result.feet:
        picture.poly([(float(px[i]), float(py[i])) for i in result.feet], "lit", "raise", 1.2)
    for row in result.book.rows:
        members = sorted((k for k, point in enumerate(points) if point.row == row), key=lambda k: points[k].x)
        picture.poly([(float(px[i]), float(py[i])) for i in members], "", "wood", 9.0, closed=False)
        picture.text(14, float(py[members[0]]) + 5, row, "muted", 13)
    order = {i: k + 1 for k, i in enumerate(result.to_move)}
    for one, two in zip(result.to_move, result.to_move[1:], strict=False):
        picture.line(float(px[one]), float(py[one]), float(px[two]), float(py[two]), "raise", 1.0, dash=True)
    for i, point in enumerate(points):
        a, b = float(px[i]), float(py[i])
        if i == focus:
            picture.box(a - 20, b - 20, 40, 40, "lit", "")
        picture.box(a - 11, b - 11, 22, 22, "paper" if np.isnan(result.heights[i]) else "stone", "ink", 1.4)
        if i in order:
            picture.text(a, b + 5, str(order[i]), "ink", 13, bold=True, align="centre")
            symbols.move(
                picture, a, b + 42, result.does(i), result.book.style.amount(abs(result.does(i))), size=13
            )
        elif result.verdicts[i]:
            symbols.verdict(picture, a, b, "in")
        picture.text(a, b - 18, point.name, "ink", 14, bold=True, align="centre", ground=True)
        picture.hit(a - 20, b - 30, 40, 76, f"point:{i}", tip(result, i))
    picture.text(
        14,
        height - 10,
        f"Plan · numbers are the order of work, {ORDERS[result.book.limits.order]}",
        "muted",
        13,
    )
    picture.caption = f"Plan of {len(points)} supports"
    return picture


SMALL = 2.5
"""A ring under so much is drawn as a square [px]."""


def proof(result: Moved, width: float, height: float, focus: int = -1) -> Picture:
    """Return as-found and as-left deviations against the tolerance, each with its U."""
    picture = Picture(width, height)
    book = result.book
    shown = [i for i in range(len(book.points)) if not np.isnan(result.moves[i])]
    if not shown:
        picture.text(width / 2, height / 2, "Nothing read yet.", "muted", 15, align="centre")
        return picture
    tolerance = book.limits.tolerance
    left = [result.deviation_left(i) for i in shown if not np.isnan(result.left[i])]
    U_left = 2 * float(np.nanmax(result.u_left))
    reach = max([1.6 * tolerance, *[abs(d) + U_left for d in left]])
    found = [-float(result.moves[i]) for i in shown]
    if not left:
        reach = max(reach, max(abs(d) for d in found) * 1.08)
    signs = "open ring: as found · bar: U of the as-left reading · band: tolerance"
    top = headed(picture, f"Height against the target, {book.style.small}", signs, width - 20, 52.0)
    bottom, x0, x1 = height - 66.0, 76.0, width - 24.0
    middle = (top + bottom) / 2
    scale = (bottom - top) / 2 / reach

    def y(d: float) -> float:
        return min(max(middle - d * scale, top - 8), bottom + 8)

    step = (x1 - x0) / len(shown)
    picture.box(x0, y(tolerance), x1 - x0, y(-tolerance) - y(tolerance), "lit", "")
    if focus in shown:
        picture.box(x0 + shown.index(focus) * step, top - 14, step, bottom - top + 34, "row", "")
    # A narrow band: its figures stand outside it, clear of the word between them.
    clear = max(0.0, 16.0 - (middle - y(tolerance)))
    for edge in (tolerance, -tolerance):
        picture.line(x0, y(edge), x1, y(edge), "muted", 1.0)
        picture.text(
            x0 - 8,
            y(edge) + 5 - math.copysign(clear, edge),
            f"{'+' if edge > 0 else '−'}{result.book.style.thickness(tolerance)}",
            "muted",
            13,
            align="right",
        )
    picture.line(x0, middle, x1, middle, "keel", 2.4, dash=True)
    picture.text(x0 - 8, middle + 5, "target", "keel", 13, bold=True, align="right")
    # Many stand close: as many names as have room, that of the one in hand among them, and smaller rings.
    widest = max(text_width(book.points[i].name, 13, bold=True) for i in shown)
    every = math.ceil((widest + 8) / step)
    beside = min(9.0, 0.3 * step)
    for k, i in enumerate(shown):
        x = x0 + (k + 0.5) * step
        was = -float(result.moves[i])
        off = abs(was) * scale > (bottom - top) / 2 and every == 1
        ring = min(4.5, max(1.5, 0.35 * step))
        if ring < SMALL:  # so small, a square looks the same and is painted in a tenth of the time
            picture.box(x - beside - ring, y(was) - ring, 2 * ring, 2 * ring, "paper", "muted")
        else:
            picture.disc(x - beside, y(was), ring, "paper", "muted", 1.5)
        number = result.book.style.amount(was, 1, signed=True)
        if off and text_width(number, 13) <= step:
            picture.text(
                x - beside, y(was) + (20 if was > 0 else -9), number, "muted", 13, align="centre", ground=True
            )
        if not np.isnan(result.left[i]):
            d, U = result.deviation_left(i), 2 * float(result.u_left[i])
            at = x + min(6.0, 0.2 * step)
            picture.line(at, y(d + U), at, y(d - U), "ink", 2.0 if every == 1 else 1.0)
            if every == 1:
                symbols.verdict(picture, at, y(d), result.left_verdicts[i])
            else:
                ink = result.left_verdicts[i] if result.left_verdicts[i] in {"in", "out"} else "open"
                picture.box(at - 2, y(d) - 2, 4, 4, ink, "")
        in_hand = focus in shown and abs(k - shown.index(focus)) < every
        if i == focus or (k % every == 0 and not in_hand):
            picture.text(x, height - 30, book.points[i].name, "ink", 13, bold=True, align="centre")
        verdict = VERDICT_WORDS.get(result.left_verdicts[i], "not read again")
        picture.hit(x - step / 2, top, step, bottom - top, f"point:{i}", f"{book.points[i].name}: {verdict}")
    picture.caption = "Proof: as-left deviations against the tolerance"
    return picture
