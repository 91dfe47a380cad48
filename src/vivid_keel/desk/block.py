"""A block of cells copied in a spreadsheet, put into lines that stand in a sheet: all of it or nothing."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Place, Sheet, Taken

Cells = Sequence[Sequence[str]]
MOST = 5_000
"""So many lines are put in at once."""


def cells_of(text: str) -> list[list[str]]:
    """Return the cells of what is on a clipboard, a list a line: parted by tabs, as a spreadsheet copies them."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n").split("\n")
    return [[_plain(cell) for cell in line.split("\t")] for line in lines]


def _plain(cell: str) -> str:
    bare = cell.strip()
    return bare[1:] if bare[:2] in {"'+", "'-", "'=", "'@"} else bare


def check(sheet: Sheet, at: Place, cells: Cells) -> None:
    """Check that every cell of a block can be taken where it would stand; an empty one leaves what stands.

    Raises
    ------
    KeelError
        `bad-value`: with the line and the cell; nothing is taken.
    """
    if len(cells) > MOST:
        raise KeelError("bad-value", f"{len(cells)} lines are too many at once; put in at most {MOST}")
    over = at[0] + len(cells) - sheet.count
    if over > 0:
        raise KeelError(
            "bad-value",
            f"{len(cells)} lines were copied and {sheet.count - at[0]} stand here; put in no more than these, or bring the rest in as a file (Ctrl+I)",
        )
    wide = max(len(line) for line in cells)
    if at[1] + wide > len(sheet.columns):
        raise KeelError(
            "bad-value", f"{wide} columns were copied and {len(sheet.columns) - at[1]} stand here"
        )
    for column in range(wide):
        taken(sheet, at, cells, column)


def lines_of(sheet: Sheet, at: Place, cells: Cells) -> list[str]:
    """Return what the lines that a block is put into are, by their first cells."""
    return [sheet.cell(row, 0).text for row in range(at[0], min(at[0] + len(cells), sheet.count))]


def taken(sheet: Sheet, at: Place, cells: Cells, column: int) -> Taken:
    """Return what one column of a block comes to, as one act.

    Raises
    ------
    KeelError
        As `check`.
    """
    drafts: list[Draft] = []
    for k, line in enumerate(cells):
        text = line[column] if column < len(line) else ""
        if not text:
            continue
        row, col = at[0] + k, at[1] + column
        where = f"line {k + 1} of what was copied, “{text[:30]}”"
        if not sheet.cell(row, col).editable:
            raise KeelError("bad-value", f"{where}: nothing is typed there; nothing was taken")
        try:
            made = sheet.accept(row, col, text).drafts
        except KeelError as error:
            raise KeelError(error.code, f"{where}: {error.message}; nothing was taken") from error
        if any(min(d.work, d.strikes or 0, d.after or 0) < 0 for d in made) or {
            d.strikes for d in made if d.strikes is not None
        } & {d.strikes for d in drafts}:
            raise KeelError("bad-value", f"{where}: several cells here make one entry; type them one by one")
        drafts += made
    return Taken(drafts, (at[0], at[1]))
