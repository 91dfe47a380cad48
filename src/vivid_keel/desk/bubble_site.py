"""A body one thing at a time: the level read as found, a foot turned, the level read as left; by its live number where one comes in."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_amount
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Taken
from vivid_keel.desk.site import Typing
from vivid_keel.figures.display import Picture

MOVE = "move"
BOOKED = ("laid", "bed-reading", "turned", "panel-reading", "put")


class BodyBooking(Typing):
    """The next thing to read or to turn, and what is typed of it."""

    @property
    def phase(self) -> str:
        """What is done now: read as found, turned, or read as left."""
        if self._desk.wanted(FOUND):
            return FOUND
        return MOVE if self._desk.result.walk and not self._desk.left_begun else LEFT

    @property
    def stage(self) -> str:
        return {FOUND: "Readings", MOVE: "Moves", LEFT: "Proof"}[self.phase]

    @property
    def empty(self) -> str:
        if self.phase == MOVE:
            return "as planned"
        return "live" if self._desk.streams() else "–"

    @property
    def sign_label(self) -> str:
        return "down (−)" if self.phase == MOVE else "low (−)"

    @property
    def unit(self) -> str:
        return "m"

    @property
    def unit_label(self) -> str:
        return "turns" if self.phase == MOVE else "divisions"

    @property
    def kind(self) -> int:
        """There is one kind only."""
        return 0

    @property
    def step(self) -> float:
        """What an arrow key turns a simulated foot by [m]."""
        return float(self._desk.step)

    @property
    def _place(self) -> Any:
        wanted = self._desk.wanted(self.phase) if self.phase != MOVE else []
        return wanted[0] if wanted else None

    @property
    def mark(self) -> str:
        if self.phase == MOVE:
            i = self._desk.foot_in_hand
            return self._desk.book.points[i].name if i >= 0 else ""
        return "" if self._place is None else str(self._desk.place_words(self._place))

    def names(self) -> list[str]:
        """What comes next, in the order of work."""
        desk = self._desk
        if self.phase == MOVE:
            steps = desk.result.walk.get(desk.result.stage_in_hand, [])
            return [desk.book.points[step.place].name for step in steps[:4]]
        return [str(desk.place_words(place)) for place in desk.wanted(self.phase)[:4]]

    def set_mark(self, name: str) -> None:
        """A body is read in the order of work."""
        if name.strip() != self.mark:
            self.tell("Here it goes by the order of work; another place is read at the table", wrong=True)

    def set_kind(self, kind: int) -> None:
        """There is one kind only."""

    def head(self) -> str:
        """Which work, how much is still to do."""
        name, n = self._desk.book.name, len(self.names())
        if self.phase == MOVE:
            return f"{name} · {len(self._desk.result.to_do)} to turn"
        left = len(self._desk.wanted(self.phase))
        return f"{name} · as {self.phase} · {left} to read" if n else f"{name} · all is read"

    def ask(self) -> str:
        """What to do now, in a line or two."""
        desk = self._desk
        if self.phase != MOVE:
            if self._place is None:
                return "all is read; the proof stands at the table"
            live = "; nothing typed takes the live number" if desk.streams() else ""
            return f"{desk.asked_at(self._place)}{live}"
        if desk.cautions_first:
            return "read the cautions first, at the table"
        i = desk.foot_in_hand
        step = desk.result.step(i)
        word = "raise" if desk.result.part(step) >= 0 else "lower"
        amount = show_amount(abs(desk.result.part(step)), desk.book.style)
        stop = desk.stop_words(i)
        return f"{word} {amount}: {desk.result.step_in_words(step)}{f', until {stop}' if stop else ''}"

    def drag(self, value: float, *, done: bool) -> None:
        """Turn a simulated foot."""
        self._desk.drag(value, done=done)

    def picture(self, width: float, height: float) -> Picture:
        """Return the number that comes in, or the body."""
        desk = self._desk
        if desk.streams():
            desk.in_sight = f"{self.stage}:Live"
            return desk.live_now(width, height)  # type: ignore[no-any-return]
        return desk.picture(self.stage, 0, width, height)  # type: ignore[no-any-return]

    def take(self) -> bool:
        """Take what is typed, or the number that stands; what is refused stays, with the reason."""
        desk, name = self._desk, self.mark
        try:
            typed = self.text.strip()
            if self.phase == MOVE:
                if desk.cautions_first:
                    raise KeelError("bad-value", "read the cautions first, at the table")
                desk.enter_in_record(Taken(desk.books(desk.foot_in_hand, typed)))
                typed = typed or "as planned"
            else:
                typed, draft = self._read(typed)
                desk.enter_in_record(Taken([draft]))
        except KeelError as error:
            self.tell(error.message[:1].upper() + error.message[1:], wrong=True)
            return False
        self.tell(f"{name}: {typed} booked")
        self.text = ""
        return True

    def _read(self, typed: str) -> tuple[str, Draft]:
        """What was typed or stands live, and its entry."""
        desk, place = self._desk, self._place
        if place is None:
            raise KeelError("bad-value", f"nothing was taken: {self.ask()}")
        if not typed and desk.streams():
            desk.in_sight = f"{self.stage}:Live"
            typed = desk.stream_text()
        return typed, desk.draft_at(place, self.phase, typed)

    def look_again(self) -> None:
        """Say where a place is read anew."""
        self.tell("A place read twice is struck and read anew: at the table", wrong=True)

    def strike_last(self) -> None:
        """Strike what was booked last of this work; it stays legible."""
        entries = self._desk.file.journal.standing(self._desk.work, *BOOKED)
        if not entries:
            self.tell("Nothing is booked yet", wrong=True)
            return
        self._desk.strike(entries[-1].id, "struck on site")
        self.tell(f"Struck: {entries[-1].body['text']}")
