"""A run that is levelled again: the same marks, in the order in which they were read."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.lending import is_change_point
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.run.result import RunResult


def read_again(result: RunResult) -> list[Draft]:
    """Return the entries of a new work by which its marks are to be read: those that were read, at their height now, then those that were
    only planned."""
    book, found = result.book, result.layout.holds
    known = {one.name for one in book.known}
    heights = {mark: result.corrected(book.sights[i]) for mark, i in found.items()}
    order = [book.rows[i].mark for i in book.sights]
    wanted = {
        mark: heights[mark]
        for mark in dict.fromkeys(order)
        if mark not in known and not is_change_point(mark) and not math.isnan(heights.get(mark, math.nan))
    }
    wanted |= {one.name: one.height for one in book.planned if one.name not in wanted}
    out = []
    for mark, height in wanted.items():
        text = show_length(height, book.style, unit=True).replace("−", "-")
        out.append(
            Draft(-1, "planned", {"name": mark, "height": as_read(parse_length(text, book.unit, "."))})
        )
    return out
