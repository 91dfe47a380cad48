"""The section of a run: staffs, set-ups, ground, and the keel line at each height of collimation."""

from __future__ import annotations

import math

from msgspec import Struct

from vivid_keel.core.booking.layout import BS, FS, KINDS
from vivid_keel.core.quantities import show_length
from vivid_keel.figures.display import Picture, Ruler
from vivid_keel.figures.labels import Box, places
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.staff_face import staff
from vivid_keel.trades.run.result import RunResult

SLOTS = 12
"""Staffs shown at once; a longer run is shown around the row in hand."""


class _Stand(Struct, frozen=True):
    """A sight placed in the picture."""

    row: int
    sight: int
    setup: int
    x: float
    height: float
    hc: float
    reading: float


def section(
    result: RunResult,
    width: float,
    height: float,
    focus: int = -1,
    label: str = "reading",
    *,
    whole: bool = False,
) -> Picture:
    """Return the section around a row.

    Parameters
    ----------
    result : RunResult
    width, height : float
        [px]
    focus : int
        Row of the book to show and light, -1 for the last.
    label : {"reading", "height", "setup"}
        What is written at the staffs.
    whole : bool
        All set-ups, whatever room they want; else those around the row.
    """
    picture = Picture(width, height)
    setups = list(range(result.layout.setups)) if whole else _window(result, focus)
    stands, centres = _place(result, setups, width)
    drawn = [stand for stand in stands if not math.isnan(stand.height)]
    if not drawn:
        _empty(picture, result)
        return picture
    low = min(s.height for s in drawn)
    high = max(max(s.hc, s.height) for s in drawn)
    top, bottom = 48.0, height - (104.0 if label == "height" else 66.0)
    span = max(high - low, 0.4)
    scale = (bottom - top) / span

    def y(h: float) -> float:
        return bottom - (h - low) * scale

    _ground(picture, drawn, y, width, height)
    for s, x in centres.items():
        members = [d for d in drawn if d.setup == s]
        if members:
            _set_up(picture, x, members, y)
    for d in drawn:
        _staff(picture, result, d, y, d.row == focus)
    taken = [box for s, x in centres.items() for box in _line_height(picture, result, s, x, drawn, y, label)]
    taken += _names(picture, result, drawn, y, height, with_height=label == "height")
    if label == "reading":
        _readings(picture, result, drawn, y, taken)
    total = result.layout.setups
    part = "" if len(setups) == total else f" · set-ups {setups[0] + 1} to {setups[-1] + 1} of {total}"
    picture.text(14, height - 12, f"Section in order of walking · heights to scale{part}", "muted", 13)
    picture.caption = f"Section of {result.book.name}: {len(drawn)} sights on {len(setups)} set-ups"
    return picture


def _window(result: RunResult, focus: int) -> list[int]:
    """The set-ups to show: the one in hand and as many beside it as fit."""
    total = result.layout.setups
    if not total:
        return []
    at = (
        result.at[focus]
        if 0 <= focus < len(result.at) and result.at[focus] >= 0
        else len(result.layout.kinds) - 1
    )
    here = int(result.layout.setup[at])
    counts = _counts(result, max(0, here - SLOTS), min(total, here + SLOTS + 1))
    chosen, used = [here], counts[here]
    low, high = here - 1, here + 1
    while True:
        if low >= 0 and low in counts and used + counts[low] <= SLOTS:
            chosen.insert(0, low)
            used += counts[low]
            low -= 1
        elif high < total and high in counts and used + counts[high] <= SLOTS:
            chosen.append(high)
            used += counts[high]
            high += 1
        else:
            return chosen


def _counts(result: RunResult, low: int, high: int) -> dict[int, int]:
    import numpy as np

    first, last = np.searchsorted(result.layout.setup, [low, high])
    values = np.bincount(result.layout.setup[first:last] - low, minlength=high - low).tolist()
    return {low + i: n for i, n in enumerate(values)}


