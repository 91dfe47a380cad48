"""The figures that the hand needs now, as large as they go: read from a metre, in the order in which they are needed."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vivid_keel.desk.site import SiteFigure
from vivid_keel.ui.theme import theme

LARGEST, LEAST = 92, 18
"""A figure is set between these [px]."""
MOST_LINES = 3


class FigureCards(QWidget):
    """Cards side by side, a figure each."""

    def __init__(self) -> None:
        super().__init__()
        self.figures: Sequence[SiteFigure] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(130)

    def show_figures(self, figures: Sequence[SiteFigure]) -> None:
        """Show some figures; nothing where there are none."""
        self.figures = figures
        self.setVisible(bool(figures))
        self.setAccessibleName("; ".join(f"{one.title}: {one.text}" for one in figures))
        self.update()

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        painter = QPainter(self)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            n, gap = max(len(self.figures), 1), 12.0
            wide = (self.width() - gap * (n - 1)) / n
            for k, one in enumerate(self.figures):
                self._card(painter, one, QRectF(k * (wide + gap), 1, wide, self.height() - 2), first=k == 0)
        finally:
            painter.end()

    def _card(self, painter: QPainter, one: SiteFigure, where: QRectF, *, first: bool) -> None:
        painter.setPen(QPen(theme.colour("ink" if first else "rule"), 2.0 if first else 1.2))
        painter.setBrush(theme.colour("paper"))
        painter.drawRoundedRect(where.adjusted(1.5, 1.5, -1.5, -1.5), 8, 8)
        inner = where.adjusted(14, 10, -14, -10)
        painter.setFont(_font(18))
        painter.setPen(theme.colour("muted"))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, one.title)
        painter.setFont(_font(16))
        note = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter
        painter.drawText(inner, int(note) | int(Qt.TextFlag.TextWordWrap), one.note)
        body = inner.adjusted(0, 28, 0, -28)
        lines, size = fitted(one.text, body.width(), body.height())
        painter.setFont(_font(size, bold=True))
        painter.setPen(theme.colour(one.ink))
        painter.drawText(body, Qt.AlignmentFlag.AlignCenter, "\n".join(lines))


def fitted(text: str, width: float, height: float) -> tuple[list[str], int]:
    """Return a text as lines, and the largest size at which all of it is seen [px]; broken at its own lines and at spaces."""
    for size in range(LARGEST, LEAST - 1, -2):
        metrics = QFontMetricsF(_font(size, bold=True))
        lines = _broken(text, width, metrics)
        if lines is not None and len(lines) * metrics.height() <= height:
            return lines, size
    metrics = QFontMetricsF(_font(LEAST, bold=True))
    return _broken(text, width, metrics) or text.split("\n"), LEAST


def _broken(text: str, width: float, metrics: QFontMetricsF) -> list[str] | None:
    """A text in lines that fit, none begun with a plus; None where a word alone is too wide."""
    out: list[str] = []
    for part in text.split("\n"):
        line = ""
        for word in part.replace(" + ", "\u00a0+ ").split(" "):
            longer = f"{line} {word}" if line else word
            if metrics.horizontalAdvance(longer) <= width:
                line = longer
            elif not line or metrics.horizontalAdvance(word) > width:
                return None
            else:
                out.append(line)
                line = word
        out.append(line)
    return out if len(out) <= MOST_LINES + text.count("\n") else None


def _font(pixels: int, *, bold: bool = False) -> QFont:
    made = QFont("B612")
    made.setPixelSize(pixels)
    made.setBold(bold)
    return made
