"""The report of a level run."""

from __future__ import annotations

from vivid_keel.core.booking.layout import KINDS
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import show_amount, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import show
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, head, tail
from vivid_keel.trades.run.book import EVENT
from vivid_keel.trades.run.figure import section
from vivid_keel.trades.run.misclosure_figure import misclosure
from vivid_keel.trades.run.result import RunResult


def run_report(result: RunResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a level run."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    facts = [
        f"Datum: {k.name} at {show_length(k.height, style, unit=True)}, {k.source}"
        + (f", ± {show_amount(2 * k.u, style)}" if k.u else "")
        for k in book.known
    ]
    head(pages, book.instrument, facts)
    pages.figure(section(result, 760, 300, book.sights[0] if book.sights else -1))
    pages.title("What the numbers say", 12)
    pages.findings(said)
    if book.sights:
        pages.figure(misclosure(result, 760, 260))
    pages.title("The book, as read and as reduced", 12, 70)
    rows, struck = _book_rows(result, journal)
    columns = [
        ("Mark", 120, False),
        ("BS", 54, True),
        ("IS", 54, True),
        ("FS", 54, True),
        ("HC", 60, True),
        ("Rise", 50, True),
        ("Fall", 50, True),
        ("Height", 60, True),
        ("Corrected", 62, True),
        ("Remark", 110, False),
    ]
    pages.table([(t, w, r) for t, w, r in columns], rows, struck)
    tail(pages, journal, book.work)
    return pages.done()


def _book_rows(result: RunResult, journal: Journal) -> tuple[list[list[str]], frozenset[int]]:
    book, style = result.book, result.book.style
    rows: list[list[str]] = []
    struck: set[int] = set()
    for main, back in book.lines:
        sight = book.rows[main]
        if sight.kind == EVENT:
            rows.append([sight.mark.replace("instrument", "–"), "", "", "", "", "", "", "", "", sight.remark])
            continue
        cells = {KINDS[sight.kind]: show_length(sight.reading, style)}
        remark = sight.remark
        if not sight.stands:
            struck.add(len(rows))
            remark = journal.reason(sight.id) or "struck"
        if back >= 0:
            cells["BS"] = show_length(book.rows[back].reading, style)
            remark = remark or book.rows[back].remark
        on = back if back >= 0 else main if sight.kind == 0 else -1
        hc = show(result.collimation_height(on), style) if on >= 0 and sight.stands else ""
        rise, fall = result.rise_fall(main)
        corrected = show(result.corrected(main), style) if result.closure.spread else ""
        rows.append(
            [
                sight.mark,
                cells.get("BS", ""),
                cells.get("IS", ""),
                cells.get("FS", ""),
                hc,
                show(rise, style) if rise > 0 else "",
                show(fall, style) if fall > 0 else "",
                show(result.height(main), style),
                corrected,
                remark,
            ]
        )
    return rows, frozenset(struck)
