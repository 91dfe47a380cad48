"""What a sheet is: columns, cells, and where a key leads. No Qt."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working

Place = tuple[int, int]
"""Row and column of a sheet."""


class Column(Struct, frozen=True):
    """A column: its title, width in pixels (0: takes what is left), and which side numbers stand on."""

    title: str
    width: int
    right: bool = False


class Cell(Struct, frozen=True):
    """What stands in a cell. `sign` is a verdict, or raise or lower; `hint` is proposed, in grey; `narrow` is what
    stands there instead where there is no room."""

    text: str = ""
    ink: str = "ink"
    bold: bool = False
    struck: bool = False
    editable: bool = False
    sign: str = ""
    hint: str = ""
    wrong: bool = False
    narrow: str = ""


class PutIn(Struct, frozen=True):
    """Something forgotten that may be put in above a line: what is asked of it, one answer after the other, each with a
    hint; and what takes the answers, refusing what can't be."""

    asked: tuple[tuple[str, str], ...]
    taken: Callable[[list[str]], list[Draft]]


class Sheet:
    """A sheet: cells on demand, and what typing in them does. Subclasses say the rest."""

    columns: Sequence[Column] = ()
    hint = "Enter accepts · F1 explains this stage"
    name = ""

    @property
    def on_paper(self) -> str:
        """Under which title it stands whole in the report, though nothing is typed in it; "": it doesn't."""
        return ""

    @property
    def count(self) -> int:
        return 0

    def cell(self, row: int, column: int) -> Cell:
        return Cell()

    def lit(self, row: int) -> bool:
        """Whether the row is the one being entered."""
        return False

    def put_in(self, row: int) -> PutIn | None:
        """Return what may be put in above a row that was forgotten there; None where nothing may."""
        return None

    def start_text(self, row: int, column: int) -> str:
        """Return the text a cell is edited from."""
        return self.cell(row, column).text

    def accept(self, row: int, column: int, text: str) -> Taken:
        """Return what comes of what was typed. Raises KeelError to refuse it in its cell."""
        return Taken()

    def key(self, row: int, column: int, letter: str) -> Place | None:
        """Take a letter typed first in an empty cell; return where to go, or None if it means nothing."""
        return None

    def typing(self, row: int, column: int, text: str) -> None:
        """See what is being typed, to show what it would give."""

    def touched(self, row: int) -> range:
        """Return the rows whose cells change while this one is being typed in."""
        return range(self.count)

    def following(self) -> list[int] | None:
        """Return the rows whose cells change while the keel line is dragged; None: all of them."""
        return None

    def enter(self, row: int) -> Taken:
        """Return what Enter means on a row that isn't edited."""
        return Taken()

    def first(self) -> Place:
        """Return where a person would start."""
        return (0, 0)

    def completions(self, row: int, column: int) -> list[str]:
        """Return names that may be completed while typing."""
        return []

    def picked(self, row: int) -> int:
        """Return what the picture calls this row, -1 for nothing."""
        return -1

    def row_of(self, picked: int) -> int:
        """Return the row of what the picture calls so, -1 where there is none."""
        return -1

    def why(self, row: int) -> Working | None:
        """Return the working of the row's number."""
        return None

    def match_place(self, row: int, column: int) -> Place | None:
        """Return where a reading made by matching the picture is typed, from the cell in hand; None: nowhere."""
        return None

    def strike(self, row: int) -> tuple[str, int] | None:
        """Return what would be struck at a row, in words, and its entry; None where nothing can be."""
        return None

    def strike_at(self, row: int, column: int) -> tuple[str, int] | None:
        """Return what would be struck at a cell, where a line holds more than one thing; else what the row has."""
        return self.strike(row)

    def footer(self) -> list[tuple[str, str]]:
        """Return (text, sign) pairs that stand under the sheet."""
        return []


def as_table(sheet: Sheet, most: int) -> list[list[str]]:
    """Return a sheet as it is shown: the titles of its columns, and the texts of its first `most` lines; signs are said in words."""
    out = [[column.title for column in sheet.columns]]
    for row in range(min(sheet.count, most)):
        cells = [sheet.cell(row, column) for column in range(len(sheet.columns))]
        out.append([cell.text or SAID.get(cell.sign, "") for cell in cells])
    return out


SAID = {"in": "in", "out": "out", "open": "not proven", "todo": "to do", "raise": "raise", "lower": "lower"}
"""A sign in words."""


def in_unit(columns: Sequence[Column], unit: str) -> tuple[Column, ...]:
    """Return columns of small amounts that are headed in mm, headed in the work's own unit."""
    return tuple(replace(column, title=re.sub(r"\bmm\b", unit, column.title)) for column in columns)


def far_in_unit(columns: Sequence[Column], unit: str) -> tuple[Column, ...]:
    """Return columns of distances that are headed in m, headed in the work's own unit."""
    return tuple(replace(column, title=re.sub(r", m$", f", {unit}", column.title)) for column in columns)


class Taken(Struct, frozen=True):
    """What a sheet makes of what was typed: entries to record as one act, and where to go then.

    Attributes
    ----------
    drafts : sequence of Draft
        Nothing is recorded where there are none.
    place : place, Goto, or callable
        Where to go; a callable is asked once all is recorded, given the sheet as it stands then.
    clears : dict or None
        What was half typed and is booked by it: forgotten once it is recorded, kept where that fails.
    """

    drafts: Sequence[Draft] = ()
    place: Place | Goto | Callable[[Any], Place | Goto | None] | None = None
    clears: dict[Any, str] | None = None

    def where(self, sheet: Sheet) -> Place | Goto | None:
        """Return where to go, on the sheet as it stands now."""
        return self.place(sheet) if callable(self.place) else self.place


class Goto(Struct):
    """Where the window should go: a stage, a sheet of it, a place in that, and (not −1) a picture or another work.

    `job` says that the work is one of the job's, whichever file is in hand.
    """

    stage: str
    sheet: int = 0
    place: Place | None = None
    view: int = -1
    work: int = -1
    job: bool = False
