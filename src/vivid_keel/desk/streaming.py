"""What is moved, read by an instrument that sends its numbers: what comes in, where it belongs, and that it is taken once it stands."""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import Any

from msgspec.structs import replace

from vivid_keel.core.body.facts import STEEPEST
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.live import BY_ITSELF, ON
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.live import Live
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Taken
from vivid_keel.desk.stage import Draw
from vivid_keel.desk.work import WorkDesk
from vivid_keel.figures.display import Picture
from vivid_keel.figures.live import Number, live

LIVE = "Live"
"""Name of the picture that shows the number as it comes in."""
RAN = 6.0
"""A number that went so many of its own scatters away from the one taken last has run since [1]."""
FEWEST = 5
"""So many numbers in a row tell that they run."""


class Streaming(WorkDesk):
    """What is read by an instrument that may send its numbers, and led by them while it is moved."""

    sends_lengths = False
    steepest = STEEPEST
    """No level on it shows more [rad]."""
    pattern = "pattern"
    """Which of the facts holds the pattern of the number that is wanted now."""

    def begin(self) -> None:
        super().begin()
        self._live: Live | None = None
        self.in_sight = ""
        self.turning: tuple[int, float] = (-1, 0.0)
        """A simulated foot in the hand, and how far it was turned since [m]."""
        self._last: float | None = None
        self._ran = True

    @property
    @abstractmethod
    def facts(self) -> Stated:
        """What is known of the instrument."""

    @abstractmethod
    def wanted(self, phase: str) -> list[Any]:
        """Where it is still to be read, in order."""

    @abstractmethod
    def told(self, i: int) -> tuple[Any, float] | None:
        """Where it lies while a point is moved, and what it then shows [rad or m]."""

    @abstractmethod
    def place_words(self, place: Any) -> str:
        """Where it lies, in words."""

    @abstractmethod
    def draft_at(self, place: Any, phase: str, typed: str) -> Draft:
        """The entry of what was typed at a place. Raises KeelError to refuse it."""

    @abstractmethod
    def stream_words(self, value: float) -> str:
        """A number that came in [rad or m], as it would be typed."""

    @abstractmethod
    def number(self) -> Number:
        """What the live picture shows."""

    @abstractmethod
    def _true(self, place: Any) -> float:
        """What a simulated instrument truly shows at a place [rad or m]."""

    @property
    @abstractmethod
    def foot_in_hand(self) -> int:
        """What is moved now, in the order of work; −1 where nothing is."""

    @abstractmethod
    def set_at(self, i: int) -> tuple[str, list[Draft]]:
        """What is booked once what is moved came to its mark: its name, and the entries."""

    def taken_at(self, place: Any, phase: str, text: str) -> list[Draft]:
        """What is booked of a number that was taken at a place."""
        return [self.draft_at(place, phase, text)]

    @property
    def may_move(self) -> bool:  # type: ignore[override]
        return self.streams()

    @property
    def matching(self) -> str:  # type: ignore[override]
        return "instrument" if self.streams() else "staff"

    @property
    def live(self) -> Live:
        """Its port, or a stand-in that sends through the same door."""
        old = self._live
        if old is None or old.facts.texts != self.facts.texts or old.pattern != self.pattern:
            self.close()
            self._live = Live(
                self.facts,
                self.hidden is not None,
                lengths=self.sends_lengths,
                pattern=self.pattern,
                steepest=self.steepest,
            )
        assert self._live is not None
        return self._live

    def streams(self) -> bool:
        return self.hidden is not None or bool(self.facts.texts["port"].strip())

    def moves_at(self, stage: str, view: int) -> bool:
        names = self.views(stage)
        return view < len(names) and names[view] == LIVE

    def on_view(self, stage: str, view: int) -> None:
        self.in_sight = f"{stage}:{self.views(stage)[view]}" if view < len(self.views(stage)) else stage

    def live_view(self, stage: str) -> int:
        views = self.views(stage)
        return views.index(LIVE) if LIVE in views else super().live_view(stage)

    def tone(self) -> tuple[float, float] | None:
        return self.number().tone() if self.in_sight.startswith("Moves") else None

    @property
    def phase_in_sight(self) -> str:
        """Read as found or as left: by the stage that is looked at."""
        return LEFT if self.in_sight.startswith("Proof") else FOUND

    def lies_at(self) -> Any:
        """Where it lies now: watched while a point is moved, else where it is read next; None where nowhere."""
        i = self.foot_in_hand
        if self.in_sight.startswith("Moves") and i >= 0:
            told = self.told(i)
            return None if told is None else told[0]
        wanted = self.wanted(self.phase_in_sight)
        return wanted[0] if wanted else None

    def listen(self) -> None:
        place = self.lies_at()
        if place is None or not self.streams():
            return
        heard = self.live.listen(place, self._true(place) if self.hidden is not None else 0.0)
        v = self.facts.values
        own = math.hypot(v["noise"], v["digit"] / math.sqrt(12))
        if heard.n >= FEWEST and (
            self._last is None or abs(heard.value - self._last) > RAN * own or heard.spread > RAN * own
        ):
            self._ran = True

    @property
    def moving(self) -> bool:
        return self.streams() and self.in_sight.endswith(LIVE)

    def live_now(self, width: float, height: float) -> Picture:
        """The number as it comes in."""
        seen = self.number()
        if self.in_sight.startswith("Moves") and self.cautions_first:
            seen = replace(seen, waits="Read the cautions first.")
        return live(seen, width, height)

    def stream_text(self) -> str:
        place = self.lies_at()
        if place is None:
            raise KeelError("bad-value", "nothing is to be read here; the next step says what is")
        self.listen()
        return self.stream_words(self.live.stands_at())

    @property
    def takes_itself(self) -> bool:  # type: ignore[override]
        """Whether a number that stands is taken without a key."""
        return self.facts.texts["takes"] == BY_ITSELF

    @property
    def sounds(self) -> bool:  # type: ignore[override]
        """Whether a tone is wanted while something is moved."""
        return self.facts.texts["tone"] == ON

    def take_live(self, *, told: bool = False) -> str:
        """Book what stands now: a reading, or while something is moved that it came to its mark; return what was booked in words.

        Nothing ("") where it still runs, or hasn't run since the last was taken; with `told` by a key that is refused with the reason.
        """
        heard, place = self.live.heard, self.lies_at()
        ready = heard is not None and heard.still and place is not None and (told or self._ran)
        if not ready and not told:
            return ""
        moved = self.in_sight.startswith("Moves")
        if moved and not self.number().there:
            if told:
                raise KeelError(
                    "bad-value", "it isn't where it is to stand yet; go on, or book it at the table"
                )
            return ""
        try:
            text = self.stream_text()
        except KeelError as error:
            if told or error.code != "not-settled":
                raise
            return ""  # it began to run between the one look and the other: nobody asked for it
        assert self.live.heard is not None
        stood = self.live.heard.value
        if moved:
            i = self.foot_in_hand
            name, drafts = self.set_at(i)
            said = f"{name} is set"
        else:
            name, drafts = self.place_words(place), self.taken_at(place, self.phase_in_sight, text)
            said = f"{name}: {text} taken"
        self._last, self._ran = stood, False
        self.enter_in_record(Taken(drafts))
        return said

    def close(self) -> None:
        """Let go of the port."""
        if self._live is not None:
            self._live.close()
            self._live = None


class StreamingDesk(Streaming, MovingDesk):
    """Points moved by the engine, read by an instrument that may send its numbers."""

    @property
    @abstractmethod
    def left_begun(self) -> bool:
        """Whether anything was read as left."""

    @property
    def foot_in_hand(self) -> int:
        """The point that is moved now, in the order of work; −1 where none is."""
        result = self.result
        if not result.walk or self.cautions_first:
            return -1
        return result.walk[result.stage_in_hand][0].place

    def set_at(self, i: int) -> tuple[str, list[Draft]]:
        return self.book.points[i].name, self.books(i)


def live_picture(desk: Any) -> list[tuple[str, Draw[Any]]]:
    """Return the picture of the number that comes in, where one does."""
    return [(LIVE, lambda d, width, height: d.live_now(width, height))] if desk.streams() else []
