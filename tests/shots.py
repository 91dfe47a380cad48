"""Pictures of the program's main views, from the demo job: ./run shots [FOLDER]."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from vivid_keel.demo import build
from vivid_keel.ui.theme import theme
from vivid_keel.ui.window import Window

# file name: (work, stage, sheet, view, theme)
VIEWS = {
    "run-instrument": (0, "Instrument", 0, 0, "Daylight"),
    "run-set-up": (0, "Set-up", 1, 0, "Daylight"),
    "run-where-to-stand": (0, "Set-up", 2, 1, "Daylight"),
    "run-readings": (0, "Readings", 0, 0, "Daylight"),
    "run-heights": (0, "Heights", 0, 0, "Daylight"),
    "run-proof": (0, "Proof", 0, 0, "Daylight"),
    "run-record": (0, "Record", 0, 0, "Daylight"),
    "supports-set-up": (1, "Set-up", 0, 2, "Daylight"),
    "supports-readings": (1, "Readings", 0, 0, "Daylight"),
    "supports-heights": (1, "Heights", 0, 0, "Daylight"),
    "supports-target": (1, "Target", 0, 0, "Daylight"),
    "supports-moves": (1, "Moves", 0, 0, "Daylight"),
    "supports-proof": (1, "Proof", 0, 0, "Daylight"),
    "network": (3, "Proof", 0, 0, "Daylight"),
    "run-readings-lamp": (0, "Readings", 0, 0, "Lamp"),
    "supports-moves-lamp": (1, "Moves", 0, 0, "Lamp"),
}


def wait(app: QApplication, window: Window) -> None:
    """Let the window come to rest."""
    until = time.monotonic() + 30
    window.settle()
    while time.monotonic() < until:
        app.processEvents()
        if not window.worker.busy:
            break
        time.sleep(0.01)
    window.settle()
    for _ in range(5):
        app.processEvents()


def site(app: QApplication, window: Window, work: int, folder: Path) -> None:
    """Site mode, with a reading half typed."""
    if theme.name != "Daylight":
        window.switch_theme()
    window.open_work(work)
    window.site_mode()
    assert window.site.booking is not None
    window.site.booking.set_mark("Mill door sill")
    window.site.booking.set_kind(1)
    for key in "1.482":
        window.site.booking.press(key)
    window.site.refresh()
    wait(app, window)
    window.grab().save(str(folder / "site.png"))
    window.leave_site()


def take(folder: Path, only: list[str]) -> None:
    """Write one PNG per view at 1280×800."""
    app = QApplication.instance() or QApplication(["shots"])
    assert isinstance(app, QApplication)
    theme.use("Daylight")
    with tempfile.TemporaryDirectory() as temporary:
        os.environ["XDG_STATE_HOME"] = temporary
        window = Window("I. Withy")
        window.resize(1280, 800)
        window.show()
        if not only or "start" in only:
            wait(app, window)
            window.grab().save(str(folder / "start.png"))
        window.take(build(Path(temporary) / "Osier Mill.keel"))
        assert window.file is not None
        works = [w.id for w in window.file.journal.works()]
        for name, (work, stage, sheet, view, look) in VIEWS.items():
            if only and name not in only:
                continue
            if theme.name != look:
                window.switch_theme()
            window.open_work(works[work])
            window.view_number = view
            window.show_stage(stage, sheet)
            window.notice.hide()
            if stage != "Readings":
                window.sheet.close_editor()
            wait(app, window)
            window.grab().save(str(folder / f"{name}.png"))
        if not only or "site" in only:
            site(app, window, works[0], folder)
        if not only or "new-work" in only:
            if theme.name != "Daylight":
                window.switch_theme()
            window.show_new_work()
            wait(app, window)
            window.grab().save(str(folder / "new-work.png"))
        window.close()


if __name__ == "__main__":
    words = sys.argv[1:]
    target = Path(words[0]) if words else Path(__file__).parent.parent / "docs" / "screenshots"
    target.mkdir(parents=True, exist_ok=True)
    take(target, words[1:])
