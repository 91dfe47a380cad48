"""What is read next on a run: the mark that a new line proposes, and the kind of sight it is likely to be."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import count

from vivid_keel.core.booking.layout import BS, FS, IS
from vivid_keel.core.booking.planning import LOWEST
from vivid_keel.trades.run.result import RunResult


def propose(result: RunResult, fresh: bool) -> str:
    """Return the mark a new line proposes: the benchmark first, then the next change point; "" once it is closed.

    `fresh` says that a new set-up was begun and nothing is booked on it.
    """
    book = result.book
    if result.layout.closing() is not None:
        return ""
    if not book.sights:
        return book.known[0].name if book.known else ""
    has_back, has_fore, mark = book.state_after(book.sights[-1])
    if has_fore:
        return mark
    if fresh:
        return book.rows[book.sights[-1]].mark
    if not has_back:
        return ""
    planned = _next_planned(result)
    if planned:
        return planned
    return _next_point(result.layout.marks)


def _next_point(marks: Sequence[str]) -> str:
    """The change point after the last one used, past any that was named ahead."""
    last = next((mark for mark in reversed(marks) if mark.startswith("CP ") and mark[3:].isdecimal()), "CP 0")
    return next(name for n in count(int(last[3:]) + 1) if (name := f"CP {n}") not in marks)


def likely_kind(result: RunResult, mark: str, proposed: str, fresh: bool) -> int:
    """Return the kind of sight that a new line on a mark is likely to be."""
    book = result.book
    has_back, has_fore = (False, False)
    if book.sights:
        has_back, has_fore, _ = book.state_after(book.sights[-1])
    if not book.sights or not has_back or has_fore or fresh:
        return BS
    if mark == _set_out_from(result):
        return IS  # read again on the set-up that began on it: a last look, no foresight
    planned = {p.name for p in book.planned}
    start = result.layout.marks[result.layout.backsight[result.layout.path[0]]] if result.layout.path else ""
    # A known mark closes the run, and so does the one that it set out from, fixed or not.
    known = any(k.name == mark and (k.fixed or mark == start) for k in book.known)
    return FS if (mark == proposed and mark not in planned) or known else IS


def _set_out_from(result: RunResult) -> str:
    """The mark that the set-up in hand began on."""
    book = result.book
    setup = book.rows[book.sights[-1]].setup
    rows = (book.rows[i] for i in reversed(book.sights))
    return next((row.mark for row in rows if row.kind == BS and row.setup == setup), "")


def _next_planned(result: RunResult) -> str:
    """The next planned mark that the line in hand can read; the benchmark once all of them are read."""
    book = result.book
    if not book.planned:
        return ""
    seen = set(result.layout.marks)
    left = [planned for planned in book.planned if planned.name not in seen]
    if not left:
        return book.known[0].name if book.known else ""
    line = float(result.reduction.collimation_height[-1])
    return left[0].name if LOWEST / 2 <= line - left[0].height <= book.reach.staff else ""
