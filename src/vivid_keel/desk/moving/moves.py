"""The order of work: who is moved, with which leaves, until the scale shows what."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np

from vivid_keel.core.moving.means import LEAVES
from vivid_keel.core.quantities import show_length, show_thickness
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Cell, Column, Sheet, Taken, in_unit
from vivid_keel.desk.moving.desk import MovingDesk


class MovesSheet(Sheet):
    """Who is moved, in which order, with which leaves, until the scale shows what."""

    name = "Order of work"
    hint = "First to: the jack's own reading · Stop at: once let down · Put in: Enter as planned, else 6 + 3 · F4 why"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        result = desk.result
        self.stages = result.stages()
        self._wanted_names = self._wanted()
        wide = 24 if desk.book.style.unit == "ft-in" else 0  # feet, inches and a fraction in one line
        shown = [self.titles[name] for name in self._wanted_names]
        self.columns = in_unit(
            [replace(c, width=c.width + wide) if c.right and c.width < 100 else c for c in shown],
            desk.book.style.small,
        )
        rest = [
            i
            for i in range(len(desk.book.points))
            if i not in result.places and not np.isnan(result.moves[i])
        ]
        self.order = [*result.to_move, *rest]

    titles: ClassVar[dict[str, Column]] = {
        "post": Column("Order, post", 104),
        "move": Column("Move, mm", 118, True),
        "leaves": Column("Packing to put in", 0),
        "hand": Column("What the hand does", 0),
        "first": Column("First to", 74, True),
        "stop": Column("Stop at", 74, True),
        "over": Column("Left over", 74, True),
        "put": Column("Put in", 64),
        "stage": Column("Stage 1 to", 92, True),
    }

    def _wanted(self) -> list[str]:
        """Columns that have something to say here."""
        result = self.desk.result
        by_leaves = self.desk.book.means.kind == LEAVES
        put = bool(result.to_move) and not self.desk.cautions_first
        first = any(not np.isnan(result.first_to(i)) for i in result.to_move)
        return [
            "post",
            "move",
            "leaves" if by_leaves else "hand",
            *(["first"] if first else []),
            "stop",
            *([] if put else ["over"]),
            *(["stage"] if len(self.stages) > 1 else []),
            *(["put"] if put else []),
        ]

    @property
    def count(self) -> int:
        return len(self.order)

    def cell(self, row: int, column: int) -> Cell:
        if row >= len(self.order) or column >= len(self.columns):
            return Cell()
        i, name = self.order[row], self._wanted_names[column]
        r, book = self.desk.result, self.desk.book
        point, move = book.points[i], float(r.moves[i])
        moved = i in r.places
        if name == "post":
            number = f"{row + 1}  " if moved else ""
            return Cell(
                f"{number}{point.name}{' ▵' if i in r.feet else ''}", bold=True, sign=r.left_verdicts[i]
            )
        if name == "put":
            return self._put(i) if moved and i not in r.broken else Cell()
        if name == "move":
            if not moved:
                keeper = i in r.keepers and abs(move) < 1e-9
                return Cell("keeper" if keeper else "stays", bold=keeper, ink="in")
            lift = r.does(i)
            word = "raise" if lift >= 0 else "lower"
            return Cell(f"{word} {self.desk.book.style.amount(abs(lift), 1)}", bold=True, ink=word, sign=word)
        if name == "stop" and not (moved and self.desk.cautions_first) and i not in r.broken:
            return Cell(show_length(r.stop_at(i), book.style), bold=moved, ink="ink" if moved else "muted")
        if not moved:
            return Cell()
        if self.desk.cautions_first:
            return Cell("read the cautions first", ink="muted") if name in {"leaves", "hand"} else Cell()
        if i in r.broken:
            return (
                Cell(
                    f"ruled out: {book.limits.ways}"
                    if abs(move) <= book.limits.most
                    else "further than allowed",
                    ink="muted",
                )
                if name in {"leaves", "hand"}
                else Cell()
            )
        if r.booked(i) is not None and name in {"hand", "leaves"}:
            return Cell(r.in_words(i), ink="in")
        if name == "hand":
            told = r.instructions[i]
            return Cell(f"can't: {told.words}" if told.refused else told.words, bold=bool(told.refused))
        if name == "leaves":
            words = r.in_words(i)
            # Every leaf of a stack is seen before the spaces between them are.
            return Cell(
                words or ("no stock yet" if not book.stock else "…"),
                ink="ink" if words else "muted",
                narrow=words.replace(" + ", "+"),
            )
        if name == "first":
            first = r.first_to(i)
            return Cell("" if np.isnan(first) else show_length(first, book.style), ink="muted")
        if name == "stage":
            return self._stage(i)
        over = r.left_over(i)
        return Cell("" if np.isnan(over) else self.desk.book.style.amount(over, 1, signed=True))

    def _stage(self, i: int) -> Cell:
        """What the scale shows after the first stage, where the lift takes more than one."""
        result, book = self.desk.result, self.desk.book
        if len(self.stages) < 2:
            return Cell("at once", ink="muted")
        first, whole = float(self.stages[0][i]), float(result.moves[i])
        if abs(first - whole) < 1e-9:
            return Cell("done", ink="muted")
        at = result.shown(i, float(result.heights[i]) + first)
        return Cell(f"to {show_length(at, book.style)}")

    def _put(self, i: int) -> Cell:
        """What was really put in: booked by Enter where it is as planned."""
        done = self.desk.result.booked(i)
        if done is not None:
            return Cell("booked", editable=True, ink="in")
        return Cell(editable=True, hint="Enter" if self.desk.result.planned(i) else "what")

    def accept(self, row: int, column: int, text: str) -> Taken:
        i = self.order[row] if row < len(self.order) else -1
        if (
            column >= len(self.columns)
            or self._wanted_names[column] != "put"
            or i not in self.desk.result.places
        ):
            return Taken()
        if not text.strip() and self.desk.result.booked(i) is not None:
            return Taken([], (row, column))
        return Taken(self.desk.books(i, text), lambda sheet: (min(row + 1, sheet.count - 1), column))

    def strike(self, row: int) -> tuple[str, int] | None:
        i = self.order[row]
        done = self.desk.result.booked(i)
        return (
            None
            if done is None
            else (f"what was put in at {self.desk.book.points[i].name}: {done.text}", done.ids[-1])
        )

    def picked(self, row: int) -> int:
        return self.order[row]

    def row_of(self, picked: int) -> int:
        return self.order.index(picked) if picked in self.order else -1

    def why(self, row: int) -> Working | None:
        if row >= len(self.order):
            return None
        i = self.order[row]
        return self.desk.result.why_stack(i) or self.desk.result.why_move(i)

    def footer(self) -> list[tuple[str, str]]:
        packing = self.desk.result.packing
        if self.desk.book.means.kind != LEAVES:
            then = next((told.then for told in self.desk.result.instructions.values() if told.then), "")
            return [(f"{then[:1].upper()}{then[1:]}", "")] if then else []
        if packing is None:
            return []
        words = " · ".join(
            f"{show_thickness(t, self.desk.book.style)} ×{n}" for t, n in packing.by_thickness().items()
        )

        size = self.desk.book.limits.leaf_size
        return [(f"From stock: {words}{f', cut to {size}' if size else ''}", "")] if words else []
