"""Versions of the job file, oldest first; each step and its record are one transaction."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from vivid_keel.core.errors import KeelError

APPLICATION_ID = 0x564B4A42
"""Marks a SQLite file as a Vivid Keel job ("VKJB")."""


@dataclass(frozen=True, slots=True)
class Migration:
    """A step from one version to the next: its name and the statements that make it."""

    version: int
    name: str
    statements: tuple[str, ...]


KIT_APPLICATION_ID = 0x564B4B54
"""Marks a SQLite file as a Vivid Keel kit ("VKKT")."""


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


MIGRATIONS = (_first(APPLICATION_ID),)
KIT_MIGRATIONS = (_first(KIT_APPLICATION_ID),)


def newest(migrations: Sequence[Migration] = MIGRATIONS) -> int:
    """Return the version this program writes."""
    return migrations[-1].version


def migrate(db: sqlite3.Connection, migrations: Sequence[Migration], time: str) -> None:
    """Bring an open file to the newest version, one transaction a step.

    A step that fails leaves the file at the version before it.
    """
    (at,) = db.execute("PRAGMA user_version").fetchone()
    for step in migrations:
        if step.version <= at:
            continue
        db.execute("BEGIN IMMEDIATE")
        try:
            for statement in step.statements:
                db.execute(statement)
            db.execute("INSERT INTO migrations VALUES (?, ?, ?)", (step.version, step.name, time))
            db.execute(f"PRAGMA user_version = {step.version}")
            db.execute("COMMIT")
        except BaseException:
            db.execute("ROLLBACK")
            raise


def migrate_file(path: Path, migrations: Sequence[Migration], time: str) -> Path:
    """Migrate an older file on a copy and put that in its place; return where the old one is kept."""
    working = path.with_name(path.name + ".migrating")
    (old,) = _version(path)
    kept = path.with_name(f"{path.name}.version-{old}")
    shutil.copyfile(path, working)
    db = sqlite3.connect(working, isolation_level=None)
    try:
        migrate(db, migrations, time)
    except sqlite3.Error as error:
        db.close()
        working.unlink()
        raise KeelError(
            "migration-failed", f"could not be brought to this version ({error}); it stays as it was", str(path)
        ) from None
    db.close()
    if not kept.exists():
        shutil.copyfile(path, kept)
    os.replace(working, path)
    return kept


def _version(path: Path) -> tuple[int]:
    db = sqlite3.connect(f"file:{_quoted(path)}?mode=ro", uri=True)
    try:
        (version,) = db.execute("PRAGMA user_version").fetchone()
        return (int(version),)
    finally:
        db.close()


def _quoted(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path))
