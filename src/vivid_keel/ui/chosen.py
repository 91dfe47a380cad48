"""How a person likes to see it: theme and size of type, kept in a small file of the user's."""

from __future__ import annotations

import json
from typing import Any

from vivid_keel.figures.palette import THEMES
from vivid_keel.places import state_file

AGAIN = 77
"""What the window leaves with that is to be opened again."""
SIZES = (1.0, 1.15, 1.3)
"""Sizes of type, against the usual [1]."""


def _kept() -> dict[str, Any]:
    try:
        found = json.loads(state_file("look.json").read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def chosen_theme() -> str:
    """Return the theme that was used last; the first where nobody chose one."""
    name = _kept().get("theme")
    return name if name in THEMES else next(iter(THEMES))


def chosen_size() -> float:
    """Return the size of type that was chosen, against the usual [1]."""
    size = _kept().get("type")
    return size if size in SIZES else SIZES[0]


def keep(**what: object) -> None:
    """Keep a choice; one that can't be kept is no reason to stop."""
    try:
        state_file("look.json").parent.mkdir(parents=True, exist_ok=True)
        state_file("look.json").write_text(json.dumps(_kept() | what))
    except OSError:
        return


def next_size() -> float:
    """Return the size of type after the one in use, the usual after the largest [1]."""
    return SIZES[(SIZES.index(chosen_size()) + 1) % len(SIZES)]
