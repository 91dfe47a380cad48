"""Readings that were written on paper first: of which page each is, and when it was read there."""

from __future__ import annotations

from bisect import bisect_right

from msgspec import Struct

from vivid_keel.core.record.journal import Journal


class Paper(Struct, frozen=True):
    """From an entry on what is typed in stands on a page: its number or name ("": on none any more), and when it was read, as it was noted."""

    entry: int
    page: str
    read_at: str

    @property
    def words(self) -> str:
        """The page and when it was read, in words."""
        return f"page {self.page}" + (f", read {self.read_at}" if self.read_at else "")


def papers(journal: Journal, work: int) -> list[Paper]:
    """Return where pages were begun and ended in a work, in the order of entry."""
    found = [
        Paper(e.id, str(e.body["page"]).strip(), str(e.body.get("read_at", "")).strip())
        for e in journal.standing(work, "paper")
    ]
    return sorted(found, key=lambda one: one.entry)


def paper_of(known: list[Paper], entry: int) -> Paper | None:
    """Return the page that an entry was typed in from, None where it wasn't from paper."""
    at = bisect_right([one.entry for one in known], entry) - 1
    return known[at] if at >= 0 and known[at].page else None


def paper_in_hand(journal: Journal, work: int) -> Paper | None:
    """Return the page that is typed in just now."""
    known = papers(journal, work)
    return known[-1] if known and known[-1].page else None
