"""Marks met again and legs levelled twice: what they say, and what becomes of a leg once the person says which way counts."""

from __future__ import annotations

from vivid_keel.core.booking.layout import FS
from vivid_keel.core.booking.met import Met
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_amount, show_move
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.trades.run.result import RunResult

FIRST, SECOND = "the first way counts", "the second way counts"
AGAIN = "levelled again"


def met_words(result: RunResult, one: Met) -> str:
    """Return what a mark met again says: which, where, by how much, and what is allowed."""
    style = result.book.style
    allowed = "" if is_missing(one.allowed) else f"; {show_amount(one.allowed, style)} allowed"
    return f"{met_title(result, one)}{allowed}"


def met_title(result: RunResult, one: Met) -> str:
    """Return which mark was met again, and by how much it differs."""
    mark, by = result.layout.marks[one.row], show_move(one.difference, result.book.style)
    if one.first < 0:
        return f"{mark} on set-up {_setup(result, one.row)} {by} against its known height"
    return f"{mark} read twice, {by} on set-up {_setup(result, one.row)} against set-up {_setup(result, one.first)}"


def bad_words(result: RunResult) -> str:
    """Return the worst of what doesn't agree, short, for the job list."""
    one = result.bad[0]
    more = len(result.bad) - 1
    mark, by = result.layout.marks[one.row], show_move(one.difference, result.book.style)
    return f"{mark} met again {by}{f', and {more} more' if more else ''}"


def leg_words(result: RunResult, one: Met) -> str:
    """Return which leg a mark met again levels a second time, "" where none."""
    if one.leg is None:
        return ""
    layout = result.layout
    return f"{layout.marks[layout.backsight[one.leg[1]]]} to {layout.marks[one.row]}"


def _setup(result: RunResult, row: int) -> int:
    return int(result.layout.setup[row]) + 1


def leg_at(result: RunResult, setup: int) -> tuple[str, str]:
    """Return from which mark to which a set-up carries the height; "" where it doesn't."""
    layout = result.layout
    back, fore = layout.backsight[setup], int(layout.leaving[setup])
    return (layout.marks[back] if back >= 0 else "", layout.marks[fore] if fore >= 0 else "")


def twice_levelled(result: RunResult) -> list[Met]:
    """Return the legs that were levelled twice, those that differ first."""
    return sorted((one for one in result.met if one.leg is not None), key=lambda one: one.agrees)


def levelled_again(result: RunResult, setup: int) -> bool:
    """Whether the leg of a set-up was levelled a second time."""
    return any(setup in _way(result, one, 0) + _way(result, one, 1) for one in twice_levelled(result))


def _way(result: RunResult, one: Met, which: int) -> list[int]:
    """The set-ups of the first (0) or the second (1) way of a leg, in order."""
    assert one.leg is not None
    s = int(result.layout.setup[one.row if which else one.first])
    out = [s]
    while s != one.leg[which]:
        s = result.layout.parent[s]
        out.append(s)
    return out[::-1]


def _sights(result: RunResult, setups: list[int]) -> list[int]:
    """The rows of the book that stand on some set-ups."""
    rows = result.book.rows
    return [i for i in result.book.sights if rows[i].setup in setups]


def keep_first(result: RunResult, one: Met) -> list[Draft]:
    """Return the entries by which the first way of a leg counts: the second stays, struck."""
    reason = f"{leg_words(result, one)} levelled twice: {FIRST}"
    return _struck(result, _way(result, one, 1), reason)


def keep_second(result: RunResult, one: Met, journal: Journal) -> list[Draft]:
    """Return the entries by which the second way of a leg counts: it is booked where the first one stands, and that stays, struck.

    Raises
    ------
    KeelError
        `another-instrument` where the two were read with different ones: the place in the book says what took a reading.
    """
    book = result.book
    first, second = (_sights(result, _way(result, one, k)) for k in (0, 1))
    took = {(book.rows[i].instrument, book.rows[i].staff) for i in [*first, *second]}
    if len(took) > 1:
        raise KeelError(
            "another-instrument",
            "the two ways were read with different instruments or staffs; strike the first way line by line, with Ctrl+D",
        )
    reason = f"{leg_words(result, one)} levelled twice: {SECOND}"
    made: list[Draft] = []
    behind, on = book.rows[first[-1]].id, book.rows[second[0]].setup
    for i in second:
        row = book.rows[i]
        if row.setup != on:
            made.append(Draft(book.work, "setup", {}, after=-len(made) or behind))
            on = row.setup
        body = dict(journal.entries[row.id].body)
        body["remark"] = f"{body['remark']}; {AGAIN}" if body.get("remark") else AGAIN
        made.append(Draft(book.work, "sight", body, after=-len(made) or behind))
    return [*made, *_struck(result, _way(result, one, 0) + _way(result, one, 1), reason)]


def _struck(result: RunResult, setups: list[int], reason: str) -> list[Draft]:
    book = result.book
    return [
        Draft(book.work, "strike", {"reason": reason}, strikes=book.rows[i].id)
        for i in _sights(result, setups)
    ]


def hanging(result: RunResult, one: Met) -> list[str]:
    """Return the marks that were read on the first way of a leg alone: with it they go, and are read again."""
    setups, rows = _way(result, one, 0), result.book.rows
    here = {rows[i].mark for i in _sights(result, setups)}
    elsewhere = {rows[i].mark for i in result.book.sights if rows[i].setup not in setups}
    return [
        mark
        for mark in dict.fromkeys(rows[i].mark for i in _sights(result, setups) if rows[i].kind != FS)
        if mark in here - elsewhere
    ]
