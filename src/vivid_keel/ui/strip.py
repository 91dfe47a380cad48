"""The stages across the top and the job's works at the left."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from vivid_keel.desk.base import StageTab
from vivid_keel.exchange.painter import paint, paint_text, text_length
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import fitted
from vivid_keel.ui.painting import painting
from vivid_keel.ui.pane import plain
from vivid_keel.ui.theme import theme


class StageButton(QAbstractButton):
    """One stage: its name, a count, and a short bar that fills."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.tab = StageTab("", 0.0)
        self._number = number

    def show_tab(self, tab: StageTab) -> None:
        if tab == self.tab:
            return
        self.tab = tab
        state = "done" if tab.full >= 1 else "part" if tab.full > 0 else "empty"
        self.setAccessibleName(f"{tab.name}, {state}{', ' + tab.count if tab.count else ''}")
        self.setToolTip(f"{tab.name} (Alt+{self._number})")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(118, 42)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self, "a stage's tab") as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            rect = QRectF(self.rect()).adjusted(1, 1, -1, -4)
            on = self.isChecked()
            if on:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("night"))
                painter.drawRoundedRect(rect, 3, 3)
            ink = theme.colour("on-night" if on else "ink")
            painter.setPen(ink)
            inner = rect.adjusted(10, 2, -10, -10)
            middle, name, count = inner.top() + inner.height() / 2, self.tab.name, self.tab.count
            paint_text(painter, round(inner.left()), round(middle + 5.4), name, 15, bold=on)
            wide = text_length(count, 13)
            beside = text_length(name, 15, on) + wide + 8 <= inner.width()
            # On a small screen the count stands beside the bar.
            base = middle + 4.7 if beside else rect.bottom() - 3
            if count:
                paint_text(painter, round(inner.right() - wide), round(base), count, 13)
            room = inner.width() if beside or not count else inner.width() - wide - 6
            bar = QRectF(rect.left() + 10, rect.bottom() - 8, max(8.0, min(26.0, room)), 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(bar)
            painter.fillRect(
                QRectF(bar.left(), bar.top(), bar.width() * min(1.0, self.tab.full), bar.height()), ink
            )
            if self.hasFocus():
                painter.setPen(theme.colour("keel"))
                painter.drawRoundedRect(rect, 3, 3)


class StageStrip(QWidget):
    """The stages of the work in working order."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(48)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 3, 0, 2)
        self._row.setSpacing(2)
        self.buttons: list[StageButton] = []

    def show_tabs(self, tabs: list[StageTab], current: str) -> None:
        """Show these stages with one in hand."""
        while len(self.buttons) > len(tabs):
            button = self.buttons.pop()
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        while len(self.buttons) < len(tabs):
            button = StageButton(len(self.buttons) + 1)
            button.clicked.connect(lambda _=False, b=button: self.chosen.emit(b.tab.name))
            self._row.addWidget(button)
            self.buttons.append(button)
        for button, tab in zip(self.buttons, tabs, strict=True):
            button.show_tab(tab)
            button.setChecked(tab.name == current)

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        with painting(self, "the stages") as painter:
            painter.fillRect(QRect(0, self.height() - 3, self.width(), 2), theme.colour("muted"))


class WorkPainter(QStyledItemDelegate):
    """A work in the list: its name, its state in words, its verdict's shape."""

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:  # type: ignore[no-untyped-def]
        return QSize(170, TALL + self._lower(index))

    def _lower(self, index) -> int:  # type: ignore[no-untyped-def]
        """How much lower the words stand under a name that takes two lines where they take two themselves [px]."""
        told = index.data(Qt.ItemDataRole.UserRole)
        if told is None:  # a row is asked how tall it is before it is told what it is of
            return 0
        name, words, _ = told
        view = self.parent()
        assert isinstance(view, QListWidget)
        port = view.viewport()
        wide = (port.width() if port is not None else 170) - 14 - 12
        return BOTH if not _fits(name, wide - 38) and not _fits(words, wide - 6) else 0

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index) -> None:  # type: ignore[no-untyped-def]
        assert painter is not None
        name, words, verdict = index.data(Qt.ItemDataRole.UserRole)
        view = self.parent()
        assert isinstance(view, QListWidget)
        rect = option.rect.adjusted(8, 2, -6, -2)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if index.row() == view.currentRow():
            painter.setPen(theme.colour("keel" if view.hasFocus() else "rule"))
            painter.setBrush(theme.colour("paper"))
            painter.drawRoundedRect(QRectF(rect), 4, 4)
            painter.fillRect(QRect(rect.left(), rect.top(), 4, rect.height()), theme.colour("ink"))
        painter.setPen(theme.colour("ink"))
        bold = index.row() == view.currentRow()
        _line(painter, rect.adjusted(12, 5, -38 if verdict == "out" else -32, -26), name, 14, bold=bold)
        painter.setPen(theme.colour("muted"))
        _line(painter, rect.adjusted(12, 25 + option.rect.height() - TALL, -6, -4), words, 13)
        picture = Picture(1, 1)
        symbols.verdict(picture, rect.right() - 16, rect.top() + 15, verdict)
        paint(painter, picture.items, theme.palette)
        painter.restore()


TALL, BOTH = 52, 10
"""How tall a row is, and by what it is taller where its name and its words take two lines each [px]."""


def _fits(text: str, room: float) -> bool:
    """Whether a text stands in one line, smaller where it is long; in bold, as that of the work in hand."""
    return text_length(text, 11, True) <= room + 0.5


def _line(painter: QPainter, box: QRect, text: str, largest: int, *, bold: bool = False) -> None:
    """Set a line, smaller where it is long, and in two lines where that is not enough: it is never cut."""
    size = next((s for s in range(largest, 10, -1) if text_length(text, s, bold) <= box.width() + 0.5), None)
    if size is not None:
        paint_text(painter, box.left(), round(box.top() + 0.95 * largest), text, size, bold=bold)
        return
    lines, small = fitted(text, box.width(), 11, 2, 10, bold=bold)
    for k, line in enumerate(lines):
        top = box.top() - 4 + k * min(small, 22 / len(lines))
        paint_text(painter, box.left(), round(top + small), line, small, bold=bold)


class WorkList(QListWidget):
    """The works of the job."""

    opened = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setItemDelegate(WorkPainter(self))
        self.setResizeMode(
            QListWidget.ResizeMode.Adjust
        )  # a bar at its side makes lines longer than they have room
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Works")
        self._ids: list[int] = []
        self.itemClicked.connect(lambda _: self._open())

    def show_works(self, works: list[tuple[int, str, str, str]], current: int) -> None:
        """Show (id, name, words, verdict) of each work."""
        self._ids = [w[0] for w in works]
        while self.count() > len(works):
            self.takeItem(self.count() - 1)
        while self.count() < len(works):
            self.addItem(QListWidgetItem())
        for i, (id, name, words, verdict) in enumerate(works):
            item = self.item(i)
            assert item is not None
            if item.data(Qt.ItemDataRole.UserRole) != (
                name,
                words,
                verdict,
            ):  # else all would be painted anew
                item.setData(Qt.ItemDataRole.UserRole, (name, words, verdict))
                item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{name}, {words}")
                item.setToolTip(plain(f"{name}: {words}"))
            if id == current:
                self.setCurrentRow(i)
        if current not in self._ids:
            self.setCurrentRow(-1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open()
            return
        super().keyPressEvent(event)

    def _open(self) -> None:
        if 0 <= self.currentRow() < len(self._ids):
            self.opened.emit(self._ids[self.currentRow()])
