"""Rounds that are finished, and what hangs on the supports."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.rounds import rises
from vivid_keel.core.quantities import is_missing, parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, far_in_unit, in_unit
from vivid_keel.figures.report import ROUNDS


class PassesSheet(Sheet):
    """Every finished round: what was put in, what it did, point by point."""

    name = "Rounds"
    columns: Sequence[Column] = (
        Column("Round", 70, True),
        Column("Post", 90),
        Column("Put in, mm", 110, True),
        Column("Went, mm", 110, True),
        Column("Took", 90, True),
        Column("Likely", 0),
    )
    hint = "A round is ended by Next, once its posts are read again"

    def __init__(self, desk: MovingDesk) -> None:
        book, learned = desk.book, desk.result.learned
        one, many = book.called
        self.hint = f"A round is ended by Next, once its {many} are read again"
        named = [replace(c, title=one.capitalize()) if c.title == "Post" else c for c in type(self).columns]
        self.columns = in_unit(named, book.style.small)
        self.rows: list[tuple[str, str, str, str, str, str]] = []
        for told, (put, leaves, change) in zip(learned.told, desk.result.task.happened, strict=True):
            made = put - learned.interface * leaves
            why = {reason.point: reason.text for reason in told.reasons}
            share = "" if is_missing(told.took) else f"{told.took * 100:.0f} %"
            self.rows.append(
                (
                    str(told.number),
                    "all",
                    desk.book.style.amount(float(put.sum()), 1),
                    desk.book.style.amount(float(np.nansum(change)), 1, signed=True),
                    share,
                    why.get(-1, ""),
                )
            )
            for i in np.flatnonzero(np.abs(put) > 1e-9).tolist():
                went = float(change[i])
                known = not is_missing(went)
                self.rows.append(
                    (
                        "",
                        book.points[i].name,
                        desk.book.style.amount(float(put[i]), 2),
                        desk.book.style.amount(went, 2, signed=True) if known else "not read",
                        f"{went / float(made[i]) * 100:.0f} %" if known and abs(made[i]) > 1e-6 else "",
                        why.get(i, ""),
                    )
                )

    @property
    def on_paper(self) -> str:
        return ROUNDS if self.rows else ""

    @property
    def count(self) -> int:
        return max(1, len(self.rows))

    def cell(self, row: int, column: int) -> Cell:
        if not self.rows:
            return Cell("no round is finished yet" if column == 5 else "", ink="muted")
        head = bool(self.rows[row][0])
        return Cell(self.rows[row][column], bold=head, ink="muted" if column == 2 and not head else "ink")


class HangingSheet(Sheet):
    """Things that hang on a row and will move with it: steps, pipes, door frames."""

    name = "What hangs on it"
    columns: Sequence[Column] = (
        Column("Thing", 0),
        Column("Row", 200),
        Column("Along, m", 120, True),
        Column("will rise, mm", 130, True),
    )
    hint = "Name it, its row and where along it; what it will rise is said before the jack is touched"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.things = desk.book.hanging
        style = desk.book.style
        self.columns = far_in_unit(in_unit(type(self).columns, style.small), style.far)
        result = desk.result
        moved = np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0)
        self.rises = [rise for _, rise in rises(desk.book, moved)]
        self.typed = desk.typed("hangs")

    @property
    def count(self) -> int:
        return len(self.things) + 1

    def first(self) -> Place:
        return (len(self.things), 0)

    def lit(self, row: int) -> bool:
        return row == len(self.things)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.things):
            hint = (
                "such as wheel-side step",
                self.desk.book.rows[0] if self.desk.book.rows else "",
                "0",
                "",
            )[column]
            return Cell(
                self.typed.get(column, ""), editable=column < 3, hint="" if self.typed.get(column) else hint
            )
        trial = self.things[row]
        rise = self.rises[row]
        return Cell(
            (
                trial.name,
                trial.row,
                self.desk.book.style.place(trial.x),
                "" if is_missing(rise) else self.desk.book.style.amount(rise, 1, signed=True),
            )[column],
            bold=column == 0,
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk, clean = self.desk, text.strip()
        if column == 0 and not clean:
            raise KeelError("bad-value", "name it, so that somebody looks at the right thing")
        if column == 1:
            rows = (
                [r for r in desk.book.rows if r.lower().startswith(clean.lower())]
                if clean
                else desk.book.rows[:1]
            )
            if not rows:
                raise KeelError("unknown-name", f"“{clean}” is no row; there are {', '.join(desk.book.rows)}")
            clean = rows[0]
        missing = [k for k in range(column) if not self.typed.get(k)]
        if missing:
            raise KeelError("bad-value", f"type {('its name', 'its row')[missing[0]]} first, at the left")
        self.typed[column] = clean
        if column < 2:
            return Taken(made, (row, column + 1))
        body: dict[str, Any] = {
            "name": self.typed[0],
            "row": self.typed[1],
            "x_m": parse_length(clean, desk.book.style.far, desk.decimal_mark).value,
        }
        made.append(Draft(desk.work, "hangs", body))
        return Taken(made, (row + 1, 0), self.typed)

    def strike(self, row: int) -> tuple[str, int] | None:
        return (self.things[row].name, self.things[row].id) if row < len(self.things) else None
