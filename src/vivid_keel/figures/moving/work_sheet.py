"""The sheet for the hand: who is moved, in which order, with what, until the scale shows what. A stage a page."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection

import numpy as np

from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.moving.rounds import rises
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import show_amount, show_length, show_thickness
from vivid_keel.figures.measure import smaller, wrapped
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import plan
from vivid_keel.figures.report import BOTTOM, LEFT, RIGHT, Pages

POST, RAISE, JACK, SHIMS, FINISH, READ, DONE = 48.0, 158.0, 176.0, 254.0, 378.0, 460.0, 520.0
"""Where the columns begin, that of amounts where it ends [pt]."""
LARGE, SMALL = 20.0, 12.0
SIGNED = 62.0
"""Room for the names at the foot of a page [pt]."""
CAUTION = "Nobody under it. Solid blocking beside every jack; never trust a jack alone. Local code and engineer first."


def work_sheet(pages: Pages, result: Moved, watch: str = "", only: Collection[int] | None = None) -> None:
    """Set the sheet for the hand: large figures, in the order of work, with boxes to tick and for the readings.

    `watch` is the mark that ties the as-left readings to these, "" where there is none; `only` some of the points, by their
    places: a sheet of changes.
    """
    walk = {
        stage: [step for step in steps if only is None or step.place in only]
        for stage, steps in result.walk.items()
    }
    walk = {stage: steps for stage, steps in walk.items() if steps}
    for number, (stage, steps) in enumerate(walk.items()):
        if number:
            pages.next_page()
        _head(pages, result, stage, changes=only is not None)
        _have_ready(pages, result, steps)
        _titles(pages)
        for step in steps:
            _row(pages, result, step)
        last = number + 1 == len(walk)
        _notes(pages, result, watch if last else "", first=number == 0, last=last)
        _picture(pages, result)
        _names(pages)


def _head(pages: Pages, result: Moved, stage: int, *, changes: bool) -> None:
    book, heading = result.book, pages.heading
    pages.title(f"{'Changes to the work sheet' if changes else 'Work sheet'} · {book.name}", LARGE, 20)
    count = result.stage_count
    staged = f"stage {stage} of {count} · " if count > 1 else ""
    issued = f"plan of entry {book.plan.id}" if book.plan is not None and book.plan.id else "not issued yet"
    pages.line(
        f"{heading.job} · round {len(book.passes) + 1} · {staged}{issued} · {heading.written} by {heading.person}",
        ink="muted",
        size=10,
    )
    pages.line(f"Target: {target_words(book, result)}; tolerance {book.tolerance_words}.", size=10)
    if result.lifts_something:
        pages.y += 8
        page, top = pages.page, pages.y
        page.box(LEFT, top, RIGHT - LEFT, 40, "caution", "caution-rule", 0.8)
        page.text(LEFT + 10, top + 16, "Before anyone lifts: cautions read out", "ink", 11, bold=True)
        page.box(LEFT + 236, top + 7, 11, 11, "bright", "ink", 0.9)
        page.text(LEFT + 10, top + 32, CAUTION, "ink", smaller(CAUTION, RIGHT - LEFT - 20, 9, 6.0))
        pages.y = top + 44


def leaves_ready(steps: Collection[Step]) -> Counter[float]:
    """Return how many leaves of each thickness [m] go in at some steps, those for now too; what comes out there isn't counted."""
    return Counter(leaf for step in steps for leaf in step.into)


def _have_ready(pages: Pages, result: Moved, steps: Collection[Step]) -> None:
    book = result.book
    ready = leaves_ready(steps)
    if ready:
        said = " · ".join(
            f"{show_thickness(t, book.style)} × {n}" for t, n in sorted(ready.items(), reverse=True)
        )
        size = f", cut to {book.limits.leaf_size}" if book.limits.leaf_size else ""
        pages.line(f"Have ready: {said}{size}", bold=True, size=11)
    if result.packing is not None and result.packing.to_buy:
        buy = ", ".join(f"{n} of {show_thickness(t, book.style)}" for t, n in result.packing.to_buy)
        pages.line(f"To buy: {buy}.", size=10)


def _titles(pages: Pages) -> None:
    pages.need(80)
    pages.y += 20
    page, y = pages.page, pages.y
    for x, text, align in (
        (POST, "Post", "left"),
        (RAISE, "Move", "right"),
        (JACK, "1 Jack to", "left"),
        (SHIMS, "2 Put in", "left"),
        (FINISH, "3 Finish at", "left"),
        (READ, "Read", "left"),
        (DONE, "Done", "left"),
    ):
        page.text(x, y, text, "muted", 9, align=align)
    page.line(LEFT, y + 4, RIGHT, y + 4, "ink", 0.9)
    pages.y = y + 4


Written = list[tuple[str, float, bool]]
"""Lines of a cell: text, size [pt], bold."""


def _put_in(result: Moved, step: Step) -> Written:
    """What the hand does, the leaves that stay largest; every leaf is seen whole."""
    said = result.book.style.thickness
    room = FINISH - SHIMS - 8
    lines: Written = []

    def add(text: str, size: float, *, bold: bool) -> None:
        lines.extend((part, size, bold) for part in wrapped(text, room, size, bold=bold))

    def leaves(some: Collection[float]) -> str:
        return " + ".join(said(t) for t in some)

    if step.told is not None or result.lifts[step.place] < 0:
        add(result.step_in_words(step), 13, bold=True)
        return lines
    stay = list((Counter(step.into) - Counter(step.for_now)).elements())
    stay.sort(reverse=True)
    if step.out:
        add(f"take out {leaves(step.out)}", SMALL, bold=True)
    if stay or not step.into:
        text = leaves(stay) or "nothing"
        add(text, LARGE if len(text) < 12 else 15, bold=True)
    if step.for_now:
        add(f"for now {leaves(step.for_now)}", SMALL if stay else 15, bold=True)
        add("comes out at its next stage", 8, bold=False)
    if step.beyond:
        add("block it up in between", 9, bold=False)
    return lines


