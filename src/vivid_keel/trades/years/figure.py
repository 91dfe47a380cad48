"""Marks over the years: every mark's way against where it was first read, with U; and what went up or down where, in plan."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.quantities import is_missing, show_amount
from vivid_keel.core.record.visits import HORIZON
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.trades.years.result import ANOTHER, DAYS, MOVED, MarkOver, YearsResult

if TYPE_CHECKING:
    import numpy.typing as npt

To = Callable[[float], float]
"""From years or metres to pixels."""
LINE = 17.0
"""From one name to the next at the right edge [px]."""


def over_years(result: YearsResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return every mark's change since it was first read, over time; the mark in hand with its U, its rate and where that leads.

    Parameters
    ----------
    result : YearsResult
    width, height : float
        [px]
    focus : int
        Mark (index into the result's) to light, -1 for none.
    """
    picture = Picture(width, height)
    marks = [one for one in result.marks if abs(one.since_first[0]) <= ANOTHER]
    if not marks:
        said = "Two occasions with a mark in common, and its way stands here."
        picture.text(width / 2, height / 2, said, "muted", 15, align="centre")
        picture.caption = said
        return picture
    lit = result.marks[focus] if 0 <= focus < len(result.marks) else None
    allowed = result.book.facts.values["allowed"]
    times, style = result.times, result.book.style
    ahead = _ahead(lit, times[-1])
    reach = max(
        *(float(np.abs(_way(one)).max()) for one in marks), max(one.since_first[1] for one in marks), 1e-4
    )
    if not is_missing(allowed):
        reach = max(reach, min(1.15 * allowed, 3 * reach))
    reach *= 1.12
    x0, top, base = 76.0, 40.0, height - 40.0
    names_wide = min(max(text_width(one.name, 13) for one in marks) + 64, 0.32 * width)
    x1 = width - names_wide - 14
    whole = max(times[-1] + ahead, 1e-3)

    def x(t: float) -> float:
        return x0 + 16 + (x1 - x0 - 16) * t / whole

    def y(v: float) -> float:
        return (top + base) / 2 - min(max(v / reach, -1.0), 1.0) * (base - top) / 2

    if not is_missing(allowed):
        picture.box(x0, y(allowed), x1 - x0, y(-allowed) - y(allowed), "glass", "")
    _scale(picture, result, reach, (x0, x1), y)
    free = x1 + 40
    for k in range(len(result.occasions) - 1, -1, -1):
        at, name = x(times[k]), result.occasions[k].name
        half = text_width(name, 13) / 2
        picture.line(at, top, at, base, "rule", 1.0)
        if at + half < free:  # the last and the first before those between
            picture.text(max(at, half + 14), base + 18, name, "ink", 13, align="centre")
            free = at - half - 10
    if ahead > 0 and x(whole) - x(times[-1]) > 90:
        day = date.fromordinal(result.occasions[-1].when.toordinal() + round(ahead * DAYS))
        picture.text(x(whole), base + 18, f"{day:%Y}", "muted", 13, align="right")
    for one in marks:
        if one is not lit:
            _mark(picture, one, times, x, y)
    if lit is not None and lit in marks:
        _lit(picture, lit, times, ahead, x, y)
    _names(picture, result, marks, lit, x(times[-1]), x1, y)
    picture.text(14, 24, f"Since first read, {style.small}", "ink", 14, bold=True)
    said = "▵ benchmark" + (
        "" if is_missing(allowed) else f" · shaded: allowed ± {show_amount(allowed, style, 0)}"
    )
    picture.text(x1, 24, said, "muted", 13, align="right")
    picture.caption = f"{len(marks)} marks on {len(result.occasions)} occasions"
    return picture


def _way(one: MarkOver) -> npt.NDArray[np.float64]:
    return np.asarray(one.series.heights - one.series.heights[0])


def _ahead(lit: MarkOver | None, span: float) -> float:
    """How far ahead is drawn [years]: to where the mark in hand may be out, within reason."""
    if lit is None or lit.benchmark or is_missing(lit.drift.rate):
        return 0.0
    far = lit.drift.latest if math.isfinite(lit.drift.latest) else lit.drift.earliest
    return min(far * 1.1, HORIZON, 3 * span) if math.isfinite(far) and far > 0 else 0.25 * span


def _scale(picture: Picture, result: YearsResult, reach: float, across: tuple[float, float], y: To) -> None:
    x0, x1 = across
    style = result.book.style
    unit = 0.0254 if style.small == "in" else 0.001
    step = 10.0 ** math.floor(math.log10(reach / unit))
    step = next(s for s in (step / 5, step / 2, step, 2 * step) if reach / unit / s <= 4.2) * unit
    for k in range(-int(reach / step), int(reach / step) + 1):
        picture.line(x0, y(k * step), x1, y(k * step), "keel" if k == 0 else "rule", 1.6 if k == 0 else 0.8)
        decimals = max(0, -math.floor(math.log10(step / unit) + 1e-9))
        text = "0" if k == 0 else f"{k * step / unit:+.{decimals}f}".replace("-", "−")
        picture.text(x0 - 8, y(k * step) + 5, text, "muted", 13, align="right")


def _ink(one: MarkOver) -> str:
    if one.verdict != MOVED:
        return "muted"
    return "raise" if one.since_first[0] > 0 else "lower"


