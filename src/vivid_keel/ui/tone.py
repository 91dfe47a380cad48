"""The tone that leads a hand whose eyes are on the jack: beeps, quicker the nearer, silent where it is to stop."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSink

RATE = 22050
LONG = 0.06
"""How long a beep is [s]."""
LOUD = 0.35


def beep(pitch: float) -> bytes:
    """Return a beep of a pitch [Hz] as 16 bit samples, faded in and out so that it doesn't click."""
    t = np.arange(int(RATE * LONG)) / RATE
    fade = np.minimum(1.0, np.minimum(t, LONG - t) / 0.008)
    return (np.sin(2 * np.pi * pitch * t) * fade * LOUD * 32767).astype("<i2").tobytes()


class Tone:
    """Beeps one after another. `silent` says why none can be heard, "" where they can."""

    def __init__(self) -> None:
        self.silent = ""
        self._sink: QAudioSink | None = None
        self._next = 0.0
        self._buffer = QBuffer()

    def lead(self, wanted: tuple[float, float] | None, now: float | None = None) -> bool:
        """Beep if it is time to: `wanted` is the pitch [Hz] and the pause [s], None for silence; say whether it did."""
        now = time.monotonic() if now is None else now
        if wanted is None or now < self._next or self.silent:
            return False
        pitch, pause = wanted
        self._next = now + LONG + pause
        self._play(beep(pitch))
        return not self.silent

    def _play(self, sound: bytes) -> None:
        if self._sink is None:
            self._open()
        if self._sink is None:
            return
        self._sink.stop()
        self._buffer.close()
        self._buffer.setData(QByteArray(sound))
        self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        self._sink.start(self._buffer)

    def _open(self) -> None:
        try:  # it brings the sound libraries of the system with it, which a machine without sound hasn't
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
        except ImportError:
            self.silent = (
                "no tone: this machine lacks what a window sounds with; on Debian: apt-get install libpulse0"
            )
            return
        if not QMediaDevices.audioOutputs():
            self.silent = "no tone: this machine has nothing to sound with"
            return
        form = QAudioFormat()
        form.setSampleRate(RATE)
        form.setChannelCount(1)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        self._sink = QAudioSink(form)