def _place(result: RunResult, setups: list[int], width: float) -> tuple[list[_Stand], dict[int, float]]:
    """Put the staffs in order from left to right; each instrument in the gap nearest its middle."""
    import numpy as np

    if not setups:
        return [], {}
    layout, book = result.layout, result.book
    first, last = np.searchsorted(layout.setup, [setups[0], setups[-1] + 1])
    sights = list(range(int(first), int(last)))
    slots: list[tuple[int, float]] = []  # sight, slot
    slot = -1.0
    centres: dict[int, float] = {}
    members: dict[int, list[float]] = {}
    for i in sights:
        s = int(layout.setup[i])
        shared = (
            layout.kinds[i] == BS
            and i > first
            and layout.kinds[i - 1] == FS
            and layout.marks[i] == layout.marks[i - 1]
        )
        slot += 0.12 if shared else 1.0
        slots.append((i, slot))
        members.setdefault(s, []).append(slot)
    for s, where in members.items():
        middle = (where[0] + where[-1]) / 2
        gaps = [(a + b) / 2 for a, b in zip(where, where[1:], strict=False)] or [where[0] + 0.5]
        centres[s] = min(gaps, key=lambda g: abs(g - middle))
    left, right = 56.0, width - 56.0
    end = max([slots[-1][1], *centres.values()]) or 1.0
    pitch = min((right - left) / max(end, 1.0), 220.0)
    offset = (width - pitch * end) / 2 if pitch * end < right - left else left
    stands = [
        _Stand(
            book.sights[i],
            i,
            int(layout.setup[i]),
            offset + place * pitch,
            float(result.reduction.heights[i]),
            float(result.reduction.collimation_height[layout.setup[i]]),
            float(result.booked[i]),
        )
        for i, place in slots
    ]
    return stands, {s: offset + c * pitch for s, c in centres.items()}


def _ground(picture: Picture, drawn: list[_Stand], y: Ruler, width: float, height: float) -> None:
    line = [(stand.x, y(stand.height)) for stand in drawn if stand.reading >= 0]
    if not line:
        return
    line = [(0.0, line[0][1]), *line, (width, line[-1][1])]
    picture.poly([*line, (width, height), (0.0, height)], "ground", "")
    picture.poly(line, "", "ink", 1.2, closed=False)


def _set_up(picture: Picture, x: float, members: list[_Stand], y: Ruler) -> None:
    hc = members[0].hc
    line_y = y(hc)
    below = [(stand.x, y(stand.height)) for stand in members if stand.reading >= 0]
    ground = _interpolate(below, x) if below else line_y + 60
    foot = max(ground, line_y + 26)
    left, right = min(d.x for d in members), max(d.x for d in members)
    picture.line(min(left, x) - 6, line_y, max(right, x) + 6, line_y, "keel", 2.6)
    for dx in (-13, 0, 13):
        picture.line(x, line_y + 5, x + dx, foot, "ink", 1.6)
    picture.box(x - 10, line_y - 5, 20, 10, "ink", "ink")


def _line_height(
    picture: Picture, result: RunResult, s: int, x: float, drawn: list[_Stand], y: Ruler, label: str
) -> list[Box]:
    """Write the height of collimation above its staffs; return where."""
    hc = next((stand.hc for stand in drawn if stand.setup == s), None)
    if hc is None:
        return []
    text = f"HC {show_length(hc, result.book.style)}"
    if label == "setup":
        text = f"set-up {s + 1} · {text}"
    half, base = text_width(text, 13, bold=True) / 2, y(hc) - 22
    x = min(max(x, half + 2), picture.width - half - 2)
    picture.text(x, base, text, "keel", 13, bold=True, align="centre", ground=True)
    return [(x - half, base - 12, x + half, base + 3)]


def _interpolate(points: list[tuple[float, float]], x: float) -> float:
    for (x1, y1), (x2, y2) in zip(points, points[1:], strict=False):
        if x1 <= x <= x2 and x2 > x1:
            return y1 + (y2 - y1) * (x - x1) / (x2 - x1)
    return points[0][1] if x < points[0][0] else points[-1][1]


def _staff(picture: Picture, result: RunResult, stand: _Stand, y: Ruler, lit: bool) -> None:
    foot, cross = y(stand.height), y(stand.hc)
    tip = cross - 16 if stand.reading >= 0 else cross + 16
    up = min(foot, tip), max(foot, tip)
    if lit:
        picture.box(stand.x - 11, up[0] - 6, 22, up[1] - up[0] + 12, "row", "")
    staff(picture, stand.x - 3, up[0], 6, up[1] - up[0])
    sight = result.book.rows[stand.row]
    picture.hit(
        stand.x - 14,
        up[0] - 8,
        28,
        up[1] - up[0] + 16,
        f"row:{stand.row}",
        f"{sight.mark}, {KINDS[sight.kind]} {sight.text}",
    )


