"""A sight put between two rows of the book, and the sums below it."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.booking.layout import BS, FS, KIND_NUMBER
from vivid_keel.core.quantities import show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.run.desk import RunDesk


def put_between(desk: RunDesk, before: int, after: int, body: dict[str, Any]) -> list[Draft]:
    """Return the entries that put a sight between two rows of the book (-1: its beginning, or its end).

    On paper a set-up begins with its backsight and ends with its foresight: where that parts the sight from its
    neighbours a set-up is begun between them, unless one begins there already.
    """
    book, work = desk.book, desk.work
    kind = KIND_NUMBER[body["sight"]]
    p = book.rows[before] if before >= 0 else None
    n = book.rows[after] if after >= 0 else None
    begins = p is not None and ((p.stands and p.kind == FS) or kind == BS)
    ends = n is not None and (kind == FS or (n.stands and n.kind == BS))
    parted = p is not None and n is not None and p.setup != n.setup
    order = desk.file.journal.order[work]
    behind = p.id if p is not None else work
    if n is not None and (p is None or (parted and begins)):
        at = order.index(n.id)
        behind = order[at - 1] if at > 0 else work
    made = []
    if begins and not parted:
        made.append(Draft(work, "setup", {}, after=behind))
    made.append(Draft(work, "sight", body, after=-len(made) or behind))
    if ends and not (parted and not begins):
        made.append(Draft(work, "setup", {}, after=-len(made)))
    return made


def book_sums(desk: RunDesk, *, by_rise: bool) -> list[tuple[str, str]]:
    """Return the sums below a book and the check that they make, each with its verdict."""
    r, style = desk.shown.reduction, desk.book.style
    if not len(r.readings):
        return []
    if by_rise:
        out = [
            (f"Σ rise {show_length(r.sum_rise, style)}", ""),
            (f"Σ fall {show_length(r.sum_fall, style)}", ""),
        ]
    else:
        out = [(f"Σ BS {show_length(r.sum_bs, style)}", ""), (f"Σ FS {show_length(r.sum_fs, style)}", "")]
    if desk.in_hand is not None or not desk.checked:
        return out  # the checks follow a moment later
    checks = desk.checks()
    d = checks.rise_and_fall if by_rise else checks.difference
    name = "Σ rise − Σ fall" if by_rise else "Σ BS − Σ FS"
    if not by_rise and checks.stands_in(r):
        # What is printed is what is added: the last sight of a set-up without a foresight stands in for it.
        out = [
            (f"Σ BS {show_length(checks.begun, style)}", ""),
            (f"Σ FS and last sights {show_length(checks.ended, style)}", ""),
        ]
        name = "difference"
    if math.isfinite(d.left) and checks.computed:
        words = f"{name} = {show_length(d.left, style, signed=True)} = last − first"
        out.append((words, "in" if checks.agree else "out"))
    settings = desk.book.settings
    freed = [
        name for on, name in ((settings.use_collimation, "c·D"), (settings.use_curvature, "curvature")) if on
    ]
    if freed:
        out.append((f"readings freed of {' and '.join(freed)}", ""))
    return out
