"""Site mode: one reading at a time, figures that are read at arm's length, keys for a gloved thumb."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from vivid_keel.desk.comma import with_comma
from vivid_keel.desk.site import SiteBooking
from vivid_keel.ui.figure_cards import FigureCards
from vivid_keel.ui.picture_view import PictureView
from vivid_keel.ui.theme import theme

EIGHTHS = ("1/8", "1/4", "3/8", "1/2", "5/8", "3/4", "7/8")


class SiteMode(QWidget):
    """The whole screen for one reading. Signal: `left()` when the person goes back to the table."""

    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Site mode")
        self.booking: SiteBooking | None = None
        self._pad_right = True
        self.across = QHBoxLayout(self)
        self.across.setContentsMargins(22, 16, 22, 16)
        self.across.setSpacing(18)
        self.words = QWidget()
        self.picture = PictureView()
        self.picture.setMinimumWidth(210)
        self.picture.dragged.connect(self._dragged)
        self.picture.taken.connect(self.take)
        self.pad = QWidget()
        self._beside = True
        self._build_words()
        self.pad_box = QGridLayout(self.pad)
        self.pad_box.setContentsMargins(0, 0, 0, 0)
        self.pad_box.setSpacing(8)
        for part, stretch in ((self.words, 10), (self.picture, 5), (self.pad, 7)):
            self.across.addWidget(part, stretch)

    def _build_words(self) -> None:
        box = QVBoxLayout(self.words)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self.head = self._label(box, 17, "muted")
        self.name = QLineEdit()
        self.name.setAccessibleName("Mark")
        self.name.setPlaceholderText("mark")
        self.name.setStyleSheet("font-size: 40px; font-weight: bold; padding: 2px 8px;")
        self.name.editingFinished.connect(self._named)
        self.name.returnPressed.connect(self._named_by_enter)
        self._enter_named = False
        box.addWidget(self.name)
        self.choices = QHBoxLayout()
        box.addLayout(self.choices)
        self.ask = self._label(box, 17, "muted")
        self.cards = FigureCards()
        box.addWidget(self.cards, 10)
        self.value = QLabel()
        self.value.setTextFormat(Qt.TextFormat.PlainText)
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.value.setAccessibleName("Reading")
        box.addWidget(self.value)
        self.kinds_box = QHBoxLayout()
        self.kinds: list[QPushButton] = []
        box.addLayout(self.kinds_box)
        self.said = self._label(box, 19, "ink")
        self.said.setMinimumHeight(54)
        self.below = QVBoxLayout()
        box.addLayout(self.below, 9)
        box.addStretch(1)
        row = QHBoxLayout()
        self._button(row, "strike last", lambda: self._do(lambda b: b.strike_last()))
        self._button(row, "other hand", self.other_hand)
        self._button(row, "leave", self.leave)
        box.addLayout(row)

    def _label(self, box: QVBoxLayout, size: int, ink: str) -> QLabel:
        made = QLabel()
        made.setTextFormat(Qt.TextFormat.PlainText)
        made.setWordWrap(True)
        made.setProperty("ink", ink)
        made.setProperty("pixels", size)
        box.addWidget(made)
        return made

    def _button(self, box: QHBoxLayout, text: str, what: Callable[[], object]) -> QPushButton:
        made = QPushButton(text)
        made.setMinimumHeight(52)
        made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        made.setStyleSheet("font-size: 17px;")
        made.clicked.connect(lambda _=False: what())
        box.addWidget(made)
        return made

    def open(self, booking: SiteBooking) -> None:
        """Begin booking."""
        self.booking = booking
        self._build_kinds(booking.kind_words)
        self._build_pad(booking)
        self.refresh()
        self.setFocus()

    def _build_kinds(self, words: tuple[str, ...]) -> None:
        for button in self.kinds:
            self.kinds_box.removeWidget(button)
            button.deleteLater()
        self.kinds = [
            self._button(self.kinds_box, word, partial(self._set_kind, kind))
            for kind, word in enumerate(words)
        ]
        for button in self.kinds:
            button.setCheckable(True)

    def _build_pad(self, booking: SiteBooking) -> None:
        while (item := self.pad_box.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        feet, sign = booking.unit == "ft-in", booking.sign_label
        rows = [
            ["7", "8", "9"],
            ["4", "5", "6"],
            ["1", "2", "3"],
            ["0", "′" if feet else "," if booking.comma is not None else ".", "⌫"],
        ]
        at = 0
        if feet:
            for k, key in enumerate(EIGHTHS):
                self._key(key, at + k // 4, 3 * (k % 4), 1, 3)
            self._key("±", at + 1, 9, 1, 3, label=sign)
            at = 2
        for r, row in enumerate(rows):
            for c, key in enumerate(row):
                self._key(key, at + r, 4 * c, 1, 4)
        if booking.looks:
            self._key("look again", at + 4, 0, 1, 6 if not feet else 12, self._look)
        if not feet:
            self._key("±", at + 4, 6 if booking.looks else 0, 1, 6 if booking.looks else 12, label=sign)
        self.take_key = take = self._key(booking.take_label, at + 5, 0, 2, 12, self.take)
        take.setStyleSheet(
            f"font-size: 30px; font-weight: bold; background: {theme.palette['night']}; color: {theme.palette['on-night']};"
        )
        for r in range(at + 7):
            self.pad_box.setRowStretch(r, 1)

    def _key(
        self,
        key: str,
        row: int,
        column: int,
        tall: int,
        wide: int,
        what: Callable[[], object] | None = None,
        label: str = "",
    ) -> QPushButton:
        made = QPushButton(label or {"⌫": "erase"}.get(key, key))
        made.setMinimumSize(48, 48)
        made.setSizePolicy(made.sizePolicy().Policy.Expanding, made.sizePolicy().Policy.Expanding)
        made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        made.setStyleSheet(
            f"font-size: {26 if key.isdigit() or key in {'.', ',', '′'} else 17}px; font-weight: bold; padding: 2px;"
        )
        act = what or (
            (lambda: self._do(lambda b: b.erase()))
            if key == "⌫"
            else (lambda: self._do(lambda b: b.press(key)))
        )
        made.clicked.connect(lambda _=False: act())
        self.pad_box.addWidget(made, row, column, tall, wide)
        return made

    # What a person does

    def _do(self, what: Callable[[SiteBooking], object]) -> None:
        if self.booking is not None:
            what(self.booking)
            self.refresh()
            self.setFocus()

    def _set_kind(self, kind: int) -> None:
        self._do(lambda b: b.set_kind(kind))

    def take(self) -> None:
        """Take the reading and go to the next."""
        self._do(lambda b: b.take())

    def _look(self) -> None:
        self._do(lambda b: b.look_again())

    def _named(self) -> None:
        if self.booking is not None and self.name.isModified():
            self.name.setModified(False)
            self._do(lambda b: b.set_mark(self.name.text()))

    def _named_by_enter(self) -> None:
        """Enter in the name names the mark: the same Enter takes no reading."""
        self._enter_named = True
        self.setFocus()

    def other_hand(self) -> None:
        """Put the pad on the other side."""
        self._pad_right = not self._pad_right
        for part in (self.words, self.picture, self.pad):
            self.across.removeWidget(part)
        self._lay_out()
        self.setFocus()

    def _lay_out(self) -> None:
        """Put words, picture and pad side by side; with figures to be seen the picture stands below them."""
        order = [(self.words, 10), (self.picture, 5), (self.pad, 7)]
        if not self._beside:
            order = [(self.words, 17), (self.pad, 7)]
            self.below.addWidget(self.picture)
        for part, stretch in order if self._pad_right else order[::-1]:
            self.across.addWidget(part, stretch)

    def _show_figures(self, booking: SiteBooking) -> None:
        """Let the figures that are needed now fill the screen, where there are any."""
        figures = booking.figures
        beside = not figures
        self.cards.show_figures(
            [replace(one, text=booking.comma(one.text)) for one in figures] if booking.comma else figures
        )
        self.value.setVisible(beside or bool(booking.text))
        self.ask.setProperty("pixels", 17 if beside else 30)
        self.ask.setProperty("ink", "muted" if beside else figures[-2].ink)
        self.take_key.setText(booking.take_label)
        if beside != self._beside:
            self._beside = beside
            for part in (self.words, self.picture, self.pad):
                self.across.removeWidget(part)
            self.below.removeWidget(self.picture)
            self._lay_out()

    def leave(self) -> None:
        """Go back to the table."""
        self.left.emit()

    def _dragged(self, value: float, done: bool) -> None:
        if self.booking is not None:
            self.booking.drag(value, done=done)
            self.refresh()

    def refresh(self) -> None:
        """Show what is asked for now."""
        booking = self.booking
        if booking is None:
            return
        self._show_figures(booking)
        for label in (self.head, self.ask, self.said):
            ink = "wrong" if label is self.said and booking.wrong else label.property("ink")
            label.setStyleSheet(f"font-size: {label.property('pixels')}px; color: {theme.palette[ink]};")
        shown = booking.comma or str
        self.head.setText(shown(booking.head()))
        self.ask.setText(shown(booking.ask()))
        self.said.setText(shown(booking.said))
        if not self.name.hasFocus() or not self.name.isModified():
            self.name.setText(booking.mark)
            self.name.setModified(False)
        self.value.setText(booking.text.replace("-", "−") or booking.empty)
        self.value.setToolTip(booking.unit_label)
        self.value.setStyleSheet(
            f"font-size: {66 if len(booking.text or booking.empty) < 9 else 44}px; font-weight: bold; padding: 6px 14px; min-height: 84px; "
            f"border: 4px solid {theme.palette['wrong' if booking.wrong else 'ink']}; border-radius: 5px; background: {theme.palette['paper']};"
        )
        for k, button in enumerate(self.kinds):
            button.setChecked(k == booking.kind)
            chosen = (
                f"background: {theme.palette['night']}; color: {theme.palette['on-night']};"
                if k == booking.kind
                else ""
            )
            button.setStyleSheet(f"font-size: 17px; {chosen}")
        self._show_choices(booking)
        self.picture.step = booking.step
        self.picture.show_picture(lambda w, h: with_comma(booking.picture(w, h), booking.comma))

    def _show_choices(self, booking: SiteBooking) -> None:
        names = booking.names()
        while self.choices.count() > len(names):
            item = self.choices.takeAt(self.choices.count() - 1)
            if item is not None and (widget := item.widget()) is not None:
                widget.deleteLater()
        while self.choices.count() < len(names):
            button = self._button(self.choices, "", lambda: None)
            button.clicked.connect(lambda _=False, made=button: self._do(lambda b: b.set_mark(made.text())))
        for i, name in enumerate(names):
            item = self.choices.itemAt(i)
            widget = item.widget() if item is not None else None
            if isinstance(widget, QPushButton):
                widget.setText(name)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        assert a0 is not None
        key, text = Qt.Key(a0.key()), a0.text()
        if key == Qt.Key.Key_Escape:
            self.leave()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._enter_named:
                self._enter_named = False
            else:
                self.take()
        elif key == Qt.Key.Key_Backspace:
            self._do(lambda b: b.erase())
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.picture.keyPressEvent(a0)
        elif text and text in "0123456789.,-+'\"/ ":
            self._do(lambda b: b.press({"'": "′"}.get(text, text)) if text != "/" else b.match(b.text + "/"))
        elif self.kinds and text and text.lower() in {"b", "i", "f"}:
            self._do(lambda b: b.set_kind("bif".index(text.lower())))
        elif text.lower() == "l":
            self._look()
        elif text.lower() == "m":
            self.name.setFocus()
            self.name.selectAll()
        elif text.isalpha() and self.kinds:
            # Any other letter begins the mark's name.
            self.name.setFocus()
            self.name.setText(text)
            self.name.setModified(True)
        else:
            super().keyPressEvent(a0)
