"""Versions of the job file, oldest first."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Sequence
from pathlib import Path
from urllib.parse import quote

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.whole import sync_folder

APPLICATION_ID = 0x564B4A42
"""Marks a SQLite file as a Vivid Keel job ("VKJB")."""


class Migration(Struct, frozen=True):
    """A step from one version to the next: its name and the statements that make it."""

    version: int
    name: str
    statements: tuple[str, ...]


KIT_APPLICATION_ID = 0x564B4B54
"""Marks a SQLite file as a Vivid Keel kit ("VKKT")."""


YARD_APPLICATION_ID = 0x564B5944
"""Marks a SQLite file as the record of Vivid Keel's practice yard ("VKYD")."""


def _first(application_id: int) -> Migration:
    return Migration(
        1,
        "entries, append-only",
        (
            f"PRAGMA application_id = {application_id}",
            """CREATE TABLE migrations (version INTEGER PRIMARY KEY, name TEXT NOT NULL, time TEXT NOT NULL) STRICT""",
            """CREATE TABLE entries (
                 id INTEGER PRIMARY KEY,
                 work INTEGER NOT NULL,
                 kind TEXT NOT NULL,
                 body TEXT NOT NULL CHECK (json_valid(body)),
                 time TEXT NOT NULL,
                 person TEXT NOT NULL,
                 strikes INTEGER REFERENCES entries (id),
                 after INTEGER REFERENCES entries (id),
                 act INTEGER NOT NULL
               ) STRICT""",
            """CREATE TRIGGER entries_are_never_changed BEFORE UPDATE ON entries
               BEGIN SELECT RAISE(ABORT, 'entries are never changed; strike and enter anew'); END""",
            """CREATE TRIGGER entries_are_never_removed BEFORE DELETE ON entries
               BEGIN SELECT RAISE(ABORT, 'entries are never removed; strike them'); END""",
        ),
    )


_BULK = Migration(
    2,
    "many values at once",
    (
        """CREATE TABLE blobs (
             entry INTEGER PRIMARY KEY REFERENCES entries (id),
             packed BLOB NOT NULL
           ) STRICT""",
        """CREATE TRIGGER blobs_are_never_changed BEFORE UPDATE ON blobs
           BEGIN SELECT RAISE(ABORT, 'what an entry brought in is never changed; strike it and bring it in anew'); END""",
        """CREATE TRIGGER blobs_are_never_removed BEFORE DELETE ON blobs
           BEGIN SELECT RAISE(ABORT, 'what an entry brought in is never removed; strike it'); END""",
    ),
)
"""From here on the program before refuses the file: it would take a work it doesn't know for supports."""
_CHAIN = Migration(3, "a chain", ("ALTER TABLE entries ADD COLUMN chain BLOB",))
"""From here on each entry carries a hash (see `chain`): a program that writes none would break it."""
MIGRATIONS = (_first(APPLICATION_ID), _BULK, _CHAIN)
KIT_MIGRATIONS = (_first(KIT_APPLICATION_ID), _BULK, _CHAIN)
YARD_MIGRATIONS = (_first(YARD_APPLICATION_ID), _BULK, _CHAIN)
WHOSE = {APPLICATION_ID: "job", KIT_APPLICATION_ID: "kit", YARD_APPLICATION_ID: "practice"}
"""What a file with such a mark is called."""


def newest(migrations: Sequence[Migration] = MIGRATIONS) -> int:
    """Return the version this program writes."""
    return migrations[-1].version


def made_with_a_chain(db: sqlite3.Connection) -> bool:
    """Whether a file carried hashes from its first entry: one that was brought up got them later than its tables."""
    times = dict(db.execute("SELECT version, time FROM migrations WHERE version IN (1, 3)").fetchall())
    return 3 in times and times.get(1) == times[3]


def migrate(db: sqlite3.Connection, migrations: Sequence[Migration], time: str) -> None:
    """Bring an open file to the newest version, all steps in one transaction.

    Raises
    ------
    sqlite3.Error
        A step failed; the file is at the version it was.
    """
    (at,) = db.execute("PRAGMA user_version").fetchone()
    db.execute("BEGIN IMMEDIATE")
    try:
        for step in migrations:
            if step.version <= at:
                continue
            for statement in step.statements:
                db.execute(statement)
            db.execute("INSERT INTO migrations VALUES (?, ?, ?)", (step.version, step.name, time))
            db.execute(f"PRAGMA user_version = {step.version}")
        db.execute("COMMIT")
    except BaseException:
        if db.in_transaction:
            db.execute("ROLLBACK")
        raise


def in_memory(path: Path, migrations: Sequence[Migration], time: str) -> sqlite3.Connection:
    """Return a copy of an older file in memory, migrated; the file is only read.

    Raises
    ------
    KeelError
        `migration-failed`.
    """
    db = sqlite3.connect(":memory:", isolation_level=None)
    try:
        db.deserialize(path.read_bytes())
        migrate(db, migrations, time)
    except sqlite3.Error as error:
        db.close()
        raise KeelError(
            "migration-failed",
            f"could not be brought to this version ({error}); it stays as it was",
            str(path),
        ) from None
    return db


def migrate_file(path: Path, migrations: Sequence[Migration], time: str) -> Path:
    """Migrate an older file and return where a copy of the old one is kept.

    The steps are tried on a copy in memory first. Then they are made in the file itself, in one transaction: it stays
    the same file for whoever links to it, with its mode and owner, and is whole at any moment.

    Parameters
    ----------
    path : Path
        The file itself, no link.

    Raises
    ------
    KeelError
        `migration-failed`: the file is as it was.
    OSError
        The copy can't be kept, or the file not be written: it is as it was.
    """
    in_memory(path, migrations, time).close()
    kept = _keep(path)
    db = sqlite3.connect(
        f"file:{quote(os.fsencode(path))}?mode=rw", uri=True, isolation_level=None, timeout=2.0
    )
    try:
        db.execute("PRAGMA synchronous = FULL")
        migrate(db, migrations, time)
    except sqlite3.Error as error:
        raise OSError(0, str(error), str(path)) from None
    finally:
        db.close()
    return kept


def _keep(path: Path) -> Path:
    """Copy a file as it is beside itself, with its mode and owner, on the disk before anything else happens."""
    raw = path.read_bytes()
    old = int.from_bytes(raw[60:64], "big")  # user_version, in the header
    kept, n = path.with_name(f"{path.name}.version-{old}"), 2
    while kept.exists():
        if kept.read_bytes() == raw:
            return kept
        kept, n = path.with_name(f"{path.name}.version-{old} {n}"), n + 1
    own = path.stat()
    descriptor = os.open(kept, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        with os.fdopen(descriptor, "wb") as copy:
            copy.write(raw)
            if os.geteuid() == 0 or own.st_uid != os.geteuid():
                with contextlib.suppress(PermissionError):
                    os.fchown(copy.fileno(), own.st_uid, own.st_gid)
            os.fchmod(copy.fileno(), own.st_mode & 0o7777)
            copy.flush()
            os.fsync(copy.fileno())
    except OSError:
        kept.unlink(missing_ok=True)
        raise
    sync_folder(path.parent)
    return kept
