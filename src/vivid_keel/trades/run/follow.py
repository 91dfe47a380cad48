"""How new entries follow without going through the whole book: sights booked at the end, or one corrected."""

from __future__ import annotations

from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.trades.run.book import RunBook, sight_row
from vivid_keel.trades.run.result import RunResult, with_correction, with_sight


def grown(result: RunResult, journal: Journal, entries: list[Entry]) -> RunResult | None:
    """Return what a run comes to with new entries, None where that takes the whole book."""
    work = result.book.work
    ids = [entry.id for entry in entries]
    sights = [entry for entry in entries if entry.kind == "sight"]
    if len(sights) == len(entries) == 1 and sights[0].strikes is not None:
        return _corrected(result, sights[0])
    at_end = journal.order[work][-len(ids) :] == ids and not any(entry.strikes for entry in entries)
    if not at_end or len(sights) != 1 or entries[-1] is not sights[0] or len(entries) > 2:
        return None
    book = result.book
    last = book.rows[book.sights[-1]].setup if book.sights else -1
    fresh = last < 0 or entries[0].kind == "setup" or begun(book, journal, before=ids[0])
    return with_sight(result, sight_row(sights[0], last + 1 if fresh else last))


def _corrected(result: RunResult, entry: Entry) -> RunResult | None:
    rows = result.book.rows
    row = next((i for i, r in enumerate(rows) if r.id == entry.strikes), -1)
    if row < 0 or not rows[row].stands:
        return None
    old = rows[row]
    sight = sight_row(entry, old.setup, True, old.instrument, old.staff)
    if (sight.mark, sight.kind) != (old.mark, old.kind) or (sight.text, sight.reading) == (
        old.text,
        old.reading,
    ):
        return None
    # A coarser last digit may coarsen what is shown: that takes the whole book to know.
    return with_correction(result, row, sight) if sight.step <= old.step else None


def begun(book: RunBook, journal: Journal, before: int | None = None) -> bool:
    """Whether a new set-up was begun and nothing booked on it; `before` leaves out that entry and what came after it."""
    for id in reversed(journal.order[book.work]):
        entry = journal.entries[id]
        if (
            (before is not None and id >= before)
            or not journal.stands(id)
            or entry.kind not in {"sight", "setup", "event"}
        ):
            continue
        if entry.kind == "event" and entry.body["what"] == "staff":
            continue
        return entry.kind != "sight" and bool(book.sights)
    return False
