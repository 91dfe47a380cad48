"""A level book as it stood in a file: sights, known marks, what happened."""

from __future__ import annotations

from collections import Counter
from typing import Any, NamedTuple

from msgspec import Struct, field

from vivid_keel.core.quantities import Length


class BookedSight(NamedTuple):
    """A sight as it stood in the file; `new_setup` where a set-up begins with it."""

    mark: str
    kind: int
    reading: Length
    distance: Length | None
    remark: str
    new_setup: bool
    line: int
    details: dict[str, Any]


class BookFile(Struct):
    """A level book read from CSV: sights, known marks with their source, its unit, and what was noticed."""

    sights: list[BookedSight] = field(default_factory=list)
    known: list[tuple[str, Length, str]] = field(default_factory=list)
    events: list[tuple[int, str, str]] = field(default_factory=list)
    """What happened, before which sight, with a note."""
    computed: dict[int, float] = field(default_factory=dict)
    """Heights that the file has of its own [m], by its lines."""
    unit: str = "m"
    decimal_mark: str = "."
    notes: list[str] = field(default_factory=list)
    lines: Counter[str] = field(default_factory=Counter)
    """What every line of the file was: sights, events, known, struck, blank, heading, remark, sum."""
