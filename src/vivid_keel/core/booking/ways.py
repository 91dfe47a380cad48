"""Two sights of one mark, and what the ways to them share."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import BS, Layout

if TYPE_CHECKING:
    import numpy.typing as npt


class Ways(Struct, frozen=True):
    """The pairs of sights on one mark and what their ways share; p pairs.

    Attributes
    ----------
    row, first : intp array (p,)
        The later and the earlier sight.
    top : intp array (p,)
        The last set-up that both go by, -1 where they share none.
    begun : intp array (p, 2)
        The set-up after `top` on the way to the first and to the later; -1 where the sight stands on `top`.
    leaves : intp array (p, 2)
        The sight on `top` by which each leaves, or the sight itself.
    """

    row: npt.NDArray[np.intp]
    first: npt.NDArray[np.intp]
    top: npt.NDArray[np.intp]
    begun: npt.NDArray[np.intp]
    leaves: npt.NDArray[np.intp]


def ways_of(layout: Layout) -> Ways:
    """Return the sights on marks that were read before, each with the first one on its set-up, else in the book; kept with the layout."""
    kept = layout.__dict__.get("ways")
    if not isinstance(kept, Ways):
        shorter = layout.shorter
        before = None if shorter is None else shorter.__dict__.get("ways")
        grown = _grown(before, shorter, layout) if shorter is not None and isinstance(before, Ways) else None
        kept = layout.__dict__["ways"] = _ways_of(layout) if grown is None else grown
        layout.__dict__.pop("shorter", None)
    return kept


def _grown(ways: Ways, shorter: Layout, layout: Layout) -> Ways | None:
    """Return the ways of a book that grew by one sight, None where that takes the whole book to know."""
    if [t.row for t in shorter.troubles] != [t.row for t in layout.troubles]:
        return None
    row = len(layout.marks) - 1
    mark, setup = layout.marks[row], int(layout.setup[row])
    if layout.kinds[row] == BS:
        return ways
    troubled = {trouble.row for trouble in layout.troubles}
    on_it = [i for i in np.flatnonzero(layout.setup == setup).tolist() if layout.marks[i] == mark]
    first = next((i for i in on_it if i not in troubled), row)
    if first == row:
        seen: set[int] = set()
        for i in (i for i, name in enumerate(layout.marks) if name == mark and i not in troubled):
            if layout.kinds[i] != BS and int(layout.setup[i]) not in seen:
                first = i
                break
            seen.add(int(layout.setup[i]))
    if first == row or row in troubled:
        return ways
    top, begun, leaves = _parting(layout, first, row)
    return Ways(
        np.append(ways.row, row),
        np.append(ways.first, first),
        np.append(ways.top, top),
        np.concatenate([ways.begun, [begun]]),
        np.concatenate([ways.leaves, [leaves]]),
    )


def _ways_of(layout: Layout) -> Ways:
    troubled = {trouble.row for trouble in layout.troubles}
    firsts: dict[str, int] = {}
    here: dict[tuple[int, str], int] = {}
    rows, earlier = [], []
    for row, (kind, mark) in enumerate(zip(layout.kinds.tolist(), layout.marks, strict=True)):
        if row in troubled:
            continue
        on = (int(layout.setup[row]), mark)
        first = here.setdefault(on, row)
        if kind == BS:
            continue  # it has the height of the sight that it hangs on
        if first == row:
            first = firsts.setdefault(mark, row)
        if first != row:
            rows.append(row)
            earlier.append(first)
    ways = [_parting(layout, first, row) for row, first in zip(rows, earlier, strict=True)]
    shape = (len(ways), 2)
    return Ways(
        np.array(rows, dtype=np.intp),
        np.array(earlier, dtype=np.intp),
        np.array([top for top, _, _ in ways], dtype=np.intp),
        np.array([begun for _, begun, _ in ways], dtype=np.intp).reshape(shape),
        np.array([leaves for _, _, leaves in ways], dtype=np.intp).reshape(shape),
    )


def _parting(layout: Layout, a: int, b: int) -> tuple[int, tuple[int, int], tuple[int, int]]:
    """Return where the ways to two sights part: the last common set-up, what each goes on with, and by which sight."""
    heads, at = layout.heads, layout.setup
    s, t = int(at[a]), int(at[b])
    via = {0: -1, 1: -1}  # the head of the chain by which each came into the chain it is in
    while heads[s] != heads[t]:
        turn = 1 if heads[t] > heads[s] else 0
        head = int(heads[t] if turn else heads[s])
        up = layout.parent[head]
        via[turn] = head
        if up < 0:
            other = int(heads[s] if turn else heads[t])
            while layout.parent[other] >= 0:
                other = int(heads[layout.parent[other]])
            roots = (other, head) if turn else (head, other)
            return -1, roots, (a, b)
        if turn:
            t = up
        else:
            s = up
    top = min(s, t)
    begun, leaves = [-1, -1], [a, b]
    for k, (where, row) in enumerate(((s, a), (t, b))):
        if int(at[row]) == top:
            continue
        begun[k] = top + 1 if where > top else via[k]
        leaves[k] = layout.source[begun[k]]
    return top, (begun[0], begun[1]), (leaves[0], leaves[1])
