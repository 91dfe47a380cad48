"""The sheet: dense, keyboard first. A value is taken or refused in its own cell."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QPointF, QRect, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCompleter,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableView,
    QWidget,
)

from vivid_keel.core.errors import KeelError
from vivid_keel.desk import block
from vivid_keel.desk.comma import Comma
from vivid_keel.desk.sheet import Goto, Place, Sheet, Taken
from vivid_keel.ui.painting import painting
from vivid_keel.ui.row_paint import ROW, PaintedRows
from vivid_keel.ui.sheet_model import SheetModel
from vivid_keel.ui.theme import theme
from vivid_keel.ui.titles import Titles
from vivid_keel.ui.widths import widths

ENTERED = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2)


class SheetView(QTableView):
    """A sheet on the screen.

    Signals: `moved(row)` when another row is in hand, `previewed()` while a value is being typed,
    `asked(Goto)` when Enter leads elsewhere, `shut()` when something is typed while all cells are closed.
    """

    closed = False
    """Whether no cell may be opened: the file can't be written."""

    enter_in_record: Callable[[Taken], None]
    """Records what was typed and lets it follow."""
    show_all: Callable[[], None]
    """Shows anew what stands now."""
    moved = pyqtSignal(int)
    previewed = pyqtSignal()
    asked = pyqtSignal(object)
    shut = pyqtSignal()
    """Something was typed into cells that are closed."""

    def __init__(self) -> None:
        super().__init__()
        self.enter_in_record = lambda taken: None
        self.show_all = lambda: None
        self.model_ = SheetModel()
        self.setModel(self.model_)
        self.setShowGrid(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTabKeyNavigation(False)
        self.setAccessibleName("Sheet")
        port = self.viewport()
        assert port is not None
        port.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing behind it is painted first
        down = self.verticalHeader()
        self.setHorizontalHeader(Titles())
        assert down is not None
        down.hide()
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultSectionSize(ROW)
        down.setMinimumSectionSize(ROW)
        self._rows = PaintedRows(self)
        self._field = QLineEdit(self.viewport())  # one for all cells, not a new one at each Enter
        self._field.hide()
        self._field.textChanged.connect(self._typed)
        self._editor: QLineEdit | None = None
        self._opened = ""
        self._at: Place = (0, 0)
        self._reason = QLabel(self.viewport())
        self._reason.setTextFormat(Qt.TextFormat.PlainText)
        self._reason.setProperty("role", "wrong")
        self._reason.setWordWrap(True)
        self._reason.hide()
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.valueChanged.connect(self._place_editor)

    @property
    def sheet(self) -> Sheet:
        return self.model_.sheet

    @property
    def refusal(self) -> str:
        """The reason shown beside a refused value, "" where there is none."""
        return "" if self._reason.isHidden() else self._reason.text()

    def start_text(self, place: Place) -> str:
        """Return what stands in a cell as it is opened."""
        text, comma = self.sheet.start_text(*place), self.model_.comma
        return text if comma is None else comma(text)

    def show_sheet(self, sheet: Sheet, comma: Comma | None = None) -> None:
        """Show a sheet, keeping the cell in hand where it is the same one grown; what is half typed stays with the line it is of."""
        half, before = self.half_typed(), self.sheet
        self.model_.comma = comma
        self.setAccessibleName(sheet.name or "Sheet")
        self.setAccessibleDescription(sheet.hint)
        if not self.model_.set_sheet(sheet):
            self.close_editor()
            self._widths()
        if half is not None:
            self._go_on(half, before)
        self._repaint()

    def _go_on(self, half: tuple[Place, str], before: Sheet) -> None:
        """Go on typing where the line that something is `half` typed in stands now: it came while all was worked out anew."""
        (row, column), text = half
        picked = before.picked(row)
        now = self.sheet.row_of(picked) if picked >= 0 else row
        titles = [each.title for each in self.sheet.columns]
        title = before.columns[column].title
        at = (now, titles.index(title) if title in titles else column)
        if type(before) is not type(self.sheet) or (self._editor is not None and at == self._at):
            return
        if now < 0:  # nothing is of that line any more; no other gets what was meant for it
            self.close_editor()
            return
        self.go(at, edit=False)
        editor = self.open_editor(text, select=False)
        if editor is not None:
            editor.setModified(True)

    def refresh(self) -> None:
        """Repaint what is seen from what stands now."""
        self._repaint()

    def follow(self) -> None:
        """Repaint what changes while the keel line is dragged."""
        rows = self.sheet.following()
        if rows is None:
            self._repaint()
        for row in rows or []:
            self._repaint(range(row, row + 1))

    def _repaint(self, rows: range | None = None) -> None:
        """Mark these rows to be painted anew, all by default."""
        port = self.viewport()
        assert port is not None
        if rows is None or len(rows) == self.sheet.count:
            port.update()
            return
        first, last = self.rowViewportPosition(rows[0]), self.rowViewportPosition(rows[-1])
        port.update(QRect(0, first, port.width(), last + ROW - first))

    def _widths(self) -> None:
        room = self.width() - 14  # for the scroll bar, there or not
        for i, width in enumerate(widths(self.sheet.columns, room)):
            self.setColumnWidth(i, width)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the rows in sight, a row at a time: several times quicker than a delegate a cell."""
        assert event is not None
        port = self.viewport()
        assert port is not None
        with painting(port, type(self.sheet).__name__) as painter:
            self._paint_rows(painter, port, event)

    def _paint_rows(self, painter: QPainter, port: QWidget, event: QPaintEvent) -> None:
        sheet, area, current = self.sheet, event.rect(), self.currentIndex()
        first = max(0, self.rowAt(area.top()))
        last = self.rowAt(area.bottom())
        last = sheet.count - 1 if last < 0 else min(last, sheet.count - 1)
        spans = [
            (self.columnViewportPosition(c), self.columnWidth(c), k.right)
            for c, k in enumerate(sheet.columns)
        ]
        wide = port.width()
        region = event.region()
        for row in range(first, last + 1):
            top = self.rowViewportPosition(row)
            if not region.intersects(QRect(0, top, wide, ROW)):
                continue
            ground = "row" if sheet.lit(row) else "lit" if row == current.row() else "paper"
            cells = [self.model_.cell(row, column) for column in range(len(spans))]
            painter.drawPixmap(0, top, self._rows.row(row, cells, ground, spans, wide))
        below = self.rowViewportPosition(sheet.count - 1) + ROW if sheet.count else 0
        if below <= area.bottom():
            painter.fillRect(0, below, wide, area.bottom() + 1 - below, theme.colour("paper"))
        if current.isValid() and self.hasFocus() and first <= current.row() <= last:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.setPen(theme.colour("keel"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.visualRect(current).adjusted(0, 0, -1, -2))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._widths()
        self._place_editor()

    # Going places

    def go(self, place: Place, *, edit: bool = True) -> None:
        """Take a cell in hand, and open it where it can be typed in."""
        row, column = place
        if not 0 <= row < self.sheet.count:
            return
        self.close_editor()
        self.setCurrentIndex(self.model_.index(row, column))
        self.scrollTo(self.model_.index(row, column))
        self.setFocus()
        if edit and self.model_.cell(row, column).editable:
            self.open_editor(self.start_text((row, column)))

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        self._repaint()
        if current.row() != previous.row():
            self.moved.emit(current.row())

    # Typing

    def open_editor(self, text: str = "", *, select: bool = True) -> QLineEdit | None:
        """Open the cell in hand for typing."""
        index = self.currentIndex()
        if self.closed or not index.isValid() or not self.model_.cell(index.row(), index.column()).editable:
            return None
        self.close_editor()
        self._at = (index.row(), index.column())
        editor = self._field
        with QSignalBlocker(editor):
            editor.setText(text)
        self._opened = text
        column = self.sheet.columns[index.column()]
        editor.setAccessibleName(column.title)
        hint = self.model_.cell(*self._at).hint
        editor.setPlaceholderText(hint)
        side = Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
        editor.setAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        names = self.sheet.completions(*self._at)
        editor.setCompleter(None)
        if names:
            completer = QCompleter(names, editor)
            completer.setCompletionMode(QCompleter.CompletionMode.InlineCompletion)
            editor.setCompleter(completer)
        if select:
            editor.selectAll()
        editor.installEventFilter(self)
        self._editor = editor
        self._place_editor()
        editor.show()
        editor.setFocus()
        return editor

    @property
    def editor(self) -> QLineEdit | None:
        """The open field, or None."""
        return self._editor

    def half_typed(self) -> tuple[Place, str] | None:
        """Return where something is half typed, and what; None where nothing is."""
        # A proposed end clears the field's own mark of having been modified.
        if self._editor is None or not (self._editor.isModified() or self._editor.text() != self._opened):
            return None
        return self._at, self._editor.text()

    def close_editor(self, *, taken: bool = False) -> None:
        """Close the field without taking its value, or after it was `taken`: then nothing is left to show of it."""
        self._reason.hide()
        if self._editor is not None:
            editor, self._editor = self._editor, None
            had = editor.hasFocus()
            editor.removeEventFilter(self)
            if had:
                self.setFocus()  # before it goes: else the focus would wander through the window and back
            editor.hide()
            if not taken:
                self.sheet.typing(*self._at, "")
                self.previewed.emit()

    def _place_editor(self) -> None:
        if self._editor is None:
            return
        rect = self.visualRect(self.model_.index(*self._at))
        wide = max(rect.width(), 96)
        self._editor.setGeometry(
            rect.right() - wide + 1 if self.sheet.columns[self._at[1]].right else rect.left(),
            rect.top() - 1,
            wide,
            rect.height() + 1,
        )
        self._place_reason(rect)

    def _place_reason(self, rect: QRect) -> None:
        port = self.viewport()
        assert port is not None
        if self._reason.isHidden():
            return
        wide = min(460, port.width() - 20)
        self._reason.setFixedWidth(wide)
        tall = self._reason.heightForWidth(wide)
        x = max(6, min(rect.left(), port.width() - wide - 6))
        below = rect.bottom() + 4
        y = below if below + tall < port.height() else rect.top() - tall - 4
        self._reason.setGeometry(x, max(2, y), wide, tall)
        self._reason.raise_()

    def _typed(self, text: str) -> None:
        self._reason.hide()
        self.sheet.typing(*self._at, text)
        self._repaint(self.sheet.touched(self._at[0]))
        self.previewed.emit()

    def take(self) -> bool:
        """Hand the typed value over; a refused one stays, with the reason beside it."""
        if self._editor is None:
            return False
        text, at = self._really_typed(self._editor), self._at
        if self.half_typed() is None and text and text == self.start_text(at):
            self.close_editor()
            along = self._along(at, text)
            self.go(along or (min(at[0] + 1, self.sheet.count - 1), at[1]), edit=along is not None)
            return True
        return self._give(at, text)

    def _along(self, at: Place, text: str) -> Place | None:
        """Return the next cell along or the beginning of the next line, where a value given there leads to it: what stands is right, and
        goes on the same way. None where it leads down the column."""
        try:
            place = self.sheet.accept(*at, text).where(self.sheet)
        except KeelError:
            return None
        return place if isinstance(place, tuple) and place > at and place[1] != at[1] else None

    @staticmethod
    def _really_typed(editor: QLineEdit) -> str:
        """Return what was typed, without the end that was only proposed: that is taken by Tab or the arrow, never by Enter."""
        text, at = editor.text(), editor.selectionStart()
        proposed = editor.completer() is not None and 0 < at == len(text) - len(editor.selectedText())
        return text[:at] if proposed else text

    def _give(self, at: Place, text: str) -> bool:
        return self._book(lambda: self.sheet.accept(*at, text))

    def _book(self, what: Callable[[], Taken]) -> bool:
        """From key to record, once: what was made of it is recorded and follows, all is shown anew, and the hand moves on."""
        try:
            taken = what()
            self.enter_in_record(taken)
        except KeelError as error:
            self.refuse(error.message)
            return False
        self.close_editor(taken=True)
        self.show_all()
        place = taken.where(self.sheet)
        if isinstance(place, Goto):
            self.asked.emit(place)
        elif place is not None:
            self.go(place)
        return True

    def _put_in_block(self) -> bool:
        """Put the cells on the clipboard in from the cell in hand on, a column as one act; False where it is but one cell."""
        clipboard = QApplication.clipboard()
        cells = block.cells_of(clipboard.text()) if clipboard is not None else []
        if len(cells) < 2 and all(len(line) < 2 for line in cells):
            return False
        at = self._at
        try:
            block.check(self.sheet, at, cells)
        except KeelError as error:
            self.refuse(error.message)
            return True
        lines = block.lines_of(self.sheet, at, cells)
        for column in range(max(len(line) for line in cells)):
            if block.lines_of(self.sheet, at, cells) != lines:
                self.refuse("the lines stand in another order now: what stood further right was not put in")
                break
            if not self._book(partial(self._column_taken, at, cells, column)):
                break
        return True

    def _column_taken(self, at: Place, cells: block.Cells, column: int) -> Taken:
        return block.taken(self.sheet, at, cells, column)

    def match(self, text: str) -> bool:
        """Put a reading made by matching the picture where it belongs, as if typed; False where no mark is named."""
        index = self.currentIndex()
        place = self.sheet.match_place(index.row(), index.column())
        if place is None:
            return False
        if self._editor is None or self._at != place:
            self.go(place)
        if self._editor is not None:
            self._editor.setText(text)
            self._editor.setModified(True)
        return True

    def refuse(self, message: str) -> None:
        """Show why the value in hand was not taken."""
        self._reason.setText(message[:1].upper() + message[1:])
        self._reason.setAccessibleName(message)
        self._reason.show()
        self._place_reason(self.visualRect(self.currentIndex()))
        if self._editor is not None:
            self._editor.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        if watched is self._editor and isinstance(event, QKeyEvent) and self.half_typed() is None:
            undoes = event.matches(QKeySequence.StandardKey.Undo) or event.matches(
                QKeySequence.StandardKey.Redo
            )
            if event.type() == QEvent.Type.ShortcutOverride and undoes:
                event.ignore()  # nothing is typed here yet: what was recorded is undone, not the empty field
                return True
        if watched is not self._editor or event.type() != QEvent.Type.KeyPress:
            return super().eventFilter(watched, event)
        assert isinstance(event, QKeyEvent)
        if event.matches(QKeySequence.StandardKey.Paste) and self._put_in_block():
            return True
        key = Qt.Key(event.key())
        plain = not event.modifiers() & ~(
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
        )
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
            self.take()
            return True
        if key == Qt.Key.Key_Escape:
            self.close_editor()
            return True
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and plain:
            self._leave(key)
            return True
        if self._editor is not None and not self._editor.text() and self._letter(event.text()):
            return True
        return super().eventFilter(watched, event)

    def _leave(self, key: Qt.Key) -> None:
        """Leave the field by arrow or Tab: what was typed is taken, or stays and says why."""
        row, column = self._at
        if self.half_typed() is not None:
            assert self._editor is not None
            text = self._editor.text()
            # Refused, it stays; taken by Tab, the hand is where the sheet goes on.
            if text.strip() and (not self._give((row, column), text) or key == Qt.Key.Key_Tab):
                return
        self.close_editor()
        step = {
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
            Qt.Key.Key_Tab: (0, 1),
            Qt.Key.Key_Backtab: (0, -1),
        }[key]
        down = row + step[0]
        across = column + step[1]
        if 0 <= down < self.sheet.count and 0 <= across < len(self.sheet.columns):
            self.go((down, across))

    def _letter(self, text: str) -> bool:
        if len(text) != 1 or not text.isalpha():
            return False
        index = self.currentIndex()
        place = self.sheet.key(index.row(), index.column(), text)
        if place is None:
            return False
        self.close_editor()
        self._repaint()
        self.go(place)
        return True

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        index = self.currentIndex()
        plain = not event.modifiers() & ~(
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
        )
        if event.matches(QKeySequence.StandardKey.Paste) and index.isValid():
            self._paste(index)
            return
        if index.isValid() and plain:
            key, text = Qt.Key(event.key()), event.text()
            editable = self.model_.cell(index.row(), index.column()).editable
            if self.closed and editable and ((text.isprintable() and text) or key in ENTERED):
                self.shut.emit()
                return
            if key in ENTERED:
                self._enter(index, editable)
                return
            if text and text.isprintable() and editable:
                if not self.start_text((index.row(), index.column())) and self._letter(text):
                    return
                editor = self.open_editor("", select=False)
                if editor is not None:
                    editor.insert(text)
                    editor.setModified(True)
                return
        super().keyPressEvent(event)

    def _paste(self, index: QModelIndex) -> None:
        """Put in what is on the clipboard where no field is open: several cells at once, or one into its field."""
        if not self.model_.cell(index.row(), index.column()).editable:
            return
        if self.closed:
            self.shut.emit()
            return
        self._at = (index.row(), index.column())
        if not self._put_in_block():
            editor = self.open_editor("", select=False)
            if editor is not None:
                editor.paste()
                editor.setModified(True)

    def _enter(self, index: QModelIndex, editable: bool) -> None:
        if editable:
            self.open_editor(self.start_text((index.row(), index.column())))
            return
        self._book(lambda: self.sheet.enter(index.row()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        index = self.indexAt(event.position().toPoint())
        if self.half_typed() is not None and self._editor is not None and self._editor.text().strip():
            if not self.take():
                return
        else:
            self.close_editor()
        if index.isValid():
            self.go(
                (index.row(), index.column()), edit=self.model_.cell(index.row(), index.column()).editable
            )

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        index = self.indexAt(QPointF(event.position()).toPoint())
        if index.isValid() and not self.model_.cell(index.row(), index.column()).editable:
            self._enter(index, False)
