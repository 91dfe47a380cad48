"""The order of work: who is moved, with which leaves, until the scale shows what."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.moving.means import LEAVES
from vivid_keel.core.quantities import show_length, show_thickness
from vivid_keel.core.working import Working
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit
from vivid_keel.figures.moving.work_sheet import leaves_ready


class MovesSheet(Sheet):
    """Who is moved, in which order, with which leaves, until the scale shows what: of the stage in hand, where there are several."""

    name = "Order of work"
    hint = "Jack to: the jack's own reading · Finish at: once let down · Put in: Enter as planned, else 6 + 3 · F4 why"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        result = desk.result
        if desk.book.limits.fits and desk.book.jacked:
            self.hint = "Jack to, then the gap that stands open: Enter as forecast, else how wide, 9.4, or leaves, 6 + 3 · F4 why"
        self.stage, self.stages = result.stage_in_hand, result.stage_count
        self.steps = {i: step for i in result.to_do if (step := result.step(i)) is not None}
        self._wanted_names = self._wanted()
        wide = 24 if desk.book.style.unit == "ft-in" else 0  # feet, inches and a fraction in one line
        shown = [self._title(name) for name in self._wanted_names]
        self.columns = in_unit(
            [replace(c, width=c.width + wide) if c.right and c.width < 100 else c for c in shown],
            desk.book.style.small,
        )
        rest = [
            i
            for i in range(len(desk.book.points))
            if i not in result.places and not np.isnan(result.moves[i])
        ]
        moved = result.to_move
        if self.stages > 1:
            # Who has something to do at this stage, then who is done with it or comes later.
            moved = sorted(moved, key=lambda i: (self._comes_later(i), result.places[i]))
        self.order = [*moved, *rest]

    titles: ClassVar[dict[str, Column]] = {
        "post": Column("Order, post", 104),
        "move": Column("Move, mm", 118, True),
        "leaves": Column("Packing to put in", 0),
        "hand": Column("What the hand does", 0),
        "first": Column("Jack to", 70, True),
        "stop": Column("Finish at", 74, True),
        "over": Column("Left over", 74, True),
        "put": Column("Put in", 70),
    }

    def _title(self, name: str) -> Column:
        if name == "move" and self.stage and self.stages > 1:
            return Column(f"Stage {self.stage} of {self.stages}, mm", 126, True)
        return self.titles[name]

    def _wanted(self) -> list[str]:
        """Columns that have something to say here."""
        result = self.desk.result
        by_leaves = all(means.kind == LEAVES for means in self.desk.book.all_means)
        put = bool(result.to_move) and not self.desk.cautions_first
        first = bool(self.desk.book.stock and result.to_pack) or any(
            not np.isnan(result.first_of(step)) for step in self.steps.values()
        )
        return [
            "post",
            "move",
            "leaves" if by_leaves else "hand",
            *(["first"] if first else []),
            "stop",
            *([] if put else ["over"]),
            *(["put"] if put else []),
        ]

    def _done_here(self, i: int) -> bool:
        """Whether a point is booked up to the stage in hand, or wholly, or read again."""
        put = self.desk.result.begun(i)
        return self.desk.result.read_again(i) or (put is not None and (put.whole or i not in self.steps))

    def _comes_later(self, i: int) -> bool:
        return i not in self.steps and i not in self.desk.result.broken and not self._done_here(i)

    @property
    def count(self) -> int:
        return len(self.order)

    def cell(self, row: int, column: int) -> Cell:
        if row >= len(self.order) or column >= len(self.columns):
            return Cell()
        i, name = self.order[row], self._wanted_names[column]
        result, book = self.desk.result, self.desk.book
        moved = i in result.places
        if name == "post":
            number = f"{result.places[i] + 1}  " if moved else ""
            foot = " ▵" if i in result.feet else ""
            return Cell(f"{number}{book.points[i].name}{foot}", bold=True, sign=result.left_verdicts[i])
        if name == "put":
            return self._put(i) if moved and i not in result.broken else Cell()
        if not moved:
            return self._stays(i, name)
        if i in result.broken or self.desk.cautions_first:
            return self._held_back(i, name)
        says = {
            "move": self._move,
            "leaves": self._hand,
            "hand": self._hand,
            "first": self._first,
            "stop": self._stop,
            "over": self._over,
        }
        return says[name](i)

    def _stays(self, i: int, name: str) -> Cell:
        """What is said of a point that isn't moved."""
        result = self.desk.result
        if name == "move":
            keeper = i in result.keepers and abs(float(result.moves[i])) < 1e-9
            return Cell("keeper" if keeper else "stays", bold=keeper, ink="in")
        if name == "stop":
            return Cell(show_length(result.stop_at(i), self.desk.book.style), ink="muted")
        return Cell()

    def _held_back(self, i: int, name: str) -> Cell:
        """What is said of a move that isn't offered: the cautions are not read, or the limits rule it out."""
        if name == "move":
            return self._amount(self.desk.result.does(i))
        if name not in {"leaves", "hand"}:
            return Cell()
        if i not in self.desk.result.broken:
            return Cell("read the cautions first", ink="muted")
        limits = self.desk.book.limits
        far = abs(self.desk.result.moves[i]) > limits.most
        return Cell("further than allowed" if far else f"ruled out: {limits.ways}", ink="muted")

    def _amount(self, lift: float) -> Cell:
        word = "raise" if lift >= 0 else "lower"
        return Cell(f"{word} {self.desk.book.style.amount(abs(lift), 1)}", bold=True, ink=word, sign=word)

    def _move(self, i: int) -> Cell:
        result, step = self.desk.result, self.steps.get(i)
        if self.stages < 2 or not self.stage:
            return self._amount(result.does(i))
        if step is not None:
            return self._amount(result.part(step))
        if self._done_here(i):
            return Cell("done", ink="in")
        later = next((k for k, steps in result.walk.items() if any(s.place == i for s in steps)), 0)
        return Cell(f"at stage {later}" if later else "", ink="muted")

    def _hand(self, i: int) -> Cell:
        """Every leaf of a stack is seen before the spaces between them are."""
        result, step = self.desk.result, self.steps.get(i)
        put = result.begun(i)
        if step is None and put is not None:
            return Cell(put.text, ink="in", narrow=put.text.replace(" + ", "+"))
        words = result.step_in_words(step) if step is not None else result.in_words(i)
        refused = step is not None and step.told is not None and bool(step.told.refused)
        return Cell(
            words or ("no stock yet" if not self.desk.book.stock else "…"),
            bold=refused,
            ink="ink" if words else "muted",
            narrow=(result.step_in_words(step, brief=True) if step is not None else words).replace(
                " + ", "+"
            ),
        )

    def _first(self, i: int) -> Cell:
        step = self.steps.get(i)
        first = self.desk.result.first_of(step) if step is not None else np.nan
        return Cell("" if np.isnan(first) else show_length(first, self.desk.book.style), ink="muted")

    def _stop(self, i: int) -> Cell:
        result, step = self.desk.result, self.steps.get(i)
        if step is not None and result.is_idle(step):
            return Cell()
        if step is not None:
            stop = result.stop_after(step)
        elif result.begun(i) is not None and result.booked(i) is None:
            stop = result.shown(i, result.stands_at(i))
        else:
            stop = result.stop_at(i)
        return Cell(show_length(stop, self.desk.book.style), bold=True)

    def _over(self, i: int) -> Cell:
        over = self.desk.result.left_over(i)
        return Cell("" if np.isnan(over) else self.desk.book.style.amount(over, 1, signed=True))

    def _put(self, i: int) -> Cell:
        """What was really put in: booked by Enter where it is as planned."""
        if self.desk.result.begun(i) is not None and i not in self.steps:
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
        if not text.strip() and i not in self.steps and self.desk.result.begun(i) is not None:
            return Taken([], (row, column))
        return Taken(self.desk.books(i, text), lambda sheet: sheet.next_after(i))

    def next_after(self, i: int) -> Place:
        """Return where the next thing is booked after a point: the first of the stage from there on, else the first of all."""
        at = self.row_of(i)
        column = len(self.columns) - 1
        open_rows = [row for row, k in enumerate(self.order) if k in self.steps]
        return (
            next((row for row in open_rows if row > at), open_rows[0] if open_rows else max(at, 0)),
            column,
        )

    def strike(self, row: int) -> tuple[str, int] | None:
        i = self.order[row]
        done = self.desk.result.begun(i)
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
        if packing is None or not packing.leaves:
            then = next((told.then for told in self.desk.result.instructions.values() if told.then), "")
            return [(f"{then[:1].upper()}{then[1:]}", "")] if then else []
        ready = leaves_ready(self.steps.values()) if self.stages > 1 else packing.by_thickness()
        words = " · ".join(
            f"{show_thickness(t, self.desk.book.style)} ×{n}" for t, n in sorted(ready.items(), reverse=True)
        )
        size = self.desk.book.limits.leaf_size
        return [(f"Have ready: {words}{f', cut to {size}' if size else ''}", "")] if words else []
