"""When it breaks: what went wrong is written down, the program stays up, and a report of it can be handed on.

The log lies beside the program's other small files and is begun anew when it grows. It holds what failed and where in
the program, and no reading: whatever could be one in a message is masked.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from typing import IO, TYPE_CHECKING

from vivid_keel import __version__

if TYPE_CHECKING:
    import logging
    from types import TracebackType

LARGEST, KEPT = 200_000, 2
"""Bytes of a log before it is begun anew, and how many older ones are kept."""
LAST = 60
"""Lines of the log that go into a report."""

_told: set[str] = set()
_opened: list[IO[str]] = []
"""Where a crash of the interpreter is written; empty until the log is opened."""
_debug: list[bool] = []
tell: list[Callable[[str], None]] = []
"""Who is told, in a sentence, of a fault that nobody caught."""


def begin(*, debug: bool = False) -> None:
    """Catch what nobody else does, from now on; the log itself is opened when something is written."""
    close()
    _debug[:] = [debug]
    sys.excepthook = uncaught
    threading.excepthook = lambda caught: uncaught(
        caught.exc_type, caught.exc_value or caught.exc_type(), caught.exc_traceback
    )


def close() -> None:
    """Let go of the log; it is opened anew when something is written."""
    _told.clear()
    if not _opened:
        return
    import faulthandler
    import logging

    if sys.__stderr__ is not None:
        faulthandler.enable(sys.__stderr__)
    made = logging.getLogger("vivid_keel")
    for handler in list(made.handlers):
        made.removeHandler(handler)
        handler.close()
    for file in _opened:
        if file is not sys.stderr:
            file.close()
    _opened.clear()


def log() -> logging.Logger:
    """Return the log, opened. One that can't be written is no reason not to go on."""
    import logging

    made = logging.getLogger("vivid_keel")
    if _opened:
        return made
    import faulthandler
    import platform
    from logging.handlers import RotatingFileHandler

    from vivid_keel.places import state_file

    debug = bool(_debug and _debug[0])
    logging.raiseExceptions = debug
    made.setLevel(logging.DEBUG if debug else logging.INFO)
    made.propagate = False
    form = logging.Formatter("%(asctime)s %(levelname)s %(message)s", "%Y-%m-%d %H:%M:%S")
    if debug:
        _add(made, logging.StreamHandler(), form)
    path = state_file("log.txt")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        _add(made, RotatingFileHandler(path, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8"), form)
        _opened.append(open(state_file("crash.txt"), "a", encoding="utf-8"))  # noqa: SIM115 - as long as it runs
        faulthandler.enable(_opened[-1])
    except OSError as error:
        _opened.append(sys.stderr)
        made.addHandler(logging.NullHandler())
        made.warning("no log is kept: %s", error.strerror)
        faulthandler.enable()
    made.info("begun: Vivid Keel %s, Python %s", __version__, platform.python_version())
    return made


def _add(made: logging.Logger, handler: logging.Handler, form: logging.Formatter) -> None:
    handler.setFormatter(form)
    made.addHandler(handler)


def masked(text: str) -> str:
    """Return a message without what might be a reading, a name or a path: quoted words and digits are masked."""
    import re

    text = re.sub(r"“[^”]*”|'[^']*'|\"[^\"]*\"", "‹…›", text)
    return re.sub(r"(?:/[^/\s:]+){2,}", "‹path›", re.sub(r"\d+", "#", text))


def described(error: BaseException) -> str:
    """Return what failed and where in the program, a line a call, the message masked."""
    import traceback

    lines = []
    for frame in traceback.extract_tb(error.__traceback__):
        lines.append(f"  {'/'.join(frame.filename.split('/')[-3:])}:{frame.lineno} in {frame.name}")
    return "\n".join([f"{type(error).__name__}: {masked(str(error))}", *lines])


def note(place: str, error: BaseException) -> str:
    """Write a fault down, once a place, and return what is said of it where it happened."""
    if place not in _told:
        _told.add(place)
        log().error("%s failed: %s", place, described(error))
    return f"this could not be shown ({type(error).__name__}); what was recorded is safe"


def uncaught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Write down what nobody caught, and tell it; the program goes on."""
    if issubclass(kind, KeyboardInterrupt):
        sys.__excepthook__(kind, error, trace)
        return
    said = described(error.with_traceback(trace))
    if said not in _told:  # what comes again with every tick of a clock would push all else out of the log
        _told.add(said)
        log().critical("uncaught: %s", said)
    for listener in tell:
        listener(
            f"Something failed in the program ({kind.__name__}); what was recorded is safe. "
            "If it comes again: Copy for a bug report, in the menu."
        )


def about() -> str:
    """Return the versions and the system, a line each."""
    import platform
    from importlib.metadata import PackageNotFoundError, version

    lines = [f"Vivid Keel {__version__}", f"Python {platform.python_version()}", platform.platform()]
    for package in ("PyQt6", "PyQt6-Qt6", "numpy", "scipy"):
        try:
            lines.append(f"{package} {version(package)}")
        except PackageNotFoundError:
            continue
    return "\n".join(lines)


def report(readings: str = "") -> str:
    """Return what to send with a fault: versions, system, the log's last lines; readings only where they are handed in."""
    from vivid_keel.places import state_file

    try:
        lines = state_file("log.txt").read_text(encoding="utf-8", errors="replace").splitlines()[-LAST:]
    except OSError:
        lines = ["(no log is kept)"]
    parts = [about(), "", "Log:", *lines]
    return "\n".join([*parts, "", "Readings:", readings] if readings else parts) + "\n"
