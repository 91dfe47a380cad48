"""What of a job holds some words: works by name, then everything that was entered."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from msgspec import Struct

from vivid_keel.core.kinds import Kinds
from vivid_keel.core.record.journal import Journal

MOST = 200
"""So many are found at the most."""
NOT_SEARCHED = frozenset({"rename", "strike", "undo", "job"})


class Hit(Struct, frozen=True):
    """Something found: in which work, its entry (the work's own for its name), it in a few words, the text that holds the words, whether it stands;
    and whether it is in the job while something else is in hand."""

    work: int
    entry: int
    said: str
    text: str
    stands: bool = True
    elsewhere: bool = False


def search(journal: Journal, kinds: Kinds, words: str) -> list[Hit]:
    """Return what holds all of some words, whatever their case: works by name first, then entries, the youngest first.

    Parameters
    ----------
    words : str
        Parted by blanks.
    """
    wanted = words.casefold().split()
    if not wanted:
        return []

    def holds(text: str) -> bool:
        low = text.casefold()
        return all(word in low for word in wanted)

    names = {work.id: journal.name_of(work.id) for work in journal.works()}
    out = [Hit(id, id, name, name) for id, name in names.items() if holds(name)]
    for entry in reversed(journal.entries.values()):
        if len(out) >= MOST:
            break
        if entry.kind in NOT_SEARCHED or entry.kind == "work" or entry.work not in names:
            continue
        found = next((text for text in _texts(entry.body) if holds(text)), None)
        kind = kinds.get(entry.kind)
        if found is not None and kind is not None and not journal.undone(entry.id):
            out.append(Hit(entry.work, entry.id, kind.said(entry), found, journal.stands(entry.id)))
    return out[:MOST]


def _texts(body: Mapping[str, Any]) -> Iterator[str]:
    for value in body.values():
        if isinstance(value, str):
            yield value
        elif isinstance(value, Mapping) and isinstance(value.get("text"), str):
            yield value["text"]
