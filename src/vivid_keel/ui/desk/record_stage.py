"""The Record stage, the same for every work: open matters, and everything as entered."""

from __future__ import annotations

from collections.abc import Callable

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.works.common import Matter, matters
from vivid_keel.core.works.run import EVENTS
from vivid_keel.ui.desk.base import Cell, Column, Desk, Place, Sheet


class MattersSheet(Sheet):
    """What still has to be seen to; Enter on one settles it."""

    name = "Open matters"
    columns = (Column("", 30), Column("Matter", 0), Column("Entered", 160), Column("Settled", 160))
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

    def accept(self, row: int, column: int, text: str) -> Place | None:
        if not text.strip():
            raise KeelError("bad-value", "nothing was typed; say what has to be seen to")
        self.desk.record(Draft(self.desk.work, "matter", {"text": text.strip()}))
        return (len(self.items) + 1, 1)

    def enter(self, row: int) -> Place | None:
        if row < len(self.items) and self.items[row].settled is None:
            self.desk.record(Draft(self.desk.work, "settled", {"matter": self.items[row].id}))
        return (len(self.items), 1)

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"the matter “{self.items[row].text}”", self.items[row].id) if row < len(self.items) else None


class LogSheet(Sheet):
    """Every entry of the work in the order it was made, struck and undone ones too."""

    name = "Everything as entered"
    columns = (Column("No.", 60, True), Column("Time", 150), Column("Who", 120), Column("What", 0), Column("", 110))
    hint = "Nothing here is ever changed or removed"

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.entries = [e for e in desk.file.journal.entries.values() if desk.work in (e.work, e.id)]

    @property
    def count(self) -> int:
        return len(self.entries)

    def first(self) -> Place:
        return (max(0, self.count - 1), 0)

    def cell(self, row: int, column: int) -> Cell:
        e = self.entries[row]
        journal = self.desk.file.journal
        gone = not journal.stands(e.id)
        if column == 4:
            return Cell("undone" if journal.undone(e.id) else "struck" if gone else "", ink="muted")
        text = (str(e.id), short_time(e.time), e.person, describe(e))[column]
        return Cell(text, ink="muted" if gone or column != 3 else "ink", struck=gone and column == 3)


def describe(e: Entry) -> str:
    """Return an entry in a few words."""
    b = e.body
    said: dict[str, Callable[[], str]] = {
        "work": lambda: f"work begun: {b['name']}",
        "rename": lambda: f"named {b['name']}",
        "instrument": lambda: f"instrument: {b['name']}",
        "mark": lambda: f"known mark {b['name']}, {b['height']['text']}, {b['source']}",
        "setup": lambda: "new set-up",
        "sight": lambda: (
            f"{b['sight']} {b['mark']} {b['reading']['text']}"
            + (f", 2nd look {b['look']['text']}" if "look" in b else "")
        ),
        "event": lambda: f"{EVENTS[b['what']]}" + (f": {b['note']}" if b.get("note") else ""),
        "planned": lambda: f"to be read: {b['name']}, about {b['height']['text']}",
        "means": lambda: "; ".join(f"{k} {v['text']}" for k, v in b.items()),
        "place": lambda: f"place of {b['mark']}: {b['x']['text']}, {b['y']['text']}",
        "weights": lambda: f"lines weighed by {b['way']}",
        "left-out": lambda: f"run {b['run']} left out" + (f": {b['reason']}" if b.get("reason") else ""),
        "closing": lambda: f"closing: {b.get('class', 'own limit')}, spread {b.get('spread', 'setups')}",
        "point": lambda: f"support {b['name']}",
        "reading": lambda: f"reading as {b['phase']}: {b['reading']['text']}",
        "reference": lambda: f"watch mark as {b['phase']}: {b['reading']['text']}",
        "target": lambda: f"target: {b['kind']}",
        "limits": lambda: "tolerance and packing rules",
        "leaf": lambda: f"stock: {b['count']} leaves of {b['leaf']['text']}",
        "caution": lambda: f"caution read: {b['key']}",
        "matter": lambda: f"open matter: {b['text']}",
        "settled": lambda: f"matter settled (entry {b['matter']})",
        "strike": lambda: f"struck entry {e.strikes}" + (f": {b['reason']}" if b.get("reason") else ""),
        "undo": lambda: "undone or redone",
        "job": lambda: f"job: {b['name']}",
        "trait": lambda: f"{b['name']}: {b['text']}",
        "check": lambda: f"check begun: {b['procedure']}",
        "seen": lambda: f"check, {b['step']}: {b['text']}",
        "decided": lambda: f"decided: {b['decision']}",
        "happened": lambda: f"{b['what']}{', ' + b['note'] if b.get('note') else ''}",
        "stand-in": lambda: "hidden errors of a stand-in",
        "question": lambda: f"asked which instrument: {b['tolerance']['text']} over {b['span']['text']}",
        "column": lambda: f"column {b['name']}",
        "carrying": lambda: f"carried as a {b['order']}",
        "closed": lambda: f"chain closed: {b['found']['text']}",
        "vehicle": lambda: f"{b['what']}: {b['text']}",
        "tilts": lambda: f"two-way level, {b['phase']}: {b['text']}",
        "pass": lambda: f"round finished: {len(b['put'])} supports packed",
        "hangs": lambda: f"hangs on {b['row']}: {b['name']}",
        "station": lambda: f"instrument stands at {b['x_m']:g}, {b['y_m']:g} m",
        "staff": lambda: f"read on {b['name']} from here",
        "mover": lambda: f"moved by {b['what']}",
        "by-eye": lambda: "named what looks high",
        "look-again": lambda: f"look again on {b['due']}",
        "corrections": lambda: f"collimation {'taken out' if b['use_collimation'] else 'left in'}",
    }
    return said[e.kind]() + (f"  (in place of entry {e.strikes})" if e.strikes and e.kind != "strike" else "")


def short_time(iso: str) -> str:
    """Return a recorded time as day and minute."""
    return f"{iso[:10]} {iso[11:16]}"
