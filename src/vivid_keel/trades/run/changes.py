"""Correcting sights: each is struck and entered anew with the change, as one act."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.work import WorkDesk


def changed_sights(desk: WorkDesk, changes: list[tuple[int, dict[str, Any]]]) -> list[Draft]:
    """Return the entries that change rows of the book; None takes a field out, and what is the same is left alone."""
    drafts = []
    for at, change in changes:
        entry = desk.file.journal.entries[desk.book.rows[at].id]
        body = {k: v for k, v in {**entry.body, **change}.items() if v is not None}
        if body != entry.body and not (body.get("remark") == "" and "remark" not in entry.body):
            drafts.append(Draft(desk.work, "sight", body, strikes=entry.id))
    return drafts


def event_draft(work: int, typed: str) -> Draft:
    """Return the entry for what happened: a first letter, then a note. Raises KeelError where it means nothing."""
    letter, _, rest = typed.strip().partition(" ")
    what = {"m": "moved", "k": "knocked", "t": "taken-in", "s": "staff"}.get(letter[:1].lower())
    if what is None:
        raise KeelError(
            "bad-value", "begin with M moved, K knocked, T taken in or S staff changed; a note may follow"
        )
    body = {"what": what, "note": rest.strip()} if rest.strip() else {"what": what}
    return Draft(work, "event", body)