def _mark(picture: Picture, one: MarkOver, times: list[float], x: To, y: To) -> None:
    points = [(x(times[int(k)]), y(float(v))) for k, v in zip(one.series.occasions, _way(one), strict=True)]
    ink = _ink(one)
    picture.poly(points, "", ink, 2.0 if ink != "muted" else 1.1, closed=False)
    for a, b in points[1:]:
        if one.benchmark:
            picture.poly([(a - 5, b + 4), (a + 5, b + 4), (a, b - 5)], "keel", "ink", 1.0)
        else:
            picture.disc(a, b, 3.4, "paper" if ink == "muted" else ink, ink, 1.0)


def _lit(picture: Picture, one: MarkOver, times: list[float], ahead: float, x: To, y: To) -> None:
    """The mark in hand: its readings with U, the line through them, and where that leads."""
    series, way = one.series, _way(one)
    rate, U_rate = one.drift.rate, one.drift.U_rate
    if not is_missing(rate):
        at = np.array([times[int(k)] for k in series.occasions])
        t0, v0 = float(at[-1]), float(way[-1])
        far = t0 + ahead
        if ahead > 0:
            fan = [
                (x(t0), y(v0)),
                (x(far), y(v0 + (rate + U_rate) * ahead)),
                (x(far), y(v0 + (rate - U_rate) * ahead)),
            ]
            picture.poly(fan, "lit", "")
            picture.line(x(t0), y(v0), x(far), y(v0 + rate * ahead), _ink(one), 1.8, dash=True)
    points = []
    for place, k in enumerate(series.occasions.tolist()):
        a, b = x(times[k]), y(float(way[place]))
        points.append((a, b))
        if place:
            _, u = series.change(0, place)
            low, high = y(float(way[place]) - 2 * u), y(float(way[place]) + 2 * u)
            picture.line(a, low, a, high, "ink", 1.8)
            for end in (low, high):
                picture.line(a - 6, end, a + 6, end, "ink", 1.8)
    picture.poly(points, "", "ink", 2.6, closed=False)
    for a, b in points:
        picture.disc(a, b, 5.0, "keel" if one.benchmark else "paper", "ink", 1.6)


def _names(
    picture: Picture,
    result: YearsResult,
    marks: list[MarkOver],
    lit: MarkOver | None,
    last: float,
    x1: float,
    y: To,
) -> None:
    """Names at the right edge, one under the other, each led to its mark; those that moved, and as many others as there is room for."""
    style = result.book.style
    room = int((picture.height - 80) / LINE)
    chosen = sorted(marks, key=lambda one: (one is not lit, one.verdict != MOVED, not one.benchmark))[:room]
    chosen.sort(key=lambda one: -one.since_first[0])
    places: list[float] = []
    for one in chosen:
        wanted = y(one.since_first[0]) + 5
        places.append(max(wanted, places[-1] + LINE) if places else max(wanted, 52.0))
    over = places[-1] - (picture.height - 44) if places else 0.0
    for k in range(len(places) - 1, -1, -1):  # what ran out below is pushed up again
        limit = picture.height - 44 if k == len(places) - 1 else places[k + 1] - LINE
        places[k] = min(places[k], limit) if over > 0 else places[k]
    for one, at in zip(chosen, places, strict=True):
        k = int(one.series.occasions[-1])
        end = last if k == len(result.occasions) - 1 else None
        ink = "ink" if one is lit else _ink(one)
        if end is not None and x1 - end < 60:
            picture.line(end + 7, y(one.since_first[0]), x1 + 6, at - 5, "rule", 1.0)
        said = style.amount(one.since_first[0], signed=True)
        picture.text(x1 + 10, at, said, ink, 13, bold=one is lit or one.verdict == MOVED)
        picture.text(x1 + 62, at, one.name, ink, 13, bold=one is lit)
        i = result.marks.index(one)
        tip = f"{one.name}: {said} ± {show_amount(one.since_first[1], style)}"
        picture.hit(x1 + 4, at - 14, picture.width - x1 - 8, LINE, f"mark:{i}", tip)


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
    for i, one, place in there:
        a = (left + right) / 2 + float(place[0] - low[0] - size[0] / 2) * scale
        b = (top + bottom) / 2 - float(place[1] - low[1] - size[1] / 2) * scale
        change, U = one.since_first
        r = 5 + 22 * math.sqrt(abs(change) / most)
        if i == focus:
            picture.box(a - 34, b - 34, 68, 68, "lit", "")
        if one.benchmark:
            picture.poly([(a - 10, b + 8), (a + 10, b + 8), (a, b - 10)], "keel", "ink", 1.4)
        elif one.verdict == MOVED:
            picture.disc(a, b, r, "raise" if change > 0 else "lower", "ink", 1.2)
        else:
            picture.disc(a, b, r, "", "muted", 1.2)
        picture.text(a, b - max(r, 12) - 6, one.name, "ink", 13, bold=True, align="centre", ground=True)
        said = f"{style.amount(change, signed=True)} ± {style.amount(U)}"
        picture.text(a, b + max(r, 12) + 16, said, _ink(one), 13, align="centre", ground=True)
        picture.hit(a - 30, b - 40, 60, 80, f"mark:{i}", f"{one.name}: {said} {style.small}")
    first, last = result.occasions[0].name, result.occasions[-1].name
    picture.text(
        14,
        24,
        f"Up and down from {first} to {last}, {style.small}; ▵ carries the datum",
        "ink",
        14,
        bold=True,
    )
    symbols.raise_wedge(picture, 20, height - 16)
    picture.text(36, height - 12, "filled: moved for certain; hollow: less than its U", "muted", 13)
    picture.caption = f"{len(there)} marks in plan"
    return picture
