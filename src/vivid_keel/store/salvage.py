"""Reading what can still be read from a damaged job file, and saying what is missing."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

import orjson
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds, check_body, is_time
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal

COLUMNS = "id, work, kind, body, time, person, strikes, after, act"


MOST = 1 << 53
"""No entry, work or act has so large a number."""


class SalvageReport(Struct, frozen=True):
    """What a damaged file still gave: entries read, how many are missing between them, those that were unusable and why."""

    read: int
    missing: int
    unusable: tuple[int, ...]
    why: tuple[str, ...] = ()

    def sentence(self) -> str:
        """Return the report as one sentence."""
        lost = [f"{self.missing} are missing"] if self.missing else []
        if self.unusable:
            lost.append(f"{len(self.unusable)} can't be used")
        what = " and ".join(lost) if lost else "none between them is missing, but later ones may be"
        first = f" The first: {self.why[0]}." if self.why else ""
        return f"This file is damaged. {self.read} entries could be read; {what}.{first}"


def entry_from_row(row: tuple[Any, ...]) -> Entry:
    """Return the entry that a row of the file holds, or raise KeelError."""
    id, work, kind, body, time, person, strikes, after, act = row
    if not (type(kind) is type(body) is type(time) is type(person) is str):
        raise KeelError("damaged", f"entry {id} holds bytes that are no text")
    # A flipped byte of a row's header makes a number come back as a text or as bytes.
    if not (type(id) is type(work) is type(act) is int and {type(strikes), type(after)} <= {int, type(None)}):
        raise KeelError(
            "damaged", f"entry {id!r} holds something that is no number where its number, work or act stands"
        )
    if not max(id, work, act, strikes or 0, after or 0) < MOST:
        raise KeelError("damaged", f"entry {id} holds a number that is larger than any entry's")
    try:
        parsed = orjson.loads(body)
    except orjson.JSONDecodeError:
        try:
            parsed = json.loads(body)  # takes half a letter, as older versions wrote it
        except (ValueError, TypeError, RecursionError) as error:
            raise KeelError("damaged", f"entry {id} is not readable: {error}") from None
    if not is_time(time):
        raise KeelError("damaged", f"entry {id} has no time that can be read: {time[:40]!r}")
    return Entry(id, work, kind, parsed, time, person, strikes, after, act)


def _check(kinds: Kinds, entry: Entry) -> None:
    """Check an entry of a kind that is known; one of another kind is kept as it is."""
    if not isinstance(entry.body, dict):
        raise KeelError("damaged", f"its body is no object but {type(entry.body).__name__}")
    if entry.kind in kinds:
        check_body(kinds, entry.kind, entry.body)


def checked(rows: Iterable[tuple[Any, ...]], kinds: Kinds) -> Iterator[Entry]:
    """Yield the entries that rows hold, each of a kind that is known checked; one of another kind as it is.

    Raises
    ------
    KeelError
        What is wrong with the first that is.
    """
    for row in rows:
        entry = entry_from_row(row)
        _check(kinds, entry)
        yield entry


def check_begun(journal: Journal) -> None:
    """Check that a file begins with the job itself.

    Raises
    ------
    KeelError
        `damaged`.
    """
    first = next(iter(journal.entries.values()), None)
    if first is not None and first.kind != "job":
        raise KeelError("damaged", "the file doesn't begin with the job itself")


def note_lost_sources(db: sqlite3.Connection, journal: Journal, kinds: Kinds) -> None:
    """Note in a journal whose bytes, which its entries speak of, aren't there; what is in them is checked when it is read."""
    speak = {e.id for e in journal.entries.values() if e.kind in kinds and kinds[e.kind].source in e.body}
    if speak:
        journal.lost_sources |= speak - {entry for (entry,) in db.execute("SELECT entry FROM blobs")}


def unknown_words(journal: Journal, kinds: Kinds, knows: Callable[[str], bool]) -> str:
    """Return what in a file is not known here, in words; "" where all is."""
    strange = sorted({entry.kind for entry in journal.entries.values()} - set(kinds))
    works = [w for w in journal.works() if not knows(str(w.body["type"]))]
    said = []
    if works:
        named = ", ".join(f"{journal.name_of(w.id)} (“{w.body['type']}”)" for w in works[:4])
        said.append(f"works of a trade that this program doesn't know: {named}")
    if strange:
        said.append(f"entries of a kind that it doesn't know: {', '.join(f'“{k}”' for k in strange[:6])}")
    return (
        f"A newer version of this program wrote in this file; it holds {' and '.join(said)}." if said else ""
    )


LARGEST = 256 << 20
"""A larger file isn't read in parts: it would have to be held in memory [bytes]."""
LOOKED_FOR = 20_000
"""So many entries are looked for singly in the gaps of a damaged file."""


def copy_in_memory(path: Path) -> sqlite3.Connection:
    """Return a copy of a damaged file in memory, a cut-off one made up to its full size with nothing.

    Raises
    ------
    KeelError
        `damaged`: it is too large for that.
    """
    if path.stat().st_size > LARGEST:
        raise KeelError(
            "damaged",
            f"{path.name} is damaged, and too large to be read in parts; it was left as it is",
            str(path),
        )
    raw = path.read_bytes()
    page, pages = int.from_bytes(raw[16:18], "big"), int.from_bytes(raw[28:32], "big")
    page = 65536 if page == 1 else page
    # The head says how large it was: believed as far as half as much again, for it may be damaged too.
    raw = raw.ljust(min(page * pages, len(raw) + max(len(raw) // 2, 1 << 20)), b"\0")
    db = sqlite3.connect(":memory:", isolation_level=None)
    db.deserialize(raw)
    return db


def salvage(
    db: sqlite3.Connection, kinds: Kinds, over: Callable[[Iterable[Any]], Iterator[Any]] = iter
) -> tuple[Journal, SalvageReport]:
    """Return a journal of everything that can be read.

    Rows are fetched in ascending order until the file fails, then in descending order until it fails
    again, then singly in between: a bad page costs the entries that lie on it, no more. `over` yields rows while
    there is time for them.
    """
    rows: dict[int, tuple[Any, ...]] = {}
    for order in ("ASC", "DESC"):
        try:
            for row in over(db.execute(f"SELECT {COLUMNS} FROM entries ORDER BY id {order}")):
                if row[0] in rows:
                    break
                rows[row[0]] = row
        except (sqlite3.Error, UnicodeDecodeError):
            continue
    if not rows:
        raise KeelError(
            "damaged", "this job file is damaged and nothing in it can be read; it was left as it is"
        )
    tries = LOOKED_FOR
    for before, behind in list(pairwise([0, *sorted(rows)])):
        for id in range(max(before + 1, 1), min(behind, before + 1 + tries)):
            tries -= 1
            try:
                found = db.execute(f"SELECT {COLUMNS} FROM entries WHERE id = ?", (id,)).fetchone()
            except (sqlite3.Error, UnicodeDecodeError):
                continue
            if found is not None:
                rows[id] = found
    journal = Journal()
    unusable: list[int] = []
    why: list[str] = []
    for id in over(sorted(rows)):
        try:
            entry = entry_from_row(rows[id])
            _check(kinds, entry)
            journal.add(entry)
        except (KeelError, KeyError, TypeError, ValueError, RecursionError) as error:
            unusable.append(id)
            if len(why) < 50:
                why.append(f"entry {id}: {error}")
    missing = max(rows) - sum(id > 0 for id in rows)
    return journal, SalvageReport(len(journal.entries), missing, tuple(unusable), tuple(why))
