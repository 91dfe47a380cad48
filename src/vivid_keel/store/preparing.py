"""What an act writes, and how it goes into the file: the rows of its entries, their chain, the bytes beside them."""

from __future__ import annotations

import json
import re
import sqlite3
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

import orjson

from vivid_keel.core.kinds import check_shown
from vivid_keel.core.record.entries import Entry
from vivid_keel.store.chain import Chain

SUSPECT = re.compile(r"\\(?:u00|[bfr])|[\x7f\x85\u2028\u2029\ufffe\uffff]")
"""What a text that can't be shown leaves in the JSON of its entry; other texts may too, and are looked at closely."""
AT_ONCE = 4000
"""So many entries are written between two looks at whether to go on: few enough to be still at hand when they go to the file."""

TOGETHER = 100
"""So many rows go into one statement."""
ONE = "INSERT INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
MANY = ONE + ", (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)" * (TOGETHER - 1)

CarryOn = Callable[[float], bool]
"""Is told how much is done (0 … 1); False means: leave it."""

_encoded = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def _written(body: Mapping[str, Any]) -> str:
    """Return a body as JSON, by the quick encoder wherever it says the same: it writes null for what is no number."""
    try:
        quick = orjson.dumps(body)
    except TypeError:
        return _encoded(body)
    return _encoded(body) if b"null" in quick else quick.decode()


def go_on(done: float) -> bool:
    """Nobody is told, and nothing is left."""
    return True


def stored_rows(entries: Sequence[Entry], chain: Chain, *, new: bool) -> list[tuple[Any, ...]]:
    """Return entries as they are stored, the hash of each last, and go on with the chain; texts of new ones are looked at.

    Raises
    ------
    KeelError
        `bad-value`: a text that can't be shown.
    """
    rows = []
    for id, work, kind, said, time, person, strikes, after, act in entries:
        body = _written(said)
        if new and ("\\" in body or not body.isascii() or "\x7f" in body) and SUSPECT.search(body):
            check_shown(said)
        row = (id, work, kind, body, time, person, strikes, after, act)
        rows.append((*row, chain.add(row)))
    return rows


def packed(raw: bytes) -> bytes:
    """Return the bytes kept beside an entry as they are stored: the lightest packing takes a fifth of the time and a seventh more room."""
    return zlib.compress(raw, 1)


def insert_rows(db: sqlite3.Connection, rows: Sequence[tuple[Any, ...]]) -> None:
    """Insert rows, many to a statement where there are many: a statement each takes a third longer."""
    whole = len(rows) // TOGETHER * TOGETHER
    for k in range(0, whole, TOGETHER):
        db.execute(MANY, [value for row in rows[k : k + TOGETHER] for value in row])
    db.executemany(ONE, rows[whole:])


@contextmanager
def unchecked(db: sqlite3.Connection) -> Iterator[None]:
    """Leave out the table's own check, whether a body is JSON, a fifth of the time: what was encoded here a moment ago is."""
    db.execute("PRAGMA ignore_check_constraints = ON")
    try:
        yield
    finally:
        db.execute("PRAGMA ignore_check_constraints = OFF")
