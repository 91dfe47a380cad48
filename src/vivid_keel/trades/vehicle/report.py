"""The report of a vehicle: as found, moves, as left."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.vehicle.figure import headings, stance
from vivid_keel.trades.vehicle.result import VehicleResult


def vehicle_report(
    result: VehicleResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the pages of a vehicle's report."""
    book = result.book
    pages = Pages(heading)
    pages.cover()
    pages.figure(stance(result, 760, 300))
    if result.instructions:
        pages.title("Moves, in order", 12, 40)
        pages.table(
            [
                ("", 20, True),
                ("Where", 120, False),
                (f"Wants, {book.style.small}", 60, True),
                ("Do", 200, False),
                ("Level then shows", 90, True),
                ("done", 40, False),
            ],
            [
                [
                    str(n),
                    i.where,
                    book.style.amount(i.lift, 0, signed=True),
                    i.text,
                    result.level_shows(i),
                    "☐" if book.left is None else "",
                ]
                for n, i in enumerate(result.instructions, 1)
            ],
        )
    if book.left is not None:
        pages.figure(stance(result, 760, 300, left=True))
    if result.headings and not result.fits(result.headings[0]):
        pages.figure(headings(result, 760, 260))
    pages.findings(said)
    pages.readings()
    if book.struck:
        pages.line("Struck readings, kept: " + "; ".join(book.struck))
    tail(pages, journal, book.work)
    return pages.done()