def _row(pages: Pages, result: Moved, step: Step) -> None:
    """One line: its point, how far, the three figures, a box for what was read, and one to tick."""
    style, i = result.book.style, step.place
    move, first = result.part(step), result.first_of(step)
    put = _put_in(result, step)
    name = wrapped(result.book.points[i].name, RAISE - POST - 56, LARGE, bold=True)
    size = LARGE if len(name) == 1 else 11
    name = name if len(name) == 1 else wrapped(result.book.points[i].name, RAISE - POST - 56, 11, bold=True)
    tall = max(44.0, sum(at * 1.2 for _, at, _ in put) + 14, len(name) * size * 1.15 + 14)
    if pages.y + tall > BOTTOM - SIGNED:
        _names(pages)
        pages.next_page()
        _titles(pages)
    page, top = pages.page, pages.y
    middle = top + tall / 2
    for k, line in enumerate(name):
        y = middle + size * 0.36 + (k - (len(name) - 1) / 2) * size * 1.15
        page.text(POST, y, line, "ink", size, bold=True)
    amount = style.amount(abs(move), 1)
    ink = "raise" if move >= 0 else "lower"
    page.text(
        RAISE, middle + 4, amount, ink, smaller(amount, 52, 18, 8.0, bold=True), bold=True, align="right"
    )
    page.text(RAISE, middle + 15, "raise" if move >= 0 else "lower", "muted", 8, align="right")
    if not math.isnan(first):
        text = show_length(first, style)
        page.text(JACK, middle + 6, text, "ink", smaller(text, SHIMS - JACK - 6, 18, 8.0))
    y = middle - sum(at * 1.2 for _, at, _ in put) / 2
    for text, at, bold in put:
        y += at * 1.2
        page.text(SHIMS, y - at * 0.25, text, "ink" if bold else "muted", at, bold=bold)
    text = show_length(result.stop_after(step), style)
    page.text(
        FINISH, middle + 6, text, "ink", smaller(text, READ - FINISH - 6, 19, 8.0, bold=True), bold=True
    )
    page.box(READ, middle - 13, 50, 26, "", "ink", 0.9)
    page.box(DONE, middle - 13, 26, 26, "", "ink", 0.9)
    pages.y = top + tall
    page.line(LEFT, pages.y, RIGHT, pages.y, "rule", 0.5)


def _notes(pages: Pages, result: Moved, watch: str, *, first: bool, last: bool) -> None:
    """What the crew needs to know beside the lines."""
    book, names = result.book, [point.name for point in result.book.points]
    keeps = [names[i] for i in result.keepers if i not in result.places]
    stay = [
        names[i]
        for i in range(len(names))
        if i not in result.places
        and names[i] not in keeps
        and i < len(result.moves)
        and not math.isnan(float(result.moves[i]))
    ]
    out: list[str] = []
    if keeps:
        out.append(
            f"{_and(keeps)} {'is' if len(keeps) == 1 else 'are'} fixed: don't touch {'it' if len(keeps) == 1 else 'them'}."
        )
    if stay:
        out.append(
            f"{_and(stay)} {'is' if len(stay) == 1 else 'are'} within tolerance: leave {'it' if len(stay) == 1 else 'them'}."
        )
    if result.feet and first:
        feet = ", ".join(names[i] for i in result.feet)
        out.append(
            f"First the three feet {feet}; the others up until they just take load, none of the three moving by more than {show_thickness(book.limits.feet, book.style)}."
        )
    if book.some_leaves and result.lifts_something:
        out.append("Stop and look if a post takes more than planned: it hangs, or something holds it down.")
    if first:
        moved = np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0)
        hanging = [
            f"{name} {show_amount(rise, book.style, 0, signed=True)}"
            for name, rise in rises(book, moved)
            if not math.isnan(rise) and abs(rise) >= 0.0005
        ]
        if hanging:
            out.append("Look before and after: " + ", ".join(hanging) + ".")
    if elsewhere := result.read_elsewhere:
        out.append(
            f"{_and([names[i] for i in elsewhere])} {'is' if len(elsewhere) == 1 else 'are'} read from another station: set up there, the figures hold "
            "for the line they were read on. Read the mark first; what it shows more is added to Jack to and Finish at of hanging scales."
        )
    if watch and last:
        out.append(f"Read {watch} again with the as-left readings: ____________")
    pages.y += 6
    for text in out:
        pages.line(text, size=10)


def _and(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _picture(pages: Pages, result: Moved) -> None:
    """The row, or the plan of several rows, where the page has room for it."""
    rows = result.book.rows
    tall = 300.0 if len(rows) == 1 else 320.0
    room = BOTTOM - SIGNED - 14 - pages.y
    scale = (RIGHT - LEFT) / 760
    if tall * scale + 20 > room or not rows:
        return
    pages.figure(elevation(result, rows[0], 760, tall) if len(rows) == 1 else plan(result, 760, tall))


def _names(pages: Pages) -> None:
    """Lines for who did it, at the foot of the page."""
    page, y = pages.page, BOTTOM - 18
    page.line(LEFT, y, LEFT + 205, y, "ink", 0.7)
    page.text(LEFT, y + 11, "name, date", "muted", 8)
    page.line(RIGHT - 230, y, RIGHT, y, "ink", 0.7)
    page.text(RIGHT - 230, y + 11, "signature", "muted", 8)
    pages.y = BOTTOM
