"""When supports are to be looked at again: what has been brought level settles."""

from __future__ import annotations

import re
from datetime import date, timedelta

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken

USUAL = (
    (1, "machines and frames on feet", "overnight"),
    (4, "machines, once more", "in some days"),
    (42, "packing on ground", "in six weeks"),
    (365, "buildings on ground", "in a year"),
)
"""Days ahead, for what, in words: hours and days for machines, weeks for packing on ground, years for buildings on it."""
DAYS = {"day": 1, "days": 1, "week": 7, "weeks": 7, "month": 30, "months": 30, "year": 365, "years": 365}


def parse_day(text: str, today: date) -> date:
    """Return a day ahead as typed: 2027-03-01, 6 weeks, in 10 days. Raises KeelError `bad-value`."""
    clean = text.strip().lower().removeprefix("in ").strip()
    try:
        day = date.fromisoformat(clean)
    except ValueError:
        found = re.fullmatch(r"(\d{1,3})\s*([a-z]+)", clean)
        if found is None or found[2] not in DAYS:
            raise KeelError(
                "bad-value", "expected a day such as 2027-03-01, or how far ahead: 6 weeks, 10 days, 1 year"
            ) from None
        day = today + timedelta(days=int(found[1]) * DAYS[found[2]])
    if not today < day <= today + timedelta(days=3660):
        raise KeelError("bad-value", f"{day:%-d %b %Y} is not ahead of today, or more than ten years off")
    return day


class AgainSheet(Sheet):
    """What was put into the diary, what is usual, and another day."""

    name = "Look again"
    columns = (Column("When", 190, True), Column("Day", 140), Column("What for", 0))
    hint = "Enter on a line puts it into the diary · or type a day, or how far ahead · Ctrl+D strikes one"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.put = sorted(desk.book.looks, key=lambda look: look.due)
        self.today = desk.file.now().date()

    @property
    def count(self) -> int:
        return len(self.put) + len(USUAL) + 1

    def first(self) -> Place:
        return (len(self.put), 0)

    def lit(self, row: int) -> bool:
        return row < len(self.put)

    def cell(self, row: int, column: int) -> Cell:
        k = row - len(self.put)
        if k < 0:
            look = self.put[row]
            day = look.due
            ahead = (day - self.today).days
            when = "now" if ahead <= 0 else "tomorrow" if ahead == 1 else f"in {ahead} days"
            return Cell(
                (
                    when,
                    f"{day:%-d %b %Y}",
                    look.note or f"read every {self.desk.book.called[0]} again, the watch mark too",
                )[column],
                bold=column < 2,
            )
        if k == len(USUAL):
            return Cell(editable=column == 0, hint="another day" if column == 0 else "")
        days, what, words = USUAL[k]
        return Cell((words, f"{self.today + timedelta(days=days):%-d %b %Y}", what)[column], ink="muted")

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        k = row - len(self.put)
        if 0 <= k < len(USUAL):
            made += self._record(self.today + timedelta(days=USUAL[k][0]), f"settle re-check: {USUAL[k][1]}")
        return Taken(made, (row, 0))

    def accept(self, row: int, column: int, text: str) -> Taken:
        return Taken(self._record(parse_day(text, self.today), "settle re-check"), (0, 0))

    def _record(self, day: date, note: str) -> list[Draft]:
        if any(look.due == day for look in self.put):
            raise KeelError("duplicate-name", f"{day:%-d %b %Y} is in the diary already")
        return [Draft(self.desk.work, "look-again", {"due": day.isoformat(), "note": note})]

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"the look on {self.put[row].due}", self.put[row].id) if row < len(self.put) else None
