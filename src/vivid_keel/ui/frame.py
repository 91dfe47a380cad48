"""The window's parts and where they stand; what they do is the window's business."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vivid_keel.ui.pages import StartPage
from vivid_keel.ui.pane import Pane, label
from vivid_keel.ui.picture_view import PictureView
from vivid_keel.ui.sheet_view import SheetView
from vivid_keel.ui.strip import StageStrip, WorkList
from vivid_keel.ui.tabs import TabRow
from vivid_keel.ui.under_sheet import UnderSheet


class Frame(QMainWindow):
    """The job at the left; stages across the top; picture, sheet and what stands under it; the pane."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Vivid Keel")
        self.resize(1280, 800)
        self.setMinimumSize(960, 540)
        whole = QWidget()
        whole.setObjectName("desk")
        across = QHBoxLayout(whole)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self._side())
        self.stack = QStackedWidget()
        across.addWidget(self.stack, 1)
        self.setCentralWidget(whole)
        self.start = StartPage()
        self.stack.addWidget(self._work_page())
        self.stack.addWidget(self.start)

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        """Leave the book its room on a small screen."""
        narrow = self.width() < 1180
        self.side.setFixedWidth(150 if narrow else 194)
        self.pane.setFixedWidth(240 if narrow else 296)
        super().resizeEvent(a0)

    def _side(self) -> QWidget:
        side = QWidget()
        side.setObjectName("side")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        side.setFixedWidth(194)
        self.side = side
        box = QVBoxLayout(side)
        box.setContentsMargins(10, 10, 0, 12)
        box.setSpacing(4)
        self.job_button = QPushButton("Vivid Keel")
        self.job_button.setProperty("role", "name")
        self.job_button.setToolTip("The job's menu (Alt+J)")
        self.job_button.setAccessibleName("Job menu")
        self.menu = QMenu(self)
        box.addWidget(self.job_button)
        self.job_state = label("", "muted")
        box.addWidget(self.job_state)
        self.works = WorkList()
        box.addWidget(self.works, 1)
        self.add_work = QPushButton("New work")
        self.add_work.setToolTip("New work in this job (Ctrl+Shift+N)")
        box.addWidget(self.add_work, 0, Qt.AlignmentFlag.AlignLeft)
        self.places = WorkList()
        self.places.setAccessibleName("Kit and diary")
        self.places.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.places.setFixedHeight(112)
        box.addSpacing(6)
        box.addWidget(self.places)
        return side

    def _work_page(self) -> QWidget:
        page = QWidget()
        page.setObjectName("desk")
        outer = QVBoxLayout(page)
        outer.setContentsMargins(14, 8, 14, 12)
        outer.setSpacing(6)
        self.strip = StageStrip()
        outer.addWidget(self.strip)
        self.notice = label("", "notice")
        self.notice.hide()
        self.stop_button = QPushButton("Stop")
        self.stop_button.setToolTip("Stop what is being worked out (Ctrl+Backspace)")
        self.stop_button.hide()
        self.copy_button = QPushButton("Copy for a bug report")
        self.copy_button.hide()
        said = QHBoxLayout()
        said.addWidget(self.notice, 1)
        said.addWidget(self.stop_button)
        said.addWidget(self.copy_button)
        outer.addLayout(said)
        row = QHBoxLayout()
        row.setSpacing(12)
        outer.addLayout(row, 1)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setChildrenCollapsible(False)
        row.addWidget(self.split, 1)
        self.split.addWidget(self._picture_part())
        self.split.addWidget(self._sheet_part())
        self.split.setSizes([310, 390])
        if (between := self.split.handle(1)) is not None:
            between.setAccessibleName("Between picture and sheet")
        self.pane = Pane()
        row.addWidget(self.pane)
        return page

    def _picture_part(self) -> QWidget:
        part = QWidget()
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self.views = TabRow()
        box.addWidget(self.views)
        self.picture = PictureView()
        box.addWidget(self.picture, 1)
        return part

    def _sheet_part(self) -> QWidget:
        part = QWidget()
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self.sheets = TabRow()
        box.addWidget(self.sheets)
        self.sheet = SheetView()
        box.addWidget(self.sheet, 1)
        self.under = UnderSheet()
        box.addWidget(self.under)
        return part
