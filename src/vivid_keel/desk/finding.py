"""Where on the desk something stands that was found in the record."""

from __future__ import annotations

from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Goto

ROWS = 3000
"""So many rows of a sheet are looked at."""


def where_shown(desk: Desk, text: str) -> Goto | None:
    """Return the first cell of a work that shows a text, among what was read first; None where none does."""
    for stage in sorted(desk.stage_names, key=lambda name: name != "Readings"):
        for number, sheet in enumerate(desk.sheets(stage)):
            for row in range(min(sheet.count, ROWS)):
                for column in range(len(sheet.columns)):
                    if text in sheet.cell(row, column).text:
                        return Goto(stage, number, (row, column))
    return None
