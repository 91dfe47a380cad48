"""One writer at a time: an OS lock that dies with its process."""

from __future__ import annotations

import contextlib
import fcntl
import os
from pathlib import Path


class Lock:
    """A lock beside a job file. Whoever holds it may write; its text says who that is."""

    def __init__(self, path: Path) -> None:
        self._path = path.with_name(f".{path.name}.keel-lock")
        self._fd = -1

    def take(self, who: str) -> str | None:
        """Take the lock; return None when it is ours, else who has it ("" where none can be made here)."""
        for _ in range(8):
            try:
                fd = os.open(self._path, os.O_RDWR | os.O_CREAT, 0o644)
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
                    os.ftruncate(fd, 0)
                    os.pwrite(fd, who.encode(), 0)
                    self._fd = fd
                    return None
            os.close(fd)
        return "another window"

    def release(self) -> None:
        """Give the lock back."""
        if self._fd >= 0:
            with contextlib.suppress(OSError):
                os.unlink(self._path)
            os.close(self._fd)
            self._fd = -1
