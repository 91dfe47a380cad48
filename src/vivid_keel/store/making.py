"""A new file is made aside and moved into place when it is whole: no half-made one ever lies under its name."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import sqlite3
from collections.abc import Iterator, Sequence
from pathlib import Path

from vivid_keel.core.errors import KeelError
from vivid_keel.store.door import connect
from vivid_keel.store.migrations import Migration, migrate
from vivid_keel.whole import NEW, aside_of, sync_folder


def _exists(path: Path) -> KeelError:
    return KeelError("file-exists", f"{path.name} is there already; choose another name", str(path))


@contextlib.contextmanager
def made_aside(path: Path, migrations: Sequence[Migration], time: str) -> Iterator[sqlite3.Connection]:
    """Give a new, empty file to be filled, and move it into place once that is done.

    Raises
    ------
    KeelError
        `file-exists`; `no-file`: it can't be made there, and nothing is left lying about.
    """
    if os.path.lexists(path):
        raise _exists(path)
    aside = aside_of(path, NEW)
    own = -1
    try:
        own = os.open(aside, os.O_CREAT | os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK, 0o600)
        fcntl.flock(own, fcntl.LOCK_EX | fcntl.LOCK_NB)
        os.fchmod(own, 0o600)
        os.ftruncate(own, 0)  # what a killed process left
        db = connect(aside, read_only=False)
        try:
            migrate(db, migrations, time)
            yield db
        finally:
            db.close()
        os.fsync(own)
        _moved(aside, path)
        sync_folder(path.parent)
    except FileExistsError:
        raise _exists(path) from None
    except (OSError, sqlite3.Error) as error:
        said = (error.strerror or str(error)) if isinstance(error, OSError) else str(error)
        raise KeelError("no-file", f"{path} can't be made: {said}", str(path)) from None
    except KeelError as error:
        if error.code != "not-written":
            raise
        raise KeelError("no-file", f"{path} can't be made: the disk may be full", str(path)) from None
    finally:
        if own >= 0:
            with contextlib.suppress(OSError):
                os.unlink(aside)
            with contextlib.suppress(OSError):
                os.unlink(f"{aside}-journal")
            os.close(own)


def _moved(aside: Path, path: Path) -> None:
    """Give a whole file its name, never over another."""
    try:
        os.link(aside, path)
    except OSError as error:
        if error.errno not in {errno.EPERM, errno.ENOTSUP, errno.EMLINK}:
            raise
        if os.path.lexists(path):
            raise FileExistsError from None
        os.rename(aside, path)  # a disk without hard links
