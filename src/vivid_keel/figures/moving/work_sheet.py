"""The sheet for the hand: who is moved, in which order, with what, until the scale shows what."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.moving.rounds import rises
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import show_amount, show_length, show_thickness
from vivid_keel.figures.measure import fitted
from vivid_keel.figures.report import LEFT, RIGHT, Pages


def work_sheet(pages: Pages, result: Moved, watch: str = "") -> None:
    """Set the sheet for the hand: large figures, in the order of work, with boxes to tick and for the as-left readings.

    `watch` is the mark that ties the as-left readings to these, "" where there is none.
    """
    book, count = result.book, result.stage_count
    pages.title(f"Work sheet, round {len(book.passes) + 1}")
    pages.line(
        f"Target: {target_words(book, result)}; tolerance {book.tolerance_words}. Stop at: what the scale shows once let down.",
        size=11,
    )
    for text in _before_the_first(result, watch):
        pages.line(text, size=11)
    if count == 1:
        for step in result.walk.get(1, []):
            _box(pages, result, step)
        return
    pages.line(
        f"{count} stages: all of one, then all of the next. Nothing is lifted further at once. For now: comes out again.",
        size=11,
        bold=True,
    )
    for stage, steps in result.walk.items():
        pages.need(90)
        pages.title(f"Stage {stage} of {count}", 14)
        for step in steps:
            _box(pages, result, step)


def _box(pages: Pages, result: Moved, step: Step) -> None:
    """One step: its point, how far, with what, to which reading, and a box to tick; to write into, where it is the last there."""
    book, style, i = result.book, result.book.style, step.place
    move, first = result.part(step), result.first_of(step)
    pages.need(58)
    page, y = pages.page, pages.y + 8
    page.box(LEFT, y, RIGHT - LEFT, 46, "", "ink", 0.8)
    page.text(LEFT + 8, y + 29, str(result.places[i] + 1), "muted", 12)
    lines, size = fitted(book.points[i].name, 58, 20, 4, 9, bold=True)
    for k, line in enumerate(lines):
        page.text(LEFT + 30, y + 30 + (k - (len(lines) - 1) / 2) * size * 1.05, line, "ink", size, bold=True)
    page.text(
        LEFT + 92,
        y + 24,
        f"{'raise' if move >= 0 else 'lower'} {show_amount(abs(move), style)}",
        "ink",
        14,
        bold=True,
    )
    broken, small = fitted(result.step_in_words(step), 120, 12, 2, 7)
    for k, line in enumerate(broken):
        page.text(LEFT + 92, y + 40 - (len(broken) - 1) * 5 + k * small * 1.05, line, "ink", small)
    page.text(LEFT + 216, y + 18, "stop at", "muted", 8)
    page.text(LEFT + 216, y + 36, show_length(result.stop_after(step), style), "ink", 18, bold=True)
    if not math.isnan(first):
        page.text(LEFT + 284, y + 18, "first to", "muted", 8)
        page.text(LEFT + 284, y + 36, show_length(first, style), "ink", 12)
    if not step.last:
        page.text(LEFT + 336, y + 18, "in all", "muted", 8)
        page.text(LEFT + 336, y + 36, style.amount(result.does(i), 1, signed=True), "muted", 12)
    page.box(RIGHT - 100, y + 10, 20, 22, "", "ink", 1.0)
    page.text(RIGHT - 100, y + 42, "done" if step.told is not None else "packed", "muted", 8)
    page.box(RIGHT - 68, y + 10, 60, 22, "", "ink", 1.0)
    page.text(RIGHT - 68, y + 42, "as left" if step.last else "it showed", "muted", 8)
    pages.y = y + 46


def _before_the_first(result: Moved, watch: str) -> list[str]:
    """What the crew needs to know and have before the first post is moved."""
    book, out = result.book, []
    if result.packing is not None and result.packing.leaves:
        size = f", cut to {book.limits.leaf_size}" if book.limits.leaf_size else ""
        out.append(
            "Leaves: "
            + ", ".join(
                f"{n} of {show_thickness(t, book.style)}" for t, n in result.packing.by_thickness().items()
            )
            + size
            + "."
        )
    if result.packing is not None and result.packing.to_buy:
        out.append(
            "To buy: "
            + ", ".join(f"{n} of {show_thickness(t, book.style)}" for t, n in result.packing.to_buy)
            + "."
        )
    if result.feet:
        names = ", ".join(book.points[i].name for i in result.feet)
        out.append(
            f"First the three feet {names}; the others up until they just take load, none of the three moving by more than {show_thickness(book.limits.feet, book.style)}."
        )
    moved = np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0)
    hanging = [
        f"{name} {show_amount(rise, book.style, 0, signed=True)}"
        for name, rise in rises(book, moved)
        if not math.isnan(rise) and abs(rise) >= 0.0005
    ]
    if hanging:
        out.append("Look before and after: " + ", ".join(hanging) + ".")
    if watch:
        out.append(f"Read {watch} again with the as-left readings: ____________")
    return out
