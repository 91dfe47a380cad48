"""Finding over the whole job: a word, what holds it, and Enter goes there."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from vivid_keel.core.record.search import Hit
from vivid_keel.ui.pane import label

HIT = Qt.ItemDataRole.UserRole


class FindPage(QWidget):
    """A line to type in and what is found. Signals: `left()`, `chosen(hit)`."""

    left = pyqtSignal()
    chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._search: Callable[[str], Sequence[Hit]] = lambda words: []
        self._name: Callable[[Hit], str] = lambda hit: hit.said
        box = QVBoxLayout(self)
        box.setContentsMargins(24, 18, 24, 18)
        self.title = label("Find in this job", "title")
        box.addWidget(self.title)
        self.words = QLineEdit()
        self.words.setPlaceholderText("a work, a mark, a remark, an open matter, a reading as it was typed")
        self.words.setAccessibleName("Find in this job")
        self.words.textChanged.connect(self._typed)
        self.words.returnPressed.connect(self._taken)
        self.words.installEventFilter(self)
        self.found = QListWidget()
        self.found.setAccessibleName("What was found")
        self.found.itemActivated.connect(lambda item: self.chosen.emit(item.data(HIT)))
        self.said = label("Enter goes there · Esc goes back", "muted")
        for part in (self.words, self.found, self.said):
            box.addWidget(part)

    def open(self, search: Callable[[str], Sequence[Hit]], name: Callable[[Hit], str], where: str) -> None:
        """Find by `search` from here on; `name` tells that of a hit's work, `where` where it is looked."""
        self.title.setText(f"Find in {where}")
        self._search, self._name = search, name
        self.words.selectAll()
        self._typed(self.words.text())
        self.words.setFocus()

    def _typed(self, words: str) -> None:
        self.found.clear()
        hits = self._search(words)
        for hit in hits:
            work = self._name(hit)
            said = "go to this work" if hit.entry == hit.work else hit.said
            item = QListWidgetItem(f"{work}   —   {said}{'' if hit.stands else '   (struck)'}")
            item.setData(HIT, hit)
            self.found.addItem(item)
        if hits:
            self.found.setCurrentRow(0)
        nothing = "nothing holds that" if words.strip() and not hits else f"{len(hits)} found" if hits else ""
        self.said.setText(f"{f'{nothing} · ' if nothing else ''}Enter goes there · Esc goes back")

    def _taken(self) -> None:
        item = self.found.currentItem()
        if item is not None:
            self.chosen.emit(item.data(HIT))

    def eventFilter(self, a0: QObject | None, a1: QEvent | None) -> bool:
        """Up and Down walk what was found while a word is being typed."""
        if isinstance(a1, QKeyEvent) and a1.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(a1.key()), 0)
            if step and self.found.count():
                self.found.setCurrentRow(max(0, min(self.found.count() - 1, self.found.currentRow() + step)))
                return True
        return super().eventFilter(a0, a1)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        """Esc goes back to the work."""
        if a0 is not None and a0.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(a0)
