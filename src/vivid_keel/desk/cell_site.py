"""One cell at a time: what a work's sheets still want, in its order, one reading after another in site mode."""

from __future__ import annotations

from typing import Protocol

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Sheet
from vivid_keel.desk.site import Typing
from vivid_keel.figures.display import Picture


class Wanted(Struct, frozen=True):
    """What is to be read: its name, what to do there, its unit and that in words, the stage and the sheet's cell it is booked in."""

    name: str
    ask: str
    unit: str
    unit_label: str
    stage: str
    sheet: Sheet
    row: int
    column: int


class ReadByCells(Protocol):
    """A work whose sheets are read cell by cell."""

    def wanted_cells(self) -> list[Wanted]:
        """Return what is still to be read, in the order of work."""

    def site_closed(self) -> str:
        """Return why nothing is taken yet, "" where it is."""

    def taken_back(self) -> tuple[str, list[Draft]] | None:
        """Return what was read last, in words, and what takes it back; None where nothing was."""


class CellBooking(Typing):
    """The next thing that a work wants read, and what is typed of it; `sign` is what the ± key says."""

    def __init__(self, desk: Desk, work: ReadByCells, sign: str) -> None:
        super().__init__(desk)
        self.desk, self.work, self._sign = desk, work, sign
        self._last: Wanted | None = None
        self._told: tuple[int, list[Wanted]] = (-1, [])

    def _left(self) -> list[Wanted]:
        """What is still to be read; gathered once for each state of the job, however often it is asked for."""
        now = self.desk.file.journal.revision
        if self._told[0] != now:
            self._told = (now, self.work.wanted_cells())
        return self._told[1]

    @property
    def _next(self) -> Wanted | None:
        left = self._left()
        self._last = left[0] if left else self._last
        return left[0] if left else None

    @property
    def unit(self) -> str:
        return "m" if self._next is None else self._next.unit

    @property
    def unit_label(self) -> str:
        return "" if self._next is None else self._next.unit_label

    @property
    def sign_label(self) -> str:
        return self._sign

    @property
    def stage(self) -> str:
        now = self._next or self._last
        return "Readings" if now is None else now.stage

    @property
    def mark(self) -> str:
        return "" if self._next is None else self._next.name

    @property
    def kind(self) -> int:
        """There is one kind only."""
        return 0

    @property
    def step(self) -> float:
        """What an arrow key moves the picture's line by [m]."""
        return 0.001

    def names(self) -> list[str]:
        """What comes next, in the order of work."""
        return [one.name for one in self._left()[:4]]

    def set_mark(self, name: str) -> None:
        """It is read in the order of work."""
        if name.strip() != self.mark:
            self.tell("Here it goes by the order of work; another place is read at the table", wrong=True)

    def set_kind(self, kind: int) -> None:
        """There is one kind only."""

    def head(self) -> str:
        """Which work, how much is still to do."""
        name, left = self.desk.file.journal.name_of(self.desk.work), len(self._left())
        return f"{name} · {left} to read" if left else f"{name} · all is read"

    def ask(self) -> str:
        """What to do now, in a line or two."""
        why, now = self.work.site_closed(), self._next
        if why:
            return why
        return "all is read; what comes of it stands at the table" if now is None else now.ask

    def drag(self, value: float, *, done: bool) -> None:
        """Nothing is moved here: the plane is set at the table."""

    def picture(self, width: float, height: float) -> Picture:
        """Return the work as its stage shows it, what is read next lit up."""
        if (now := self._next) is not None:
            self.desk.focus = now.sheet.picked(now.row)
        shown = self.desk.picture(self.stage, 0, width, height)
        shown.drag = None
        return shown

    def take(self) -> bool:
        """Take what is typed; what is refused stays, with the reason."""
        now, typed = self._next, self.text.strip()
        try:
            if why := self.work.site_closed():
                raise KeelError("bad-value", why)
            if now is None or not typed:
                raise KeelError("bad-value", f"nothing was taken: {self.ask()}")
            self.desk.enter_in_record(now.sheet.accept(now.row, now.column, typed))
        except KeelError as error:
            self.tell(error.message[:1].upper() + error.message[1:], wrong=True)
            return False
        self.tell(f"{now.name}: {typed} booked")
        self.text = ""
        return True

    def look_again(self) -> None:
        """Say where a place is read anew."""
        self.tell("A place read twice is typed anew: at the table", wrong=True)

    def strike_last(self) -> None:
        """Take back what was read last of this work; it stays legible."""
        back = self.work.taken_back()
        if back is None:
            self.tell("Nothing is booked yet", wrong=True)
            return
        said, drafts = back
        self.desk.record(*drafts)
        self.tell(f"Taken back: {said}")
