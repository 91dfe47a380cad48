"""Small tabs over a picture or a sheet."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget


class TabRow(QWidget):
    """Names to choose from; nothing at all where there is no choice."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 2, 0, 0)
        self._row.setSpacing(2)
        self._row.addStretch(1)
        self.buttons: list[QPushButton] = []

    def show_names(self, names: list[str], current: int) -> None:
        """Show these names with one chosen."""
        if [b.text() for b in self.buttons] != names:
            for button in self.buttons:
                self._row.removeWidget(button)
                button.hide()
                button.deleteLater()
            self.buttons = [self._button(name, i) for i, name in enumerate(names)]
        for i, button in enumerate(self.buttons):
            button.setChecked(i == current)
        self.setVisible(len(names) > 1)

    def _button(self, name: str, number: int) -> QPushButton:
        button = QPushButton(name)
        button.setProperty("role", "tab")
        button.setCheckable(True)
        button.clicked.connect(lambda: self.chosen.emit(number))
        self._row.insertWidget(number, button)
        return button
