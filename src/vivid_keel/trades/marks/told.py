"""What carried marks come to, as rows that outlive the program."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.marks.carry import CHAIN
from vivid_keel.trades.marks.result import MarksResult


def told(result: MarksResult, journal: Journal) -> Tables:
    """Return every column's mark, slab, and what is measured up, cut or made up."""
    return Tables(told_rows(_told(result)), rule=RULE)


RULE = """Slab = height of the mark - to_slab, taped down; up from the mark = design - height of the mark; to cut = top, taped up, - up from the mark,
to make up where it is below zero."""


def _told(result: MarksResult) -> Iterator[Told]:
    for one in result.carried:
        U = 2 * one.u
        yield Told(
            one.name, "height of the mark", one.mark, "m", U, "reference + offset, a closed chain spread"
        )
        for quantity, value, formula in (
            ("slab", one.slab, "mark − tape down"),
            ("up from the mark", one.up, "design − mark"),
            ("to cut, − to make up", one.cut, "tape up − up"),
        ):
            yield Told(one.name, quantity, math.nan if value is None else value, "m", U, formula)
    yield Told(
        "chain" if result.book.order == CHAIN else "star",
        "misclosure",
        result.misclosure,
        "m",
        result.allowed,
        "back at the reference − reference; U: what is allowed",
    )
