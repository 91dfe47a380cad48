"""Marks over the years: every mark's way since it was first read; and what went up or down where, in plan."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.figures.display import Picture
from vivid_keel.figures.labels import Box, places
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.over_time import Course, Scale, over_time
from vivid_keel.trades.years.result import ANOTHER, MOVED, YearsResult


def over_years(result: YearsResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return every mark's change since it was first read, over time; the mark in hand (its place among the result's) with its U, its rate and
    where that leads."""
    style = result.book.style
    shown = [i for i, one in enumerate(result.marks) if abs(one.since_first[0]) <= ANOTHER]
    occasions = [(time, one.when, one.name) for time, one in zip(result.times, result.occasions, strict=True)]
    return over_time(
        [_course(result, i) for i in shown],
        occasions,
        Scale(style.small, 0.0254 if style.small == "in" else 0.001, lambda v: style.amount(v, signed=True)),
        result.book.facts.values["allowed"],
        width,
        height,
        shown.index(focus) if focus in shown else -1,
    )


def _course(result: YearsResult, i: int) -> Course:
    one = result.marks[i]
    series, d = one.series, one.drift
    until = d.latest if math.isfinite(d.latest) else d.earliest
    return Course(
        one.name,
        [result.times[k] for k in series.occasions.tolist()],
        (series.heights - series.heights[0]).tolist(),
        [2 * series.change(0, k)[1] for k in range(len(series.occasions))],
        one.verdict == MOVED,
        one.benchmark,
        d.rate,
        d.U_rate,
        until if math.isfinite(until) else 0.0,
        f"mark:{i}",
    )


def in_plan(result: YearsResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return what every mark that has a place did since it was first read: a disc as large as its change."""
    picture = Picture(width, height)
    there = [
        (i, one, result.book.places[one.name])
        for i, one in enumerate(result.marks)
        if one.name in result.book.places and abs(one.since_first[0]) <= ANOTHER
    ]
    if len(there) < 2:
        said = "Marks have no place in plan yet: type along and across under Heights of their run."
        picture.text(width / 2, height / 2, said, "muted", 15, align="centre")
        picture.caption = said
        return picture
    style = result.book.style
    at = np.array([place for _, _, place in there])
    low, size = at.min(axis=0), np.maximum(np.ptp(at, axis=0), 0.1)
    left, right, top, bottom = 70.0, width - 120.0, 64.0, height - 56.0
    scale = min((right - left) / size[0], (bottom - top) / size[1])
    most = max(max(abs(one.since_first[0]) for _, one, _ in there), 1e-6)
    spots: list[tuple[float, float, float]] = []
    for _, one, place in there:
        x = (left + right) / 2 + float(place[0] - low[0] - size[0] / 2) * scale
        y = (top + bottom) / 2 - float(place[1] - low[1] - size[1] / 2) * scale
        spots.append((x, y, 9.0 if one.benchmark else 4 + 13 * math.sqrt(abs(one.since_first[0]) / most)))
    told = [
        f"{style.amount(one.since_first[0], signed=True)} ± {style.amount(one.since_first[1])}"
        for _, one, _ in there
    ]
    sides = [
        _beside(x, y, r, max(text_width(one.name, 13, bold=True), text_width(words, 13)))
        for (_, one, _), (x, y, r), words in zip(there, spots, told, strict=True)
    ]
    discs = [(x - r, y - r, x + r, y + r) for x, y, r in spots]
    could = [[box for _, _, box in each] for each in sides]
    page = (4.0, 32.0, width - 4.0, height - 26.0)
    stand = places([each[0] for each in could], could.__getitem__, discs, page)
    for k, ((i, one, _), (a, b, r), said) in enumerate(zip(there, spots, told, strict=True)):
        change = one.since_first[0]
        if i == focus:
            picture.box(a - r - 5, b - r - 5, 2 * r + 10, 2 * r + 10, "lit", "")
        if one.benchmark:
            picture.poly([(a - 10, b + 8), (a + 10, b + 8), (a, b - 10)], "keel", "ink", 1.4)
        elif one.verdict == MOVED:
            picture.disc(a, b, r, "raise" if change > 0 else "lower", "ink", 1.2)
        else:
            picture.disc(a, b, r, "", "muted", 1.2)
        spot, align = next((at, align) for at, align, box in sides[k] if box == stand[k])
        picture.text(spot[0], spot[1], one.name, "ink", 13, bold=True, align=align, ground=True)
        ink = "muted" if one.verdict != MOVED else "raise" if change > 0 else "lower"
        picture.text(spot[0], spot[1] + 15, said, ink, 13, align=align, ground=True)
        picture.hit(
            a - r - 4, b - r - 4, 2 * r + 8, 2 * r + 8, f"mark:{i}", f"{one.name}: {said} {style.small}"
        )
    first, last = result.occasions[0].name, result.occasions[-1].name
    picture.text(
        14,
        24,
        f"Up and down from {first} to {last}, {style.small}; ▵ carries the datum",
        "ink",
        14,
        bold=True,
    )
    picture.disc(22, height - 17, 6, "raise", "ink", 1.2)
    picture.disc(66, height - 17, 6, "lower", "ink", 1.2)
    picture.text(34, height - 12, "up", "muted", 13)
    picture.text(78, height - 12, "down, for certain; hollow: less than its U", "muted", 13)
    picture.caption = f"{len(there)} marks in plan"
    return picture


def _beside(x: float, y: float, r: float, wide: float) -> list[tuple[tuple[float, float], str, Box]]:
    """Where a name and the line under it may stand about a mark: the base of the name, on which side they are aligned, and what they cover."""
    sides = (
        ((x + r + 6, y - 1), "left", x + r + 6),
        ((x - r - 6, y - 1), "right", x - r - 6 - wide),
        ((x, y - r - 21), "centre", x - wide / 2),
        ((x, y + r + 15), "centre", x - wide / 2),
        ((x + r, y - r - 21), "left", x + r),
        ((x + r, y + r + 15), "left", x + r),
        ((x - r, y - r - 21), "right", x - r - wide),
        ((x - r, y + r + 15), "right", x - r - wide),
        ((x, y - r - 54), "centre", x - wide / 2),
        ((x, y + r + 48), "centre", x - wide / 2),
    )
    return [
        ((at, base), align, (left, base - 12, left + wide, base + 19)) for (at, base), align, left in sides
    ]
