"""The feet of a body on paper: as found, what is turned, as left."""

from __future__ import annotations

import math
from collections.abc import Callable

from vivid_keel.core.moving.engine import counts_turns
from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import show_amount
from vivid_keel.figures.measure import fitted
from vivid_keel.figures.report import LEFT, RIGHT, Pages


def feet_table(pages: Pages, result: Moved, then_shows: Callable[[int], str]) -> None:
    """Put a line per foot on the pages, in the order of work; `then_shows` is what the level shows once a foot was turned."""
    book, style = result.book, result.book.style
    if not result.read:
        return
    rest = [i for i in range(len(book.points)) if i not in result.places]
    rows = []
    for i in [*result.to_move, *rest]:
        found, left = -float(result.moves[i]), result.deviation_left(i)
        rows.append(
            [
                book.points[i].name,
                "" if math.isnan(found) else style.amount(found, 1, signed=True),
                result.in_words(i) if i in result.places else "stays",
                then_shows(i),
                "" if math.isnan(left) else style.amount(left, 1, signed=True),
                VERDICT_WORDS.get(result.left_verdicts[i], ""),
            ]
        )
    pages.title("Feet, in the order of work", 12, 44)
    pages.table(
        [
            ("Foot", 76, False),
            (f"As found, {style.small}", 66, True),
            ("Turned", 128, False),
            ("Level then shows", 120, False),
            ("As left", 50, True),
            ("", 60, False),
        ],
        rows,
    )


def feet_sheet(pages: Pages, result: Moved, then_shows: Callable[[int], str]) -> None:
    """Set the sheet for the hand: large figures, in the order of work, with boxes to tick and for what it shows as left."""
    book = result.book
    pages.title(f"Work sheet, round {len(book.passes) + 1}", room=110)
    how = (
        "so far, and no further than where the level shows its number."
        if counts_turns(book)
        else "it is the bubble that says when to stop."
    )
    pages.line(
        f"Target: {target_words(book, result)}; tolerance {book.tolerance_words}. Turn, wait, look: {how}",
        size=11,
    )
    steps = result.walk.get(result.stage_in_hand, []) if result.walk else []
    if not steps:
        pages.line("Nothing is to be turned.", size=11)
    for step in steps:
        _box(pages, result, step, then_shows(step.place))


def _box(pages: Pages, result: Moved, step: Step, shows: str) -> None:
    """One foot: how far, by what, until the level shows what; a box to tick, and one to write into."""
    style, i = result.book.style, step.place
    move = result.part(step)
    pages.need(58)
    page, y = pages.page, pages.y + 8
    page.box(LEFT, y, RIGHT - LEFT, 46, "", "ink", 0.8)
    page.text(LEFT + 8, y + 29, str(result.places[i] + 1), "muted", 12)
    lines, size = fitted(result.book.points[i].name, 82, 18, 3, 9, bold=True)
    for k, line in enumerate(lines):
        page.text(LEFT + 28, y + 30 + (k - (len(lines) - 1) / 2) * size * 1.05, line, "ink", size, bold=True)
    word = "raise" if move >= 0 else "lower"
    page.text(LEFT + 116, y + 20, f"{word} {show_amount(abs(move), style)}", "ink", 13, bold=True)
    broken, small = fitted(result.step_in_words(step), 144, 11, 1, 9)
    if len(broken) > 1:
        broken, small = fitted(result.step_in_words(step), 144, 9, 2, 7)
    for k, line in enumerate(broken):
        page.text(LEFT + 116, y + 37 - (len(broken) - 1) * 4 + k * small * 1.05, line, "ink", small)
    page.text(
        LEFT + 266,
        y + 14,
        "sooner, if the level shows" if counts_turns(result.book) else "until the level shows",
        "muted",
        8,
    )
    broken, small = fitted(shows, RIGHT - 94 - LEFT - 266, 13, 2, 8, bold=True)
    for k, line in enumerate(broken):
        page.text(
            LEFT + 266, y + 33 - (len(broken) - 1) * 4 + k * small * 1.05, line, "ink", small, bold=True
        )
    page.box(RIGHT - 88, y + 10, 20, 22, "", "ink", 1.0)
    page.text(RIGHT - 88, y + 42, "done", "muted", 8)
    page.box(RIGHT - 62, y + 10, 54, 22, "", "ink", 1.0)
    page.text(RIGHT - 62, y + 42, "it showed", "muted", 8)
    pages.y = y + 46
