"""Whether what stands in an entry as text and as a value is the same: a mismatch is said, with its place, and refuses nothing.

Source: the record holds what was read as it was written, and what it was taken for.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import EQUAL, parse_length
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal

READING = {"text", "unit", "m", "step_m"}
MOST = 5
"""So many are named one by one."""


class Otherwise(Struct, frozen=True):
    """A reading whose text says something else than its value: entry, field, text, and the value [m]."""

    entry: int
    field: str
    text: str
    value: float


def told_otherwise(journal: Journal, work: int, since: int = 0) -> Iterator[Otherwise]:
    """Yield the readings of a work, of entries after `since`, whose text and value don't agree.

    The text is read in the unit it stands with, by the decimal mark that was in force at that entry.
    """
    marks = [
        (entry.id, str(entry.body.get("decimal_mark", "")))
        for entry in journal.entries.values()
        if entry.kind == "job"
    ]
    for id in journal.order.get(work, []):
        entry = journal.entries[id]
        if id <= since:
            continue
        for name, value in _readings(entry):
            mark = next((mark for at, mark in reversed(marks) if at <= id), "")
            if not agrees(value, mark):
                yield Otherwise(id, name, str(value["text"]), float(value["m"]))


def _readings(entry: Entry) -> Iterator[tuple[str, Mapping[str, Any]]]:
    for name, value in entry.body.items():
        if isinstance(value, Mapping) and set(value) == READING:
            yield name, value


def agrees(reading: Mapping[str, Any], mark: str) -> bool:
    """Return whether a reading's text says its value, to half the step it was read to.

    Parameters
    ----------
    reading : mapping
        `text`, `unit`, `m` [m], `step_m` [m].
    mark : {"", ".", ","}
        The decimal mark in force; "" where none was chosen.
    """
    text, unit, value = str(reading["text"]), str(reading["unit"]), float(reading["m"])
    near = 0.5 * abs(float(reading["step_m"])) + EQUAL
    marks = [mark] if mark else [".", ","]
    # A bare number among feet and inches was asked about when it was typed, as was one in metres without its point.
    for said in (text, f'{text}"', f"{text}'") if unit == "ft-in" else (text,):
        for one in (*marks, None):
            try:
                found = parse_length(said, unit, one).value
            except KeelError:
                continue
            if abs(found - value) <= near or (unit == "m" and abs(found / 1000 - value) <= near):
                return True
    return False


def agree_findings(found: list[Otherwise]) -> list[Finding]:
    """Return what is to be said of readings whose text and value don't agree."""
    if not found:
        return []
    said = "; ".join(
        f"entry {one.entry}, {one.field}: “{one.text[:40]}” beside {one.value:.6g} m" for one in found[:MOST]
    )
    more = f"; and {len(found) - MOST} more" if len(found) > MOST else ""
    return [
        Finding(
            "open",
            "Text and value differ",
            f"{said}{more}. The value is what is reckoned with. Hold it against the paper; strike it and enter it anew where it is wrong.",
        )
    ]
