"""What every job known on this machine wants looked at again, in a small file of the user's: noted as a job is left, read at the start."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import Any

from vivid_keel.desk.base import Look
from vivid_keel.places import state_file

MOST = 200
"""So many jobs are known at the most: those left last."""


def _file() -> Path:
    return state_file("due.json")


def _read() -> dict[str, Any]:
    try:
        found = json.loads(_file().read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def note(path: Path, job: str, looks: Sequence[Look]) -> None:
    """Keep what a job wants looked at again; a note that can't be kept is no reason to stop."""
    known = {other: said for other, said in _read().items() if other != str(path)}
    if looks:
        told = [[look.day.isoformat(), look.work, look.name, look.why, look.matter] for look in looks]
        known = {str(path): {"job": job, "looks": told}, **known}
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps(dict(list(known.items())[:MOST])))
    except OSError:
        return


def looks_elsewhere(here: Path | None = None) -> list[Look]:
    """Return what jobs other than the one in hand want looked at again, the soonest first; of those that are still there."""
    out = []
    for path, said in _read().items():
        if path == str(here) or not Path(path).exists():
            continue
        try:
            out += [
                Look(
                    date.fromisoformat(day), int(work), f"{said['job']}: {name}", str(why), path, bool(matter)
                )
                for day, work, name, why, matter in said["looks"]
            ]
        except (KeyError, TypeError, ValueError):
            continue  # another hand wrote that
    return sorted(out, key=lambda look: (look.day, look.name))
