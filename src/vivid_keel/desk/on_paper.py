"""A work's readings as they stand in its sheets, for its report: what was stated, what was read, by whom."""

from __future__ import annotations

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.paper import papers
from vivid_keel.desk.base import Desk
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.sheet import Sheet
from vivid_keel.desk.visits import VisitsSheet, visits_picture
from vivid_keel.figures.report import Table

MOST = 400
"""So many lines of a sheet are set; the archive holds every one."""
SENT = "Live number"
"""The sheet of how an instrument's numbers come in: told only where somebody said it."""
MOVED = {"out": " moved", "open": " not proven"}
"""What a change's sign says."""
LEAST, REST = 40.0, 110.0
"""The least width of a column on paper, and that of one that takes what is left on the screen."""


def tables_read(desk: Desk) -> tuple[Table, ...]:
    """Return how a work is set up and what was read in it, a table for every sheet in which something stands."""
    made: list[Table] = []
    for stage in ("Set-up", "Readings", "Proof"):
        for sheet in desk.sheets(stage) if stage in desk.stage_names else ():
            if isinstance(sheet, FactsSheet):
                continue
            if sheet.on_paper:
                made.append(_whole(sheet))
                continue
            if isinstance(sheet, VisitsSheet):
                made += _visits(sheet)
                continue
            table = _table(sheet, f"{stage}: {sheet.name}" if sheet.name else stage)
            if table is not None and not any(
                (table.columns, table.lines) == (one.columns, one.lines) for one in made
            ):
                made.append(table)
    return tuple(made)


def _table(sheet: Sheet, name: str) -> Table | None:
    wide = len(sheet.columns)
    lines: list[list[str]] = []
    struck: set[int] = set()
    for row in range(sheet.count):
        cells = [sheet.cell(row, n) for n in range(wide)]
        if not any(cell.editable and cell.text for cell in cells):
            continue
        if any(cell.struck and cell.editable and cell.text for cell in cells):
            struck.add(len(lines))
        # What was read before stands beside what stands now.
        lines.append(
            [f"{c.text} (struck)" if c.struck and c.text and not c.editable else c.text for c in cells]
        )
        if len(lines) == MOST:
            break
    kept = [n for n in range(wide) if any(line[n] for line in lines)]
    if not kept:
        return None
    every = _columns(sheet)
    columns = tuple(every[n] for n in kept)
    return Table(name, columns, tuple(tuple(line[n] for n in kept) for line in lines), frozenset(struck))


def _whole(sheet: Sheet) -> Table:
    """Return a sheet that nothing is typed in as it stands."""
    lines = [
        tuple(sheet.cell(row, n).text for n in range(len(sheet.columns)))
        for row in range(min(sheet.count, MOST))
    ]
    return Table(sheet.on_paper, _columns(sheet), tuple(lines))


def _columns(sheet: Sheet) -> tuple[tuple[str, float, bool], ...]:
    return tuple((c.title, max(float(c.width or REST), LEAST), c.right) for c in sheet.columns)


def _visits(sheet: VisitsSheet) -> list[Table]:
    """Return the visits of a work beside one another, where there is more than one: what moved is said in words, and drawn."""
    if len(sheet.labels) < 2:
        return []
    lines = [
        tuple(
            cell.text + MOVED.get(cell.sign, "")
            for cell in (sheet.cell(row, n) for n in range(len(sheet.columns)))
        )
        for row in range(sheet.count - 1)  # the last one begins the next
    ]
    picture = visits_picture(sheet.desk, 760, 300)
    return [Table("Visits beside one another", _columns(sheet), tuple(lines), picture=picture)]


def stated(desk: Desk) -> tuple[str, ...]:
    """Return what was said of what is worked on and read with, and what is assumed where nobody said, a paragraph each."""
    said, taken = [], []
    for stage in ("Instrument", "Set-up", "Target"):
        for sheet in desk.sheets(stage) if stage in desk.stage_names else ():
            if not isinstance(sheet, FactsSheet):
                continue
            for fact in sheet.facts:
                text = sheet.stated.texts[fact.key]
                words = f"{fact.label} {text}" + ("" if fact.choices else f" {fact.shown_unit}".rstrip())
                if fact.key in sheet.stated.ids:
                    said.append(words)
                elif text and not fact.may_lack and sheet.name != SENT:
                    taken.append(words)
    return tuple(
        f"{head}: {'; '.join(words)}."
        for head, words in (("Said", said), ("Assumed, since nobody said otherwise", taken))
        if words
    )


def entered(journal: Journal, work: int) -> str:
    """Return who entered the readings of a work and when, "" where nothing was yet."""
    ids = journal.order.get(work, [])
    if not ids:
        return ""
    people = sorted({journal.entries[id].person for id in ids})
    days = sorted({journal.entries[id].time[:10] for id in (ids[0], ids[-1])})
    pages = [one.words for one in papers(journal, work) if one.page]
    from_paper = f", typed in from {'; '.join(dict.fromkeys(pages))}" if pages else ""
    return f"entered by {', '.join(people)}, {' to '.join(days)}{from_paper}"
