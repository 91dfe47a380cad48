"""The real window, driven by keys."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication

from tests.mill import mill
from vivid_keel.ui.theme import theme
from vivid_keel.ui.window import Window

NAMED = {
    "enter": Qt.Key.Key_Return,
    "esc": Qt.Key.Key_Escape,
    "tab": Qt.Key.Key_Tab,
    "up": Qt.Key.Key_Up,
    "down": Qt.Key.Key_Down,
    "left": Qt.Key.Key_Left,
    "right": Qt.Key.Key_Right,
    "f1": Qt.Key.Key_F1,
    "f4": Qt.Key.Key_F4,
    "back": Qt.Key.Key_Backspace,
    "backspace": Qt.Key.Key_Backspace,
    " ": Qt.Key.Key_Space,
}


class Hands:
    """Types into whatever has the focus, as a person does."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot = window, qtbot

    def key(self, name, modifiers=Qt.KeyboardModifier.NoModifier, text=""):
        target = QApplication.focusWidget() or self.window
        code = NAMED.get(name, 0)
        for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            QApplication.sendEvent(target, QKeyEvent(kind, int(code), modifiers, text))

    def type(self, text):
        for ch in text:
            self.key(ch, text=ch)

    def line(self, *texts):
        """Type each text and Enter."""
        for text in texts:
            self.type(text)
            self.key("enter")

    def do(self, shortcut):
        """Trigger the action of a shortcut."""
        from PyQt6.QtGui import QKeySequence

        wanted = QKeySequence(shortcut)
        (action,) = [a for a in self.window.actions() if a.shortcut() == wanted]
        action.trigger()

    def rest(self):
        """Wait until the leaves are chosen and all is shown."""
        self.window.settle()
        self.qtbot.waitUntil(lambda: not self.window.worker.busy, timeout=20_000)
        self.window.settle()

    def cells(self, row):
        sheet = self.window.sheet.sheet
        return [sheet.cell(row, c).text for c in range(len(sheet.columns))]

    def said(self):
        self.window.settle()
        return [f.title for f in self.window.desk.findings(self.window.stage)]


@pytest.fixture
def window(qtbot):
    theme.use("Daylight")
    window = Window("Ada")
    qtbot.addWidget(window)
    window.resize(1280, 800)
    with qtbot.waitActive(window):
        window.show()
        window.activateWindow()
    yield window
    window.close()


@pytest.fixture
def hands(window, qtbot):
    return Hands(window, qtbot)


@pytest.fixture
def demo(window, tmp_path):
    window.take(mill(tmp_path / "Osier Mill.keel"))
    return window
