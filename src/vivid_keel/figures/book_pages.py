"""The book as pages of paper: filled, with the totals of every page, and blank ones to be written on."""

from __future__ import annotations

from vivid_keel.core.booking.layout import BS, KINDS
from vivid_keel.core.booking.pages import page_totals
from vivid_keel.core.quantities import show_amount, show_length, show_move
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.works.common import show
from vivid_keel.core.works.run import EVENT, RunResult
from vivid_keel.core.works.run.book import page_lines
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import A4, BOTTOM, LEFT, RIGHT, Heading, Pages

COLUMNS = [("Mark", 120, False), ("BS", 46, True), ("IS", 46, True), ("FS", 46, True), ("HC", 54, True), ("Rise", 42, True),
           ("Fall", 42, True), ("Height", 54, True), ("Corrected", 60, True), ("Dist", 42, True), ("Remark", 96, False)]  # fmt: skip


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
        rows, struck = _rows(result, journal, first_row, end_row)
        pages.table(COLUMNS, rows, struck)
        first_row = end_row
        sums = (
            ("Σ BS", page.sum_bs),
            ("Σ IS", page.sum_is),
            ("Σ FS", page.sum_fs),
            ("Σ rise", page.sum_rise),
            ("Σ fall", page.sum_fall),
        )
        pages.line(f"Page {n + 1}:  " + "   ".join(f"{name} {show_length(v, style)}" for name, v in sums), bold=True)
        agree = "agrees" if page.agrees else "DOES NOT AGREE"
        pages.line(
            f"BS − FS = {show_length(page.back_less_fore, style)}, last − first = {show_length(page.climbed, style)}: {agree}"
        )
    if totals:
        _closing(pages, result)
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


def _rows(result: RunResult, journal: Journal, first: int, end: int) -> tuple[list[list[str]], frozenset[int]]:
    book, style = result.book, result.book.style
    part = book.rows[first:end]
    rows: list[list[str]] = []
    struck: set[int] = set()
    for a, b in page_lines(part):
        main, back = first + a, first + b if b >= 0 else -1
        sight = book.rows[main]
        if sight.kind == EVENT:
            rows.append([sight.mark.replace("instrument", "–"), *[""] * 9, sight.remark])
            continue
        cells = {KINDS[sight.kind]: show_length(sight.reading, style)}
        remark = sight.remark
        if not sight.stands:
            struck.add(len(rows))
            remark = journal.reason(sight.id) or "struck"
        elif sight.look == sight.look:
            remark = f"{remark}; 2nd look {show_length(sight.look, style)}".lstrip("; ")
        if back >= 0:
            cells["BS"] = show_length(book.rows[back].reading, style)
            remark = remark or book.rows[back].remark
        on = back if back >= 0 else main if sight.kind == BS else -1
        rise, fall = result.rise_fall(main)
        lengths = [book.rows[i].length(book.instrument.hair_factor) for i in (main, back) if i >= 0]
        rows.append(
            [sight.mark, cells.get("BS", ""), cells.get("IS", ""), cells.get("FS", ""),
             show(result.collimation_height(on), style) if on >= 0 and sight.stands else "", show(rise, style) if rise > 0 else "",
             show(fall, style) if fall > 0 else "", show(result.height(main), style),
             show(result.corrected(main), style) if result.closure.spread else "",
             "/".join("–" if d != d else f"{d:.0f}" for d in lengths) if any(d == d for d in lengths) else "", remark]
        )  # fmt: skip
    return rows, frozenset(struck)


SCHOOLS = ("Height of collimation", "Rise and fall")
PROMPTS = (
    "1  Which benchmark, and how high?   2  Backsight on it.   3  Height of collimation, before anything else.",
    "4  Look at every reading twice before the staff moves.   5  Last of all the mark you began on, then lift the instrument.",
    "Moved, knocked or taken in: the old height of collimation is dead; draw a line and take a new backsight.",
)
LINES = 25


