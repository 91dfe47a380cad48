"""The book as pages of paper: filled, with the totals of every page, and blank ones to be written on."""

from __future__ import annotations

from vivid_keel.core.booking.layout import BS, KINDS
from vivid_keel.core.booking.pages import page_totals
from vivid_keel.core.quantities import LengthStyle, is_missing, show_amount, show_length, show_move
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import show
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.run.book import EVENT, NAN, page_lines
from vivid_keel.trades.run.result import RunResult

LOOKS = [
    ("Sight", 108, False),
    ("Middle", 54, True),
    ("Upper", 54, True),
    ("Lower", 54, True),
    ("Middle off", 60, True),
    ("Dist", 42, True),
    ("2nd look", 54, True),
    ("Differs", 56, True),
    ("On paper", 98, False),
]


def columns(style: LengthStyle) -> list[tuple[str, float, bool]]:
    """Return the columns of the book on paper: title, width, whether it stands to the right."""
    return [
        ("Mark", 96, False),
        ("BS", 44, True),
        ("IS", 44, True),
        ("FS", 44, True),
        ("HC", 50, True),
        ("Rise", 42, True),
        ("Fall", 42, True),
        ("Height", 50, True),
        ("Corrected", 56, True),
        (f"±, {style.small}", 40, True),
        ("Dist", 42, True),
        ("Remark", 96, False),
    ]


def filled_book(result: RunResult, journal: Journal, heading: Heading) -> list[Picture]:
    """Return the book as read and as reduced, a page of paper at a time, in both schools.

    Struck readings stand ruled through where they were; every page ends with its totals and their check.
    """
    book, style = result.book, result.book.style
    pages = Pages(heading)
    pages.title(book.name, 16)
    stated = "" if book.instrument.stated else " (not stated)"
    pages.line(
        f"{heading.job} · level book · written {heading.written} by {heading.person} · readings in {book.unit}",
        ink="muted",
    )
    pages.line(f"Instrument: {book.instrument.name}{stated}")
    for k in book.known:
        pages.line(f"{k.name} at {show_length(k.height, style, unit=True)}: {k.source}")
    totals = page_totals(result.reduction) if book.sights else []
    first_row = 0
    for n, page in enumerate(totals):
        last = n == len(totals) - 1
        end_row = len(book.rows) if last else book.sights[page.last] + 1
        if n:
            pages.next_page()
        rows, struck = book_rows(result, journal, first_row, end_row)
        pages.table(columns(style), rows, struck)
        first_row = end_row
        sums = (
            ("Σ BS", page.sum_bs),
            ("Σ IS", page.sum_is),
            ("Σ FS", page.sum_fs),
            ("Σ rise", page.sum_rise),
            ("Σ fall", page.sum_fall),
        )
        pages.line(
            f"Page {n + 1}:  " + "   ".join(f"{name} {show_length(v, style)}" for name, v in sums), bold=True
        )
        agree = "agrees" if page.agrees else "DOES NOT AGREE"
        name = "BS − FS"
        if page.stands_in:  # the very terms that are added
            name = f"First − last of every set-up = {show_length(page.begun, style)} − {show_length(page.ended, style)}"
        pages.line(
            f"{name} = {show_length(page.back_less_fore, style)}, last − first = {show_length(page.climbed, style)}: {agree}"
        )
    if totals:
        _closing(pages, result)
        set_looks(pages, result)
        tail(pages, journal, book.work)
    return pages.done()


def _closing(pages: Pages, result: RunResult) -> None:
    r, c, style = result.reduction, result.closure, result.book.style
    pages.title("The whole book", 12, 40)
    pages.line(
        f"Σ BS {show_length(r.sum_bs, style)}   Σ IS {show_length(r.sum_is, style)}   Σ FS {show_length(r.sum_fs, style)}   "
        f"Σ rise {show_length(r.sum_rise, style)}   Σ fall {show_length(r.sum_fall, style)}"
    )
    if c.misclosure is None:
        pages.line("The run is open: its heights have no check.", bold=True)
        return
    allowed = "" if c.allowed is None else f", allowed ± {show_amount(c.allowed, style)}"
    spread = "spread" if c.spread else "not spread"
    pages.line(f"Misclosure on {c.mark}: {show_move(c.misclosure, style)}{allowed}; {spread}.", bold=True)


def book_rows(
    result: RunResult, journal: Journal, first: int, end: int
) -> tuple[list[list[str]], frozenset[int]]:
    """Return rows `first` to `end` of the book as lines under `columns`, and which of them are struck."""
    book, style = result.book, result.book.style
    part = book.rows[first:end]
    u = result.u_heights()
    rows: list[list[str]] = []
    struck: set[int] = set()
    for a, b in page_lines(part):
        main, back = first + a, first + b if b >= 0 else -1
        sight = book.rows[main]
        if sight.kind == EVENT:
            rows.append([sight.mark.replace("instrument", "–"), *[""] * 10, sight.remark])
            continue
        cells = {KINDS[sight.kind]: show_length(sight.reading, style)}
        remark = sight.remark
        if not sight.stands:
            struck.add(len(rows))
            remark = journal.reason(sight.id) or "struck"
        if back >= 0:
            cells["BS"] = show_length(book.rows[back].reading, style)
            remark = remark or book.rows[back].remark
        on = back if back >= 0 else main if sight.kind == BS else -1
        rise, fall = result.rise_fall(main)
        lengths = [book.rows[i].length(book.instrument.hair_factor) for i in (main, back) if i >= 0]
        at = result.at[main]
        rows.append(
            [
                sight.mark,
                cells.get("BS", ""),
                cells.get("IS", ""),
                cells.get("FS", ""),
                show(result.collimation_height(on), style) if on >= 0 and sight.stands else "",
                show(rise, style) if rise > 0 else "",
                show(fall, style) if fall > 0 else "",
                show(result.height(main), style),
                show(result.corrected(main), style) if result.closure.spread else "",
                "" if at < 0 or is_missing(float(u[at])) else style.amount(2 * float(u[at]), up=True),
                "/".join("–" if is_missing(length) else style.distance(length) for length in lengths)
                if any(not is_missing(length) for length in lengths)
                else "",
                remark,
            ]
        )
    return rows, frozenset(struck)


def set_looks(pages: Pages, result: RunResult) -> None:
    """Set what was read beside the middle hair: outer hairs, second looks, and where a reading stood on paper."""
    book, style = result.book, result.book.style
    rows = []
    for i in book.sights:
        sight = book.rows[i]
        if not (sight.details or sight.page or sight.read_at):
            continue
        upper, lower = sight.hairs()
        off = NAN if upper is None or lower is None else (upper + lower) / 2 - sight.reading
        length = sight.length(book.instrument.hair_factor)
        paper = " ".join(part for part in (f"page {sight.page}" if sight.page else "", sight.read_at) if part)
        rows.append(
            [
                f"{KINDS[sight.kind]} {sight.mark}",
                show_length(sight.reading, style),
                *(show(NAN if hair is None else hair, style) for hair in (upper, lower)),
                "" if is_missing(off) else show_move(off, style),
                "" if is_missing(length) else style.distance(length),
                show(sight.look, style),
                "" if is_missing(sight.look) else show_move(sight.look - sight.reading, style),
                paper,
            ]
        )
    if rows:
        pages.title("Hairs, second looks, and where it stood on paper", 12, 60)
        pages.table(LOOKS, rows)
