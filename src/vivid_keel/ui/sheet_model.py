"""A sheet as Qt's table model."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from vivid_keel.core.errors import KeelError
from vivid_keel.desk.comma import Comma
from vivid_keel.desk.sheet import Cell, Sheet
from vivid_keel.figures.symbols import words as sign_words
from vivid_keel.trouble import note

NO_PARENT = QModelIndex()


class SheetModel(QAbstractTableModel):
    """A sheet for Qt: cells are asked for when they are seen, and nothing is copied."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet = Sheet()
        self.comma: Comma | None = None
        self._rows = 0

    def set_sheet(self, sheet: Sheet) -> bool:
        """Show a sheet; one of the same kind only grows or shrinks, so a long book isn't laid out anew."""
        same = type(sheet) is type(self.sheet) and [column.title for column in sheet.columns] == [
            column.title for column in self.sheet.columns
        ]
        count = sheet.count
        if same and count > self._rows:
            self.beginInsertRows(NO_PARENT, self._rows, count - 1)
            self.sheet, self._rows = sheet, count
            self.endInsertRows()
        elif same and count < self._rows:
            self.beginRemoveRows(NO_PARENT, count, self._rows - 1)
            self.sheet, self._rows = sheet, count
            self.endRemoveRows()
        elif same:
            self.sheet = sheet
        else:
            self.beginResetModel()
            self.sheet, self._rows = sheet, count
            self.endResetModel()
        return same

    def rowCount(self, parent: QModelIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else self._rows

    def columnCount(self, parent: QModelIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.sheet.columns)

    def cell(self, row: int, column: int) -> Cell:
        """Return a cell; one that fails says so rather than taking the window down."""
        try:
            cell = self.sheet.cell(row, column)
            return cell if self.comma is None else self.comma.of(cell)
        except KeelError as error:
            return Cell(error.message, ink="wrong", wrong=True)
        except Exception as error:
            said = note(f"{type(self.sheet).__name__}, column {self.sheet.columns[column].title!r}", error)
            return Cell(said, ink="wrong", wrong=True, narrow="failed")

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.cell(index.row(), index.column()).text
        if role == Qt.ItemDataRole.AccessibleTextRole:
            cell = self.cell(index.row(), index.column())
            return ", ".join(
                filter(None, (sign_words(cell.sign), cell.text or cell.hint, "struck" * cell.struck))
            )
        if role == Qt.ItemDataRole.ToolTipRole and self.cell(index.row(), index.column()).wrong:
            return self.cell(index.row(), index.column()).text
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if orientation != Qt.Orientation.Horizontal or section >= len(self.sheet.columns):
            return None
        column = self.sheet.columns[section]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.title
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None
