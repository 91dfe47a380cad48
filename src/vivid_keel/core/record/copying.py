"""A work like another: its entries once more, with what they say of one another told anew."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping
from datetime import date
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds, Of
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal

MONTH = re.compile(r", \w{3} \d{4}( \(\d+\))?$")
"""What a copy's name ends in."""


def name_for_copy(journal: Journal, work: int, day: date) -> str:
    """Return what a copy of a work is called: its name with the month, and a number where that is taken."""
    bare = MONTH.sub("", journal.name_of(work))
    name = f"{bare}, {day:%b %Y}"
    taken = {journal.name_of(one.id) for one in journal.works()}
    return next(one for one in (name, *(f"{name} ({n})" for n in range(2, 10_000))) if one not in taken)


def copied(
    journal: Journal,
    work: int,
    kinds: Kinds,
    wanted: Collection[str],
    name: str,
    begin: int,
    point_of: Callable[[int, Of], int],
    bare: Callable[[str, Mapping[str, Any]], Mapping[str, Any]],
) -> list[Draft]:
    """Return the entries of a work like another, of one act: those of some kinds come along, in the order of the book.

    Parameters
    ----------
    journal : Journal
    work : int
    kinds : mapping of str to EntryKind
        They say where a body holds numbers of other entries.
    wanted : collection of str
        The kinds that come along.
    name : str
        What the new work is called.
    begin : int
        The number that its first entry will have.
    point_of : callable
        How the number of a point that is moved follows that of the entry which tells of it.
    bare : callable
        What of a body comes along, by its kind.

    Returns
    -------
    list of Draft
        The new work first. What speaks of an entry of the work that doesn't come along is left out.

    Raises
    ------
    KeelError
        `bad-value` where it was looked at on several days: a copy would have but one.
    """
    if "visit" in wanted and journal.latest(work, "visit") is not None:
        why = "has several visits, each of its own day; in a copy all would be of today"
        raise KeelError("bad-value", f"{journal.name_of(work)} {why}. Begin a new visit (Alt+V)")
    begun = journal.entries[work].body
    made = [Draft(0, "work", {"name": name, "type": begun["type"], "unit": journal.unit_of(work)})]
    now: dict[int, int] = {}
    own = set(journal.order[work])

    def of(number: int) -> int:
        """The number in the copy; that of something outside the work stays."""
        return now[number] if number in own else number

    for id in journal.order[work]:
        entry = journal.entries[id]
        if entry.kind not in wanted or not journal.stands(id):
            continue
        try:
            told = kinds[entry.kind].refers(entry.body, of, lambda number: point_of(number, of))
        except KeyError:
            continue
        # A correction keeps the number of what was booked first.
        now[id] = now[journal.first_of(id)] = begin + len(made)
        source = journal.source_of(id) if kinds[entry.kind].source in told else None
        made.append(Draft(-1, entry.kind, bare(entry.kind, told), source=source))
    return made
