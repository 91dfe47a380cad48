"""A piece of ground on paper to scale, its spots told by letters, with an index of them: the plan, and the stakes for the pocket."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.quantities.letters import letters
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import smaller, wrapped
from vivid_keel.figures.report import BOTTOM, LEFT, RIGHT, TOP, Heading, Pages
from vivid_keel.trades.ground.figure import At, contoured, figures_of_contours, outlined
from vivid_keel.trades.ground.result import GroundResult

POINT = 72.0 / 0.0254
"""Points of paper to a metre of it."""
SCALES = (10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 2500, 5000, 10_000, 20_000)
ROOM = (RIGHT - LEFT - 40.0, BOTTOM - TOP - 130.0)
"""What the ground itself may take of a page [points]."""
GRID = (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)
APART = 56.0
"""Lines of the grid stand no nearer to one another [points]."""
MOST_LINES = 400
"""No grid has more of them."""


def scale_for(wide: float, tall: float) -> int:
    """Return the largest usual scale, 1 to so many, at which a piece of ground, wide by tall [m], stands on a page."""
    for scale in SCALES:
        if wide * POINT / scale <= ROOM[0] and tall * POINT / scale <= ROOM[1]:
            return scale
    return int(10 ** math.ceil(math.log10(max(wide * POINT / ROOM[0], tall * POINT / ROOM[1]))))


def plan_pages(result: GroundResult, heading: Heading) -> list[Picture]:
    """Return the plan to scale, and the index of its spots."""
    book = result.book
    pages = Pages(heading)
    xy = np.concatenate([book.xy, book.cloud[:, :2]])
    if not len(xy):
        pages.line("No points yet: there is no plan.")
        return pages.done()
    low, wide = xy.min(axis=0), np.ptp(xy, axis=0)
    scale = scale_for(float(wide[0]), float(wide[1]))
    metre = POINT / scale
    # In the middle of its room, along to the right and across up.
    x0 = (LEFT + RIGHT - wide[0] * metre) / 2 - low[0] * metre
    y0 = TOP + 30 + (ROOM[1] + wide[1] * metre) / 2 + low[1] * metre
    at = At(float(x0), float(y0), metre)
    page = pages.page
    _grid(page, at, low, low + wide)
    contoured(page, result, at)
    figures_of_contours(page, result, at, 7)
    outlined(page, result, at)
    _spots(page, result, at)
    _strip(page, result, heading, scale)
    pages.next_page()
    _index(pages, result)
    return pages.done()


def stake_pages(result: GroundResult, heading: Heading) -> list[Picture]:
    """Return the stakes alone, for the pocket: what is to be done at each, in the order of walking round, then what lies inside."""
    book = result.book
    pages = Pages(heading)
    pages.title("Stakes", 14)
    if result.plane is not None:
        what = "The water" if book.water else "The plane at the first corner of the plan"
        pages.line(f"{what} stands at {show_length(book.facts.values['plane'], book.style)}.")
    order = [*result.book.edge, *(k for k, p in enumerate(book.points) if not p.edge)]
    _spots_table(pages, result, order)
    return pages.done()


def _grid(page: Picture, at: At, low: np.ndarray, high: np.ndarray) -> None:
    """Lines every so many metres, with their figures at the edge."""
    step = next((m for m in GRID if m * at.scale >= APART), GRID[-1])
    left, right = at(float(low[0]), 0)[0] - 14, at(float(high[0]), 0)[0] + 14
    top, bottom = at(0, float(high[1]))[1] - 14, at(0, float(low[1]))[1] + 14
    if max(high - low) / step > MOST_LINES:
        return  # a point lies where no yard reaches, and the paper would be black
    for m in range(math.ceil(low[0] / step), math.floor(high[0] / step) + 1):
        x = at(m * step, 0)[0]
        page.line(x, top, x, bottom, "rule", 0.4)
        page.text(x, bottom + 9, f"{m * step}", "muted", 7, align="centre")
    for m in range(math.ceil(low[1] / step), math.floor(high[1] / step) + 1):
        y = at(0, m * step)[1]
        page.line(left, y, right, y, "rule", 0.4)
        page.text(left - 3, y + 2.5, f"{m * step}", "muted", 7, align="right")


def _spots(page: Picture, result: GroundResult, at: At) -> None:
    """Every named point with its letter, and its height or how far it lies below the plane."""
    book = result.book
    for k, p in enumerate(book.points):
        x, y = at(p.x, p.y)
        page.disc(x, y, 1.8, "paper" if is_missing(float(book.heights[k])) else "ink", "ink", 0.8)
        below, height = float(result.below[k]), float(book.heights[k])
        said = "" if is_missing(height) else show_length(height, book.style)
        said = said if is_missing(below) else book.style.amount(below, 0, signed=not book.water)
        page.text(x + 4, y - 3, letters(k), "ink", 9, bold=True, ground=True)
        page.text(x + 4, y + 7, said, "muted", 7, ground=True)


def _strip(page: Picture, result: GroundResult, heading: Heading, scale: int) -> None:
    """The title strip at the foot: what it is, its scale and a bar of it, what its figures mean."""
    book = result.book
    top, tall = BOTTOM - 58, 66.0
    page.box(LEFT, top, RIGHT - LEFT, tall, "paper", "ink", 0.8)
    middle = LEFT + 300
    page.line(middle, top, middle, top + tall, "ink", 0.6)
    page.text(
        LEFT + 8, top + 18, heading.work, "ink", smaller(heading.work, middle - LEFT - 16, 13, 6.0), bold=True
    )
    page.text(LEFT + 8, top + 32, heading.job, "muted", smaller(heading.job, middle - LEFT - 16, 9, 5.0))
    drawn = f"drawn {heading.written} by {heading.person}"
    page.text(LEFT + 8, top + 45, drawn, "muted", smaller(drawn, middle - LEFT - 16, 8, 5.0))
    plane = book.facts.values["plane"]
    words = (
        "Figures: heights"
        if result.plane is None
        else (
            f"Figures: {'depth under water' if book.water else 'below the plane'} at {show_length(plane, book.style)}, {book.style.small}"
        )
    )
    words += f" · contours every {show_amount(book.facts.values['lines'], book.style, 0)}"
    for k, line in enumerate(wrapped(words, middle - LEFT - 16, 7.5)[:2]):
        page.text(LEFT + 8, top + 55 + 8 * k, line, "ink", 7.5)
    page.text(middle + 10, top + 20, f"1 : {scale}", "ink", 16, bold=True)
    page.text(middle + 90, top + 14, "on A4, printed at full size", "muted", 7.5)
    metre = POINT / scale
    length = next((m for m in reversed(GRID) if m * metre <= 190), GRID[0])
    x, y = middle + 10, top + 44
    for k in range(4):
        page.box(
            x + k * length * metre / 4, y, length * metre / 4, 5, "ink" if k % 2 == 0 else "paper", "ink", 0.6
        )
    page.text(x, y + 15, "0", "muted", 7.5)
    page.text(x + length * metre, y + 15, f"{length} m", "muted", 7.5, align="centre")


def _index(pages: Pages, result: GroundResult) -> None:
    """What each letter stands for: to write figures on a drawing that exists, or to carry from stake to stake."""
    book = result.book
    pages.title("Index", 14)
    pages.line(
        "Each letter of the plan: where it lies, how high, and what is to be done there; ☐ when it is done.",
        ink="muted",
    )
    _spots_table(pages, result, range(len(book.points)))


def _spots_table(pages: Pages, result: GroundResult, order: Iterable[int]) -> None:
    """A line for each spot: its letter, where it lies, how high, and what is to be done there."""
    book, style = result.book, result.book.style
    rows = []
    boards = {side.begin: side.first for side in result.sides}
    for k in order:
        p = book.points[k]
        height, below = float(book.heights[k]), float(result.below[k])
        board = boards.get(k, 0.0)
        do = ""
        if book.water and board > 0:
            do = f"board {style.amount(board, 0)}"
        elif not is_missing(below) and not book.water and abs(below) >= 0.0005:
            do = f"{'fill' if below > 0 else 'cut'} {style.amount(abs(below), 0)}"
        rows.append(
            [
                letters(k),
                p.name,
                style.place(p.x),
                style.place(p.y),
                "" if is_missing(height) else show_length(height, style),
                "" if is_missing(below) else style.amount(below, 0, signed=True),
                do,
                "☐",
            ]
        )
    far, small = style.far, style.small
    pages.table(
        [
            ("", 30, False),
            ("Point", 130, False),
            (f"Along, {far}", 60, True),
            (f"Across, {far}", 60, True),
            ("Height", 60, True),
            (f"Below, {small}", 60, True),
            (f"Do, {small}", 70, False),
            ("", 20, False),
        ],
        rows,
    )
