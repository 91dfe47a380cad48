"""The order of work: who is moved, with which leaves, until the scale shows what."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.levelling.means import LEAVES
from vivid_keel.core.levelling.scale import reading_at
from vivid_keel.core.quantities import show_length, show_number
from vivid_keel.core.working import Working
from vivid_keel.ui.desk.base import Cell, Column, Sheet

if TYPE_CHECKING:
    from vivid_keel.ui.desk.supports import SupportsDesk


class MovesSheet(Sheet):
    """Who is moved, in which order, with which leaves, until the scale shows what."""

    name = "Order of work"
    hint = "First to: the jack's own reading, or past the mark · Stop at: the reading once let down and right · F4 why"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        r = desk.result
        what = "Packing to put in" if desk.book.means.kind == LEAVES else "What the hand does"
        self.columns = (Column("Order", 50, True), Column("Post", 62), Column("Scale now", 82, True), Column("Move, mm", 108, True),
                        Column(what, 0), Column("First to", 76, True), Column("Stop at", 76, True), Column("Left over", 80, True),
                        Column("Stage 1 to", 92, True))  # fmt: skip
        self.stages = r.stages()
        rest = [i for i in range(len(desk.book.points)) if i not in r.to_move and not np.isnan(r.moves[i])]
        self.order = [*r.to_move, *rest]

    @property
    def count(self) -> int:
        return len(self.order)

    def cell(self, row: int, column: int) -> Cell:
        i = self.order[row]
        r, book = self.desk.result, self.desk.book
        p, move = book.points[i], float(r.moves[i])
        moved = i in r.to_move
        if column == 0:
            return Cell((f"{row + 1} ▵" if i in r.feet else str(row + 1)) if moved else "–")
        if column == 1:
            return Cell(p.name, bold=True, sign=r.left_verdicts[i])
        if column == 2:
            return Cell(show_length(p.found.value, book.style) if p.found else "")
        if column == 3:
            if not moved:
                keeper = i in r.keepers and abs(move) < 1e-9
                return Cell("keeper" if keeper else "stays", bold=keeper, ink="in")
            word = "raise" if move >= 0 else "lower"
            return Cell(f"{word} {abs(move) * 1000:.1f}", bold=True, ink=word, sign=word)
        if not moved:
            return Cell(show_length(r.stop_at(i), book.style), ink="muted") if column == 6 else Cell()
        if i in r.broken:
            return Cell(f"not within the limits: {book.limits.ways}" if abs(move) <= book.limits.most else "further than the limits allow",
                        ink="muted") if column == 4 else Cell()  # fmt: skip
        stack = r.stack(i)
        if column == 4 and i in r.instructions:
            told = r.instructions[i]
            return Cell(told.words if not told.refused else f"{told.words}: {told.refused}", bold=bool(told.refused))
        if column == 4:
            if stack is None:
                return Cell("no stock yet" if not book.stock else "…", ink="muted")
            leaves = " + ".join(f"{t * 1000:g}" for t in stack) or "none fits better than nothing"
            return Cell(
                f"old packing out, then {leaves}"
                if move < 0 and p.stack
                else leaves
                if move >= 0
                else "trim; no packing to take out"
            )
        if column == 5:
            first = r.first_to(i)
            return Cell("" if np.isnan(first) else show_length(first, book.style), ink="muted")
        if column == 6:
            return Cell(show_length(r.stop_at(i), book.style), bold=True)
        if column == 8:
            return self._stage(i)
        over = r.left_over(i)
        return Cell("" if np.isnan(over) else show_number(over * 1000, 1, signed=True))

    def _stage(self, i: int) -> Cell:
        """What the scale shows after the first stage, where the lift takes more than one."""
        r, book = self.desk.result, self.desk.book
        if len(self.stages) < 2:
            return Cell("at once", ink="muted")
        first, whole = float(self.stages[0][i]), float(r.moves[i])
        if abs(first - whole) < 1e-9:
            return Cell("done", ink="muted")
        at = reading_at(np.array([float(r.heights[i]) + first - float(r.line_error[i])]), [book.points[i].sense])
        return Cell(f"to {show_length(float(at[0]), book.style)}")

    def picked(self, row: int) -> int:
        return self.order[row]

    def row_of(self, picked: int) -> int:
        return self.order.index(picked) if picked in self.order else -1

    def why(self, row: int) -> Working | None:
        i = self.order[row]
        return self.desk.result.why_stack(i) or self.desk.result.why_move(i)

    def footer(self) -> list[tuple[str, str]]:
        packing = self.desk.result.packing
        if packing is None:
            return []
        used: dict[float, int] = {}
        for stack in packing.stacks:
            for t in stack:
                used[t] = used.get(t, 0) + 1
        words = " · ".join(f"{t * 1000:g} mm ×{n}" for t, n in sorted(used.items(), reverse=True))

        size = self.desk.book.limits.leaf_size
        return [(f"From stock: {words}{f', cut to {size}' if size else ''}", "")] if words else []
