"""A work's own blank form: what is to be read in it, laid out as its sheets are, to be written on by hand and typed in afterwards."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Sheet
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import smaller, wrapped
from vivid_keel.figures.report import A4, BOTTOM, LEFT, RIGHT

STAGES = ("Readings", "Proof")
"""Where something is read; what stands under the others follows from it, or is known before."""
EMPTY = 8
"""Lines for what nobody foresaw."""
MOST = 400
"""So many lines of a sheet are printed at the most."""
STEP, HEAD = 21.0, 26.0
LEAST = 34.0
"""No column to be written in is narrower [pt]."""


class BlankTable(Struct, frozen=True):
    """A table to be filled in: what it is, its columns (title, width, whether it is written in), and its lines, "" where one writes."""

    name: str
    columns: list[tuple[str, float, bool]]
    lines: list[list[str]]


def tables_of(desk: Desk) -> Iterator[BlankTable]:
    """Yield a table for every sheet of a work in which something is read by hand; what was read already isn't printed."""
    if not desk.reads_by_hand:
        return
    read: list[BlankTable] = []
    for stage in STAGES:
        for sheet in desk.sheets(stage) if stage in desk.stage_names else ():
            table = _table(sheet)
            if table is None:
                continue
            if stage == "Readings":
                if any((one.columns, one.lines) == (table.columns, table.lines) for one in read):
                    continue  # the same in another school's order
                read.append(table)
            elif not any(one.columns[0][0] == table.columns[0][0] for one in read):
                continue  # nothing that was read as found is read again there
            yield BlankTable(f"{stage}: {sheet.name}" if sheet.name else stage, table.columns, table.lines)


def _table(sheet: Sheet) -> BlankTable | None:
    rows = min(sheet.count, MOST)
    typed = [
        any(sheet.cell(row, column).editable for row in range(rows)) for column in range(len(sheet.columns))
    ]
    if not any(typed):
        return None
    first = next((n for n, column in enumerate(sheet.columns) if column.title), 0)
    # Where lines are only named by typing, the name stands on the form; elsewhere what is typed is what is to be read.
    named = typed[first] and sum(typed) > 1
    keep = [n for n, column in enumerate(sheet.columns) if typed[n] or n == first]
    wide = {n: max(float(sheet.columns[n].width or 120), LEAST) for n in keep}
    scale = (RIGHT - LEFT) / sum(wide.values())
    columns = [
        (sheet.columns[n].title or "Read", wide[n] * scale, typed[n] and not (named and n == first))
        for n in keep
    ]
    if columns[0][2] or not any(written for _, _, written in columns):
        return None  # nothing names its lines, or nothing is read in it
    lines = []
    for row in range(rows):
        line = [sheet.cell(row, n).text if n == first and (named or not typed[n]) else "" for n in keep]
        if any(line) and not sheet.cell(row, first).struck:
            lines.append(line)
    lines += [[""] * len(keep) for _ in range(EMPTY if named or not lines else 2)]
    return BlankTable(sheet.name, columns, lines)


def blank_pages(desk: Desk, instrument: str) -> list[Picture]:
    """Return the pages of a work's blank form."""
    journal = desk.file.journal
    names = (journal.name_of(0), journal.name_of(desk.work))
    pages: list[Picture] = []
    y = BOTTOM
    for table in tables_of(desk):
        if y + 40 + HEAD + 2 * STEP > BOTTOM:
            y = _begin(pages, names, instrument)
        y = _head(pages[-1], table, y)
        for line in table.lines:
            if y + STEP > BOTTOM:
                y = _begin(pages, names, instrument)
                y = _head(pages[-1], table, y)
            y = _line(pages[-1], table, line, y)
        y += 18
    for n, page in enumerate(pages, 1):
        page.text(RIGHT, 816, f"{n} of {len(pages)}", "muted", 8, align="right")
    return pages


def _begin(pages: list[Picture], names: tuple[str, str], instrument: str) -> float:
    """Begin a page; return where its first table may stand."""
    page = Picture(*A4)
    pages.append(page)
    page.text(LEFT, 46, names[1], "ink", smaller(names[1], 330, 16, 8, bold=True), bold=True)
    page.text(RIGHT, 46, names[0], "ink", smaller(names[0], 160, 10, 6), align="right")
    y = 66.0
    for row in (
        (("Instrument", instrument), ("Checked on", ""), ("Date", "")),
        (("Read by", ""), ("Booked by", ""), ("From … to", "")),
    ):
        for k, (name, value) in enumerate(row):
            x = LEFT + k * 168
            page.text(x, y, name, "muted", 9)
            page.text(x + 62, y, value, "ink", smaller(value, 96, 9, 5))
            page.line(x + 60, y + 3, x + 158, y + 3, "rule", 0.6)
        y += 18
    page.text(
        LEFT,
        816,
        "Read twice before anything is moved. Number the pages; what is typed in afterwards keeps page and time (menu: typed in from paper).",
        "muted",
        9,
    )
    return y + 6


def _head(page: Picture, table: BlankTable, y: float) -> float:
    page.text(LEFT, y + 14, table.name, "ink", 11, bold=True)
    y += 22
    x = LEFT
    for title, wide, _ in table.columns:
        lines = wrapped(title, wide - 5, 9, bold=True)[:2]
        for k, part in enumerate(lines):
            page.text(
                x + 3, y + 10 + 11 * k, part, "ink", smaller(part, wide - 5, 9, 5, bold=True), bold=True
            )
        x += wide
    page.line(LEFT, y, RIGHT, y, "ink", 0.8)
    page.line(LEFT, y + HEAD, RIGHT, y + HEAD, "ink", 0.8)
    _rules(page, table, y, HEAD)
    return y + HEAD


def _line(page: Picture, table: BlankTable, line: list[str], y: float) -> float:
    x = LEFT
    for text, (_, wide, _) in zip(line, table.columns, strict=True):
        page.text(x + 3, y + 14, text, "ink", smaller(text, wide - 6, 10, 5))
        x += wide
    page.line(LEFT, y + STEP, RIGHT, y + STEP, "rule", 0.5)
    _rules(page, table, y, STEP)
    return y + STEP


def _rules(page: Picture, table: BlankTable, y: float, tall: float) -> None:
    x = LEFT
    for wide in (0.0, *(wide for _, wide, _ in table.columns)):
        x += wide
        page.line(x, y, x, y + tall, "rule", 0.6)
