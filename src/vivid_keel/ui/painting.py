"""A painter that is always put down again, and a fault that is said in its place."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from vivid_keel.exchange.painter import font
from vivid_keel.trouble import note
from vivid_keel.ui.theme import theme


@contextmanager
def painting(widget: QWidget, place: str) -> Iterator[QPainter]:
    """Paint on a widget; what fails is written down once a `place` and said there, and the window stays up.

    A painter left active would end the program when its widget goes.
    """
    painter = QPainter(widget)
    try:
        yield painter
    except Exception as error:
        painter.setClipping(False)
        painter.setFont(font(13))
        painter.setPen(theme.colour("wrong"))
        whole = QRectF(widget.rect()).adjusted(8, 4, -8, -4)
        said = note(place, error)
        painter.drawText(whole, int(Qt.TextFlag.TextWordWrap), f"{said[:1].upper()}{said[1:]}.")
    finally:
        painter.end()
