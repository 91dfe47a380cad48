"""A file that is no book of ours, or not understood: which column is which, what its words mean, which lines are no sights.

Said once it is remembered by the header, and shown again at every file that has it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct, field
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
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

from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.csv_lines import parted
from vivid_keel.exchange.level_columns import Columns, letter, said, sample
from vivid_keel.exchange.level_csv import SIGHTS
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
    ("height", "height, to compare"),
    ("source", "source"),
    ("upper", "upper hair"),
    ("lower", "lower hair"),
    ("look", "second look"),
    ("remark", "remark"),
    ("page", "page"),
    ("read_at", "time on paper"),
    ("struck", "struck"),
)
UNITS = (("", "as the file says"), ("m", "m"), ("mm", "mm"), ("cm", "cm"), ("ft", "ft"), ("ft-in", "ft-in"))
KINDS = (("", "not said"), ("bs", "backsight BS"), ("is", "intermediate IS"), ("fs", "foresight FS"))
SHOWN, PLACES = 6, 50
"""Lines shown of a file that nothing is wrong with; places shown of one that isn't understood."""


class Said(Struct):
    """What a person said of a file: its columns, the units of its readings and of its heights, its words for a kind of sight."""

    at: dict[int, str] = field(default_factory=dict)
    unit: str = ""
    kinds: dict[str, str] = field(default_factory=dict)
    heights: str = ""


