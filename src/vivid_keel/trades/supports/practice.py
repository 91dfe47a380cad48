"""Practising on supports: a simulated building answers the moves, in a work of its own."""

from __future__ import annotations

from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT, leaf_key
from vivid_keel.core.moving.scale import reading_at
from vivid_keel.core.quantities import LengthStyle, is_missing, parse_length, show_length, style_for
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.supports.measure import changes

MARK = 0.9415
"""What the scale on a practice work's watch mark shows at first [m]."""
COPIED = ("instrument", "limits", "leaf", "hangs", "station", "corrections", "mover", "live-fact")


def practice_drafts(desk: WorkDesk) -> list[Draft]:
    """Return a work like this one, its as-found readings with it, over a simulated building; its store is full the first time."""
    from vivid_keel.stands.building import hide_building

    book, journal = desk.book, desk.file.journal
    if not desk.result.read:
        raise KeelError(
            "bad-value", "read the supports first; the simulated building begins where they were found"
        )
    drafts = [desk.begin_practice()]
    lacking = {} if str(drafts[0].body["name"]).startswith("Practice:") else _runs_short(desk)
    for kind in COPIED:
        for entry in journal.standing(desk.work, kind):
            more = {"count": lacking[entry.id]} if entry.id in lacking else {}
            drafts.append(Draft(-1, kind, {**entry.body, **more}))
    for point in book.points:
        body = {
            "name": point.name,
            "row": point.row,
            "x_m": point.x,
            "y_m": point.y,
            "sense": point.sense,
            "wanted_m": point.wanted,
        }
        drafts.append(
            Draft(-1, "point", body | ({"travel_m": point.travel} if not is_missing(point.travel) else {}))
        )
    u = book.instrument.base if book.instrument is not None else 0.0003
    hidden = hide_building(1000 + len(journal.entries), u) | {"short": float(len(lacking))}
    drafts.append(Draft(-1, "stand-in", {"hidden": hidden}))
    return drafts


def _runs_short(desk: WorkDesk) -> dict[int, int]:
    """Return how many there are of the leaf that the plan uses most, by its entry: half of what is wanted. The second time that
    somebody practises on a work the store isn't full, as none is on site."""
    used = desk.result.used()
    wanted = {leaf.id: used.get(leaf_key(leaf.thickness), 0) for leaf in desk.book.stock}
    most = max(wanted, key=lambda id: wanted[id], default=0)
    return {most: wanted[most] // 2} if wanted.get(most, 0) > 1 else {}


def found_drafts(desk: WorkDesk, work: int, names: dict[str, int]) -> list[Draft]:
    """Return the target and the as-found readings of a work for its practice copy, whose points go by these ids."""
    target = desk.file.journal.latest(desk.work, "target")
    own: list[Draft] = []
    if target is not None:
        body = dict(target.body)
        if body["kind"] == "keep":
            kept = next((point.name for point in desk.book.points if point.id == body.get("point")), "")
            body["point"] = names.get(kept, 0)
        own = [Draft(work, "target", body)]
    own.append(
        Draft(work, "reference", {"phase": FOUND, "name": desk.book.reference_name, "reading": _mark(desk)})
    )
    return own + [
        Draft(
            work,
            "reading",
            {
                "point": names[point.name],
                "phase": FOUND,
                "reading": dict(desk.file.journal.entries[point.first.id].body["reading"]),
            },
        )
        for point in desk.book.points
        if point.first is not None
    ]


def _mark(desk: WorkDesk) -> dict[str, Any]:
    """The watch mark as found: as it was read, else one that stands somewhere off the structure."""
    for entry in desk.file.journal.standing(desk.work, "reference"):
        if entry.body["phase"] == FOUND:
            return dict(entry.body["reading"])
    return as_read(parse_length(show_length(MARK, _fine(desk)), desk.book.unit, "."))


def _fine(desk: WorkDesk) -> LengthStyle:
    return style_for(desk.book.unit, 0.0001) if desk.book.unit == "m" else desk.book.style


def mark_draft(desk: WorkDesk, hidden: dict[str, float]) -> Draft:
    """Return what the scale on the watch mark shows once a round is read: it stands where it stood, and the line may not."""
    from vivid_keel.stands.building import line_moved

    book = desk.book
    rounds = len(book.passes)
    since = line_moved(hidden, rounds + 1) - line_moved(hidden, rounds)
    text = show_length(book.reference[FOUND].value + since, _fine(desk))
    reading = as_read(parse_length(text, book.unit, "."))
    return Draft(desk.work, "reference", {"phase": LEFT, "name": book.reference_name, "reading": reading})


def answer_drafts(desk: WorkDesk, hidden: dict[str, float]) -> list[Draft]:
    """Return what the simulated building shows at every support once this round's packing is in."""
    from vivid_keel.stands.building import answer, line_moved

    book, result = desk.book, desk.result
    if result.packing is None and result.to_do and not result.instructions:
        raise KeelError(
            "bad-value", "the leaves are not chosen yet; enter a stock under Target, and wait for it"
        )
    put, leaves = result.put_in()
    packed = [(a, b) for a, b, _ in changes(book)]
    packed.append(
        (
            np.array([put.get(point.id, 0.0) for point in book.points]),
            np.array([float(leaves.get(point.id, 0)) for point in book.points]),
        )
    )
    rows = [
        sorted((i for i, point in enumerate(book.points) if point.row == row), key=lambda i: book.points[i].x)
        for row in book.rows
    ]
    change = answer(hidden, rows, len(book.points), packed)
    if FOUND in book.reference:
        change = change - line_moved(
            hidden, len(book.passes) + 1
        )  # the line of today, from which all of it is read
    fine = _fine(desk)
    drafts: list[Draft] = []
    for i, point in enumerate(book.points):
        if point.first is None or point.left is not None:
            continue
        base = point.first.value * (1 if point.sense == "hangs" else -1)
        reading = float(reading_at(np.array([base + change[i]]), [point.sense])[0])
        text = show_length(reading, fine)
        drafts.append(
            Draft(
                desk.work,
                "reading",
                {
                    "point": point.id,
                    "phase": LEFT,
                    "reading": as_read(parse_length(text, book.unit, ".")),
                    "remark": "stand-in",
                },
            )
        )
    return drafts
