"""Starts the window."""

from __future__ import annotations

import gc
import os
import sys
from importlib import import_module
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from vivid_keel import trouble

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from vivid_keel.ui.window import Window

# Two numeric threads fighting for two cores make everything slower; see docs/decisions.md.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
"""What says where a window can be opened."""
LOAD_AHEAD = 300
"""How long the window has stood before what comes next is loaded [ms]: at once it would be in the way of the first picture."""
TITLE_BAR = 32
"""What a window manager puts above a window, and takes from a small screen, in pixels."""
SELDOM = (20_000, 20, 20)
"""When Python looks for what is not used any more by itself; the window has it done whenever it comes to rest."""
AT_ONCE_S = 0.0005
"""How long a worker may keep the interpreter from the window [s]: Python's own 5 ms, several times a key, is a frame lost."""


def run(command: str, words: list[str]) -> int:
    """Open the window: `app [FILE]` on a job, `demo` on the demo job; --debug says on the terminal what it does."""
    debug = "--debug" in words
    words = [w for w in words if w != "--debug"]
    if (words and words[0] in {"-h", "--help"}) or len(words) > 1 or (command == "demo" and words):
        print(
            f"usage: vivid-keel {command}{' [FILE]' if command == 'app' else ''} [--debug]", file=sys.stderr
        )
        return 0 if words[0] in {"-h", "--help"} else 2
    from PyQt6.QtCore import QTimer

    trouble.begin(debug=debug)
    if sys.platform == "linux" and not any(os.environ.get(name) for name in DISPLAYS):
        print(
            "vivid-keel: there is no display to open a window on; the command line works without one (vivid-keel --help)",
            file=sys.stderr,
        )
        return 1
    try:
        app, window = open_window(command, words)
    except Exception as error:
        failed_to_start(error)
        return 1
    trouble.tell.append(window.failed.emit)
    QTimer.singleShot(200, trouble.log)
    window.ready = lambda: False  # till it is begun
    fetching: list[Thread] = []
    QTimer.singleShot(LOAD_AHEAD, lambda: fetching.append(fetch_for(window)))
    from vivid_keel.ui.chosen import AGAIN

    code = app.exec()
    for thread in fetching:
        thread.join(10.0)  # who leaves at once doesn't leave in the middle of it
    if code == AGAIN:  # in another size of type, which is settled before the first window
        at = [str(window.reopen)] if window.reopen is not None else []
        os.environ.pop("QT_SCALE_FACTOR", None)
        os.execv(sys.executable, [sys.executable, "-P", "-m", "vivid_keel", "app", *at])
    return code


def open_window(command: str, words: list[str]) -> tuple[QApplication, Window]:
    """Return the application and its window, shown, on the job that was asked for."""
    # Thousands of objects are made and none thrown away till the window stands: collecting waits.
    gc.disable()
    from PyQt6.QtCore import QTimer
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from vivid_keel.ui.chosen import chosen_size, chosen_theme
    from vivid_keel.ui.theme import theme
    from vivid_keel.ui.window import Window

    if chosen_size() != 1.0:
        os.environ.setdefault("QT_SCALE_FACTOR", str(chosen_size()))
    app = QApplication(["vivid-keel"])
    app.setApplicationName("Vivid Keel")
    app.setDesktopFileName("vivid-keel")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "vivid-keel.svg")))
    theme.use(chosen_theme())
    window = Window()
    if command == "demo":
        window.errands.open_demo()
    elif words:
        try:
            window.open_path(Path(words[0]))
        except Exception as error:  # a fault of ours: the window is there, and says so
            trouble.uncaught(type(error), error, error.__traceback__)
            window.say(f"{words[0]} could not be opened, by a fault of this program. It was left as it is.")
    if (screen := app.primaryScreen()) is not None:
        room = screen.availableSize()
        window.resize(min(window.width(), room.width()), min(window.height(), room.height() - TITLE_BAR))
    window.show()
    QTimer.singleShot(200, window.greet)
    keys_first()
    gc.enable()
    return app, window


def failed_to_start(error: Exception) -> None:
    """Say on the terminal, and in a plain window where there can be one, that the window failed to start."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtWidgets import QApplication, QMessageBox

    trouble.uncaught(type(error), error, error.__traceback__)
    said = f"The window of Vivid Keel could not be opened: {error}. No file was changed."
    print(f"vivid-keel: {said}", file=sys.stderr)
    if QApplication.instance() is not None:
        box = QMessageBox(QMessageBox.Icon.Critical, "Vivid Keel", said)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.exec()


def fetch_for(window: Window) -> Thread:
    """Begin to load what the sums of a window's works need and its first screen doesn't, while a person looks at it."""
    fetching = Thread(target=_fetch, daemon=True)
    fetching.start()
    window.ready = lambda: not fetching.is_alive()
    return fetching


def _fetch() -> None:
    for name in ("scipy.special", "scipy.linalg", "scipy.spatial", "scipy.optimize"):
        import_module(name)
    from vivid_keel.trades.registry import LISTED, trade

    for one in LISTED:
        known = trade(one.key)
        if known is not None:
            known.face()


def keys_first() -> None:
    """Let neither what is thrown away nor a worker hold up a key."""
    gc.set_threshold(*SELDOM)
    sys.setswitchinterval(AT_ONCE_S)
