"""What of a file isn't as it was written: said in an entry of its own, so that it goes along wherever the entries go."""

from __future__ import annotations

from collections.abc import Iterable

from vivid_keel.core.record.entries import Entry

NOT_AS_WRITTEN = "not-as-written"
"""Kind of the entry that says what was found wrong with all that stands before it, when it was written to another file."""
TAKEN_OVER = "taken-over"
"""Kind of the entry by which a person vouches for all that stands before it, with a reason."""

WARNING = "warning: "
"""What the command line begins a line with that says so."""


def mark_of(entries: Iterable[Entry]) -> str:
    """Return what isn't as it was written, in words; "" where all is, or where a person has vouched for it since.

    Parameters
    ----------
    entries : iterable of Entry
        Of a file, oldest first.
    """
    said = ""
    for entry in entries:
        if entry.kind == NOT_AS_WRITTEN:
            said = str(entry.body["said"])
        elif entry.kind == TAKEN_OVER:
            said = ""
    return said


def marked(entries: Iterable[Entry], said: str, time: str, person: str, reason: str = "") -> list[Entry]:
    """Return entries with the mark behind them that they aren't as they were written, where they don't carry it yet.

    Parameters
    ----------
    entries : iterable of Entry
        Of a file, oldest first.
    said : str
        What is wrong with them, in words; "" where nothing is.
    time, person : str
        When and by whom they are written elsewhere.
    reason : str
        Why a person vouches for them all the same; "" where nobody does: what is made of them is then for reading only.
    """
    out = list(entries)
    if said and mark_of(out) != said:
        out.append(_behind(out, NOT_AS_WRITTEN, {"said": said}, time, person))
    if reason and mark_of(out):
        out.append(_behind(out, TAKEN_OVER, {"reason": reason, "at": 0}, time, person))
    return out


def _behind(entries: list[Entry], kind: str, body: dict[str, object], time: str, person: str) -> Entry:
    id = max((entry.id for entry in entries), default=0) + 1
    act = max((entry.act for entry in entries), default=0) + 1
    return Entry(id, 0, kind, body, time, person, None, None, act)
