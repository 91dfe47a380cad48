"""A network: marks at their heights, legs between them, the doubtful one marked."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.labels import Box, places
from vivid_keel.figures.measure import fitted, text_width
from vivid_keel.trades.network.result import Leg, NetworkResult

MOST = 28
"""Junctions shown at once; a larger network is shown around the leg in hand, else around the worst."""


def network(result: NetworkResult | None, width: float, height: float, focus: int = -1) -> Picture:
    """Return the picture of a network.

    Up is up: every mark stands at its height. Across, marks that are joined stand near each other.

    Parameters
    ----------
    result : NetworkResult or None
        None while it is being worked out.
    width, height : float
        [px]
    focus : int
        Mark (index into the network) to light, -1 for none.
    """
    picture = Picture(width, height)
    if result is None or result.net is None:
        said = (
            "Being worked out …"
            if result is None
            else result.refused or "Book level runs that meet; they are joined here."
        )
        picture.line(60, height * 0.42, width - 60, height * 0.42, "rule", 2.0)
        lines, size = fitted(said, width - 60, 15, 2, 11)
        for k, line in enumerate(lines):
            picture.text(width / 2, height * 0.42 + 34 + 1.3 * size * k, line, "muted", size, align="centre")
        picture.caption = said
        return picture
    net, book = result.net, result.book
    at = {name: i for i, name in enumerate(net.names)}
    legs = _shown(result, focus)
    marks = sorted({at[n] for leg in legs for n in (leg.start, leg.to)})
    across = _across(marks, [(at[leg.start], at[leg.to]) for leg in legs])
    low, high = (float(f(net.heights[marks])) for f in (np.min, np.max))
    left, right, top, bottom = 84.0, width - 84.0, 48.0, height - 66.0
    tall = max(high - low, 1e-6)
    xy = {
        m: (left + across[m] * (right - left), bottom - (float(net.heights[m]) - low) / tall * (bottom - top))
        for m in marks
    }
    worst = result.worst_leg
    seen: dict[tuple[int, int], int] = {}
    middles: dict[Leg, tuple[float, float]] = {}
    for leg in legs:
        a, b = at[leg.start], at[leg.to]
        again = seen.get((min(a, b), max(a, b)), 0)
        seen[(min(a, b), max(a, b))] = again + 1
        middle = _leg(picture, leg, xy[a], xy[b], again, doubtful=result.suspicious and leg is worst)
        n = leg.setups
        tip = f"{leg.start} to {leg.to}: {n} set-up{'s' if n > 1 else ''} of {book.runs[leg.run]}"
        picture.hit(middle[0] - 24, middle[1] - 20, 48, 24, f"leg:{result.legs.index(leg)}", tip)
        middles[leg] = middle
    named = [m for m in marks if net.names[m] not in book.stands]
    suspects = [leg for leg in legs if result.suspicious and leg is worst]
    could = [_about(result, m, xy[m]) for m in named]
    could += [_upon(result, leg, middles[leg], doubtful=True) for leg in suspects]
    taken = [(x - 8, y - 8, x + 8, y + 8) for x, y in xy.values()]
    page = (6.0, 4.0, width - 6.0, height - 22.0)
    stand = places([each[0] for each in could], could.__getitem__, taken, page)
    for m in marks:
        _mark(picture, result, m, xy[m], lit=m == focus)
    for m, box in zip(named, stand[: len(named)], strict=True):
        _name(picture, result, m, box)
    for leg, box in zip(suspects, stand[len(named) :], strict=True):
        _correction(picture, result, leg, box, doubtful=True)
    taken += stand
    for leg in sorted(legs, key=lambda one: -(one.standardised if not is_missing(one.standardised) else -1)):
        if leg.redundancy < 1e-9 or leg in suspects:
            continue
        free = (b for b in _upon(result, leg, middles[leg]) if not any(_touch(b, other) for other in taken))
        if (clear := next(free, None)) is not None:  # else the sheet has it
            _correction(picture, result, leg, clear)
            taken.append(clear)
    total = len(result.legs)
    part = f" · {len(legs)} of {total} lines, around the one in hand" if len(legs) < total else ""
    picture.text(
        14,
        height - 12,
        f"{len(result.marks)} marks at their heights, instruments where they stood, lines between{part}",
        "muted",
        13,
    )
    picture.caption = f"Network {book.name}: {len(result.marks)} marks, {total} lines"
    return picture


def _shown(result: NetworkResult, focus: int) -> list[Leg]:
    """All legs, or those nearest to the mark in hand or the worst leg."""
    legs = result.legs
    if len(legs) <= MOST:
        return legs
    assert result.net is not None
    worst = result.worst_leg or legs[0]
    reached = {result.net.names[focus]} if focus >= 0 else {worst.start, worst.to}
    chosen: list[Leg] = []
    while len(chosen) < MOST:
        near = [leg for leg in legs if leg not in chosen and (leg.start in reached or leg.to in reached)]
        if not near:
            break
        chosen += near[: MOST - len(chosen)]
        reached |= {n for leg in near for n in (leg.start, leg.to)}
    return chosen or legs[:MOST]


def _across(marks: list[int], edges: list[tuple[int, int]]) -> dict[int, float]:
    """Places across, 0 to 1: an order by the graph's own second mode, evenly spaced."""
    n = len(marks)
    if n < 3:
        return {m: (k + 0.5) / n for k, m in enumerate(marks)}
    index = {m: k for k, m in enumerate(marks)}
    pull = np.zeros((n, n))
    for a, b in edges:
        if a != b:
            i, j = index[a], index[b]
            pull[i, j] -= 1
            pull[j, i] -= 1
            pull[i, i] += 1
            pull[j, j] += 1
    pull += np.diag(np.linspace(0, 1e-6, n))  # equal modes are told apart the same way every time
    _, modes = np.linalg.eigh(pull)
    mode = modes[:, 1] * (1.0 if modes[0, 1] <= 0 else -1.0)
    order = np.argsort(mode, kind="stable")
    place = np.empty(n)
    place[order] = np.linspace(0, 1, n)
    return {m: float(place[index[m]]) for m in marks}