class MapPage(QWidget):
    """Columns of a file with some of its lines; each is told what it holds, a line is skipped by its number."""

    mapped = pyqtSignal(object)
    left = pyqtSignal()
    turned = pyqtSignal(str)
    """Another sheet of a spreadsheet is wanted."""

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(48, 36, 48, 24)
        self._title = label("", "title")
        outer.addWidget(self._title)
        self._words = label("", "muted")
        self._words.setWordWrap(True)
        outer.addWidget(self._words)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        outer.addWidget(self._scroll, 1)
        self.reason = label("", "wrong")
        self.reason.setWordWrap(True)
        self.reason.hide()
        outer.addWidget(self.reason)
        row = QHBoxLayout()
        self.take = QPushButton("Bring it in")
        self.take.setToolTip("Enter")
        self.take.clicked.connect(self._take)
        back = QPushButton("Leave it")
        back.setToolTip("Esc")
        back.clicked.connect(self.left)
        row.addWidget(self.take)
        row.addWidget(back)
        row.addWidget(label("Readings in", "muted"))
        self.unit = QComboBox()
        self.unit.setAccessibleName("Unit of the readings")
        for key, words in UNITS:
            self.unit.addItem(words, key)
        row.addWidget(self.unit)
        row.addWidget(label("Heights in", "muted"))
        self.heights = QComboBox()
        self.heights.setAccessibleName("Unit of the heights")
        for key, words in UNITS:
            self.heights.addItem(words, key)
        row.addWidget(self.heights)
        self._sheet_label, self.sheet = label("Sheet", "muted"), QComboBox()
        self.sheet.setAccessibleName("Sheet of the spreadsheet")
        self.sheet.textActivated.connect(self.turned)
        row.addWidget(self._sheet_label)
        row.addWidget(self.sheet)
        row.addStretch(1)
        outer.addLayout(row)
        self.boxes: list[QComboBox] = []
        self.kinds: dict[str, QComboBox] = {}
        self.lines: dict[int, QPushButton] = {}
        self._columns = Columns(",", 0, [])

    def ask(
        self,
        name: str,
        columns: Columns,
        lines: Sequence[str],
        *,
        why: Sequence[KeelError] = (),
        before: Said | None = None,
        sheets: tuple[str, ...] = (),
        sheet: str = "",
    ) -> None:
        """Show a file.

        Parameters
        ----------
        name : str
        columns : Columns
            What could be made of it, or what was said of it a moment ago.
        lines : sequence of str
            All of them.
        why : sequence of KeelError
            What is not understood, each at its line.
        before : Said, optional
            What was said of such a header before.
        sheets, sheet : tuple of str, str
            Those of a spreadsheet, and the one that is shown.
        """
        for widget in (self._sheet_label, self.sheet):
            widget.setVisible(len(sheets) > 1)
        self.sheet.clear()
        self.sheet.addItems(list(sheets))
        self.sheet.setCurrentText(sheet)
        self._columns = columns
        places = {int(found[1]) - 1: p for p in why if (found := re.search(r"line (\d+)", p.where))}
        self._title.setText(
            f"{name}: {len(why)} place{'s' if len(why) > 1 else ''} not understood"
            if why
            else f"{name}: which column is which?"
        )
        self._words.setText(_words(bool(why), before is not None))
        self.reason.setVisible(bool(why) and not places)
        self.reason.setText("; ".join(p.message for p in why if not places))
        self.unit.setCurrentIndex(max(0, self.unit.findData(before.unit if before else "")))
        told_heights = before.heights if before else columns.heights_in
        self.heights.setCurrentIndex(max(0, self.heights.findData(told_heights)))
        self._scroll.setWidget(self._body(columns, lines, places, before))
        if self.boxes:
            self.boxes[0].setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter brings it in, Esc leaves it."""
        if event is None:
            return
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._take()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def _body(
        self,
        columns: Columns,
        lines: Sequence[str],
        places: dict[int, KeelError],
        before: Said | None,
    ) -> QWidget:
        body = QWidget()
        body.setObjectName("desk")
        grid = QGridLayout(body)
        grid.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(6)
        ours = before.at if before else {i: name for name, i in columns.at.items()}
        self.boxes, self.kinds, self.lines = [], {}, {}
        grid.addWidget(label("Line", "muted"), 0, 0)
        for i, head in enumerate(columns.header):
            under = columns.under[i].strip() if i < len(columns.under) else ""
            grid.addWidget(label(f"{head.strip() or letter(i)} {under}".strip(), "head"), 0, i + 1)
            box = QComboBox()
            box.setAccessibleName(f"Column {head}")
            for key, words in MEANINGS:
                box.addItem(words, key)
            box.setCurrentIndex(max(0, box.findData(ours.get(i, ""))))
            grid.addWidget(box, 1, i + 1)
            self.boxes.append(box)
        wrong = sorted(places)[:PLACES]
        plain = [n for n, _ in sample(lines, columns, SHOWN) if n not in places][: 3 if wrong else SHOWN]
        row, last = 2, len(columns.header) + 1
        for word in _unknown_kinds(lines, columns, ours):
            box = QComboBox()
            box.setAccessibleName(f"What “{word}” means")
            for key, words in KINDS:
                box.addItem(words, key)
            box.setCurrentIndex(
                max(0, box.findData((before.kinds if before else columns.kinds).get(word, "")))
            )
            grid.addWidget(label(f"“{word}” means", "muted"), row, 0, 1, 2)
            grid.addWidget(box, row, 2)
            self.kinds[word] = box
            row += 1
        for n in sorted({*wrong, *plain, *columns.skip}):
            skip = QPushButton(str(n + 1))
            skip.setCheckable(True)
            skip.setFixedWidth(56)
            skip.setChecked(n in columns.skip)
            skip.setToolTip("Press: this line is no part of the book")
            skip.setAccessibleName(f"Skip line {n + 1}")
            grid.addWidget(skip, row, 0)
            self.lines[n] = skip
            there = parted(lines[n], columns.separator) if n < len(lines) else []
            cells = [_cell(there[i] if i < len(there) else "") for i in range(last - 1)]
            for i, cell in enumerate(cells):
                grid.addWidget(cell, row, i + 1)
            skip.toggled.connect(lambda on, cells=cells: [cell.setEnabled(not on) for cell in cells])
            for cell in cells:
                cell.setEnabled(n not in columns.skip)
            if n in places:
                said_why = label(places[n].message, "wrong")
                said_why.setWordWrap(True)
                said_why.setMinimumWidth(320)
                grid.addWidget(said_why, row + 1, 1, 1, max(last - 1, 1))
                row += 1
            row += 1
        if len(places) > PLACES:
            grid.addWidget(label(f"and {len(places) - PLACES} places more", "muted"), row, 1, 1, last)
            row += 1
        return body

    def _take(self) -> None:
        told = Said(
            {i: str(box.currentData()) for i, box in enumerate(self.boxes)},
            str(self.unit.currentData()),
            {word: str(box.currentData()) for word, box in self.kinds.items() if box.currentData()},
            str(self.heights.currentData()),
        )
        skip = [n for n, button in self.lines.items() if button.isChecked()]
        try:
            columns = said(
                self._columns, told.at, told.unit, {**self._columns.kinds, **told.kinds}, skip, told.heights
            )
        except KeelError as error:
            self.reason.setText(error.message[:1].upper() + error.message[1:])
            self.reason.show()
            return
        plain = {i: name for name, i in self._columns.at.items()}
        if (
            told.unit
            or told.heights
            or told.kinds
            or {i: name for i, name in told.at.items() if name} != plain
        ):
            remember(columns.fingerprint, told)
        self.mapped.emit(columns)


def _words(why: bool, before: bool) -> str:
    skip = "Press a line's number to leave the line out."
    if why:
        return f"Nothing of it was taken yet. Say what each column holds, {skip[:1].lower()}{skip[1:-1]}, or mend the file and bring it in again."
    if before:
        return f"This is what was said of such a header before; look it over, change what is wrong. {skip}"
    return f"Say what each column holds; what nobody needs is left alone. {skip} The answer is remembered for this header."


def _cell(text: str) -> QLabel:
    cell = QLabel(text)
    cell.setTextFormat(Qt.TextFormat.PlainText)
    return cell


def _unknown_kinds(lines: Sequence[str], columns: Columns, ours: dict[int, str]) -> list[str]:
    """The file's own words in its column for the kind of sight, where nobody knows them."""
    at = next((i for i, name in ours.items() if name == "sight"), None)
    if at is None:
        return []
    rows = [cells for _, cells in sample(lines, columns, 2000)]
    words = [cells[at].strip().lower().rstrip(".") for cells in rows if at < len(cells)]
    return [
        word
        for word in dict.fromkeys(words)
        if word and word not in SIGHTS and word not in EVENTS and len(word) < 24
    ][:6]


def _file() -> Path:
    return state_file("csv-headers.json")


def remembered(columns: Columns) -> Said | None:
    """Return what was said of this header before, None where nothing was, or nothing that still serves."""
    try:
        kept = json.loads(_file().read_text())[columns.fingerprint]
        if "at" not in kept:  # as it was kept until 0.6
            kept = {"at": kept}
        told = Said(
            {int(i): str(name) for i, name in kept["at"].items()},
            str(kept.get("unit", "")),
            {str(word): str(kind) for word, kind in kept.get("kinds", {}).items()},
            str(kept.get("heights", "")),
        )
        said(columns, told.at, told.unit, told.kinds, heights=told.heights)
    except (OSError, ValueError, TypeError, KeyError, AttributeError, KeelError):
        return None
    return told


def remember(fingerprint: str, told: Said) -> None:
    """Keep what was said of a header; a list that can't be written is no reason to stop."""
    try:
        whole = json.loads(_file().read_text())
    except (OSError, ValueError):
        whole = {}
    kept = {"at": told.at, "unit": told.unit, "kinds": told.kinds, "heights": told.heights}
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps({**(whole if isinstance(whole, dict) else {}), fingerprint: kept}))
    except OSError:
        return
