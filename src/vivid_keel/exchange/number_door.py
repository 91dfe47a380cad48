"""The door for instruments that send numbers: a serial port, lines of text, a pattern for the number, its unit and sign."""

from __future__ import annotations

import os
import time
from collections import deque

import numpy as np
import regex
import serial

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.settling import Stillness, stillness
from vivid_keel.core.quantities import parse_length, parse_tilt

KEPT = 600
"""Numbers remembered."""
LONGEST = 400
"""No line with a number is longer [characters]."""
PATIENCE = 0.05
"""How long a pattern may look at a line [s]: some never come to an end."""


class NumberDoor:
    """An open port and the numbers that came in lately.

    Parameters
    ----------
    port : str
        Such as /dev/ttyUSB0.
    baud : int
    pattern : str
        A regular expression; its first group is the number.
    unit : str
        Unit of the number, as `parse_tilt` knows it, or `parse_length` with `lengths`.
    turned : bool
        Whether plus means the other end is high.
    lengths : bool
        Whether the numbers are lengths [m] and no tilts [rad].

    Raises
    ------
    KeelError
        `bad-pattern`, `no-port`: what was wrong and what to do.
    """

    def __init__(
        self, port: str, baud: int, pattern: str, unit: str, *, turned: bool = False, lengths: bool = False
    ) -> None:
        self._parse = parse_length if lengths else parse_tilt
        try:
            self._pattern = regex.compile(pattern)
        except (regex.error, RecursionError, OverflowError) as error:
            raise KeelError(
                "bad-pattern", f"“{pattern}” is no pattern ({error}); one that serves is ([+-]?\\d+\\.\\d+)"
            ) from None
        if self._pattern.groups < 1:
            raise KeelError(
                "bad-pattern",
                f"“{pattern}” has no group; put round brackets about the number, as in ([+-]?\\d+\\.\\d+)",
            )
        self._parse("0", unit, ".")  # an unknown unit is said before the port is opened
        try:
            self._port = serial.Serial(port, baud, timeout=0)
        except (serial.SerialException, ValueError, OSError) as error:
            number = getattr(error, "errno", None)
            reason = os.strerror(number) if number else str(error)
            raise KeelError(
                "no-port",
                f"{port or 'no port'} can't be opened ({reason}); plug the instrument in, or name another port under Instrument",
            ) from None
        self._unit, self._turned = unit, turned
        self._rest = b""
        self.times: deque[float] = deque(maxlen=KEPT)
        self.values: deque[float] = deque(maxlen=KEPT)
        self.unread = ""
        """The last line in which the pattern found no number."""

    def poll(self, now: float | None = None) -> int:
        """Take in what has come; return how many numbers. A port that was pulled out raises `no-port`."""
        try:
            raw = self._port.read(65536)
        except (serial.SerialException, OSError) as error:
            raise KeelError("no-port", f"the port is gone ({error}); plug it in again") from None
        *lines, self._rest = (self._rest + raw).replace(b"\r", b"\n").split(b"\n")
        self._rest = self._rest[-4096:]
        taken = 0
        for line in lines:
            text = line.decode("ascii", "replace").strip()
            if not text:
                continue
            value = self._number(text)
            if value is None:
                self.unread = text[:80]
                continue
            self.times.append(time.monotonic() if now is None else now)
            self.values.append(-value if self._turned else value)
            taken += 1
        return taken

    def _number(self, text: str) -> float | None:
        try:
            found = self._pattern.search(text[:LONGEST], timeout=PATIENCE)
        except TimeoutError:
            raise KeelError(
                "bad-pattern",
                f"the pattern can't make up its mind about “{text[:40]}”; a plain one that serves is ([+-]?\\d+\\.\\d+)",
            ) from None
        if found is None or found[1] is None:
            return None
        try:
            return float(self._parse(found[1], self._unit, ".").value)
        except KeelError:
            return None

    def begin(self) -> None:
        """Forget what came before: the instrument was put down anew."""
        self.times.clear()
        self.values.clear()

    def stillness(self, window: float, last_digit: float, noise: float) -> Stillness:
        """Return whether it has settled, by its numbers [rad, or m]."""
        return stillness(np.array(self.times), np.array(self.values), window, last_digit, noise)

    def close(self) -> None:
        self._port.close()
