"""A level book from a file as the entries of a run."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from vivid_keel.core.booking.from_file import BookFile
from vivid_keel.core.booking.layout import BS, KINDS
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read


def book_drafts(book: BookFile, name: str) -> list[Draft]:
    """Return the entries of one act that make a book a new run; refer to each other by negative numbers."""
    return [Draft(0, "work", {"name": name, "type": "run", "unit": book.unit}), *sight_drafts(book, -1)]


def sight_drafts(book: BookFile, work: int, listed: Collection[str] = ()) -> list[Draft]:
    """Return the entries that put a book's sights at the end of a run; marks already `listed` are not listed again."""
    drafts = [
        Draft(work, "mark", {"name": mark, "height": as_read(height), "source": source})
        for mark, height, source in book.known
        if mark not in listed
    ]
    happened: dict[int, list[Draft]] = {}
    for before, what, note in book.events:
        happened.setdefault(before, []).append(
            Draft(work, "event", {"what": what, "note": note} if note else {"what": what})
        )
    for i, sight in enumerate(book.sights):
        if i in happened:
            drafts += happened[i]
        if sight.new_setup or (i == 0 and work > 0 and sight.kind == BS):
            drafts.append(Draft(work, "setup", {}))
        body: dict[str, Any] = {
            "mark": sight.mark,
            "sight": KINDS[sight.kind],
            "reading": as_read(sight.reading),
        }
        if sight.distance is not None:
            body["distance"] = as_read(sight.distance)
        if sight.remark:
            body["remark"] = sight.remark
        if sight.details:
            body.update(sight.details)
        drafts.append(Draft(work, "sight", body))
    return drafts + happened.get(len(book.sights), [])


class LevelBook:
    """A level book from a file as a run."""

    def work(self, book: BookFile, name: str) -> list[Draft]:
        """Return the entries of one act that make it a new run."""
        return book_drafts(book, name)

    def more(self, book: BookFile, work: int, listed: Collection[str]) -> list[Draft]:
        """Return the entries that put its sights at the end of a run, where marks `listed` are known already."""
        return sight_drafts(book, work, listed)

    def known(self, desk: Any) -> list[str]:
        """Return the names of the marks known in a run."""
        return [k.name for k in desk.book.known]
