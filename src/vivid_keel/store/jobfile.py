"""A job file open in this process: entries in, one durable transaction an act."""

from __future__ import annotations

import getpass
import json
import os
import sqlite3
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Self

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds, numbered
from vivid_keel.core.record.common import COMMON
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.store.lock import Lock
from vivid_keel.store.migrations import (
    APPLICATION_ID,
    KIT_APPLICATION_ID,
    KIT_MIGRATIONS,
    MIGRATIONS,
    Migration,
    in_memory,
    migrate,
    migrate_file,
    newest,
)
from vivid_keel.store.salvage import (
    COLUMNS,
    SalvageReport,
    check_known,
    check_sources,
    copy_in_memory,
    entry_from_row,
    salvage,
    unknown_words,
)

Clock = Callable[[], datetime]
DAMAGE = {"damaged", "bad-value", "unknown-name", "unknown-field", "missing-field", "wrong-type"}
"""Faults of an entry that make a file a damaged one."""


def local_now() -> datetime:
    """Return the present time with its offset."""
    return datetime.now().astimezone()


_written = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode
"""One encoder for all: making one for each entry takes longer than using it."""


class JobFile:
    """A job file and its journal.

    Attributes
    ----------
    path : Path
    journal : Journal
        Folded from the file; grows with every `record`.
    read_only : bool
    held_by : str
        Who writes in it, when someone else does.
    salvaged : SalvageReport or None
        What was lost, when the file is damaged.
    kept : Path or None
        Where the file as it was is kept, when it was migrated.
    older : bool
        Whether it is from an older version and could not be brought up, so that it is only read.
    unknown : str
        What in it this program doesn't know, in words, so that it is only read; "" where it knows all.
    """

    what = "job"
    application_id = APPLICATION_ID
    migrations: Sequence[Migration] = MIGRATIONS

    @classmethod
    def kinds(cls) -> Kinds:
        """Return the kinds of entries that are known: they are handed in, by a subclass."""
        return COMMON

    @classmethod
    def knows(cls, type: str) -> bool:
        """Whether a work of this type is known."""
        return True

    def __init__(
        self, path: Path, db: sqlite3.Connection, journal: Journal, person: str, clock: Clock
    ) -> None:
        self.path, self.journal = path, journal
        self.person, self._clock = person, clock
        self._db = db
        journal.source_of = self.source_of
        self._lock: Lock | None = None
        self.read_only = False
        self.held_by = ""
        self.salvaged: SalvageReport | None = None
        self.kept: Path | None = None
        self.older = False
        self.unknown = ""
        self._next = max(journal.entries, default=0) + 1
        self._act = max((entry.act for entry in journal.entries.values()), default=0) + 1

    @classmethod
    def create(
        cls,
        path: Path,
        name: str,
        person: str = "",
        clock: Clock = local_now,
        *,
        unit: str = "m",
        decimal_mark: str = "",
    ) -> Self:
        """Begin a new job; a file that is there already is never overwritten."""
        file = cls._fresh(path, person or getpass.getuser(), clock)
        body = {"name": name, "unit": unit}
        if decimal_mark:
            body["decimal_mark"] = decimal_mark
        file.record([Draft(0, "job", body)])
        return file

    @classmethod
    def create_from(
        cls,
        path: Path,
        entries: Iterable[Entry],
        person: str = "",
        clock: Clock = local_now,
        sources: Mapping[int, bytes] | None = None,
    ) -> Self:
        """Write a new file with these very entries (an imported job), and the bytes kept beside some of them."""
        entries = list(entries)
        journal = Journal(entries)
        file = cls._fresh(path, person or getpass.getuser(), clock)
        file._insert(entries, sources or {})
        file.journal = journal
        journal.source_of = file.source_of
        file._next = max(journal.entries, default=0) + 1
        file._act = max((entry.act for entry in entries), default=0) + 1
        return file

    @classmethod
    def _fresh(cls, path: Path, person: str, clock: Clock) -> Self:
        path = Path(path)
        try:
            os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o644))
        except FileExistsError:
            raise KeelError(
                "file-exists", f"{path.name} is there already; choose another name", str(path)
            ) from None
        except OSError as error:
            raise KeelError("no-file", f"{path} can't be made: {error.strerror}", str(path)) from None
        lock = Lock(path.resolve())
        holder = lock.take(person)
        db = _connect(path, read_only=False)
        migrate(db, cls.migrations, clock().isoformat(timespec="seconds"))
        file = cls(path, db, Journal(), person, clock)
        file._lock = lock if holder is None else None
        return file

    @classmethod
    def open(
        cls,
        path: Path,
        person: str = "",
        clock: Clock = local_now,
        migrations: Sequence[Migration] | None = None,
    ) -> Self:
        """Open a job.

        A second opener gets it read-only; a damaged file is opened read-only with what can be saved.

        Raises
        ------
        KeelError
            `no-file`, `not-a-job`, `newer-file`, `damaged`, `busy`: nothing was changed.
        """
        path = Path(path)
        person = person or getpass.getuser()
        migrations = cls.migrations if migrations is None else migrations
        _look(path, cls.what)
        lock = Lock(path.resolve())
        holder = lock.take(f"{person} (process {os.getpid()})")
        read_only = holder is not None or not os.access(path, os.W_OK)
        try:
            file = cls._load(path, person, clock, migrations, read_only)
        except BaseException:
            lock.release()
            raise
        file.read_only = file.read_only or read_only
        file.held_by = holder or ""
        file._lock = lock if holder is None else None
        return file

    @classmethod
    def _load(
        cls, path: Path, person: str, clock: Clock, migrations: Sequence[Migration], read_only: bool
    ) -> Self:
        kept, report, db, as_it_was = None, None, None, False
        try:
            db = _connect(path, read_only)
            version = _check_identity(db, path, newest(migrations), cls.application_id)
            if db.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("quick_check")
            if version < newest(migrations):
                db.close()
                time = clock().isoformat(timespec="seconds")
                db, kept = _brought_up(path, migrations, time, read_only)
                as_it_was = kept is None
            journal = Journal(
                entry_from_row(row) for row in db.execute(f"SELECT {COLUMNS} FROM entries ORDER BY id")
            )
            check_known(journal, cls.kinds())
            check_sources(db, journal, cls.kinds())
        except (sqlite3.DatabaseError, KeelError) as error:
            if db is not None:
                db.close()
            if isinstance(error, sqlite3.OperationalError):
                raise _world_failed(error, path) from None
            if isinstance(error, KeelError) and error.code not in DAMAGE:
                raise
            db = copy_in_memory(path)
            try:
                journal, report = salvage(db, cls.kinds())
            except KeelError as lost:
                db.close()
                raise lost.at(str(path)) from None
        file = cls(path, db, journal, person, clock)
        file.salvaged, file.kept, file.older = report, kept, as_it_was
        file.unknown = unknown_words(journal, cls.kinds(), cls.knows)
        file.read_only = report is not None or as_it_was or bool(file.unknown)
        return file

    def record(self, drafts: Sequence[Draft]) -> list[Entry]:
        """Record what one act of a person made, durably, or nothing of it.

        A negative work, strikes or after means a draft of the same act: −1 the first, −2 the second.

        Raises
        ------
        KeelError
            `read-only`, a body's fault (see `check_body`), or `not-written` when the disk refuses.
        """
        if self.read_only:
            raise KeelError("read-only", self.why_read_only(), str(self.path))
        time = self._clock().isoformat(timespec="milliseconds")
        entries = numbered(self.kinds(), drafts, self._next, self._act, time, self.person)
        self._check_references(entries)
        sources = {
            e.id: draft.source for e, draft in zip(entries, drafts, strict=True) if draft.source is not None
        }
        self._insert(entries, sources)
        for entry in entries:
            self.journal.add(entry)
        self._next += len(entries)
        self._act += 1
        return entries

    def undo(self) -> list[Entry] | None:
        """Strike the last act that stands; return its entries, or None where there is nothing to undo."""
        return self._undo(self.journal.next_undo())

    def redo(self) -> list[Entry] | None:
        """Strike the last undo; return the entries that stand again, or None."""
        act = self.journal.next_redo()
        if act is None:
            return None
        undone = int(self.journal.act_entries(act)[0].body["act"])
        self._undo(act)
        return self.journal.act_entries(undone)

    def _undo(self, act: int | None) -> list[Entry] | None:
        if act is None:
            return None
        entries = self.journal.act_entries(act)
        self.record([Draft(entries[0].work if entries[0].kind != "work" else 0, "undo", {"act": act})])
        return entries

    def why_read_only(self) -> str:
        """Return why nothing can be recorded, in a sentence."""
        if self.salvaged:
            return self.salvaged.sentence()
        if self.held_by:
            return f"{self.held_by} has this {self.what} open, so it is open here for reading only."
        if self.unknown:
            return f"{self.unknown} It is open for reading only, and nothing of it is changed."
        if self.older:
            return f"This {self.what} is from an older version and can't be written here, so it is open for reading only, as it was."
        return "This file may not be written, so it is open for reading only."

    def now(self) -> datetime:
        """Return the time an entry would be given now."""
        return self._clock()

    @contextmanager
    def made_at_once(self) -> Iterator[None]:
        """Make what is recorded within durable together, at the end: for a file that is made, not booked into.

        Three hundred entries of a demo, each forced to the disk, took a minute on a slow one.
        """
        self._db.execute("PRAGMA synchronous = OFF")
        try:
            yield
        finally:
            self._db.execute("PRAGMA synchronous = FULL")
            with open(self.path, "rb") as made:
                os.fsync(made.fileno())

    def close(self) -> None:
        """Close the file and give the lock back."""
        self._db.close()
        if self._lock is not None:
            self._lock.release()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _check_references(self, entries: Sequence[Entry]) -> None:
        known = self.journal.entries
        new = {e.id for e in entries}
        for entry in entries:
            for target in (entry.strikes, entry.after, entry.work or None):
                if target is not None and target not in known and target not in new:
                    raise KeelError("unknown-name", f"entry {target} is not in this job")

    def source_of(self, entry: int) -> bytes:
        """Return the bytes kept beside an entry, as they were brought in.

        Raises
        ------
        KeelError
            `damaged`: they are not there or can't be unpacked.
        """
        try:
            row = self._db.execute("SELECT packed FROM blobs WHERE entry = ?", (entry,)).fetchone()
            if row is not None:
                return zlib.decompress(row[0])
        except (sqlite3.Error, zlib.error) as error:
            raise KeelError(
                "damaged", f"what was brought in with entry {entry} can't be read: {error}"
            ) from None
        raise KeelError("damaged", f"what was brought in with entry {entry} is not in the file")

    def sources(self) -> dict[int, bytes]:
        """Return the bytes kept beside entries, all of them."""
        return {
            entry: self.source_of(entry)
            for (entry,) in self._db.execute("SELECT entry FROM blobs ORDER BY entry")
        }

    def _insert(self, entries: Sequence[Entry], sources: Mapping[int, bytes]) -> None:
        # Packed before the file is held; the lightest packing takes a fifth of the time and a seventh more room.
        packed = [(id, zlib.compress(raw, 1)) for id, raw in sources.items()]
        rows = [
            (
                entry.id,
                entry.work,
                entry.kind,
                _written(entry.body),
                entry.time,
                entry.person,
                entry.strikes,
                entry.after,
                entry.act,
            )
            for entry in entries
        ]
        try:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                self._db.executemany("INSERT INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)
                if packed:
                    self._db.executemany("INSERT INTO blobs VALUES (?, ?)", packed)
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise
        except (sqlite3.OperationalError, sqlite3.DatabaseError) as error:
            if isinstance(error, sqlite3.IntegrityError):
                raise
            raise KeelError(
                "not-written",
                f"this could not be written to {self.path.name} ({error}); free the disk or the file and enter it again",
                str(self.path),
            ) from None


class KitFile(JobFile):
    """The kit: the same store and rules as a job, in a file of its own that outlives jobs.

    Its works are the instruments.
    """

    what = "kit"
    application_id = KIT_APPLICATION_ID
    migrations = KIT_MIGRATIONS


def _look(path: Path, what: str) -> None:
    """Refuse what is plainly no such file before SQLite touches it."""
    try:
        with open(path, "rb") as file:
            head = file.read(16)
    except IsADirectoryError:
        raise KeelError("not-a-job", f"{path.name} is a folder, not a {what} file", str(path)) from None
    except OSError as error:
        raise KeelError("no-file", f"{path} can't be opened: {error.strerror}", str(path)) from None
    if head != b"SQLite format 3\0":
        raise KeelError(
            "not-a-job", f"{path.name} is not a Vivid Keel {what} file; it was left as it is", str(path)
        )


def _check_identity(db: sqlite3.Connection, path: Path, newest_version: int, wanted: int) -> int:
    (application,) = db.execute("PRAGMA application_id").fetchone()
    if application != wanted and application in {APPLICATION_ID, KIT_APPLICATION_ID}:
        other = "kit" if wanted == APPLICATION_ID else "job"
        raise KeelError(
            "not-a-job",
            f"{path.name} is a {other} file; open it as a {other}. It was left as it is",
            str(path),
        )
    if application != wanted:
        raise KeelError(
            "not-a-job", f"{path.name} belongs to another program; it was left as it is", str(path)
        )
    (version,) = db.execute("PRAGMA user_version").fetchone()
    if version > newest_version:
        raise KeelError(
            "newer-file",
            f"{path.name} was written by a newer version of this program (file version {version}, this one reads up to "
            f"{newest_version}); update the program to open it. It was left as it is",
            str(path),
        )
    return int(version)


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
            return _connect(path, read_only=False), kept
    return in_memory(real, migrations, time), None


def _world_failed(error: sqlite3.OperationalError, path: Path) -> KeelError:
    if "locked" in str(error) or "busy" in str(error):
        return KeelError("busy", "the file is being written elsewhere; try again in a moment", str(path))
    return KeelError("no-file", f"the file can't be read: {error}", str(path))


def _connect(path: Path, read_only: bool) -> sqlite3.Connection:
    from urllib.parse import quote

    db = sqlite3.connect(
        f"file:{quote(str(path))}?mode={'ro' if read_only else 'rw'}",
        uri=True,
        isolation_level=None,
        timeout=2.0,
    )
    if not read_only:
        db.execute("PRAGMA journal_mode = DELETE")
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA foreign_keys = ON")
    return db
