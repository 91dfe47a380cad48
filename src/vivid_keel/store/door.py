"""What is looked at before a file is believed: its kind, its size, its head, and the tables in it.

A job or kit that comes by mail is a stranger's file. Nothing in it is run, nothing larger than a job may be is read, and
no more work is done than its size accounts for.
"""

from __future__ import annotations

import math
import os
import sqlite3
import stat
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import ClassVar, TypeVar
from urllib.parse import quote

from vivid_keel.core.errors import KeelError
from vivid_keel.store.migrations import WHOSE, Migration, migrate

MAGIC = b"SQLite format 3\0"
LARGEST = 1 << 31
"""No job file is larger [bytes]."""
LONGEST = 1 << 20
"""No row of a job is longer, what is kept beside it apart [bytes]."""
STEPS, PER_BYTE = 5_000_000, 5
"""So many steps of SQLite's machine a file may take to be looked through, and so many more for each byte of it: our own take a
sixth of a step a byte, twice. Work is counted, not time: a slow machine is no fault of the file."""
AT_ONCE = 1_000
"""So many steps are taken between two looks at how many there were."""
SECONDS = 15.0
"""After so long a person is asked whether to wait on [s]."""


def look(path: Path, what: str) -> None:
    """Refuse what is plainly no such file before SQLite touches it.

    Raises
    ------
    KeelError
        `no-file`, `not-a-job`.
    """
    try:
        found = os.stat(path)
        if stat.S_ISDIR(found.st_mode):
            raise KeelError("not-a-job", f"{path.name} is a folder, not a {what} file", str(path))
        if not stat.S_ISREG(found.st_mode):
            raise KeelError("not-a-job", f"{path.name} is a pipe or a device, not a {what} file", str(path))
        with open(path, "rb") as file:
            head = file.read(100)
    except OSError as error:
        raise KeelError("no-file", f"{path} can't be opened: {error.strerror}", str(path)) from None
    if not head:
        raise KeelError(
            "not-a-job",
            f"{path.name} is empty: it was begun and nothing was ever written in it, for want of room perhaps. Delete it",
            str(path),
        )
    if head[:16] != MAGIC:
        raise KeelError(
            "not-a-job", f"{path.name} is not a Vivid Keel {what} file; it was left as it is", str(path)
        )
    if found.st_size > LARGEST:
        raise KeelError(
            "too-large", f"{path.name} is larger than any {what} file may be; it was left as it is", str(path)
        )


def connect(path: Path, read_only: bool) -> sqlite3.Connection:
    """Open a file that was looked at; nothing that stands in its tables is run."""
    db = sqlite3.connect(
        f"file:{quote(os.fsencode(path))}?mode={'ro' if read_only else 'rw'}",
        uri=True,
        isolation_level=None,
        timeout=2.0,
        check_same_thread=False,  # a large book is written off the window's thread, which writes nothing meanwhile
    )
    guard(db)
    if not read_only:
        db.execute("PRAGMA journal_mode = DELETE")
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA foreign_keys = ON")
    return db


def guard(db: sqlite3.Connection) -> None:
    """Have pages looked at closely; text that is none comes out as bytes."""
    db.execute("PRAGMA cell_size_check = ON")
    db.text_factory = _text


def _text(raw: bytes) -> str | bytes:
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return raw


Row = TypeVar("Row")
TOO_MUCH = (
    "looking through this file takes more work than its size accounts for: it isn't put together as this program does it, so another "
    "hand made it. It was left as it is"
)
LEFT = "looking through this file was left because it took long; nothing is wrong with it so far, and it was left as it is"
TABLES = {"entries", "blobs", "migrations", "sqlite_master"}
LOOKED_WITH = {"application_id", "user_version", "quick_check"}
CHECKED_WITH = {"json_valid", "max"}


def _only_reads(action: int, first: str | None, second: str | None, *_: str | None) -> int:
    """Allow what reading our own tables takes, and nothing that a file brings along: a view, a trigger, a function.

    SQLite's own switch for that (trusted_schema) can't be used: it takes json_valid in our own table for something unsafe.
    """
    allowed = (
        action == sqlite3.SQLITE_SELECT
        or (action == sqlite3.SQLITE_READ and first in TABLES)
        or (action == sqlite3.SQLITE_PRAGMA and first in LOOKED_WITH)
        or (action == sqlite3.SQLITE_FUNCTION and second in CHECKED_WITH)
    )
    return sqlite3.SQLITE_OK if allowed else sqlite3.SQLITE_DENY


