"""The feet of a body on paper: as found, what is turned, as left."""

from __future__ import annotations

import math
from collections.abc import Callable

from vivid_keel.core.moving.result import Moved
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.figures.report import Pages


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
    pages.table(
        [
            ("Foot", 92, False),
            (f"As found, {style.small}", 66, True),
            ("Turned", 120, False),
            ("Level then shows", 112, True),
            ("As left", 50, True),
            ("", 60, False),
        ],
        rows,
    )
