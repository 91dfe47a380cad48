"""The job's register of marks, seen from a run."""

from __future__ import annotations

from vivid_keel.core.quantities import show_length
from vivid_keel.desk.sheet import Cell, Column, Sheet
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.register import register


class RegisterSheet(Sheet):
    """Every mark that a run of this job found, and who begins from it."""

    name = "Register"
    hint = "All marks of the job's runs · list one under Set-up, Known marks, in another run, and it follows this"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.columns = (
            Column("Mark", 0),
            Column("Height", 92, True),
            Column(f"± U, {desk.book.style.small}", 74, True),
            Column("Found in", 142),
            Column("", 116),
            Column("Begun from by", 130),
        )
        self.marks = register(desk.works)

    @property
    def count(self) -> int:
        return len(self.marks)

    def cell(self, row: int, column: int) -> Cell:
        m = self.marks[row]
        own = m.work == self.desk.work
        return (
            Cell(m.name, bold=own),
            Cell(show_length(m.height, self.desk.book.style), bold=True),
            Cell(self.desk.book.style.amount(2 * m.u, up=True), ink="muted"),
            Cell(m.work_name, ink="ink" if own else "muted"),
            Cell("checked" if m.closed else "no check", sign="in" if m.closed else "open", ink="muted"),
            Cell(", ".join(m.followers), ink="muted"),
        )[column]

    def picked(self, row: int) -> int:
        m = self.marks[row] if 0 <= row < len(self.marks) else None
        if m is None or m.work != self.desk.work:
            return -1
        rows = self.desk.book.rows
        return next((i for i in reversed(self.desk.book.sights) if rows[i].mark == m.name), -1)
