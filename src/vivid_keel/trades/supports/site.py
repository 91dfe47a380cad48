"""Supports one thing at a time: read as found, moved stage by stage, read as left."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.desk.sheet import Taken
from vivid_keel.desk.site import SiteFigure, Typing
from vivid_keel.desk.streaming import LIVE
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.readings_sheet import FoundSheet, LeftSheet

MOVE = "move"


class SupportsBooking(Typing):
    """The next thing to read or to move, and what is typed of it."""

    def __init__(self, desk: SupportsDesk) -> None:
        super().__init__(desk)
        self.desk = desk
        self.chosen = -1

    @property
    def phase(self) -> str:
        """What is done now: read as found, moved, or read as left."""
        result = self.desk.result
        if any(point.found is None and not point.aside for point in self.desk.book.points):
            return FOUND
        # While leaves are still being chosen nothing is taken for a reading.
        return MOVE if result.walk or self.desk.long_work() is not None else LEFT

    @property
    def stage(self) -> str:
        """Where the table stands that it books in."""
        return {FOUND: "Readings", MOVE: "Moves", LEFT: "Proof"}[self.phase]

    @property
    def empty(self) -> str:
        """What stands where nothing is typed."""
        return "as planned" if self.phase == MOVE else "live" if self._live else "–"

    @property
    def _live(self) -> bool:
        """Whether a level that sends a height is read here."""
        return self.desk.streams() and self.desk.hidden is None

    @property
    def sign_label(self) -> str:
        """A further leaf, where packing is booked; down, where turns are."""
        step = self.step_now
        return "and" if step is None or step.told is None else "down (−)"

    @property
    def figures(self) -> Sequence[SiteFigure]:
        """At the jack: what it goes to, what is put in, what the scale shows when it is right."""
        step = self.step_now
        if step is None or self._live or self.desk.cautions_first:
            return ()
        result, style = self.desk.result, self.desk.book.style
        first = result.first_of(step)
        finish = show_length(result.stop_after(step), style)
        jack = (
            []
            if is_missing(first)
            else [SiteFigure("1 Jack to", show_length(first, style), "the jack's own reading")]
        )
        put = self._put_in(step, 1 + len(jack))
        return [*jack, put, SiteFigure(f"{2 + len(jack)} Finish at", finish, "after letting down", "keel")]

    def _put_in(self, step: Step, number: int) -> SiteFigure:
        """What the hand puts in, takes out or turns."""
        result, said = self.desk.result, self.desk.book.style.thickness
        ink = "raise" if result.part(step) >= 0 else "lower"
        if step.told is not None or result.lifts[step.place] < 0:
            title = "Turn" if step.told is not None else "Packing"
            return SiteFigure(f"{number} {title}", result.step_in_words(step), "", ink)
        lines = []
        if step.out:
            lines.append(f"out {' + '.join(said(t) for t in step.out)}")
        stay = sorted((Counter(step.into) - Counter(step.for_now)).elements(), reverse=True)
        if stay or not step.into:
            lines.append(" + ".join(said(t) for t in stay) or "nothing")
        if step.for_now:
            lines.append(f"for now {' + '.join(said(t) for t in step.for_now)}")
        note = "block it up in between" if step.beyond else "thick ones first; all stay in"
        if step.for_now:
            note = "what is for now comes out at the next stage"
        return SiteFigure(f"{number} Shims", "\n".join(lines), note, ink)

    @property
    def take_label(self) -> str:
        """As planned by one touch; what was typed instead is booked."""
        if self.phase != MOVE:
            return super().take_label
        return "Book what was typed" if self.text else "Done as planned"

    @property
    def step(self) -> float:
        """The smallest difference that is read [m]."""
        return self.desk.book.style.step

    @property
    def kind(self) -> int:
        """There is one kind only."""
        return 0

    def _open(self) -> list[int]:
        """Posts where something is to be done now, in the order of work."""
        points = self.desk.book.points
        if self.phase == MOVE:
            result = self.desk.result
            return [step.place for step in result.walk.get(result.stage_in_hand, [])]
        return [i for i, point in enumerate(points) if point.read(self.phase) is None and not point.aside]

    @property
    def place(self) -> int:
        """The post in hand; -1 while there is none."""
        waiting = self._open()
        return self.chosen if self.chosen in waiting else waiting[0] if waiting else -1

    @property
    def step_now(self) -> Step | None:
        """What is done at the post in hand."""
        return self.desk.result.step(self.place) if self.phase == MOVE else None

    @property
    def mark(self) -> str:
        """The post in hand."""
        return self.desk.book.points[self.place].name if self.place >= 0 else ""

    def names(self) -> list[str]:
        """The posts that come next."""
        return [self.desk.book.points[i].name for i in self._open()[:4]]

    def set_mark(self, name: str) -> None:
        """Turn to another post."""
        at = {self.desk.book.points[i].name.lower(): i for i in self._open()}
        found = at.get(name.strip().lower())
        if found is None:
            self.tell(f"Nothing is to be done at “{name.strip()}” now", wrong=True)
            return
        self.chosen = found
        self.tell("")

    def set_kind(self, kind: int) -> None:
        """There is one kind only."""

    def head(self) -> str:
        """Which work, which stage, how many are done."""
        result, name = self.desk.result, self.desk.book.name
        if self.phase == MOVE:
            waiting = len(self._open())
            stage = (
                f"stage {result.stage_in_hand} of {result.stage_count} · " if result.stage_count > 1 else ""
            )
            return f"{name} · {stage}{waiting} to do"
        return f"{name} · as {self.phase} · {len(self._open())} to read"

    def ask(self) -> str:
        """What to do now, in a line or two."""
        result, i, style = self.desk.result, self.place, self.desk.book.style
        if i < 0:
            choosing = self.phase == MOVE
            return "the leaves are being chosen" if choosing else "all is read; the proof stands at the table"
        step = self.step_now
        if step is None:
            sense = self.desk.book.points[i].sense
            held = "hung from the beam" if sense == "hangs" else "stood on the point"
            return f"scale {held}; read it at the line"
        if self.desk.cautions_first:
            return "read the cautions first, at the table"
        word = "raise" if result.part(step) >= 0 else "lower"
        if self.figures:
            return f"{word} {show_amount(abs(result.part(step)), style)}"
        first = result.first_of(step)
        jack = "" if is_missing(first) else f"jack to {show_length(first, style)}, "
        return (
            f"{word} {show_amount(abs(result.part(step)), style)}: {result.step_in_words(step)}; "
            f"{jack}finish at {show_length(result.stop_after(step), style)}"
        )

    def press(self, key: str) -> None:
        """Add what a key types; of packing, leaves with a plus between them."""
        step = self.step_now
        if step is None or step.told is not None:
            super().press(key)
            return
        if key in {"±", "+"}:
            self.text = f"{self.text.rstrip(' +')} + " if self.text.strip(" +") else ""
        elif "/" in key:
            self.text += f"{key} + "
        else:
            self.text += key
        self.tell("")

    def drag(self, value: float, *, done: bool) -> None:
        """Nothing is dragged here."""

    def picture(self, width: float, height: float) -> Picture:
        """Return the row of the post in hand, the post lit; or the number that comes in."""
        if self._live:
            self.desk.in_sight = f"{self.stage}:{LIVE}"
            return self.desk.live_now(width, height)
        row = self.desk.book.points[self.place].row if self.place >= 0 else self.desk.book.rows[0]
        label = "moves" if self.phase == MOVE else "readings"
        return elevation(self.desk.result, row, width, height, self.place, label)

    def take(self) -> bool:
        """Take what is typed; what is refused stays, with the reason."""
        i = self.place
        try:
            if i < 0:
                raise KeelError("bad-value", f"nothing was taken: {self.ask()}")
            name = self.desk.book.points[i].name
            typed = self.text.strip().rstrip("+").strip()
            self.desk.enter_in_record(self._taken(i, typed))
        except KeelError as error:
            self.tell(error.message[:1].upper() + error.message[1:], wrong=True)
            return False
        put = self.desk.result.begun(i)
        self.tell(f"{name}: {typed or (put.text if put is not None else '')} booked")
        self.text = ""
        self.chosen = -1
        return True

    def _taken(self, i: int, typed: str) -> Taken:
        if self.phase == MOVE:
            if self.desk.cautions_first:
                raise KeelError(
                    "bad-value", "nothing is offered before the cautions were read; they stand at the table"
                )
            return Taken(self.desk.books(i, typed))
        if not typed and self._live:
            self.desk.in_sight = f"{self.stage}:{LIVE}"
            typed = self.desk.stream_text()
        sheet = FoundSheet(self.desk) if self.phase == FOUND else LeftSheet(self.desk)
        if self.desk.book.unit == "ft-in" and typed and not typed.endswith(('"', "'")) and "'" in typed:
            typed += '"'
        return sheet.accept(i, sheet.column, typed)

    def look_again(self) -> None:
        """Say that a second look is another round here."""
        self.tell("A post read twice is struck and read anew: at the table", wrong=True)

    def strike_last(self) -> None:
        """Strike what was booked last of this work; it stays legible."""
        entries = self.desk.file.journal.standing(self.desk.work, "reading", "put")
        if not entries:
            self.tell("Nothing is booked yet", wrong=True)
            return
        last = entries[-1]
        name = next((p.name for p in self.desk.book.points if p.id == int(last.body["point"])), "")
        self.desk.strike(last.id, "struck on site")
        text = last.body["reading"]["text"] if last.kind == "reading" else last.body["text"]
        self.tell(f"Struck: {name} {text}")
