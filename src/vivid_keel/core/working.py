"""Workings: every computed number can be asked why."""

from __future__ import annotations

from msgspec import Struct


class Working(Struct, frozen=True):
    """How a number came about.

    Attributes
    ----------
    title : str
        What the number is.
    formula : str
        In the field's standard symbols.
    numbers : str
        The same line with the numbers put in.
    sources : tuple of str
        The readings and decisions it came from.
    note : str
        What to bear in mind, or "".
    """

    title: str
    formula: str
    numbers: str
    sources: tuple[str, ...] = ()
    note: str = ""
