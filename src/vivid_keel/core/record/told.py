"""What a work comes to, as rows that outlive the program: every height, deviation and move with its U and the formula it comes from."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from vivid_keel.core.bounds import Bounds

Rows = Sequence[Sequence[object]]
"""A table: its columns' names, then its lines."""
HEAD = ("of", "quantity", "value", "unit", "U", "formula")


PLACES = 12
"""So many places behind the point are written at the most: what is less is left of the adding up."""


class Told(Struct, frozen=True):
    """A number: of what, which quantity, its value in a unit ("m", "rad", "1" …), U in the same (nan: none is stated), the formula."""

    of: str
    quantity: str
    value: float
    unit: str = "m"
    U: float = math.nan
    formula: str = ""


def bounds_told(of: str, quantity: str, bounds: Bounds | None, unit: str) -> Iterator[Told]:
    """Return the lines of an amount's `bounds` [`unit`]; none where there are none."""
    if bounds is not None:
        how = "simultaneous bounds, 95 of 100"
        yield Told(of, f"{quantity}, at least", bounds.low, unit, formula=how)
        yield Told(of, f"{quantity}, at most", bounds.high, unit, formula=how)


class Tables(Struct, frozen=True):
    """What is kept of a work beside its entries: its results, its readings where the usual table of them says less than it can, more tables
    by the names of their files, and in words how its results come about of these."""

    results: Rows
    as_read: Rows | None = None
    more: dict[str, Rows] = {}
    rule: str = ""


def si(value: float) -> str:
    """Return a `value` [in SI, or as its unit says] as it stands in a table: a decimal point, no power of ten, twelve digits and as many
    places at the most, nothing for nan."""
    return "" if math.isnan(value) else plain_number(value, 12)


def plain_number(value: float, digits: int) -> str:
    """Return a `value` [any unit] with so many `digits` [1] and places at the most, as a person writes it: no power of ten, no nought below nought."""
    if math.isinf(value):
        return str(value)
    written = f"{float(f'{value:.{digits}g}'):.{PLACES}f}".rstrip("0").rstrip(".")
    return "0" if written == "-0" else written


def told_rows(told: Iterable[Told]) -> Rows:
    """Return numbers as a table; those that aren't known are left out."""
    return [
        HEAD,
        *(
            (one.of, one.quantity, si(one.value), one.unit, si(one.U), one.formula)
            for one in told
            if not math.isnan(one.value)
        ),
    ]
