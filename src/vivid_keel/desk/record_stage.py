"""The Record stage, the same for every work: open matters, and everything as entered."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.matters import Matter, matters
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.desk.stage import Stage
from vivid_keel.desk.work import WorkDesk
from vivid_keel.figures.report import report_picture


class MattersSheet(Sheet):
    """What still has to be seen to; Enter on one settles it."""

    name = "Open matters"
    columns = (Column("", 34), Column("Matter", 0), Column("Entered", 160), Column("Settled", 160))
    hint = "Type a matter and Enter to note it · Enter on a noted one settles it"

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.items: list[Matter] = matters(desk.file.journal, desk.work)

    @property
    def count(self) -> int:
        return len(self.items) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.items)

    def first(self) -> Place:
        return (len(self.items), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.items):
            return Cell(editable=column == 1, hint="something still to be seen to" if column == 1 else "")
        m = self.items[row]
        settled = m.settled
        return (
            Cell(sign="in" if settled else "todo"),
            Cell(m.text, ink="muted" if settled else "ink"),
            Cell(short_time(m.time), ink="muted"),
            Cell(short_time(settled.time) if settled else "open", ink="muted" if settled else "ink"),
        )[column]

    def accept(self, row: int, column: int, text: str) -> Taken:
        if not text.strip():
            raise KeelError("bad-value", "nothing was typed; say what has to be seen to")
        return Taken([Draft(self.desk.work, "matter", {"text": text.strip()})], (len(self.items) + 1, 1))

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        if row < len(self.items) and self.items[row].settled is None:
            made.append(Draft(self.desk.work, "settled", {"matter": self.items[row].id}))
        return Taken(made, (len(self.items), 1))

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"the matter “{self.items[row].text}”", self.items[row].id) if row < len(self.items) else None


class LogSheet(Sheet):
    """Every entry of the work in the order it was made, struck and undone ones too."""

    name = "Everything as entered"
    columns = (
        Column("No.", 60, True),
        Column("Time", 150),
        Column("Who", 120),
        Column("What", 0),
        Column("", 110),
    )
    hint = "Nothing here is ever changed or removed"

    def __init__(self, desk: Desk, kinds: Kinds) -> None:
        self.desk, self.kinds = desk, kinds
        self.entries = [
            entry for entry in desk.file.journal.entries.values() if desk.work in (entry.work, entry.id)
        ]

    @property
    def count(self) -> int:
        return len(self.entries)

    def first(self) -> Place:
        return (max(0, self.count - 1), 0)

    def cell(self, row: int, column: int) -> Cell:
        entry = self.entries[row]
        journal = self.desk.file.journal
        gone = not journal.stands(entry.id)
        if column == 4:
            return Cell("undone" if journal.undone(entry.id) else "struck" if gone else "", ink="muted")
        text = (str(entry.id), short_time(entry.time), entry.person, describe(entry, self.kinds))[column]
        return Cell(text, ink="muted" if gone or column != 3 else "ink", struck=gone and column == 3)


def describe(entry: Entry, kinds: Kinds) -> str:
    """Return an entry in a few words."""
    kind = kinds.get(entry.kind)
    said = kind.said(entry) if kind is not None else f"“{entry.kind}”, which this program doesn't know"
    return said + (
        f"  (in place of entry {entry.strikes})" if entry.strikes and entry.kind != "strike" else ""
    )


def short_time(iso: str) -> str:
    """Return a recorded time as day and minute."""
    return f"{iso[:10]} {iso[11:16]}"


def record_stage(done: Callable[[Any], float] = lambda desk: 0.0) -> Stage[Any]:
    """Return the last stage of every trade; `done` says how full it is once no matter is open."""

    def full(desk: WorkDesk) -> tuple[float, str]:
        n = desk.open_matters
        return (0.5, f"{n} open") if n else (done(desk), "")

    return Stage(
        "Record",
        (
            "Record: who, what stays open, the report.",
            "Note what still has to be seen to. Ctrl+Shift+P writes the report as a PDF beside the job file.",
        ),
        full,
        lambda desk: [MattersSheet(desk), LogSheet(desk, desk.kinds)],
        lambda desk: [("", lambda desk, width, height: report_picture(desk.first_pages, width, height))],
    )
