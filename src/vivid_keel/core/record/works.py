"""The works of a job as its person keeps them: in what order, which are set aside, and its next visit."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal


def is_aside(journal: Journal, work: int) -> bool:
    """Return whether a work is set aside: kept, but not at hand."""
    entry = journal.latest(work, "set-aside")
    return entry is not None and bool(entry.body["aside"])


def at_hand(journal: Journal) -> list[Entry]:
    """Return the works that are not set aside, in the person's order; those begun since stand behind."""
    return [work for work in ordered(journal) if not is_aside(journal, work.id)]


def set_aside(journal: Journal) -> list[Entry]:
    """Return the works that are set aside, in the person's order."""
    return [work for work in ordered(journal) if is_aside(journal, work.id)]


def ordered(journal: Journal) -> list[Entry]:
    """Return all works that stand, in the person's order."""
    entry = journal.latest(0, "order")
    places = {} if entry is None else {str(id): float(place) for id, place in entry.body["places"].items()}
    works = journal.works()
    last = max(places.values(), default=0.0)
    return sorted(works, key=lambda work: (places.get(str(work.id), last + work.id), work.id))


def moved(journal: Journal, work: int, step: int) -> Draft | None:
    """Return what puts a work so many places further down among those at hand; None where it is there already.

    Parameters
    ----------
    step : int
        Places, up −.
    """
    ids = [one.id for one in at_hand(journal)]
    if work not in ids:
        return None
    at = ids.index(work)
    to = min(max(at + step, 0), len(ids) - 1)
    if to == at:
        return None
    ids.insert(to, ids.pop(at))
    ids += [one.id for one in set_aside(journal)]
    return Draft(0, "order", {"places": {str(id): place for place, id in enumerate(ids)}})


def begin_visit(journal: Journal, work: int) -> Draft:
    """Return the entry that begins a new visit of a work.

    Raises
    ------
    KeelError
        `bad-value` where nothing was read at the visit in hand.
    """
    before = journal.latest(work, "visit")
    since = 0 if before is None else before.id
    read = any(
        id > since and journal.stands(id) and _reads(journal.entries[id]) for id in journal.order[work]
    )
    if not read:
        raise KeelError(
            "bad-value",
            f"nothing was read yet at this visit of {journal.name_of(work)}; a new one begins once something was",
        )
    return Draft(work, "visit", {})


def _reads(entry: Entry) -> bool:
    return any(field in entry.body for field in ("reading", "phase", "to_slab"))


def job_told(journal: Journal, **changed: str) -> Draft:
    """Return the entry by which the job is called otherwise, lies elsewhere, or is written in other units or with another decimal mark.

    What was read stays as it was read, with the unit and the mark of then.
    """
    entry = journal.latest(0, "job")
    body = dict(entry.body) if entry is not None else {"name": "Job"}
    body["name"] = journal.name_of(0)
    return Draft(0, "job", {**body, **changed})
