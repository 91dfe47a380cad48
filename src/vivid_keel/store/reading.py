"""A job file read: looked at, brought up where it is older, followed along its chain, or saved in parts where it is damaged."""

from __future__ import annotations

import gc
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds
from vivid_keel.core.record.journal import Journal
from vivid_keel.store.chain import Chain
from vivid_keel.store.door import Patience, check_identity, check_schema, connect, guard
from vivid_keel.store.migrations import Migration, in_memory, made_with_a_chain, migrate_file, newest
from vivid_keel.store.salvage import (
    COLUMNS,
    SalvageReport,
    check_begun,
    checked,
    copy_in_memory,
    note_lost_sources,
    salvage,
)

DAMAGE = {"damaged", "bad-value", "unknown-name", "unknown-field", "missing-field", "wrong-type"}
"""Faults of an entry that make a file a damaged one."""


class Found(Struct, frozen=True):
    """What was found in a file.

    Attributes
    ----------
    db : sqlite3.Connection
        Open on the file itself; on a copy in memory where it is older and can't be brought up, or damaged.
    journal : Journal
    chain : Chain
        To its end.
    stored : bytes or None
        What the last entry carries of it.
    report : SalvageReport or None
        What was lost, where the file is damaged.
    kept : Path or None
        Where the file as it was is kept, where it was brought up.
    older : bool
        Whether it is older and was not brought up.
    changed : str
        What another hand changed in it, in words.
    """

    db: sqlite3.Connection
    journal: Journal
    chain: Chain
    stored: bytes | None = None
    report: SalvageReport | None = None
    kept: Path | None = None
    older: bool = False
    changed: str = ""


@contextmanager
def _nothing_thrown_away() -> Iterator[None]:
    """While entries are read none becomes garbage: looking for it among them takes a third of the time."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def read_file(
    path: Path,
    kinds: Kinds,
    application_id: int,
    migrations: Sequence[Migration],
    time: str,
    *,
    read_only: bool,
) -> Found:
    """Read a file that was looked at (see `door.look`).

    Raises
    ------
    KeelError
        `not-a-job`, `newer-file`, `damaged`, `busy`, `too-long`, `too-large`, `stopped`, `no-file`: nothing was changed.
    """
    db, size = None, path.stat().st_size
    try:
        db = connect(path, read_only)
        with Patience(db, size):
            version = check_identity(db, path, newest(migrations), application_id)
            changed = check_schema(db, path, version, migrations)
            if db.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("quick_check")
        kept, older = None, version < newest(migrations)
        if older:
            db.close()
            db, kept = _brought_up(path, migrations, time, read_only or bool(changed))
        with Patience(db, size) as patience, _nothing_thrown_away():
            chain = Chain(begun=made_with_a_chain(db))
            rows = patience.over(db.execute(f"SELECT {COLUMNS}, chain FROM entries ORDER BY id"))
            journal = Journal(checked(chain.followed(rows), kinds))
            check_begun(journal)
            note_lost_sources(db, journal, kinds)
            last = db.execute("SELECT chain FROM entries ORDER BY id DESC LIMIT 1").fetchone()
    except (sqlite3.Error, KeelError, RecursionError, UnicodeDecodeError) as error:
        if db is not None:
            db.close()
        if isinstance(error, sqlite3.OperationalError):
            raise _world_failed(error, path) from None
        if isinstance(error, KeelError) and error.code not in DAMAGE:
            raise
        return _in_parts(path, kinds)
    except MemoryError:
        if db is not None:
            db.close()
        raise too_large(path) from None
    words = _changed_words(changed, chain, journal)
    stored = last[0] if last else None
    return Found(db, journal, chain, stored, kept=kept, older=older and kept is None, changed=words)


def _brought_up(
    path: Path, migrations: Sequence[Migration], time: str, read_only: bool
) -> tuple[sqlite3.Connection, Path | None]:
    """Return an older file brought to this version: itself with a copy kept, or where it can't be written a copy in memory."""
    real = path.resolve()
    if not read_only:
        try:
            kept = migrate_file(real, migrations, time)
        except OSError:
            pass  # no room, or a folder that may not be written in: it can be read all the same
        else:
            return connect(path, read_only=False), kept
    db = in_memory(real, migrations, time)
    guard(db)
    return db, None


def _in_parts(path: Path, kinds: Kinds) -> Found:
    """Return what can be read of a damaged file, from a copy in memory.

    Raises
    ------
    KeelError
        `damaged`: nothing can; `too-long`, `too-large`, `stopped`.
    """
    try:
        db = copy_in_memory(path)
    except MemoryError:
        raise too_large(path) from None
    guard(db)
    try:
        with Patience(db, path.stat().st_size) as patience:
            journal, report = salvage(db, kinds, patience.over)
    except MemoryError:
        db.close()
        raise too_large(path) from None
    except (KeelError, sqlite3.Error, UnicodeDecodeError) as lost:
        db.close()
        if isinstance(lost, KeelError) and lost.code not in DAMAGE:
            raise
        said = (
            lost.message
            if isinstance(lost, KeelError)
            else "this file is damaged and can't be read; it was left as it is"
        )
        raise KeelError("damaged", said, str(path)) from None
    return Found(db, journal, Chain(), report=report)


def _changed_words(changed: str, chain: Chain, journal: Journal) -> str:
    """Return what another hand changed in a file, in words; "" where nothing is."""
    said = [changed] if changed else []
    if chain.broken:
        entry = journal.entries.get(chain.broken)
        when = f", {entry.time[:16].replace('T', ' ')}, {entry.person}" if entry is not None else ""
        said.append(f"entry {chain.broken}{when}, or what stood before it, isn't as it was written")
    return f"Another hand has changed this file: {'; '.join(said)}." if said else ""


def too_large(path: Path) -> KeelError:
    """What is said where the memory isn't enough for a file: nothing is wrong with it."""
    return KeelError(
        "too-large",
        f"{path.name} is too large for the memory that is free on this machine. Close other programs, or open it on a larger one; "
        "nothing is known to be wrong with it, and it was left as it is",
        str(path),
    )


def _world_failed(error: sqlite3.OperationalError, path: Path) -> KeelError:
    if "locked" in str(error) or "busy" in str(error):
        return KeelError("busy", "the file is being written elsewhere; try again in a moment", str(path))
    return KeelError("no-file", f"the file can't be read: {error}", str(path))
