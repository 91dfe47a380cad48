"""Pictures as SVG: the same display list, painted by the same painter."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.painter import load_fonts, paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.palette import PRINT
from vivid_keel.whole import write_whole


def write_svg(picture: Picture, path: Path, title: str) -> None:
    """Write a picture to an SVG file, whole or not at all.

    Raises
    ------
    KeelError
        `not-written` when the file can't be made.
    """
    load_fonts()
    into = QBuffer()
    into.open(QIODevice.OpenModeFlag.WriteOnly)
    made = QSvgGenerator()
    made.setOutputDevice(into)
    made.setSize(QSize(round(picture.width), round(picture.height)))
    made.setViewBox(QRectF(0, 0, picture.width, picture.height))
    made.setTitle(title)
    made.setDescription(picture.caption)
    painter = QPainter()
    begun = painter.begin(made)
    if begun:
        paint(painter, picture.items, PRINT)
    if not (begun and painter.end()):
        raise KeelError("not-written", f"{path} can't be drawn", str(path))
    write_whole(path, into.data().data())
