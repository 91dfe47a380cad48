"""Numbers told by letters."""

from __future__ import annotations


def letters(number: int) -> str:
    """Return the letters of a row, a column or a spot counted from 0 [1]: 0 → A, 25 → Z, 26 → AA."""
    out = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        out = chr(65 + rest) + out
    return out