def _leg(
    picture: Picture, leg: Leg, a: tuple[float, float], b: tuple[float, float], again: int, *, doubtful: bool
) -> tuple[float, float]:
    """Draw a leg, bowed where others join the same marks; return its middle."""
    (x1, y1), (x2, y2) = a, b
    away = math.hypot(x2 - x1, y2 - y1) or 1.0
    bow = 26.0 * ((again + 1) // 2) * (1 if again % 2 else -1) if again else 0.0
    mx, my = (x1 + x2) / 2 - (y2 - y1) / away * bow, (y1 + y2) / 2 + (x2 - x1) / away * bow
    ink, wide = ("wrong", 3.4) if doubtful else ("ink", 1.5)
    dash = leg.redundancy < 1e-9
    picture.line(x1, y1, mx, my, ink, wide, dash=dash)
    picture.line(mx, my, x2, y2, ink, wide, dash=dash)
    return mx, my


def _touch(one: Box, other: Box) -> bool:
    """Whether two boxes lie over one another."""
    return min(one[2], other[2]) > max(one[0], other[0]) and min(one[3], other[3]) > max(one[1], other[1])


def _upon(result: NetworkResult, leg: Leg, at: tuple[float, float], *, doubtful: bool = False) -> list[Box]:
    """Where the correction of a leg may stand about its middle."""
    (x, y), words = at, show_move(leg.correction, result.book.style)
    wide = text_width(words, 13, bold=doubtful) + (24 if doubtful else 4)
    ways = ((0, -8), (0, -22), (0, 8), (-wide / 2 - 6, -8), (wide / 2 + 6, -8))
    return [(x + dx - wide / 2, y + dy, x + dx + wide / 2, y + dy + 16) for dx, dy in ways]


def _correction(
    picture: Picture, result: NetworkResult, leg: Leg, box: Box, *, doubtful: bool = False
) -> None:
    words, x = show_move(leg.correction, result.book.style), (box[0] + box[2]) / 2
    if doubtful:
        symbols.verdict(picture, box[0] + 8, box[1] + 8, "out", 18)
        x += 10
    ink = "wrong" if doubtful else "muted"
    picture.text(x, box[1] + 13, words, ink, 13, bold=doubtful, align="centre", ground=True)


def _mark(picture: Picture, result: NetworkResult, m: int, at: tuple[float, float], *, lit: bool) -> None:
    net = result.net
    assert net is not None
    x, y = at
    known = net.names[m] in result.book.known
    if lit:
        picture.box(x - 12, y - 12, 24, 24, "row", "")
    if net.names[m] in result.book.stands:
        picture.box(x - 7, y - 4, 14, 8, "ink", "ink")
        for dx in (-6, 0, 6):
            picture.line(x, y + 4, x + dx, y + 15, "ink", 1.2)
        picture.hit(x - 12, y - 10, 24, 26, f"row:{m}", net.names[m])
        return
    if known:
        picture.poly([(x - 8, y - 7), (x + 8, y - 7), (x, y + 7)], "keel", "ink", 1.2)
    else:
        picture.disc(x, y, 4.6, "ink", "ink")
    picture.hit(x - 14, y - 14, 28, 28, f"row:{m}", net.names[m])


def _words(result: NetworkResult, m: int) -> tuple[str, str]:
    """A mark's name, and its height with its U."""
    net, style = result.net, result.book.style
    assert net is not None
    u = "" if net.u[m] == 0 else f" ± {show_amount(2 * float(net.u[m]), style, up=True)}"
    return net.names[m].split(" (")[0], f"{show_length(float(net.heights[m]), style)}{u}"


def _about(result: NetworkResult, m: int, at: tuple[float, float]) -> list[Box]:
    """Where a mark's name and height may stand about it: near it first."""
    (x, y), (name, height) = at, _words(result, m)
    half = max(text_width(name, 13), text_width(height, 13, bold=True)) / 2
    side = half + 12
    spots = [
        *((x, y + 9), (x, y - 42), (x + side, y - 16), (x - side, y - 16)),
        *((x + side * 0.7 * right, y + down) for down in (10, -44) for right in (1, -1)),
        (x, y + 42),
        *((x + side * right, y + down) for down in (-78, 26, 58) for right in (0, 1, -1)),
    ]
    return [(a - half, b, a + half, b + 32) for a, b in spots]


def _name(picture: Picture, result: NetworkResult, m: int, box: Box) -> None:
    name, height = _words(result, m)
    x = (box[0] + box[2]) / 2
    picture.text(x, box[1] + 13, name, "ink", 13, align="centre", ground=True)
    picture.text(x, box[1] + 29, height, "ink", 13, bold=True, align="centre", ground=True)
