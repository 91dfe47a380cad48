"""The handbook in the window: contents, search, and the page that belongs to what is in hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt, QUrl, QVariant, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QPainter, QTextCursor
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from vivid_keel.exchange.painter import paint
from vivid_keel.figures.display import Picture
from vivid_keel.figures.pages import FIGURES
from vivid_keel.figures.sketch import drawn
from vivid_keel.handbook import Page, page_of, pages, search
from vivid_keel.trades.registry import LISTED
from vivid_keel.ui.pane import label
from vivid_keel.ui.theme import theme

SKETCH = 220
"""A sketch at the head of a page is so large [px]."""
SUM = "## A worked sum\n"
HITS = 60
"""So many places found are listed."""
PLACE = Qt.ItemDataRole.UserRole


class Leaf(QTextBrowser):
    """A page of the handbook as it is read; its figures are drawn by the program itself."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setAccessibleName("A page of the handbook")
        self.page: Page | None = None

    def loadResource(self, type: int, name: QUrl) -> QVariant | Any:
        """Return a figure of the page, drawn for the theme that is on."""
        listed = next((one for one in LISTED if self.page is not None and one.key == self.page.trade), None)
        if name.scheme() == "figure" and name.path() in FIGURES:
            return QVariant(self._image(FIGURES[name.path()](), 1.0))
        if name.scheme() != "figure" or listed is None:
            return super().loadResource(type, name)
        sketch = drawn(listed.resource("sketch.json"))
        return QVariant(self._image(sketch, min(SKETCH / sketch.width, SKETCH * 0.7 / sketch.height)))

    def _image(self, picture: Picture, scale: float) -> QImage:
        """A picture as it is shown, sharp on a fine screen."""
        fine = self.devicePixelRatioF()
        wide, tall = round(picture.width * scale * fine), round(picture.height * scale * fine)
        image = QImage(wide, tall, QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(fine)
        image.fill(QColor(theme.palette["paper"]))
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(scale, scale)
        paint(painter, picture.items, theme.palette)
        painter.end()
        return image

    def show_page(self, page: Page, heading: str, now: Sequence[str], stages: Sequence[str]) -> None:
        """Show a page at a heading; `now` is what is to be said of the stage in hand, `stages` those that can be gone to from here."""
        self.page = page
        title, _, rest = page.text.partition("\n")
        parts = [title, "\n\n"]
        if page.trade:
            parts.append("![as it is begun](figure:sketch)\n\n")
        if stages:
            parts.append(
                "To the stage: "
                + " · ".join(f"[{name}](stage:{name.replace(' ', '%20')})" for name in stages)
                + "\n\n"
            )
        elif page.trade:
            parts.append("[See it done in the demo](demo:open)\n\n")
        if page.trade and SUM in page.text:
            parts.append("[A worked sum, opened as a small job](sum:open)\n\n")
        if now:
            parts += ["\n".join(f"> {line}\n>" for line in now), "\n\n"]
        document = self.document()
        assert document is not None
        document.setDefaultStyleSheet(f"a {{ color: {theme.palette['raise']} }}")
        self.setMarkdown("".join([*parts, rest]))
        document.setDocumentMargin(18)
        block = document.begin()
        while block.isValid():  # a line of air between paragraphs, as a page has it
            form = block.blockFormat()
            form.setBottomMargin(max(form.bottomMargin(), 7.0))
            QTextCursor(block).setBlockFormat(form)
            block = block.next()
        cursor = document.find(heading) if heading else None
        if cursor is not None and not cursor.isNull():
            cursor.clearSelection()
            self.setTextCursor(cursor)
            bar = self.verticalScrollBar()
            if bar is not None:
                bar.setValue(bar.value() + self.cursorRect(cursor).top() - 12)
        else:
            self.moveCursor(self.textCursor().MoveOperation.Start)


class HandbookPage(QWidget):
    """The handbook. Signals: `left()`; `to_stage(name)`; `to_demo(trade)`, "" for all of it."""

    left = pyqtSignal()
    to_stage = pyqtSignal(str)
    to_demo = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._stages: tuple[str, Sequence[str]] = ("", ())
        self._now: tuple[str, Sequence[str]] = ("", ())
        across = QHBoxLayout(self)
        across.setContentsMargins(16, 12, 16, 12)
        across.setSpacing(14)
        side = QVBoxLayout()
        side.addWidget(label("Handbook", "title"))
        self.search = QLineEdit()
        self.search.setPlaceholderText("find a word")
        self.search.setAccessibleName("Find in the handbook")
        self.search.textChanged.connect(self._search)
        self.contents = QListWidget()
        self.contents.setAccessibleName("Contents")
        self.contents.setWordWrap(True)
        self.contents.currentItemChanged.connect(self._chosen)
        self.search.returnPressed.connect(self.contents.setFocus)
        self.leaf = Leaf()
        self.leaf.anchorClicked.connect(self._followed)
        side.addWidget(self.search)
        side.addWidget(self.contents)
        side.addWidget(label("F1 or Esc goes back", "muted"))
        across.addLayout(side, 3)
        across.addWidget(self.leaf, 8)

    def open(self, path: str, now: Sequence[str], stages: Sequence[str]) -> None:
        """Show the page of what is in hand, what is to be said of its stage, and its stages to go to."""
        page = page_of(path)
        self._now, self._stages = (page.path, now), (page.path, stages)
        self.search.clear()
        self._list([(one, "", one.title) for one in pages()], chosen=page)
        self.leaf.setFocus()

    def _list(self, places: Sequence[tuple[Page, str, str]], chosen: Page | None = None) -> None:
        self.contents.blockSignals(True)
        self.contents.clear()
        for page, heading, words in places:
            item = QListWidgetItem(words)
            item.setData(PLACE, (page.path, heading))
            self.contents.addItem(item)
            if page is chosen and not heading:
                self.contents.setCurrentItem(item)
        if chosen is None and places:
            self.contents.setCurrentRow(0)
        self.contents.blockSignals(False)
        self._chosen()

    def _search(self, words: str) -> None:
        if not words.strip():
            self._list([(one, "", one.title) for one in pages()], chosen=self.leaf.page)
            return
        hits = search(words)[:HITS]
        self._list(
            [(hit.page, hit.heading or hit.line[:40], f"{hit.page.title}: {hit.line[:90]}") for hit in hits]
        )

    def _chosen(self) -> None:
        item = self.contents.currentItem()
        if item is None:
            return
        path, heading = item.data(PLACE)
        page = page_of(path)
        now = self._now[1] if self._now[0] == path else ()
        self.leaf.show_page(page, heading, now, self._stages[1] if self._stages[0] == path else ())

    def _followed(self, link: QUrl) -> None:
        if link.scheme() == "stage":
            self.to_stage.emit(link.path())
        elif link.scheme() == "demo":
            self.to_demo.emit("")
        elif link.scheme() == "sum" and self.leaf.page is not None:
            self.to_demo.emit(self.leaf.page.trade)
        elif link.fileName().endswith(".md"):
            found = next((one for one in pages() if one.path.endswith(link.path().lstrip("./"))), None)
            if found is not None:
                self._list([(one, "", one.title) for one in pages()], chosen=found)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        """Esc goes back to the work."""
        if a0 is not None and a0.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(a0)
