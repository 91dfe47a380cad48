"""Where the user's own files lie, by the rules of the desktop: the one place that knows."""

from __future__ import annotations

from pathlib import Path

import platformdirs

NAME = "vivid-keel"
KIT_SUFFIX = ".keelkit"


def state_file(name: str) -> Path:
    """Return where a small file of the program's lies: lists, the log."""
    return platformdirs.user_state_path(NAME, appauthor=False) / name


def kit_path(job: Path | None = None) -> Path:
    """Return where the kit is: one that lies beside the job under its name goes with it, else the owner's own."""
    if job is not None and job.with_suffix(KIT_SUFFIX).exists():
        return job.with_suffix(KIT_SUFFIX)
    return platformdirs.user_data_path(NAME, appauthor=False) / f"kit{KIT_SUFFIX}"


def menu_files() -> tuple[Path, Path]:
    """Return where this user's menu entry and icon of the program lie."""
    shared = platformdirs.user_data_path()
    return (
        shared / "applications" / f"{NAME}.desktop",
        shared / "icons" / "hicolor" / "scalable" / "apps" / f"{NAME}.svg",
    )
