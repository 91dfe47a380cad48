"""Shows a picture: hover lights the row, click goes there, the keel line can be dragged."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QLabel, QToolTip

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.painter import paint
from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.measure import wrapped
from vivid_keel.trouble import note
from vivid_keel.ui.painting import painting
from vivid_keel.ui.pane import plain
from vivid_keel.ui.theme import theme

TIP = 0.0005
"""What an arrow key tips the keel line by: half a millimetre in a metre."""


class PictureView(QLabel):
    """A picture computed for the size it has.

    Signals: `picked(key)` on a click, `dragged(value, done)` while the keel line is moved,
    `tilted(value, done)` while its end is, `taken()` when Enter is pressed on it.
    """

    picked = pyqtSignal(str)
    dragged = pyqtSignal(float, bool)
    tilted = pyqtSignal(float, bool)
    taken = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(150)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing behind it is painted first
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture")
        self._make: Callable[[float, float], Picture] | None = None
        self._picture = Picture(1, 1)
        self._stale = False
        self._held = False
        self._tipped = False
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(700)
        self._settle.timeout.connect(self.settle)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.update)
        self._nudged = self._nudged_tilt = False
        self.step = 0.0001

    def show_picture(self, make: Callable[[float, float], Picture]) -> None:
        """Show what `make(width, height)` draws, now and at every size."""
        self._make = make
        self.redraw()

    def redraw(self) -> None:
        """Draw anew from what stands now, when it is next looked at: after the line that was typed, and after keys that wait."""
        self._stale = True
        self._soon.start(0)

    @property
    def drawn(self) -> Picture:
        """The picture as it stands."""
        if self._stale and self._make is not None:
            self._stale = False
            try:
                self._picture = self._make(float(self.width()), float(self.height()))
            except Exception as error:
                self._picture = self._failed(error)
            self.setAccessibleDescription(self._picture.caption)
        return self._picture

    def _failed(self, error: Exception) -> Picture:
        """Return what is shown in place of a picture that fails: why."""
        said = error.message if isinstance(error, KeelError) else note("a picture", error)
        blank = Picture(float(self.width()), float(self.height()), caption=said)
        for k, line in enumerate(wrapped(said[:1].upper() + said[1:] + ".", blank.width - 40, 14)):
            blank.text(20, 34 + 20 * k, line, "wrong", 14)
        return blank

    def paintEvent(self, event: QPaintEvent | None) -> None:
        picture = self.drawn
        with painting(self, "a picture") as painter:
            self._paint(painter, picture)

    def _paint(self, painter: QPainter, picture: Picture) -> None:
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.fillRect(self.rect().adjusted(1, 1, -1, -1), theme.colour("paper"))
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        paint(painter, picture.items, theme.palette)
        painter.setClipping(False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(
            QPen(theme.colour("keel" if self.hasFocus() else "rule"), 1.5 if self.hasFocus() else 1.0)
        )
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.redraw()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        # By the mouse it goes on, though a cell is opened for what it reads.
        if not (self._held or self._tipped):
            self.settle()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        drag, tilt = self.drawn.drag, self.drawn.tilt
        if self._tipped and tilt is not None:
            self.tilted.emit(tilt.value + (tilt.y - at.y()) * tilt.metres_per_pixel, False)
            return
        if self._held and drag is not None:
            way = at.x() - drag.y if drag.across else drag.at(at.x()) - at.y()
            self.dragged.emit(drag.value + way * drag.metres_per_pixel, False)
            return
        hit = self.drawn.at(at.x(), at.y())
        if tilt is not None and _near(tilt, at):
            self.setCursor(Qt.CursorShape.SizeVerCursor)
        elif drag is not None and _near(drag, at):
            self.setCursor(Qt.CursorShape.SizeHorCursor if drag.across else Qt.CursorShape.SizeVerCursor)
        else:
            self.setCursor(Qt.CursorShape.PointingHandCursor if hit else Qt.CursorShape.ArrowCursor)
        if hit and hit.tip:
            QToolTip.showText(event.globalPosition().toPoint(), plain(hit.tip), self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at, drag, tilt = event.position(), self.drawn.drag, self.drawn.tilt
        if tilt is not None and _near(tilt, at):
            self._tipped = True
            return
        if drag is not None and _near(drag, at):
            self._held = True
            return
        hit = self.drawn.at(at.x(), at.y())
        if hit:
            self.picked.emit(hit.key)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held or self._tipped:
            self.settle()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        drag = self.drawn.drag
        ways = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        if drag is not None and drag.across:
            ways = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}
        way = ways.get(Qt.Key(event.key()), 0)
        tilt = self.drawn.tilt
        tip = (
            {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1}.get(Qt.Key(event.key()), 0) if tilt is not None else 0
        )
        if tilt is not None and tip:
            self.tilted.emit(tilt.value + tip * TIP, False)
            self._nudged, self._nudged_tilt = True, True
            self._settle.start()
            return
        if drag is not None and way:
            self.dragged.emit(drag.value + way * self.step, False)
            self._nudged, self._nudged_tilt = True, False
            self._settle.start()
            return
        if drag is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.settle()
            self.taken.emit()
            return
        super().keyPressEvent(event)

    def settle(self) -> None:
        """Let go of what is held: by keys a moment after the last, and always before anything else is shown or done."""
        if self._nudged:
            self._nudged = False
            self._settle.stop()
            self._let_go(tipped=self._nudged_tilt)
        elif self._held or self._tipped:
            tipped, self._held, self._tipped = self._tipped, False, False
            self._let_go(tipped=tipped)

    def _let_go(self, *, tipped: bool = False) -> None:
        if tipped and self.drawn.tilt is not None:
            self.tilted.emit(self.drawn.tilt.value, True)
        elif self.drawn.drag is not None:
            self.dragged.emit(self.drawn.drag.value, True)


def _near(drag: Drag, at: QPointF) -> bool:
    """Whether the mouse is where it would take hold."""
    along, other = (at.x(), at.y()) if drag.across else (at.y(), at.x())
    line = drag.y if drag.across else drag.at(at.x())
    return abs(along - line) <= drag.grip and drag.span[0] <= other <= drag.span[1]
