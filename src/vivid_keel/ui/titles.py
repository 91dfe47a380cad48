"""The titles over a sheet's columns: never cut, smaller and in two lines where their column is narrow."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHeaderView

from vivid_keel.exchange.painter import paint_text, text_length
from vivid_keel.figures.measure import fitted
from vivid_keel.ui.theme import theme

TALL, RULE, BESIDE = 28, 2, 5
"""How tall the titles are, the line under them, and what is left free at either side of one [px]."""


class Titles(QHeaderView):
    """The head of a sheet."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setHighlightSections(False)
        self.setSectionsClickable(False)
        self.setFixedHeight(TALL)

    def paintSection(self, painter: QPainter | None, rect: QRect, logicalIndex: int) -> None:
        model = self.model()
        if painter is None or model is None:
            return
        painter.fillRect(rect, theme.colour("paper"))
        painter.fillRect(rect.left(), rect.bottom() + 1 - RULE, rect.width(), RULE, theme.colour("muted"))
        painter.setPen(theme.colour("muted"))
        words = str(model.headerData(logicalIndex, self.orientation()) or "")
        side = model.headerData(logicalIndex, self.orientation(), Qt.ItemDataRole.TextAlignmentRole)
        right = bool(int(side or 0) & int(Qt.AlignmentFlag.AlignRight))
        lines, size = fitted(words, rect.width() - 2 * BESIDE, 13, 1, 12)
        middle = rect.top() + (rect.height() - RULE) / 2
        for k, line in enumerate(lines):
            base = middle + 0.36 * size + (k - (len(lines) - 1) / 2) * min(size, (TALL - RULE) / len(lines))
            left = rect.right() - BESIDE - text_length(line, size) if right else rect.left() + BESIDE
            paint_text(painter, round(left), round(base), line, size)
