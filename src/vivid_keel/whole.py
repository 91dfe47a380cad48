"""Files that are written whole or not at all: aside first, to the disk, then in their place."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import shutil
import stat
from collections.abc import Iterator
from pathlib import Path

from vivid_keel.core.errors import KeelError

MOST = 1 << 30
"""No file that is brought in is larger [bytes]."""
PART, NEW = ".keel-part", ".keel-new"
"""What a file ends in that is being written, and a job file that is being made."""
SHORT = 200
"""So many bytes of a name are kept aside: with what is put round them they stay within what a disk takes."""


def aside_of(path: Path, ending: str = PART) -> Path:
    """Return where a file is written before it has its name."""
    short = os.fsdecode(os.fsencode(path.name)[:SHORT].decode(errors="ignore").encode())
    return path.with_name(f".{short}{ending}")


def sync_folder(folder: Path) -> None:
    """Put a folder's own list of files on the disk."""
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def synced(path: Path) -> int:
    """Put a file on the disk, and return how long it is [bytes]."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
        return os.fstat(descriptor).st_size
    finally:
        os.close(descriptor)


def read_file(path: Path) -> bytes:
    """Return what is in a file, if it is one: a pipe or a device would be waited for without end.

    Raises
    ------
    KeelError
        `no-file`: it isn't there, may not be read, is no file, or is larger than any that is brought in.
    """
    try:
        with open(path, "rb", opener=lambda name, flags: os.open(name, flags | os.O_NONBLOCK)) as file:
            found = os.fstat(file.fileno())
            if not stat.S_ISREG(found.st_mode):
                raise KeelError("no-file", f"{path} is a pipe or a device, not a file", str(path))
            if found.st_size > MOST:
                raise KeelError(
                    "no-file", f"{path} is larger than {MOST >> 20} MB, as no file of this kind is", str(path)
                )
            return file.read()
    except (OSError, ValueError) as error:
        said = (error.strerror if isinstance(error, OSError) else None) or "no file can have that name"
        raise KeelError("no-file", f"{path} can't be read: {said}", str(path)) from None


@contextlib.contextmanager
def whole(path: Path) -> Iterator[Path]:
    """Give the place aside where a file is to be written; it is moved to `path` once it lies on the disk, or else leaves nothing.

    Raises
    ------
    KeelError
        `not-written` with the reason: the disk is full, or the folder can't be written to.
    """
    if path.name.endswith(PART):
        yield path  # it is aside already, and named by who put it there
        return
    aside, own, held = aside_of(path), -1, False
    try:
        own = os.open(aside, os.O_CREAT | os.O_WRONLY | os.O_NOFOLLOW, 0o666)
        fcntl.flock(own, fcntl.LOCK_EX | fcntl.LOCK_NB)
        held = True
        os.ftruncate(own, 0)  # what a killed process left
        yield aside
        if not synced(aside):
            raise OSError(errno.ENOSPC, "nothing of it came to the disk")
        os.replace(aside, path)
        sync_folder(path.parent)
    except OSError as error:
        raise KeelError("not-written", f"{path} can't be written: {error.strerror}", str(path)) from None
    finally:
        if held:
            with contextlib.suppress(OSError):
                os.unlink(aside)
        if own >= 0:
            os.close(own)


@contextlib.contextmanager
def whole_folder(folder: Path) -> Iterator[Path]:
    """Give a folder aside to be filled, moved to `folder` once all of it lies on the disk; an error leaves nothing of it."""
    aside, own = aside_of(folder), -1
    try:
        shutil.rmtree(aside, ignore_errors=True)
        aside.mkdir(parents=True)
        own = os.open(aside, os.O_RDONLY | os.O_DIRECTORY)
        fcntl.flock(own, fcntl.LOCK_EX | fcntl.LOCK_NB)
        yield aside
        if not aside.exists():
            return  # it was stopped
        for one in [aside, *sorted(aside.rglob("*"))]:
            synced(one)
        os.rename(aside, folder)
        sync_folder(folder.parent)
    finally:
        if own >= 0:
            os.close(own)
        shutil.rmtree(aside, ignore_errors=True)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file whole or not at all.

    Raises
    ------
    KeelError
        As `whole` has it.
    """
    with whole(path) as aside:
        aside.write_bytes(data)


def clear_leftovers(folder: Path) -> list[str]:
    """Take away what a killed process left half-written in a folder; return its names. What another is writing is held by it."""
    gone = []
    with contextlib.suppress(OSError):
        for one in list(folder.iterdir()):
            if not one.name.startswith(".") or not one.name.endswith((PART, NEW)):
                continue
            with contextlib.suppress(OSError):
                own = os.open(one, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
                try:
                    fcntl.flock(own, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    if one.is_dir():
                        shutil.rmtree(one)
                    else:
                        one.unlink()
                        one.with_name(f"{one.name}-journal").unlink(missing_ok=True)
                    gone.append(one.name)
                finally:
                    os.close(own)
    return gone