def _readings(picture: Picture, result: RunResult, drawn: list[_Stand], y: Ruler, taken: list[Box]) -> None:
    """What was read, beside each staff: a foresight left of it and a line lower than those read before it, lower still where that is
    taken."""
    kinds = [KINDS[result.book.rows[stand.row].kind] for stand in drawn]
    told = [show_length(stand.reading, result.book.style) for stand in drawn]
    widest = max(text_width(f"{kind} {words}", 13) for kind, words in zip(kinds, told, strict=True))
    gaps = [b.x - a.x for a, b in zip(drawn, drawn[1:], strict=False) if b.x - a.x > 20]
    if not gaps or min(gaps) >= max(76.0, widest + 12):
        told = [f"{kind} {words}" for kind, words in zip(kinds, told, strict=True)]

    def could(k: int, most: int = 5) -> list[Box]:
        stand, fore = drawn[k], kinds[k] == KINDS[FS]
        wide, cross = text_width(told[k], 13), y(stand.hc)
        sides = (stand.x + 9, stand.x - 9 - wide)
        bases = [cross - 10 - 17 * n for n in range(2)]
        if stand.reading >= 0:
            bases = [cross + 17 * n for n in ((2, 3, 4, 5, 1) if fore else (1, 2, 3, 4, 5))]
        return [
            (x, base - 12, x + wide, base + 3)
            for base in bases[:most]
            for x in (reversed(sides) if fore else sides)
        ]

    first = [could(k, 1)[0] for k in range(len(drawn))]
    stand = places(first, could, taken, (2.0, 0.0, picture.width - 2.0, picture.height))
    for words, box in zip(told, stand, strict=True):
        picture.text(box[0], box[3] - 3, words, "ink", 13, ground=True)


def _names(
    picture: Picture, result: RunResult, drawn: list[_Stand], y: Ruler, height: float, *, with_height: bool
) -> list[Box]:
    """Write names under the surface, with their heights if asked, a line lower or aside where they would run into each other; return where."""
    ground = [(stand.x, y(stand.height)) for stand in drawn if stand.reading >= 0]
    told: list[tuple[str, str]] = []
    first: list[Box] = []
    above: set[int] = set()  # overhead marks are named over their staff
    last, tall = "", 31 if with_height else 15
    for stand in drawn:
        mark = result.book.rows[stand.row].mark
        if mark == last:
            continue
        last, below = mark, with_height and stand.reading >= 0
        words = show_length(result.corrected(stand.row), result.book.style) if below else ""
        half = max(text_width(mark, 13), text_width(words, 14, bold=True)) / 2
        x = min(max(stand.x, half + 6), picture.width - half - 6)
        told.append((mark, words))
        if stand.reading < 0:
            above.add(len(first))
            base = y(stand.height) - 8
            first.append((x - half, base - 12, x + half, base + 3))
            continue
        under = [gy for gx, gy in ground if abs(gx - x) <= half]
        edge = [y(stand.height), _interpolate(ground, x - half), _interpolate(ground, x + half), *under]
        top = min(max(edge) + 4, height - 25 - tall)
        first.append((x - half, top, x + half, top + tall))

    def could(k: int) -> list[Box]:
        left, top, right, bottom = first[k]
        half = (right - left) / 2
        if k in above:
            return [(left, top - up, right, bottom - up) for up in (0, 15, 30)]
        return [
            (left + aside * half, top + down, right + aside * half, bottom + down)
            for down in (0, 15, 30, 45, -15, -30)
            for aside in (0, -0.5, 0.5)
        ]

    boxes = places(first, could, [], (4.0, 0.0, picture.width - 4.0, height - 24.0))
    for (mark, words), (left, top, right, _) in zip(told, boxes, strict=True):
        picture.text((left + right) / 2, top + 12, mark, "ink", 13, align="centre")
        if words:
            picture.text((left + right) / 2, top + 28, words, "ink", 14, bold=True, align="centre")
    return boxes


def _empty(picture: Picture, result: RunResult) -> None:
    known = result.book.known
    picture.line(60, picture.height * 0.42, picture.width - 60, picture.height * 0.42, "rule", 2.0)
    said = (
        f"Set up where the staff can be seen on {known[0].name}; its backsight draws the first line."
        if known
        else "First the benchmark: name a mark whose height you know."
    )
    picture.text(picture.width / 2, picture.height * 0.42 + 34, said, "muted", 15, align="centre")
    picture.caption = said
