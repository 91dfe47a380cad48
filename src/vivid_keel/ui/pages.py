"""The pages before there is a work to show: start, new job, new work; and a list of what was refused."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QFormLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.exchange.painter import font, paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.sketch import drawn
from vivid_keel.places import file_name
from vivid_keel.trades.registry import LISTED, Listed
from vivid_keel.ui.painting import painting
from vivid_keel.ui.pane import label
from vivid_keel.ui.theme import theme

UNITS = (("m", "metres"), ("ft-in", "feet, inches, fractions"), ("ft", "decimal feet"), ("mm", "millimetres"))
MARKS = ((".", "a point: 1.482"), (",", "a comma: 1,482"))


def sketch_of(listed: Listed) -> Callable[[Picture], None]:
    """Return what draws a trade's sketch into a picture."""
    return lambda point: point.items.extend(drawn(listed.resource("sketch.json")).items)


def book_sketch(picture: Picture) -> None:
    """Draw a page of a level book in small."""
    w, h = picture.width, picture.height
    picture.box(w * 0.22, h * 0.06, w * 0.56, h * 0.9, "bright", "ink", 1.2)
    for k in range(7):
        y = h * (0.2 + 0.105 * k)
        picture.line(w * 0.26, y, w * 0.74, y, "rule", 1.0)
        for c, (x, every) in enumerate(((0.28, 1), (0.46, 3), (0.58, 2), (0.67, 1))):
            if (k + c) % every == 0:
                picture.line(w * x, y - 4, w * (x + 0.05 + 0.02 * (c == 0)), y - 4, "muted", 3.0)
    picture.line(w * 0.22, h * 0.94, w * 0.78, h * 0.94, "keel", 2.4)


class Card(QAbstractButton):
    """A drawn choice."""

    def __init__(self, title: str, text: str, sketch: Callable[[Picture], None]) -> None:
        super().__init__()
        self._title, self._text, self._sketch = title, text, sketch
        self.setAccessibleName(f"{title}: {text}")
        self.setFixedSize(250, 218)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return self.size()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self, f"card {self._title}") as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            rect = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
            pen = theme.colour("keel" if self.hasFocus() else "muted")
            painter.setPen(pen)
            painter.setBrush(theme.colour("paper"))
            painter.drawRoundedRect(rect, 6, 6)
            top = rect.top() + 10
            picture = Picture(rect.width() - 24, 112)
            self._sketch(picture)
            painter.save()
            painter.translate(rect.left() + 12, top)
            painter.setClipRect(QRectF(0, 0, picture.width, picture.height))
            paint(painter, picture.items, theme.palette)
            painter.restore()
            top += 120
            painter.setPen(theme.colour("ink"))
            painter.setFont(font(16, True))
            painter.drawText(
                QRectF(rect.left() + 14, top, rect.width() - 24, 24),
                int(Qt.AlignmentFlag.AlignVCenter),
                self._title,
            )
            painter.setPen(theme.colour("muted"))
            painter.setFont(font(13))
            painter.drawText(
                QRectF(rect.left() + 14, top + 25, rect.width() - 24, 60),
                int(Qt.TextFlag.TextWordWrap),
                self._text,
            )


def _page() -> tuple[QWidget, QVBoxLayout]:
    page = QWidget()
    page.setObjectName("desk")
    box = QVBoxLayout(page)
    box.setContentsMargins(40, 36, 40, 20)
    box.setSpacing(14)
    return page, box


DUE = 5
"""So many things that are due are named on the start page."""


def _empty(box: QVBoxLayout) -> None:
    """Take everything out of a list."""
    while box.count():
        item = box.takeAt(0)
        widget = item.widget() if item else None
        if widget is not None:
            widget.deleteLater()


