"""How wide the columns of a sheet are: on a small screen words give way before numbers do."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.desk.sheet import Column

A_WORD = 56
"""What a column of words wants at least, for one short word to stand in a line [px]."""


def widths(columns: Sequence[Column], wide: float) -> list[int]:
    """Return the width of each column where all have `wide` [px]; those without a width of their own share what is over."""
    free = sum(c.width == 0 for c in columns)
    numbers = sum(c.width for c in columns if c.right)
    words = sum(c.width for c in columns if not c.right)
    least = 130 if free == 1 and wide - 130 >= 0.8 * numbers + 0.6 * words else 96
    room = wide - least * free
    tight = min(1.0, max(0.8, (room - 0.85 * words) / max(numbers, 1)))
    terse = min(1.0, max(0.3, (room - numbers * tight) / max(words, 1)))
    spare = max(64, int(wide - numbers * tight - words * terse) // max(free, 1))
    given = [c.width * (tight if c.right else terse) or spare for c in columns]
    roomier = [
        width if c.right or not c.width else max(width, min(c.width, A_WORD))
        for c, width in zip(columns, given, strict=True)
    ]
    given = roomier if sum(roomier) <= wide else given
    less = min(1.0, wide / max(sum(given), 1))  # where even that is too much all give way alike
    return [int(width * less) for width in given]
