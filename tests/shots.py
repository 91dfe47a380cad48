"""Pictures of the program's main views, from the demo job: ./run shots [FOLDER]."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from datetime import datetime
from pathlib import Path

import numpy as np
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication

from tests.saying import take
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.kinds import KIND
from vivid_keel.core.instruments.outcome import Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.demo import build
from vivid_keel.desk.sheet import Goto
from vivid_keel.exchange.painter import paint
from vivid_keel.figures.kit import check_picture
from vivid_keel.stands.instruments import carry_out, hide, plan
from vivid_keel.ui.theme import theme
from vivid_keel.ui.window import Window
from vivid_keel.yard.desk import YardDesk

# file name: (work, stage, sheet, view, theme)
VIEWS = {
    "run-readings": (0, "Readings", 0, 0, "Daylight"),
    "supports-moves": (1, "Moves", 0, 0, "Daylight"),
    "supports-proof": (1, "Proof", 0, 0, "Daylight"),
    "network": (3, "Proof", 0, 0, "Daylight"),
    "marks": (4, "Heights", 0, 0, "Daylight"),
    "vehicle": (5, "Moves", 0, 0, "Daylight"),
    "slab": (6, "Moves", 0, 0, "Daylight"),
    "bed": (7, "Readings", 0, 0, "Daylight"),
    "axis": (8, "Moves", 0, 0, "Daylight"),
    "panels": (9, "Moves", 0, 0, "Daylight"),
    "ground": (10, "Readings", 0, 0, "Daylight"),
    "track": (11, "Readings", 0, 0, "Daylight"),
    "years": (13, "Heights", 0, 0, "Daylight"),
}
# file name: (instrument, stage, picture)
KIT = {
    "kit": ("", "Instruments", 0),
    "check-result": ("Carpenter's level", "Result", 0),
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
    while theme.name != "Daylight":
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


def kit(app: QApplication, window: Window, folder: Path, only: list[str]) -> None:
    """The kit, with the knocked level half way through its check for plumb."""
    while theme.name != "Daylight":
        window.switch_theme()
    window.show_kit()
    ids = {t.name: t.id for t in window.desk.tools}  # type: ignore[union-attr]
    wait(app, window)  # the list at the left puts every instrument on a desk
    knocked = window.desks[ids["Carpenter's level"]]
    knocked.enter_in_record(knocked.begin("plumb", "divisions"))  # type: ignore[attr-defined]
    for text in ("+1.5!", "-3.1!", "+1.6!", "-3.0!", "+1.5!", "-2.9!"):
        row = [s.key for s in knocked.run.steps].index(knocked.run.next_step().key)  # type: ignore[attr-defined]
        take(knocked.sheets("Readings")[0], row, 2, text)
    for name, (tool, stage, view) in KIT.items():
        if only and name not in only:
            continue
        window.open_work(ids[tool] if tool else 0)
        window.view_number = view
        window.show_stage(stage)
        window.sheet.close_editor()
        wait(app, window)
        window.grab().save(str(folder / f"{name}.png"))
    window.show_job()


SHEET = (
    ("spirit", "reversal", "divisions"),
    ("spirit", "plumb", "divisions"),
    ("electronic", "reversal", "divisions"),
    ("straightedge", "straightness", ""),
    ("optical", "two-peg", "near"),
    ("optical", "two-peg", "both"),
    ("rotary", "cone", "near"),
    ("optical", "field", ""),
    ("optical", "circular", ""),
    ("optical", "plate", "three"),
    ("rotary", "axes", ""),
    ("line", "line", ""),
    ("line", "line-plumb", ""),
    ("tube", "tube", ""),
    ("hydrostatic", "hydrostatic", ""),
    ("string", "string", ""),
    ("plumb-frame", "plumb-frame", ""),
    ("staff", "staff", ""),
)


def checks(folder: Path) -> None:
    """Every check's picture on one sheet, each done on a stand-in."""
    wide, tall, across = 748, 316, 3
    image = QImage(across * (wide + 8), -(-len(SHEET) // across) * (tall + 8), QImage.Format.Format_RGB32)
    image.fill(theme.colour("desk"))
    painter = QPainter(image)
    now = datetime.now().astimezone()
    for n, (kind, check, way) in enumerate(SHEET):
        usual = usual_facts(KIND[kind].traits)
        numbers, texts = usual.values, usual.texts
        traits, rng, procedure = (
            Traits(KIND[kind], numbers, texts),
            np.random.default_rng(5),
            PROCEDURES[check],
        )
        hidden = hide(traits, rng) | ({"drift": 0.002} if kind == "hydrostatic" else {})
        cycles = {"field": 10, "hydrostatic": 4}.get(check, 2)
        seen = carry_out(procedure, way, traits, hidden, plan(procedure, way, traits, cycles), rng)
        run = CheckRun(1, procedure, way, now, now, "", seen, [], "", traits)
        painter.save()
        painter.translate(4 + n % across * (wide + 8), 4 + n // across * (tall + 8))
        painter.fillRect(0, 0, wide, tall, theme.colour("paper"))
        painter.setClipRect(0, 0, wide, tall)
        paint(painter, check_picture(run, None, None, wide, tall).items, theme.palette)
        painter.restore()
    painter.end()
    image.save(str(folder / "checks.png"))


def yard(app: QApplication, window: Window, folder: Path) -> None:
    """A head on four screws in the practice yard, under the Lamp theme."""
    while theme.name != "Lamp":
        window.switch_theme()
    window.toggle_yard()
    desk = window.desk
    assert isinstance(desk, YardDesk)
    desk.record(*desk.begin_drafts("four"))
    for what, text, value in (("across", "1/2", 0.5), ("along", "-3/8", -0.375)):
        desk.record(*desk.act(what, text, value))
    window._go(Goto("Practise"))
    wait(app, window)
    window.grab().save(str(folder / "yard.png"))


def shoot(folder: Path, only: list[str]) -> None:
    """Write one PNG per view at 1280×800."""
    app = QApplication.instance() or QApplication(["shots"])
    assert isinstance(app, QApplication)
    theme.use("Daylight")
    with tempfile.TemporaryDirectory() as temporary:
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_DATA_HOME"] = temporary
        window = Window("I. Withy")
        window.resize(1280, 800)
        window.show()
        if not only or "start" in only:
            wait(app, window)
            window.grab().save(str(folder / "start.png"))
        window.take(build(Path(temporary) / "Osier Mill.keel"))
        window.greet()
        assert window.file is not None
        works = [w.id for w in window.file.journal.works()]
        for name, (work, stage, sheet, view, look) in VIEWS.items():
            if only and name not in only:
                continue
            while theme.name != look:
                window.switch_theme()
            window.open_work(works[work])
            window.view_number = view
            window.show_stage(stage, sheet)
            window.notice.hide()
            if stage != "Readings":
                window.sheet.close_editor()
            if name == "years":
                window.sheet.go((3, 3), edit=False)  # the mark that goes down
            wait(app, window)
            window.grab().save(str(folder / f"{name}.png"))
        if not only or set(only) & set(KIT):
            kit(app, window, folder, only)
        if not only or "checks" in only:
            checks(folder)
        if not only or "yard" in only:
            yard(app, window, folder)
            window.toggle_yard()
        if not only or "site" in only:
            site(app, window, works[0], folder)
        window.close()


if __name__ == "__main__":
    words = sys.argv[1:]
    target = Path(words[0]) if words else Path(__file__).parent.parent / "docs" / "screenshots"
    target.mkdir(parents=True, exist_ok=True)
    shoot(target, words[1:])
