"""What stands under the sheet: its sums, its keys, and the line that asks why something is struck."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from vivid_keel.desk.comma import Comma
from vivid_keel.desk.sheet import Sheet
from vivid_keel.exchange.painter import paint, paint_text, text_length
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import wrapped
from vivid_keel.ui.painting import painting
from vivid_keel.ui.theme import theme

HINT = 16
"""From one line of a hint to the next [px]."""


class Footer(QLabel):
    """Sums and the sheet's keys, painted."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(46)
        self.sheet = Sheet()
        self.comma: Comma | None = None

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        with painting(self, f"the sums under {type(self.sheet).__name__}") as p:
            self._paint(p)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = 6.0
        comma = self.comma or str
        parts = [(comma(text), sign) for text, sign in self.sheet.footer()]
        for text, sign in parts:
            painter.setPen(theme.colour(sign if sign in {"in", "open"} else "ink"))
            paint_text(painter, round(x), 16, text, 14, bold=bool(sign))
            x += text_length(text, 14, bool(sign)) + 12
            if sign:
                picture = Picture(1, 1)
                symbols.verdict(picture, x + 8, 11, sign)
                paint(painter, picture.items, theme.palette)
                x += 26
            x += 14
        painter.setPen(theme.colour("muted"))
        for k, line in enumerate(self._hint()):
            paint_text(painter, 6, 38 + HINT * k, line, 13)

    def _hint(self) -> list[str]:
        """The sheet's keys, in lines that fit."""
        return wrapped((self.comma or str)(self.sheet.hint), max(self.width() - 16, 60), 13)

    def fit(self) -> None:
        """Be as tall as what is said wants."""
        self.setAccessibleName(
            " · ".join(text for text, _ in self.sheet.footer()) or self.sheet.hint or "Nothing more to say"
        )
        tall = 46 + HINT * (len(self._hint()) - 1)
        if tall != self.height():
            self.setFixedHeight(tall)
        self.update()

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        super().resizeEvent(a0)
        self.fit()


class UnderSheet(QWidget):
    """The footer, or a question asked in place."""

    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        self.footer = Footer()
        box.addWidget(self.footer)
        self._ask = QWidget()
        row = QHBoxLayout(self._ask)
        row.setContentsMargins(6, 6, 6, 6)
        self._question = QLabel()
        self._question.setTextFormat(Qt.TextFormat.PlainText)
        self._question.setProperty("role", "head")
        self.reason = QLineEdit()
        self.reason.installEventFilter(self)
        row.addWidget(self._question)
        row.addWidget(self.reason, 1)
        box.addWidget(self._ask)
        self._ask.hide()
        self._answered: Callable[[str], None] = lambda text: None

    def show_footer(self, sheet: Sheet, comma: Comma | None = None) -> None:
        """Show a sheet's sums and keys."""
        self.footer.sheet, self.footer.comma = sheet, comma
        self.footer.fit()

    def ask(self, question: str, hint: str, answered: Callable[[str], None], text: str = "") -> None:
        """Ask in place; what is typed goes to `answered`. `text` stands there already: what was refused."""
        self._answered = answered
        self._question.setText(question)
        self.reason.setPlaceholderText(hint)
        self.reason.setAccessibleName(f"{question} {hint}")
        self.reason.setText(text)
        self.footer.hide()
        self._ask.show()
        self.reason.setFocus()

    def _away(self) -> None:
        self._ask.hide()
        self.footer.show()
        self.left.emit()

    def eventFilter(self, a0: QObject | None, a1: QEvent | None) -> bool:
        if a0 is self.reason and isinstance(a1, QKeyEvent) and a1.type() == QEvent.Type.KeyPress:
            if a1.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                text = self.reason.text().strip()
                self._away()
                self._answered(text)
                return True
            if a1.key() == Qt.Key.Key_Escape:
                self._away()
                return True
        return super().eventFilter(a0, a1)
