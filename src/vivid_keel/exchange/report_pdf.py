"""The report as PDF/A-1b: fonts embedded, metadata inside, made for keeping."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.painter import load_fonts, paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.palette import PRINT
from vivid_keel.whole import write_whole

TRAILER = b"%%EOF"
"""What a PDF ends in."""


def write_pdf(
    pages: list[Picture], path: Path, title: str, carry_on: Callable[[float], bool] = lambda done: True
) -> bool:
    """Write pages (in points, A4) to a PDF/A-1b file, whole or not at all; False where `carry_on` said to stop.

    Needs a running QGuiApplication (offscreen will do).

    Raises
    ------
    KeelError
        `not-written` when the file can't be made.
    """
    load_fonts()
    into = QBuffer()
    into.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(into)
    writer.setPdfVersion(QPdfWriter.PdfVersion.PdfVersion_A1b)
    writer.setResolution(72 * 4)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)
        )
    )
    writer.setTitle(title)
    writer.setCreator("Vivid Keel")
    painter = QPainter()
    if not painter.begin(writer):
        raise KeelError("not-written", f"{path} can't be drawn", str(path))
    stopped = False
    try:
        for number, page in enumerate(pages):
            if not carry_on(number / len(pages)):
                stopped = True
                break
            if number:
                writer.newPage()
            painter.resetTransform()
            painter.scale(writer.logicalDpiX() / 72, writer.logicalDpiY() / 72)
            paint(painter, page.items, PRINT)
    finally:
        ended = painter.end()
    if stopped:
        return False
    made = into.data().data()
    if not ended or TRAILER not in made[-len(TRAILER) - 2 :]:
        raise KeelError("not-written", f"{path} can't be drawn to its end", str(path))
    write_whole(path, made)
    return True