class StartPage(QWidget):
    """What to do first."""

    new_job = pyqtSignal()
    open_job = pyqtSignal()
    demo = pyqtSignal()
    recent = pyqtSignal(str)
    due = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        page, box = _page()
        outer.addWidget(page)
        box.addWidget(label("What are you levelling?", "title"))
        box.addWidget(
            label("A job is one file: everything read, as it was read, safe the moment it is taken.", "muted")
        )
        row = QHBoxLayout()
        row.setSpacing(16)
        self.cards = []
        for title, text, signal, sketch in (
            ("Begin a job", "name it, and choose its unit (Ctrl+N)", self.new_job, sketch_of(LISTED[0])),
            ("Open a job", "a file from before (Ctrl+O)", self.open_job, book_sketch),
            (
                "See the demo",
                "Osier Mill: a run round the yard, and a floor on posts",
                self.demo,
                sketch_of(LISTED[1]),
            ),
        ):
            card = Card(title, text, sketch)
            card.clicked.connect(signal)
            row.addWidget(card)
            self.cards.append(card)
        row.addStretch(1)
        box.addLayout(row)
        self._due_head = label("Due", "head")
        box.addWidget(self._due_head)
        self._due = QVBoxLayout()
        box.addLayout(self._due)
        self._due_head.hide()
        self._recent_head = label("Recent jobs", "head")
        box.addWidget(self._recent_head)
        self._recent = QVBoxLayout()
        box.addLayout(self._recent)
        box.addStretch(1)

    def show_due(self, lines: Sequence[DiaryLine]) -> None:
        """List what is due, the worst first; the rest by its number."""
        _empty(self._due)
        self._due_head.setVisible(bool(lines))
        self._due_head.setText(f"Due: {len(lines)}" if lines else "Due")
        for line in lines[:DUE]:
            button = QPushButton(
                f"{line.name}: {line.title}   —   {line.why.rpartition('Due: ')[2]}, {line.day:%-d %b %Y}"
            )
            button.setProperty("role", "link")
            button.clicked.connect(lambda _=False, key=line.key: self.due.emit(key))
            self._due.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        if len(lines) > DUE:
            self._due.addWidget(label(f"and {len(lines) - DUE} more in the diary (Alt+Y)", "muted"))

    def show_recent(self, paths: list[str]) -> None:
        """List the jobs opened lately."""
        _empty(self._recent)
        self._recent_head.setVisible(bool(paths))
        for path in paths:
            button = QPushButton(f"{Path(path).stem}   —   {Path(path).parent}")
            button.setProperty("role", "link")
            button.clicked.connect(lambda _=False, point=path: self.recent.emit(point))
            self._recent.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)


class NewJobPage(QWidget):
    """Name, unit, decimal mark and place of a new job; refused where it stands."""

    made = pyqtSignal(str, str, str, str)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        page, box = _page()
        outer.addWidget(page)
        box.addWidget(label("A new job", "title"))
        form = QFormLayout()
        form.setSpacing(12)
        self.name, self.folder, self.person = QLineEdit(), QLineEdit(str(Path.home())), QLineEdit()
        self.unit, self.mark = QComboBox(), QComboBox()
        for key, text in UNITS:
            self.unit.addItem(text, key)
        for key, text in MARKS:
            self.mark.addItem(text, key)
        for field in (self.name, self.folder):
            field.setMinimumWidth(380)
            field.returnPressed.connect(self.submit)
        self.name.setPlaceholderText("such as Osier Mill")
        form.addRow("Name", self.name)
        form.addRow("Read in", self.unit)
        form.addRow("Decimal mark", self.mark)
        form.addRow("Folder", self.folder)
        box.addLayout(form)
        self._where = label("", "muted")
        box.addWidget(self._where)
        self.reason = label("", "wrong")
        self.reason.hide()
        box.addWidget(self.reason)
        row = QHBoxLayout()
        self.begin = QPushButton("Begin the job")
        self.begin.clicked.connect(self.submit)
        back = QPushButton("Back")
        back.clicked.connect(self.left)
        row.addWidget(self.begin)
        row.addWidget(back)
        row.addStretch(1)
        box.addLayout(row)
        box.addStretch(1)
        self.name.textChanged.connect(self._say_where)
        self.folder.textChanged.connect(self._say_where)
        self._say_where()

    def path(self) -> Path:
        """Return the file that the job would be."""
        return Path(self.folder.text().strip()).expanduser() / file_name(
            f"{self.name.text().strip() or 'job'}.keel"
        )

    def _say_where(self) -> None:
        self._where.setText(f"It will be the file {self.path()}")
        self.reason.hide()

    def submit(self) -> None:
        """Begin the job, or say why not."""
        if not self.name.text().strip():
            self.refuse("Name the job; the file is called so too.")
            return
        self.made.emit(
            str(self.path()), self.name.text().strip(), self.unit.currentData(), self.mark.currentData()
        )

    def refuse(self, message: str) -> None:
        self.reason.setText(message)
        self.reason.show()
        self.name.setFocus()


class NewWorkPage(QWidget):
    """Drawn choices of work."""

    made = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        page, box = _page()
        outer.addWidget(page)
        box.addWidget(label("What are you levelling?", "title"))
        box.addWidget(label("Name the work, then choose what it is.", "muted"))
        self.name = QLineEdit()
        self.name.setMaximumWidth(420)
        self.name.setPlaceholderText("such as Gatepost to weir")
        self.name.setAccessibleName("Name of the work")
        box.addWidget(self.name)
        inner = QWidget()
        inner.setObjectName("desk")
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(18)
        self.cards: dict[str, Card] = {}
        for n, listed in enumerate(LISTED):
            card = Card(listed.label, listed.blurb, sketch_of(listed))
            card.clicked.connect(
                lambda _=False, one=listed: self.made.emit(one.key, self.name.text().strip() or one.label)
            )
            grid.addWidget(card, n // 3, n % 3)
            self.cards[listed.key] = card
        grid.setColumnStretch(3, 1)
        grid.setRowStretch(len(LISTED), 1)
        scroll = QScrollArea()  # more trades than a small screen has room for
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(inner)
        box.addWidget(scroll, 1)
        self.name.returnPressed.connect(lambda: self.cards[LISTED[0].key].setFocus())
