"""Pictures as SVG: the same display list, painted by the same painter."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.painter import load_fonts, paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.palette import PRINT


def write_svg(picture: Picture, path: Path, title: str) -> None:
    """Write a picture to an SVG file, whole or not at all.

    Raises
    ------
    KeelError
        `not-written` when the file can't be made.
    """
    load_fonts()
    aside = path.with_name(f".{path.name}.part")
    made = QSvgGenerator()
    made.setFileName(str(aside))
    made.setSize(QSize(round(picture.width), round(picture.height)))
    made.setViewBox(QRectF(0, 0, picture.width, picture.height))
    made.setTitle(title)
    made.setDescription(picture.caption)
    painter = QPainter()
    if not painter.begin(made):
        raise KeelError(
            "not-written", f"{path} can't be written; choose a folder that may be written to", str(path)
        )
    paint(painter, picture.items, PRINT)
    painter.end()
    os.replace(aside, path)
