"""One helper for work that takes long: off the window's thread, its result back on it, stoppable."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.trouble import note

SecondsLeft = Callable[[], float]


class _Signals(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)


class Job(QRunnable):
    """An operation under way; `stop` asks it to come to an end."""

    def __init__(self, operation: Callable[[SecondsLeft], Any], seconds: float) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self._operation = operation
        self._until = time.monotonic() + seconds
        self.signals = _Signals()

    def stop(self) -> None:
        """Let it end at its next look at the clock."""
        self._until = 0.0

    def seconds_left(self) -> float:
        return max(0.0, self._until - time.monotonic())

    def run(self) -> None:
        try:
            result = self._operation(self.seconds_left)
        except Exception as error:
            if not isinstance(error, KeelError | Stopped):
                note(f"worker, {getattr(self._operation, '__qualname__', 'an operation')}", error)
            self._send("failed", error)
        else:
            self._send("done", result)

    def _send(self, name: str, value: object) -> None:
        try:
            getattr(self.signals, name).emit(value)
        except RuntimeError:
            return  # the window was closed meanwhile; there is nobody to tell


class Worker(QObject):
    """Runs operations one after another on a thread of its own."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._jobs: list[Job] = []

    def start(
        self,
        operation: Callable[[SecondsLeft], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
        seconds: float = 20.0,
    ) -> Job:
        """Start an operation; `done` or `failed` is called on the window's thread."""
        job = Job(operation, seconds)
        self._jobs.append(job)

        def ended(then: Callable[[Any], None], value: Any) -> None:
            if job in self._jobs:
                self._jobs.remove(job)
                then(value)

        job.signals.done.connect(lambda value: ended(done, value))
        job.signals.failed.connect(lambda error: ended(failed, error))
        self._pool.start(job)
        return job

    @property
    def busy(self) -> bool:
        return bool(self._jobs)

    def hurry(self) -> None:
        """Let everything under way come to its end now, with what it has."""
        for job in self._jobs:
            job.stop()

    def stop(self) -> None:
        """Stop everything and wait for it."""
        jobs, self._jobs = self._jobs, []
        for job in jobs:
            job.stop()
        self._pool.waitForDone()
