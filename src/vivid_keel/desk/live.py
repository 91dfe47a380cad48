"""A level that sends its numbers while feet are turned: its port, how it stands, and what a stand-in sends."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from vivid_keel.core.body.facts import STEEPEST
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.instruments.settling import Stillness

if TYPE_CHECKING:
    from vivid_keel.exchange.number_door import NumberDoor
    from vivid_keel.stands.streaming import StreamingLevel

LONGEST = 12.0
"""No scale is longer [m]."""
WINDOW = 3.0
"""At most so long its numbers are looked at together [s]."""


class Live:
    """An open port, or a stand-in that sends through the same door."""

    def __init__(
        self,
        facts: Stated,
        simulated: bool,
        *,
        lengths: bool = False,
        pattern: str = "pattern",
        steepest: float = STEEPEST,
    ) -> None:
        self.facts, self._simulated, self._lengths = facts, simulated, lengths
        self.pattern, self._steepest = pattern, steepest
        self._door: NumberDoor | None = None
        self._stream: StreamingLevel | None = None
        self._laid: object = None
        self.heard: Stillness | None = None
        self.silent = ""
        """Why nothing comes in."""

    @property
    def window(self) -> float:
        """So long its numbers must stand [s]."""
        return min(WINDOW, self.facts.values["settles"])

    carried = True
    """Whether it goes from place to place, and swings; a level that is screwed on doesn't."""

    def put_down(self, where: object, tilt: float) -> None:
        """Say where it lies; anew, what came before is forgotten. A stand-in goes on to the tilt [rad] there."""
        if self._stream is not None and (where != self._laid or abs(self._stream_to - tilt) > 1e-9):
            self._stream.put_down(tilt, carried=self.carried and where != self._laid)
            self._stream_to = tilt
        if where != self._laid:
            self._laid = where
            if self._door is not None:
                self._door.poll()
                self._door.begin()

    _stream_to = math.nan

    def listen(self, where: object, tilt: float) -> Stillness:
        """Take in what has been sent, it lying somewhere; return how it stands.

        Raises
        ------
        KeelError
            `no-port`, `bad-pattern`: the port is let go of, and opened anew at the next try.
        """
        try:
            if self._door is None:
                self._open()
            assert self._door is not None
            self.put_down(where, tilt)
            self._door.poll()
        except KeelError as error:
            self.close()
            self.silent = error.message
            raise
        self.silent = ""
        v = self.facts.values
        self.heard = self._door.stillness(self.window, v["digit"], v["noise"])
        return self.heard

    def _open(self) -> None:
        from vivid_keel.exchange.number_door import NumberDoor

        v, texts = self.facts.values, self.facts.texts
        port, baud, pattern, sends = texts["port"], round(v["baud"]), texts[self.pattern], texts["sends"]
        if self._simulated:
            from vivid_keel.stands.streaming import StreamingLevel

            sends = "mm" if self._lengths else "mm/m"
            self._stream = StreamingLevel(0.3 * v["noise"], v["digit"], v["settles"], unit=sends)
            port, pattern = self._stream.path, r"([+-]?\d+(?:\.\d+)?)"
        self._door = NumberDoor(port, baud, pattern, sends, lengths=self._lengths)
        self._laid = None

    def stands_at(self) -> float:
        """Return what its number stands at [rad, or m].

        Raises
        ------
        KeelError
            `not-settled`; `bad-value`: no level on a body shows so much.
        """
        still = self.heard
        if still is None or not still.still:
            raise KeelError(
                "not-settled",
                f"its numbers still run; hands off, and F8 again when they stand (about {self.facts.values['settles']:g} s)",
            )
        if self._lengths and not 0.0 < still.value <= LONGEST:
            raise KeelError(
                "bad-value",
                f"it sends {still.value:.3f} m, which no scale shows; is its unit right under Instrument?",
            )
        if not self._lengths and abs(still.value) > self._steepest:
            raise KeelError(
                "bad-value",
                f"it sends {still.value * 1000:.0f} mm/m, steeper than any level here shows; is its unit right under Instrument?",
            )
        return still.value

    def close(self) -> None:
        """Switch off what streams."""
        for open_one in (self._door, self._stream):
            if open_one is not None:
                open_one.close()
        self._door = self._stream = self.heard = None
