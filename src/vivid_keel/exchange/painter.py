"""Paints a display list with QtGui: the one place outside the window that knows Qt.

The window, the screenshots and the printed report share it, so they show the same picture.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontDatabase,
    QFontMetricsF,
    QPaintEngine,
    QPainter,
    QPen,
    QPolygonF,
    QStaticText,
)

from vivid_keel.figures.display import Blocks, Box, Disc, Item, Line, Poly, Text

FONTS = Path(__file__).parent.parent / "ui" / "fonts"
FAMILY = "B612"


def load_fonts() -> None:
    """Make the fonts that ship with the program known to Qt; on a bare machine there are no others."""
    if FAMILY not in QFontDatabase.families():
        for path in sorted(FONTS.glob(f"{FAMILY}-*.otf")):
            QFontDatabase.addApplicationFont(str(path))


@lru_cache(maxsize=256)
@lru_cache(maxsize=64)
def font(size: float, bold: bool = False) -> QFont:
    """Return the program's font at a size in pixels of the surface; each is made once, so nobody may change it."""
    made = QFont(FAMILY)
    made.setPixelSize(max(1, round(size)))
    made.setBold(bold)
    return made


@lru_cache(maxsize=64)
def colour(code: str) -> QColor:
    """Return a colour by its code."""
    return QColor(code)


@lru_cache(maxsize=256)
def _metrics(size: float, bold: bool) -> QFontMetricsF:
    return QFontMetricsF(font(size, bold))


def paint(painter: QPainter, items: Iterable[Item], palette: Mapping[str, str]) -> None:
    """Paint items in order on an open painter."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    engine = painter.paintEngine()
    kept = engine is not None and engine.type() != QPaintEngine.Type.Raster  # on paper, words stay words
    for item in items:
        if isinstance(item, Text):
            _text(painter, item, palette, kept=kept)
        elif isinstance(item, Line):
            painter.setPen(_pen(palette[item.ink], item.width, item.dash))
            painter.drawLine(QLineF(item.x1, item.y1, item.x2, item.y2))
        elif isinstance(item, Box):
            _box(painter, item, palette)
        elif isinstance(item, Blocks):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(palette[item.fill]))
            for box in item.boxes:
                painter.drawRect(QRectF(*box))
        elif isinstance(item, Poly):
            _poly(painter, item, palette)
        else:
            _disc(painter, item, palette)


_NONE = QBrush()


@lru_cache(maxsize=512)
def _pen(code: str, width: float, dash: bool = False) -> QPen:
    """Return a pen; each is made once, so nobody may change it."""
    pen = QPen(colour(code), width)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if dash:
        pen.setDashPattern([6.0 / max(width, 1.0), 4.0 / max(width, 1.0)])
    return pen


def _box(painter: QPainter, item: Box, palette: Mapping[str, str]) -> None:
    box = QRectF(item.x, item.y, item.width_, item.height)
    if item.fill:
        painter.fillRect(box, colour(palette[item.fill]))
    if item.ink:
        painter.setPen(_pen(palette[item.ink], item.width))
        painter.setBrush(_NONE)
        painter.drawRect(box)


def _poly(painter: QPainter, item: Poly, palette: Mapping[str, str]) -> None:
    painter.setPen(_pen(palette[item.ink], item.width) if item.ink else QPen(Qt.PenStyle.NoPen))
    painter.setBrush(QBrush(colour(palette[item.fill])) if item.fill else QBrush())
    shape = QPolygonF([QPointF(x, y) for x, y in item.points])
    if item.closed:
        painter.drawPolygon(shape)
    else:
        painter.setBrush(QBrush())
        painter.drawPolyline(shape)


def _disc(painter: QPainter, item: Disc, palette: Mapping[str, str]) -> None:
    box = QRectF(item.x - item.r, item.y - item.r, 2 * item.r, 2 * item.r)
    pen = QPen(_pen(palette[item.ink], item.width))
    if item.dash:
        pen.setDashPattern([1.6, 1.6])
    painter.setPen(pen)
    painter.setBrush(QBrush(colour(palette[item.fill])) if item.fill and not item.half else QBrush())
    painter.drawEllipse(box)
    if item.half:
        painter.setPen(QPen(Qt.PenStyle.NoPen))
        painter.setBrush(QBrush(colour(palette[item.fill])))
        painter.drawChord(box, 180 * 16, 180 * 16)


BASE = 20.0
"""Sizes that no font has in whole pixels are painted from this one, scaled: the same on screen and on paper."""


def _from(size: float) -> float:
    """The size a text is laid out in."""
    return size if size >= 10 and size == round(size) else BASE


@lru_cache(maxsize=4096)
def _laid_out(text: str, size: float, bold: bool) -> tuple[QStaticText, float]:
    """Lay a text out once, with its width at this size: the same words are painted at every key."""
    base = _from(size)
    made = QStaticText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.prepare(font=font(base, bold))
    return made, _metrics(base, bold).horizontalAdvance(text) * size / base


def text_length(text: str, size: float, bold: bool = False) -> float:
    """Return how wide a text is painted [px]."""
    return _laid_out(text, size, bold)[1]


def paint_text(
    painter: QPainter,
    x: float,
    baseline: float,
    text: str,
    size: float,
    *,
    bold: bool = False,
    struck: bool = False,
    kept: bool = False,
) -> None:
    """Paint a text with the pen as it is set; a struck one stays legible under its line.

    `kept` ones go into a file, where words must be found again; others are laid out once and cached.
    """
    static, width = _laid_out(text, size, bold)
    base = _from(size)
    painter.setFont(font(base, bold))
    if base != size:
        painter.save()
        painter.translate(x, baseline)
        painter.scale(size / base, size / base)
        _words(painter, 0.0, 0.0, text, static, _metrics(base, bold).ascent(), kept=kept)
        painter.restore()
    else:
        _words(painter, x, baseline, text, static, _metrics(base, bold).ascent(), kept=kept)
    if struck:
        y = baseline - 0.32 * size
        painter.drawLine(QLineF(x - 1, y, x + width + 1, y))


def _words(
    painter: QPainter, x: float, baseline: float, text: str, static: QStaticText, ascent: float, *, kept: bool
) -> None:
    if kept:
        painter.drawText(QPointF(x, baseline), text)
    else:
        painter.drawStaticText(QPointF(x, baseline - ascent), static)


def _text(painter: QPainter, item: Text, palette: Mapping[str, str], *, kept: bool) -> None:
    x = item.x
    if item.align != "left" or item.ground:
        width = text_length(item.text, item.size, item.bold)
        x -= width / 2 if item.align == "centre" else width if item.align == "right" else 0.0
        if item.ground:
            patch = QColor(colour(palette["paper"]))
            patch.setAlpha(205)
            m, k = _metrics(_from(item.size), item.bold), item.size / _from(item.size)
            painter.fillRect(QRectF(x - 2, item.y - m.ascent() * k + 1, width + 4, m.height() * k - 2), patch)
    painter.setPen(colour(palette[item.ink]))
    paint_text(painter, x, item.y, item.text, item.size, bold=item.bold, struck=item.struck, kept=kept)