class Patience:
    """While it lasts, SQLite only reads our own tables, is stopped where it does more work than the size of the file accounts for, and
    gives no row that is too long. Where it only takes long, a person is asked whether to wait.

    Attributes
    ----------
    waits : callable
        Is asked, once, whether to wait on; a window puts its question here.
    """

    waits: ClassVar[Callable[[], bool]] = staticmethod(lambda: True)

    def __init__(self, db: sqlite3.Connection, size: int) -> None:
        self._db = db
        self._steps = (STEPS + PER_BYTE * size) // AT_ONCE
        self._bytes = (
            LONGEST + 3 * size
        )  # each row is stored once, and a damaged file is read from either end
        self._asked_at = time.monotonic() + SECONDS
        self._length = db.getlimit(sqlite3.SQLITE_LIMIT_LENGTH)
        self._why: KeelError | None = None

    def _step(self) -> int:
        self._steps -= 1
        if self._steps < 0:
            self._why = KeelError("too-long", TOO_MUCH)
        elif time.monotonic() > self._asked_at:
            self._asked_at = math.inf
            if not type(self).waits():
                self._why = KeelError("stopped", LEFT)
        return int(self._why is not None)

    def _text(self, raw: bytes) -> str | bytes:
        self._bytes -= len(raw)
        return _text(raw)

    def over(self, rows: Iterable[Row]) -> Iterator[Row]:
        """Yield rows while it lasts.

        Raises
        ------
        KeelError
            `too-long`: together they are longer than the file; `stopped`: the person didn't wait.
        """
        for number, row in enumerate(rows):
            if self._bytes < 0:
                raise KeelError("too-long", TOO_MUCH)
            if number % 500 == 499 and self._step():
                assert self._why is not None
                raise self._why
            yield row

    def __enter__(self) -> Patience:
        self._db.set_progress_handler(self._step, AT_ONCE)
        self._db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LONGEST)
        self._db.set_authorizer(_only_reads)
        self._db.text_factory = self._text
        return self

    def __exit__(self, sort: object, error: BaseException | None, trace: object) -> None:
        self._db.set_authorizer(None)
        self._db.text_factory = _text
        self._db.set_progress_handler(None, 0)
        self._db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, self._length)
        if self._why is not None and isinstance(error, sqlite3.OperationalError):
            raise self._why from None


def check_identity(db: sqlite3.Connection, path: Path, newest_version: int, wanted: int) -> int:
    """Return the version of a file of ours.

    Raises
    ------
    KeelError
        `not-a-job`, `newer-file`.
    """
    (application,) = db.execute("PRAGMA application_id").fetchone()
    if application != wanted and application in WHOSE:
        other = WHOSE[application]
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


Schema = dict[tuple[str, str], str]
"""What stands in a file, by its sort and name: the words that made it, blanks apart."""


@lru_cache(maxsize=16)
def _made(migrations: tuple[Migration, ...]) -> tuple[tuple[tuple[str, str], str], ...]:
    with sqlite3.connect(":memory:", isolation_level=None) as db:
        migrate(db, migrations, "")
        return tuple(_schema(db).items())


def _schema(db: sqlite3.Connection) -> Schema:
    rows = db.execute("SELECT type, name, sql FROM sqlite_master LIMIT 200").fetchall()
    return {(str(sort), str(name)): "".join(str(sql).split()) for sort, name, sql in rows if sql is not None}


def check_schema(db: sqlite3.Connection, path: Path, version: int, migrations: Sequence[Migration]) -> str:
    """Return what stands otherwise in a file than this program makes it, in words; "" where nothing does.

    Raises
    ------
    KeelError
        `not-a-job`: its tables aren't tables.
    """
    wanted = dict(_made(tuple(step for step in migrations if step.version <= version)))
    found = _schema(db)
    for (sort, name), sql in wanted.items():
        if sort == "table" and found.get((sort, name)) != sql:
            raise KeelError(
                "not-a-job",
                f"in {path.name} “{name}” isn't the table that this program makes; another hand has changed the file. It was left as it is",
                str(path),
            )
    gone = [name for (sort, name), sql in wanted.items() if found.get((sort, name)) != sql]
    more = [name for sort, name in found if (sort, name) not in wanted]
    said = []
    if gone:
        said.append(f"what guards its entries is gone ({', '.join(sorted(gone))})")
    if more:
        said.append(f"something was put in it ({', '.join(sorted(more)[:4])})")
    return " and ".join(said)


def put_right(db: sqlite3.Connection, migrations: Sequence[Migration]) -> None:
    """Make the guards of a file those that this program makes, and take away what was put in it, all or nothing."""
    wanted = dict(_made(tuple(migrations)))
    statements = [
        statement
        for step in migrations
        for statement in step.statements
        if statement.lstrip().upper().startswith("CREATE TRIGGER")
    ]
    db.execute("BEGIN IMMEDIATE")
    try:
        for (sort, name), sql in _schema(db).items():
            if sort != "table" and wanted.get((sort, name)) != sql:
                quoted = name.replace('"', '""')
                db.execute(f'DROP {sort} "{quoted}"')
        here = _schema(db)
        for statement in statements:
            name = statement.split()[2]
            if ("trigger", name) not in here:
                db.execute(statement)
        db.execute("COMMIT")
    except BaseException:
        if db.in_transaction:
            db.execute("ROLLBACK")
        raise
