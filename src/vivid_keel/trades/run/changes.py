"""Correcting sights: each is struck and entered anew with the change, as one act."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.booking.layout import BS, FS, KINDS
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


def changed_kind(desk: WorkDesk, at: int, kind: int) -> list[Draft]:
    """Return the entries that make a row another kind of sight; set-ups part and join as its new kind wants it.

    On paper a set-up begins with its backsight and ends with its foresight: where the new kind ends or begins one the set-up is
    parted there, and where the old one did, and nothing else does, the two are one again.
    """
    book, journal = desk.book, desk.file.journal
    row, made = book.rows[at], changed_sights(desk, [(at, {"sight": KINDS[kind]})])
    if not made:
        return []
    place = book.sights.index(at)
    before = book.rows[book.sights[place - 1]] if place else None
    after = book.rows[book.sights[place + 1]] if place + 1 < len(book.sights) else None
    if kind == FS and after is not None and after.setup == row.setup:
        made.append(Draft(desk.work, "setup", {}, after=-1))
    if kind == BS and before is not None and before.setup == row.setup:
        order = journal.order[desk.work]
        made.insert(0, Draft(desk.work, "setup", {}, after=order[order.index(row.id) - 1]))
    if row.kind == FS and kind != FS and (after is None or after.kind != BS):
        made += _joined(desk, row.id, after.id if after is not None else None)
    if row.kind == BS and kind != BS and before is not None and before.kind != FS:
        made += _joined(desk, before.id, row.id)
    return made


def _joined(desk: WorkDesk, first: int, end: int | None) -> list[Draft]:
    """Strike the set-ups that begin between two entries, where nothing happened there."""
    journal, order = desk.file.journal, desk.file.journal.order[desk.work]
    last = order.index(end) if end is not None else len(order)
    between = [i for i in order[order.index(first) + 1 : last] if journal.stands(i)]
    if any(journal.entries[i].kind == "event" for i in between):
        return []
    return [
        Draft(desk.work, "strike", {"reason": "the set-ups are one again"}, strikes=i)
        for i in between
        if journal.entries[i].kind == "setup"
    ]


def struck(desk: WorkDesk, entry: int, reason: str) -> list[Draft]:
    """Return the entries that strike one of the work: with the only sight of a set-up that was begun by booking it, that beginning."""
    journal = desk.file.journal
    told = {"reason": reason} if reason else {}
    made = [Draft(desk.work, "strike", told, strikes=entry)]
    row = next((r for r in desk.book.rows if r.id == entry and r.kind == BS and r.stands), None)
    if row is not None and sum(r.stands and r.setup == row.setup for r in desk.book.rows) == 1:
        act = journal.entries[entry].act
        made += [
            Draft(desk.work, "strike", told, strikes=i)
            for i in journal.order[desk.work]
            if journal.entries[i].act == act and journal.entries[i].kind == "setup" and journal.stands(i)
        ]
    return made


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
