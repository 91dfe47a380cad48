"""One helper for work that takes long: off the window's thread, its result back on it, stoppable."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.trouble import note

SecondsLeft = Callable[[], float]


class Job(QRunnable):
    """An operation under way, and who is told how it ended; `stop` asks it to come to an end."""

    def __init__(
        self,
        operation: Callable[[SecondsLeft], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
        tell: Callable[[Job, Callable[[Any], None], Any], None],
        seconds: float,
    ) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self._operation, self._done, self._failed, self._tell = operation, done, failed, tell
        self._until = time.monotonic() + seconds

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
            self._tell(self, self._failed, error)
        else:
            self._tell(self, self._done, result)


class Worker(QObject):
    """Runs operations one after another on a thread of its own."""

    # One signal that lives as long as the worker: a job that is stopped is forgotten while what it has to say may still be on
    # its way, and a signal of its own would then be heard by nothing that is there any more (the process fell down by it).
    _ended = pyqtSignal(object, object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._jobs: list[Job] = []
        self._ended.connect(self._hear)

    def start(
        self,
        operation: Callable[[SecondsLeft], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
        seconds: float = 20.0,
    ) -> Job:
        """Start an operation; `done` or `failed` is called on the window's thread."""
        job = Job(operation, done, failed, self._tell, seconds)
        self._jobs.append(job)
        self._pool.start(job)
        return job

    def _tell(self, job: Job, then: Callable[[Any], None], value: Any) -> None:
        """Say on the worker's thread how a job ended."""
        try:
            self._ended.emit(job, then, value)
        except RuntimeError:
            return  # the window was closed meanwhile; there is nobody to tell

    def _hear(self, job: Job, then: Callable[[Any], None], value: Any) -> None:
        """Hear it on the window's, unless it was stopped."""
        if job in self._jobs:
            self._jobs.remove(job)
            then(value)

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
