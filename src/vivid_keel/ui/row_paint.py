"""The rows of a sheet as they are painted, and kept so until they look otherwise."""

from __future__ import annotations

from PyQt6.QtCore import QRect
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import (
    QWidget,
)

from vivid_keel.desk.sheet import Cell
from vivid_keel.exchange.painter import paint, paint_text, text_length
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import fitted
from vivid_keel.ui.theme import theme

ROW = 27
KEPT = 80
"""Rows kept as painted: what a screen shows, and what was scrolled by lately."""


def _content(painter: QPainter, rect: QRect, cell: Cell, right: bool) -> None:
    """Paint a cell: its sign, then its text on its side."""
    left = rect.left() + 5
    if cell.sign:
        picture = Picture(1, 1)
        if cell.sign == "raise":
            symbols.raise_wedge(picture, left + 1, rect.center().y() + 6)
        elif cell.sign == "lower":
            symbols.lower_wedge(picture, left + 1, rect.center().y() + 6)
        else:
            symbols.verdict(picture, left + 11, rect.center().y() + 1, cell.sign)
        paint(painter, picture.items, theme.palette)
        left += 20 if cell.sign in {"raise", "lower"} else 26
    text = cell.text or cell.hint
    if not text:
        return
    size, bold = 15 if right or cell.bold else 14, cell.bold and bool(cell.text)
    room = rect.right() - left - 5
    if right and text_length(text, size, bold) > room:
        size = 13  # a number is not cut short
    if cell.narrow and text_length(text, size, bold) > room:
        text = cell.narrow
    painter.setPen(theme.colour("muted" if not cell.text else cell.ink))
    if text_length(text, size, bold) > room:
        _in_lines(painter, rect, left, room, text, bold=bold, struck=cell.struck)
        return
    x = left + room - text_length(text, size, bold) if right else left
    # Whole pixels: digits stand sharp and straight above each other.
    paint_text(
        painter,
        round(x),
        round(rect.top() + rect.height() / 2 + 0.36 * size),
        text,
        size,
        bold=bold,
        struck=cell.struck,
    )


def _in_lines(
    painter: QPainter, rect: QRect, left: int, room: int, text: str, *, bold: bool, struck: bool
) -> None:
    """Paint a text that is too long for its cell in two lines, or more and smaller: nothing of it is cut."""
    lines, size = fitted(text, room, 13, 2, 11, bold=bold)
    leading = min(size * 1.05, (ROW - 2) / len(lines))
    top = rect.top() + (ROW - leading * len(lines)) / 2
    for k, line in enumerate(lines):
        paint_text(
            painter, left, round(top + k * leading + 0.82 * size), line, size, bold=bold, struck=struck
        )


class PaintedRows:
    """The rows of one view that were painted lately."""

    def __init__(self, on: QWidget) -> None:
        self._on = on
        self._painted: dict[int, tuple[tuple[object, ...], QPixmap]] = {}

    def row(
        self, row: int, cells: list[Cell], ground: str, spans: list[tuple[int, int, bool]], wide: int
    ) -> QPixmap:
        """Return a row as painted; one that looks as it did is not painted anew at every key."""
        looks = (cells, ground, spans, wide, theme.name, self._on.devicePixelRatioF())
        kept = self._painted.get(row)
        if kept is not None and kept[0] == looks:
            return kept[1]
        image = QPixmap(round(wide * looks[-1]), round(ROW * looks[-1]))
        image.setDevicePixelRatio(looks[-1])
        painter = QPainter(image)
        try:
            painter.fillRect(0, 0, wide, ROW, theme.colour(ground))
            painter.fillRect(0, ROW - 1, wide, 1, theme.colour("rule"))
            for (x, width, right), cell in zip(spans, cells, strict=True):
                if cell.text or cell.hint or cell.sign:
                    _content(painter, QRect(x, 0, width, ROW), cell, right)
        finally:
            painter.end()
        if len(self._painted) >= KEPT:
            self._painted.clear()
        self._painted[row] = (looks, image)
        return image
