"""The report as it will be printed, in Qt's own preview: the same pages that the PDF has."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QMarginsF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QWidget

from vivid_keel.exchange.painter import paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.palette import PRINT


def preview(over: QWidget, pages: Sequence[Picture], title: str) -> QPrintPreviewDialog:
    """Open the preview of pages (in points, A4) over a window; from it they are printed."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    layout = QPageLayout(
        QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)
    )
    printer.setPageLayout(layout)
    printer.setFullPage(True)
    printer.setDocName(title)
    shown = QPrintPreviewDialog(printer, over)
    shown.setWindowTitle(f"{title}: as it is printed")
    shown.resize(900, 740)
    # The preview doesn't own its printer: whoever paints holds it as long as the preview is there.
    shown.paintRequested.connect(lambda on, held=printer: print_pages(on, pages))
    shown.finished.connect(shown.deleteLater)
    shown.open()
    return shown


def print_pages(printer: QPrinter, pages: Sequence[Picture]) -> None:
    """Paint pages on a printer, or on the preview's."""
    painter = QPainter()
    if not painter.begin(printer):
        return
    try:
        for number, page in enumerate(pages):
            if number:
                printer.newPage()
            painter.resetTransform()
            painter.scale(printer.resolution() / 72, printer.resolution() / 72)
            paint(painter, page.items, PRINT)
    finally:
        painter.end()
