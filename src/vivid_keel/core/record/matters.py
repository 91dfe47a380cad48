"""What still has to be seen to, and cautions that were read."""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.kinds import Finding
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal


class Matter(Struct, frozen=True):
    """An open matter: something that still has to be seen to."""

    id: int
    text: str
    time: str
    person: str
    settled: Entry | None


def matters(journal: Journal, work: int) -> list[Matter]:
    """Return a work's matters, open and settled, oldest first."""
    settled = {int(entry.body["matter"]): entry for entry in journal.standing(work, "settled")}
    return [
        Matter(entry.id, str(entry.body["text"]), entry.time, entry.person, settled.get(entry.id))
        for entry in journal.standing(work, "matter")
    ]


def acknowledged(journal: Journal, work: int, key: str) -> Entry | None:
    """Return the entry by which a caution was acknowledged, or None."""
    for entry in journal.standing(work, "caution"):
        if entry.body["key"] == key:
            return entry
    return None


def matter_findings(journal: Journal, work: int) -> list[Finding]:
    """Return a work's open matters, each as something to be seen to."""
    return [
        Finding("todo", "Open matter", m.text, action="record", action_label="Go to record")
        for m in matters(journal, work)
        if m.settled is None
    ]


def lost_findings(journal: Journal, work: int) -> list[Finding]:
    """Return which files that were brought in aren't as they were then: all else is worked out without them.

    Parameters
    ----------
    journal : Journal
    work : int
        The entry that began the work.
    """
    lost = [journal.entries[id] for id in sorted(journal.lost_sources)]
    return [
        Finding(
            "open",
            f"Damaged: {entry.body.get('name', 'a file')}, brought in with entry {entry.id}",
            "What is kept of it isn't what was brought in, so nothing is taken from it. Strike it in the record and bring the file in again.",
            action="record",
            action_label="Go to record",
        )
        for entry in lost
        if entry.work == work and journal.stands(entry.id)
    ]
