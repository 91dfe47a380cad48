"""Where the user's own files lie, by the rules of the desktop: the one place that knows."""

from __future__ import annotations

import getpass
import os
from pathlib import Path

import platformdirs

NAME = "vivid-keel"
JOB_SUFFIX = ".keel"
KIT_SUFFIX = ".keelkit"
YARD_SUFFIX = ".keelyard"


LONGEST_NAME = 150
"""A file's name is cut to so many bytes, what a number or a part of it adds apart: file systems hold 255."""


def file_name(name: str) -> str:
    """Return a name that any file system holds: no sign that parts folders, not hidden, not too long, its suffix kept."""
    safe = "".join("-" if c in '/\\:*?"<>|' or ord(c) < 32 or 0xD800 <= ord(c) < 0xE000 else c for c in name)
    stem, dot, suffix = safe.rpartition(".")
    if not stem.strip(" .") or not suffix or len(suffix.encode()) > 20:
        stem, dot, suffix = safe, "", ""
    room = LONGEST_NAME - len(suffix.encode())
    short = stem.encode()[:room].decode(errors="ignore").strip(" .") or "unnamed"
    return f"{short}{dot}{suffix}"


def user_name() -> str:
    """Return what the system calls the person; their number where it has no name for them."""
    try:
        return getpass.getuser()
    except (KeyError, OSError):  # no such user is listed, as within some containers
        return f"user {os.getuid()}"


def settle_home() -> None:
    """Take the folder that is stood in for the person's own where they have none, as within some containers."""
    try:
        Path.home()
    except RuntimeError:
        os.environ["HOME"] = str(Path.cwd())


def state_file(name: str) -> Path:
    """Return where a small file of the program's lies: lists, the log."""
    return platformdirs.user_state_path(NAME, appauthor=False) / name


def kit_path(job: Path | None = None) -> Path:
    """Return where the kit is: one that lies beside the job under its name goes with it, else the owner's own."""
    if job is not None and job.with_suffix(KIT_SUFFIX).exists():
        return job.with_suffix(KIT_SUFFIX)
    return platformdirs.user_data_path(NAME, appauthor=False) / f"kit{KIT_SUFFIX}"


def yard_path(kit: Path) -> Path:
    """Return where the practice yard keeps its record: beside the kit, under its name."""
    return kit.with_suffix(YARD_SUFFIX)


def menu_files() -> tuple[Path, Path]:
    """Return where this user's menu entry and icon of the program lie."""
    shared = platformdirs.user_data_path()
    return (
        shared / "applications" / f"{NAME}.desktop",
        shared / "icons" / "hicolor" / "scalable" / "apps" / f"{NAME}.svg",
    )
