"""The jobs opened lately, in a small file of the user's."""

from __future__ import annotations

import json
from pathlib import Path

from vivid_keel.places import state_file

MOST = 8


def _file() -> Path:
    return state_file("recent.json")


def recent_jobs() -> list[str]:
    """Return the paths of jobs opened lately that are still there."""
    try:
        paths = json.loads(_file().read_text())
        return [path for path in paths if isinstance(path, str) and Path(path).exists()][:MOST]
    except (OSError, ValueError, TypeError):
        return []


def remember(path: Path) -> None:
    """Put a job at the head of the list; a list that can't be written is no reason to stop."""
    paths = [str(path), *[recent_job for recent_job in recent_jobs() if recent_job != str(path)]][:MOST]
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps(paths))
    except OSError:
        return
