"""What a level run comes to, as tables from which anybody can recompute every height."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vivid_keel.core.booking.layout import KINDS
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Rows, Tables, si
from vivid_keel.trades.run.book import EVENT
from vivid_keel.trades.run.result import RunResult

READ = [
    "order",
    "setup",
    "mark",
    "sight",
    "reading_text",
    "reading_unit",
    "reading_m",
    "distance_m",
    "known_height_m",
    "time",
    "person",
    "instrument",
    "struck",
    "reason",
    "upper_m",
    "lower_m",
    "second_look_m",
    "page",
    "read_at",
    "side_deg",
    "entry",
]
RESULTS = ["mark", "height_m", "adjusted_m", "U_m", "corrected_m", "corrections_m"]


def told(result: RunResult, journal: Journal) -> Tables:
    """Return the run: its sights as read, and of every mark its height as carried, adjusted, with U, and what corrections make of it."""
    return Tables(results(result), [READ, *as_read(result, journal)], rule=RULE)


RULE = """adjusted_m = corrected_m + its share of what the mark that the run closes on is off its known height: of n set-ups, k / n for what is read
from the k-th; where it is spread by distance, the length of the sights gone by, of all; nothing where it isn't spread."""


def as_read(result: RunResult, journal: Journal) -> Iterator[tuple[object, ...]]:
    """Tell every sight in the order of the book, struck ones and what happened between them too; lengths [m]."""
    book = result.book
    listed = result.layout.listed
    trouble = {
        book.sights[one.row]: one.message for one in result.layout.troubles if one.code == "wrong-order"
    }  # what can't be reduced where it stands
    names = [one.name for one in book.instruments]
    for order, row in enumerate(book.rows):
        entry = journal.entries[row.id]
        told = (entry.time, entry.person)
        if row.kind == EVENT:
            yield (order + 1, "", "", row.text, *[""] * 5, *told, "", "", row.remark, *[""] * 6, row.id)
            continue
        at = result.at[order]
        setup = int(result.layout.setup[at]) + 1 if at >= 0 else ""
        struck = "" if row.stands else "struck"
        reason = journal.reason(row.id) if struck else trouble.get(order, "")
        mark = listed.get(row.mark)
        reading = entry.body.get("reading", {})
        yield (
            order + 1,
            setup,
            row.mark,
            KINDS[row.kind],
            reading.get("text", row.text),
            reading.get("unit", book.unit),
            si(row.reading),
            si(row.distance),
            "" if mark is None else si(mark.height),
            *told,
            names[row.instrument] if row.instrument < len(names) else "",
            struck,
            reason,
            si(row.upper),
            si(row.lower),
            si(row.look),
            row.page,
            row.read_at,
            si(row.azimuth),
            row.id,
        )


def results(result: RunResult) -> Rows:
    """Return a line a mark: its height as carried from the readings as they stand, adjusted (corrected and spread), U = 2u, as corrected
    before spreading, and what corrections add; lengths [m]."""
    plain = reduce(result.layout, result.booked)
    sights = result.book.sights
    u = result.u_heights()
    rows: list[list[object]] = [list(RESULTS)]
    for mark, at in result.layout.holds.items():
        height, corrected = float(plain.heights[at]), float(result.reduction.heights[at])
        if math.isnan(height):
            continue
        adjusted = result.corrected(sights[at])
        rows.append(
            [mark, si(height), si(adjusted), si(2 * float(u[at])), si(corrected), si(corrected - height)]
        )
    return rows
