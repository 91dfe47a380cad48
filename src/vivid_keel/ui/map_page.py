"""A stranger's columns: which is which, said once and remembered by the header."""

from __future__ import annotations

import json
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.level_columns import Columns, said
from vivid_keel.places import state_file
from vivid_keel.ui.pane import label

MEANINGS = (
    ("", "leave alone"),
    ("mark", "mark"),
    ("bs", "backsight BS"),
    ("is", "intermediate IS"),
    ("fs", "foresight FS"),
    ("sight", "kind of sight"),
    ("reading", "reading"),
    ("setup", "set-up"),
    ("distance", "distance"),
    ("known", "known height"),
    ("source", "source"),
    ("upper", "upper hair"),
    ("lower", "lower hair"),
    ("look", "second look"),
    ("remark", "remark"),
    ("page", "page"),
    ("read_at", "time on paper"),
    ("struck", "struck"),
)


class MapPage(QWidget):
    """Columns of a file with its first lines; each is told what it holds."""

    mapped = pyqtSignal(object)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(48, 44, 48, 30)
        self._title = label("", "title")
        outer.addWidget(self._title)
        outer.addWidget(
            label(
                "Say what each column holds; what nobody needs is left alone. The answer is remembered for this header.",
                "muted",
            )
        )
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        outer.addWidget(self._scroll, 1)
        self.reason = label("", "wrong")
        self.reason.hide()
        outer.addWidget(self.reason)
        row = QHBoxLayout()
        self.take = QPushButton("Bring it in")
        self.take.clicked.connect(self._take)
        back = QPushButton("Leave it")
        back.clicked.connect(self.left)
        row.addWidget(self.take)
        row.addWidget(back)
        row.addStretch(1)
        outer.addLayout(row)
        self.boxes: list[QComboBox] = []
        self._columns = Columns(",", 0, [])

    def ask(self, name: str, columns: Columns, lines: list[list[str]]) -> None:
        """Show a file's columns."""
        self._columns = columns
        self._title.setText(f"{name}: which column is which?")
        self.reason.hide()
        body = QWidget()
        body.setObjectName("desk")
        grid = QGridLayout(body)
        grid.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        grid.setSpacing(8)
        self.boxes = []
        ours = {i: name for name, i in columns.at.items()}
        for i, head in enumerate(columns.header):
            grid.addWidget(label(head.strip() or "(no name)", "head"), 0, i)
            box = QComboBox()
            box.setAccessibleName(f"Column {head}")
            for key, words in MEANINGS:
                box.addItem(words, key)
            box.setCurrentIndex(max(0, box.findData(ours.get(i, ""))))
            grid.addWidget(box, 1, i)
            self.boxes.append(box)
            for r, line in enumerate(lines):
                cell = QLabel(line[i] if i < len(line) else "")
                cell.setTextFormat(Qt.TextFormat.PlainText)
                grid.addWidget(cell, 2 + r, i)
        self._scroll.setWidget(body)
        if self.boxes:
            self.boxes[0].setFocus()

    def _take(self) -> None:
        meaning = {i: str(box.currentData()) for i, box in enumerate(self.boxes)}
        try:
            columns = said(self._columns, meaning)
        except KeelError as error:
            self.reason.setText(error.message[:1].upper() + error.message[1:])
            self.reason.show()
            return
        remember(columns.fingerprint, meaning)
        self.mapped.emit(columns)


def _file() -> Path:
    return state_file("csv-headers.json")


def remembered(columns: Columns) -> Columns | None:
    """Return what was said of this header before, None where nothing was."""
    try:
        meaning = json.loads(_file().read_text())[columns.fingerprint]
        return said(columns, {int(i): str(name) for i, name in meaning.items()})
    except (OSError, ValueError, TypeError, KeyError, AttributeError, KeelError):
        return None


def remember(fingerprint: str, meaning: dict[int, str]) -> None:
    """Keep what was said of a header; a list that can't be written is no reason to stop."""
    try:
        whole = json.loads(_file().read_text())
    except (OSError, ValueError):
        whole = {}
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps({**(whole if isinstance(whole, dict) else {}), fingerprint: meaning}))
    except OSError:
        return
