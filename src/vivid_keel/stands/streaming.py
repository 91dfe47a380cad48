"""A simulated electronic level that sends its numbers, line by line, over a local pseudo-terminal."""

from __future__ import annotations

import math
import os
import threading
import time
import tty

import numpy as np

SWING = 100.0
"""Carried to another place it is off by so many of its last digits at first [1]."""
EVERY = 0.1
"""Seconds between two numbers."""


class StreamingLevel:
    """Sends "+0.35 mm/m" every tenth of a second; put down anew, it settles to the new tilt.

    Attributes
    ----------
    path : str
        The port to read it from, as a real one would have.
    """

    def __init__(
        self, noise: float, last_digit: float, settles: float, seed: int = 1, *, unit: str = "mm/m"
    ) -> None:
        self._unit = unit
        self._master, self._slave = os.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        self.path = os.ttyname(self._slave)
        self._noise, self._digit, self._settles = noise, last_digit, settles
        self._rng = np.random.default_rng(seed)
        self._from, self._to, self._since = 0.0, 0.0, time.monotonic() - 1e3
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._send, daemon=True)
        self._thread.start()

    def put_down(self, tilt: float, *, carried: bool = False) -> None:
        """Lay it on something tilted so [rad], or so high [m]; it takes its time to say so, and swings where it was carried there."""
        swing = SWING * self._digit if carried else 0.0
        self._from, self._to, self._since = self.now() + swing, tilt, time.monotonic()

    def now(self) -> float:
        """What it would show this moment without noise [rad]."""
        gone = time.monotonic() - self._since
        return self._to + (self._from - self._to) * math.exp(-math.log(100.0) * gone / self._settles)

    def _send(self) -> None:
        while not self._stop.wait(EVERY):
            shown = round((self.now() + float(self._rng.normal(0, self._noise))) / self._digit) * self._digit
            try:
                os.write(self._master, f"{shown * 1000:+.3f} {self._unit}\r\n".encode())
            except BlockingIOError:
                continue  # nobody reads; what is not read is lost, as on a wire

    def close(self) -> None:
        """Switch it off."""
        self._stop.set()
        self._thread.join(2)
        os.close(self._master)
        os.close(self._slave)