def blank_form(school: str, unit: str, job: str, page: int) -> Picture:
    """Return a blank page for one of the two schools, to print and write on.

    Parameters
    ----------
    school : str
        One of `SCHOOLS`.
    unit : str
        Unit of the readings: "m", "ft" or "ft-in" (with room for eighths).
    job : str
    page : int
        Its number; type it in with the readings, so that the paper is found again.
    """
    p = Picture(*A4)
    p.text(LEFT, 46, "Level book", "ink", 16, bold=True)
    p.text(RIGHT, 46, f"{school} · {UNIT_WORDS.get(unit, unit)}", "ink", 10, bold=True, align="right")
    y = 66.0
    for row in ((("Job", job), ("Page", str(page)), ("Date", "")), (("Instrument", ""), ("Checked on", ""), ("Staff", "")),
                (("Reader", ""), ("Booker", ""), ("From … to (time)", ""))):  # fmt: skip
        for k, (name, value) in enumerate(row):
            x = LEFT + k * 168
            p.text(x, y, name, "muted", 8)
            p.text(x + 62, y, value, "ink", 9)
            p.line(x + 60, y + 3, x + 158, y + 3, "rule", 0.6)
        y += 18
    p.text(LEFT, y, "Benchmark", "muted", 8)
    p.line(LEFT + 60, y + 3, LEFT + 230, y + 3, "rule", 0.6)
    p.text(LEFT + 240, y, "its height", "muted", 8)
    p.line(LEFT + 285, y + 3, LEFT + 370, y + 3, "rule", 0.6)
    p.text(LEFT + 380, y, "from", "muted", 8)
    p.line(LEFT + 402, y + 3, RIGHT, y + 3, "rule", 0.6)
    y += 14
    for words in PROMPTS:
        y += 11
        p.text(LEFT, y, words, "ink", 8)
    middle = ("HC",) if school == SCHOOLS[0] else ("Rise", "Fall")
    columns = [("Mark", 96.0), ("BS", 52.0), ("IS", 52.0), ("FS", 52.0), *((m, 62.0 if len(middle) == 1 else 44.0) for m in middle),
               ("Height", 62.0), ("Dist", 34.0), ("2nd look", 46.0)]  # fmt: skip
    columns.append(("Remark", RIGHT - LEFT - sum(w for _, w in columns)))
    top, step = y + 14, (BOTTOM - 64 - y - 14) / (LINES + 1)
    x = LEFT
    for name, wide in columns:
        p.text(x + 3, top + step - 7, name, "ink", 8.5, bold=True)
        p.line(x, top, x, top + step * (LINES + 1), "rule", 0.6)
        if unit == "ft-in" and name in {"BS", "IS", "FS", "HC", "Height", "2nd look"}:
            p.text(x + wide - 3, top + step - 7, "′  ″  ⅛", "muted", 7, align="right")
        x += wide
    p.line(RIGHT, top, RIGHT, top + step * (LINES + 1), "rule", 0.6)
    for n in range(LINES + 2):
        p.line(
            LEFT, top + n * step, RIGHT, top + n * step, "ink" if n in (0, 1) else "rule", 0.8 if n in (0, 1) else 0.5
        )
    foot = top + step * (LINES + 1) + 18
    sums = "Σ BS ________   − Σ FS ________   = ________      last − first ________"
    if len(middle) == 2:
        sums += "      Σ rise − Σ fall ________"
    p.text(LEFT, foot, sums, "ink", 9)
    p.text(
        LEFT,
        foot + 16,
        "These sums catch sums, not readings. Closing on a known mark catches readings: misclosure ________  allowed ________",
        "muted",
        8,
    )
    p.text(LEFT, 816, "Typing this in: give each reading this page's number and the time it was read.", "muted", 7)
    return p


UNIT_WORDS = {"m": "metres", "mm": "millimetres", "ft": "decimal feet", "ft-in": "feet, inches, eighths"}


def blank_forms(units: list[str], job: str) -> list[Picture]:
    """Return a blank page for both schools in each of the units."""
    return [blank_form(school, unit, job, 1) for unit in units for school in SCHOOLS]
