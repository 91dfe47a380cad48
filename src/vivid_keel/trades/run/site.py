"""Booking one reading at a time: what site mode shows and does, without a widget."""

from __future__ import annotations

from vivid_keel.core.booking.layout import BS, KINDS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, show_length, show_move
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.site import Typing
from vivid_keel.figures.display import Picture
from vivid_keel.figures.staff_face import hair_step
from vivid_keel.trades.run.book import SightRow
from vivid_keel.trades.run.book_sheet import READING, BookSheet
from vivid_keel.trades.run.changes import changed_sights
from vivid_keel.trades.run.desk import RunDesk

WORDS = {0: "backsight", 1: "intermediate sight", 2: "foresight"}


class RunBooking(Typing):
    """One reading at a time on a run: a mark, a kind, and what is typed so far."""

    @property
    def kind_words(self) -> tuple[str, ...]:
        """Kinds of sight."""
        return ("backsight", "between", "foresight")

    def __init__(self, desk: RunDesk) -> None:
        super().__init__(desk)
        self.desk = desk
        self._looking = False
        self._kind: int | None = None
        self._named = ""
        """A mark that was named where the change point's backsight waited: a new set-up begins on that one."""

    @property
    def looking(self) -> bool:
        """Whether a second look is booked; an undone sight has none."""
        return self._looking and bool(self.desk.book.sights)

    @looking.setter
    def looking(self, on: bool) -> None:
        self._looking = on

    @property
    def step(self) -> float:
        """The smallest difference that the hair goes by [m]."""
        return hair_step(self.desk.book.style)

    def picture(self, width: float, height: float) -> Picture:
        """Return the staff with the hair; a second look stands beside the first."""
        return self.desk.staff(width, height, look=self.last() if self.looking else None)

    def drag(self, value: float, *, done: bool) -> None:
        """Slide the hair to a reading [m], and take it as typed."""
        self.desk.drag(value, done=done)
        hair = self.desk.hair
        self.match(self.desk.matched())
        self.desk.hair = hair

    @property
    def sheet(self) -> BookSheet:
        """The book that readings are booked in."""
        return BookSheet(self.desk, "Height of collimation")

    @property
    def mark(self) -> str:
        """The mark that is read now."""
        if self.looking:
            return self.last().mark
        row, _ = self.sheet.next_place()
        if row != self.sheet.new:
            return self._named or self.desk.book.rows[self.desk.book.lines[row][0]].mark
        return self.sheet.mark or self.desk.proposed_mark()

    @property
    def kind(self) -> int:
        """The kind of sight that is taken now."""
        if self.looking:
            return self.last().kind
        row, column = self.sheet.next_place()
        if row != self.sheet.new and not self._named:
            return column - READING
        return self._kind if self._kind is not None else self.desk.next_kind(self.mark)

    def last(self) -> SightRow:
        """The sight booked last."""
        return self.desk.book.rows[self.desk.book.sights[-1]]

    def head(self) -> str:
        """Which work, which set-up, how many read."""
        n, s = len(self.desk.book.sights), self.desk.book.setups
        return f"{self.desk.book.name} · set-up {max(s, 1)} · {n} read"

    def ask(self) -> str:
        """What to do now, in a line."""
        if self.looking:
            return f"second look at the {WORDS[self.kind]}; the first was {show_length(self.last().reading, self.desk.book.style)}"
        if not self.mark:
            return "name the mark that the staff stands on"
        return f"{WORDS[self.kind]}; read the middle hair"

    def names(self) -> list[str]:
        """Marks to choose from with one touch."""
        desk = self.desk
        seen = set(desk.result.layout.marks)
        planned = [p.name for p in desk.book.planned if p.name not in seen]
        known = [k.name for k in desk.book.known]
        return list(dict.fromkeys(n for n in (desk.proposed_mark(), *planned[:3], *known[:2]) if n))[:4]

    def set_mark(self, name: str) -> None:
        """Name the mark; one that differs from a known one in case or spaces only is asked about once."""
        clean = name.strip()
        try:
            if clean:
                self.desk.ask_near_name(clean)
        except KeelError as error:
            self.tell(error.message[:1].upper() + error.message[1:], wrong=True)
            return
        row, _ = self.sheet.next_place()
        waiting = row != self.sheet.new
        self._named = (
            clean if waiting and clean != self.desk.book.rows[self.desk.book.lines[row][0]].mark else ""
        )
        if waiting and self._named:
            self._kind = BS
        self.sheet.mark = clean
        self.looking = False
        self.tell("")

    def set_kind(self, kind: int) -> None:
        """Say which kind of sight it is."""
        self._kind = kind
        self.tell("")

    def typed(self) -> str:
        """What is typed, closed with an inch mark where feet and inches want one."""
        text = self.text.strip()
        if self.desk.book.unit == "ft-in" and text and not text.endswith(('"', "'")):
            text += '"'
        return text

    def take(self) -> bool:
        """Take the reading; refused ones stay, with the reason."""
        try:
            if self.looking:
                self._take_look()
            else:
                self._take_sight()
        except KeelError as error:
            self.tell(error.message[:1].upper() + error.message[1:], wrong=True)
            return False
        self.text = ""
        self.desk.hair = None
        return True

    def _take_sight(self) -> None:
        desk, mark, kind = self.desk, self.mark, self.kind
        if not mark:
            raise KeelError("bad-value", "name the mark first")
        row = self.sheet.new if self._named else self.sheet.next_place()[0]
        before = len(desk.book.sights)
        if row == self.sheet.new:
            self.sheet.mark = mark
        self.desk.enter_in_record(self.sheet.accept(row, READING + kind, self.typed()))
        self._kind, self._named = None, ""
        if len(desk.book.sights) > before:
            sight = self.last()
            at = len(desk.book.rows) - 1
            style = desk.book.style
            height = desk.result.height(at)
            reduced = (
                f"height {show_length(height, style)}"
                if not is_missing(height)
                else "waits for its backsight"
            )
            if sight.kind == 0 and not is_missing(height):
                reduced = f"line at {show_length(desk.result.collimation_height(at), style)}"
            self.tell(f"{KINDS[sight.kind]} {sight.mark} {show_length(sight.reading, style)}: {reduced}")

    def _take_look(self) -> None:
        length = self.desk.take_reading(self.typed())
        at = self.desk.book.sights[-1]
        first = self.desk.book.rows[at]
        self.desk.record(*changed_sights(self.desk, [(at, {"look": as_read(length)})]))
        self.looking = False
        off = length.value - first.reading
        agree = abs(off) <= 2 * first.step + 1e-9
        words = show_move(off, self.desk.book.style)
        self.tell(
            f"{'The looks agree' if agree else 'The looks differ: look again'}, {words}", wrong=not agree
        )

    def look_again(self) -> None:
        """Turn to a second look at the sight just booked, or back."""
        if not self.desk.book.sights:
            self.tell("Nothing is booked yet to look at again", wrong=True)
            return
        self.looking = not self.looking
        self.text = ""
        self.tell("")

    def strike_last(self) -> None:
        """Strike the sight booked last; it stays legible."""
        if not self.desk.book.sights:
            self.tell("Nothing is booked yet", wrong=True)
            return
        sight = self.last()
        self.desk.strike(sight.id, "struck on site")
        self.looking = False
        self.tell(f"Struck: {KINDS[sight.kind]} {sight.mark} {sight.text}")

    def preview(self) -> None:
        if not self.looking:
            row, column = self.sheet.next_place()
            self.sheet.typing(row, column if row != self.sheet.new else READING + self.kind, self.typed())
