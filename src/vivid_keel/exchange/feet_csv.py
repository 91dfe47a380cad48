"""The feet of a body as CSV: a line per foot, as found, what was turned, as left; millimetres, decimal points."""

from __future__ import annotations

from collections.abc import Callable

from vivid_keel.core.moving.result import Moved
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import is_missing
from vivid_keel.exchange.csv_lines import written

HEADER = (
    "foot",
    "along m",
    "across m",
    "as found mm",
    "order",
    "move mm",
    "turned",
    "level then shows",
    "as left mm",
    "U mm",
    "verdict",
)


def feet_csv(result: Moved, then_shows: Callable[[int], str]) -> str:
    """Return the feet; `then_shows` is what the level shows once a foot was turned."""
    rows: list[list[object]] = [list(HEADER)]
    order = {i: n for n, i in enumerate(result.to_move, 1)}
    for i, point in enumerate(result.book.points):
        left = result.deviation_left(i)
        rows.append(
            [
                point.name,
                f"{point.x:g}",
                f"{point.y:g}",
                _mm(-float(result.moves[i])),
                order.get(i, ""),
                _mm(result.does(i)) if i in order else "",
                result.in_words(i) if i in order else "",
                then_shows(i).replace("−", "-") if i in order else "",
                _mm(left),
                "" if is_missing(left) else _mm(2 * float(result.u_left[i])),
                VERDICT_WORDS.get(result.left_verdicts[i], ""),
            ]
        )
    return written(rows)


def _mm(value: float) -> str:
    return "" if is_missing(value) else f"{value * 1000:.4f}"
