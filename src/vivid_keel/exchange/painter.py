"""Paints a display list with QtGui: the one place outside the window that knows Qt.

The window, the screenshots and the printed report share it, so they show the same picture.
"""

from __future__ import annotations

import math
import os
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontDatabase,
    QFontMetricsF,
    QGuiApplication,
    QImage,
    QPaintEngine,
    QPainter,
    QPen,
    QPolygonF,
    QStaticText,
)

from vivid_keel.figures.display import Blocks, Box, Disc, Dots, Item, Line, Poly, Text, Trace

FONTS = Path(__file__).parent.parent / "ui" / "fonts"
FAMILY = "B612"


@contextmanager
def without_a_screen() -> Iterator[None]:
    """What paints pages and pictures where no window runs, as a command does."""
    if QGuiApplication.instance() is not None:
        yield
        return
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    running = QGuiApplication(["vivid-keel"])
    yield
    del running


def load_fonts() -> None:
    """Make the fonts that ship with the program known to Qt; on a bare machine there are no others."""
    if FAMILY not in QFontDatabase.families():
        for path in sorted(FONTS.glob(f"{FAMILY}-*.otf")):
            QFontDatabase.addApplicationFont(str(path))


@lru_cache(maxsize=256)
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
        elif isinstance(item, Dots):
            _dots(painter, item, palette, kept=kept)
        elif isinstance(item, Trace):
            _trace(painter, item, palette)
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


def _dots(painter: QPainter, item: Dots, palette: Mapping[str, str], *, kept: bool) -> None:
    """Paint dots: on the screen as one image, on paper one dot a point of paper; what lies under another is left out."""
    import numpy as np

    there = np.isfinite(item.x) & np.isfinite(item.y)
    x, y = item.x[there], item.y[there]
    if not len(x):
        return
    shade = np.zeros(len(x), np.intp) if item.shade is None else item.shade[there]
    left, top = math.floor(x.min()), math.floor(y.min())
    column, row = (x - left).astype(np.intp), (y - top).astype(np.intp)
    wide, tall = int(column.max()) + 1, int(row.max()) + 1
    cell = np.full(wide * tall, -1, np.intp)
    cell[row * wide + column] = shade  # the last one lies on top
    codes = [colour(palette[ink]) for ink in item.inks]
    if kept:
        at = np.flatnonzero(cell >= 0)
        for k, code in enumerate(codes):
            painter.setPen(QPen(code, item.size))
            own = at[cell[at] == k]
            painter.drawPoints(
                QPolygonF([QPointF(left + p % wide + 0.5, top + p // wide + 0.5) for p in own.tolist()])
            )
        return
    pixels = np.array([0, *(code.rgba() for code in codes)], np.uint32)[cell + 1]
    grown = pixels.reshape(tall, wide)
    if item.size > 1:  # a dot a little larger than a pixel shows better
        grown = np.pad(grown, ((0, 1), (0, 1)))
        for back in (np.roll(grown, 1, 0), np.roll(grown, 1, 1)):
            grown = np.where(grown == 0, back, grown)
    grown = np.ascontiguousarray(grown)
    image = QImage(
        grown.tobytes(), grown.shape[1], grown.shape[0], 4 * grown.shape[1], QImage.Format.Format_ARGB32
    )
    painter.drawImage(QPointF(left, top), image)


def _trace(painter: QPainter, item: Trace, palette: Mapping[str, str]) -> None:
    """Paint a line through many points, a part at a time where it is parted; of those in one column the ends and extremes."""
    import numpy as np

    painter.setPen(_pen(palette[item.ink], item.width))
    painter.setBrush(_NONE)
    there = np.isfinite(item.x) & np.isfinite(item.y)
    for part in np.split(np.arange(len(there)), np.flatnonzero(~there)):
        own = part[there[part]]
        if len(own) > 1:
            shape = [QPointF(x, y) for x, y in zip(*_thinned(item.x[own], item.y[own]), strict=True)]
            painter.drawPolyline(QPolygonF(shape))


def _thinned(x: Any, y: Any) -> tuple[list[float], list[float]]:
    """Return what can be told apart: of points that follow one another within a column of pixels the first, least, most, last."""
    import numpy as np

    if len(x) < 4000:
        return x.tolist(), y.tolist()
    column = np.floor(x)
    starts = np.flatnonzero(np.diff(column, prepend=column[0] - 1))
    ends = np.append(starts[1:], len(x))
    keep: set[int] = set()
    for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
        keep |= {start, end - 1, start + int(y[start:end].argmin()), start + int(y[start:end].argmax())}
    at = sorted(keep)
    return x[at].tolist(), y[at].tolist()


NO_BRUSH = QBrush()


@lru_cache(maxsize=256)
def _brush(name: str) -> QBrush:
    return QBrush(colour(name))


def _disc(painter: QPainter, item: Disc, palette: Mapping[str, str]) -> None:
    box = QRectF(item.x - item.r, item.y - item.r, 2 * item.r, 2 * item.r)
    pen = _pen(palette[item.ink], item.width)
    if item.dash:
        pen = QPen(pen)
        pen.setDashPattern([1.6, 1.6])
    painter.setPen(pen)
    painter.setBrush(_brush(palette[item.fill]) if item.fill and not item.half else NO_BRUSH)
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
