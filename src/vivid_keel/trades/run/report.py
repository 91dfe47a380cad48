"""The report of a level run."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import show_amount, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import LINES, Heading, Pages, head, tail
from vivid_keel.trades.run.book_pages import book_rows, columns, set_looks
from vivid_keel.trades.run.figure import section
from vivid_keel.trades.run.misclosure_figure import misclosure
from vivid_keel.trades.run.result import RunResult


def run_report(result: RunResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a level run."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    facts = [
        f"Datum: {k.name} at {show_length(k.height, style, unit=True)}, {k.source}"
        + (f", ± {show_amount(2 * k.u, style, up=True)}" if k.u else "")
        for k in book.known
    ]
    head(pages, book.instrument, facts, book.style)
    pages.figure(section(result, 760, 300, book.sights[0] if book.sights else -1))
    pages.findings(said)
    if book.sights:
        pages.figure(misclosure(result, 760, 260))
    pages.title("The book, as read and as reduced", 12, 70)
    end = len(book.rows) if not heading.most else min(len(book.rows), heading.most * LINES)
    rows, struck = book_rows(result, journal, 0, end)
    pages.line(
        f"± is U, twice the standard uncertainty; distances in {style.far}, foresight and backsight.",
        ink="muted",
    )
    pages.table(columns(style), rows, struck)
    set_looks(pages, result)
    tail(pages, journal, book.work)
    return pages.done()
