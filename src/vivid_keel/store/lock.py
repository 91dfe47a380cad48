"""One writer at a time: OS locks that die with their process."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
from pathlib import Path


class Lock:
    """The lock of a job file: on the file itself, whatever name it goes by, and beside it, where its text says who has it.

    The one beside it is what older versions of the program look at.
    """

    def __init__(self, path: Path) -> None:
        self._file = path
        self._path = path.with_name(f".{path.name}.keel-lock")
        self._fd = self._own = -1

    def take(self, who: str) -> str | None:
        """Take the lock; return None when it is ours, else who has it ("" where none can be made here)."""
        for _ in range(8):
            try:
                fd = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK, 0o600)
            except OSError:
                return ""
            try:
                fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                holder = os.read(fd, 400).decode("utf-8", "replace").strip()
                os.close(fd)
                return holder or "another window"
            # The last holder may have unlinked the file between our open and our lock.
            with contextlib.suppress(FileNotFoundError):
                if os.stat(self._path).st_ino == os.fstat(fd).st_ino:
                    self._fd = fd
                    if not self._take_file():
                        self.release()
                        return "another window"
                    with contextlib.suppress(OSError):  # a full disk: the lock holds without a name in it
                        os.ftruncate(fd, 0)
                        os.pwrite(fd, who.encode(), 0)
                    return None
            os.close(fd)
        return "another window"

    def _take_file(self) -> bool:
        """Lock the file itself: a link to it, or the side lock deleted, must not let a second writer in."""
        try:
            self._own = os.open(self._file, os.O_RDONLY | os.O_NONBLOCK)
        except OSError:
            return True  # whoever can't read it is told so when it is opened
        try:
            fcntl.flock(self._own, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            return error.errno not in {errno.EWOULDBLOCK, errno.EACCES}  # a disk without such locks
        return True

    def is_at(self, path: Path) -> bool:
        """Whether what lies at a path is still the file that was locked."""
        if self._own < 0:
            return path.exists()
        try:
            there, own = os.stat(path), os.fstat(self._own)
        except OSError:
            return False
        return (there.st_dev, there.st_ino) == (own.st_dev, own.st_ino)

    def sync(self) -> None:
        """Force the file to the disk: it is never opened anew for that, for closing it again would drop SQLite's own locks."""
        if self._own >= 0:
            os.fsync(self._own)

    def release(self) -> None:
        """Give the lock back; SQLite must have let go of the file before."""
        if self._fd >= 0:
            with contextlib.suppress(OSError):
                os.unlink(self._path)
            os.close(self._fd)
        if self._own >= 0:
            os.close(self._own)
        self._fd = self._own = -1
