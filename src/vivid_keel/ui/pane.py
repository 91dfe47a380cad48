"""The right-hand pane: what the numbers say, the cautions, and the next step."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from vivid_keel.core.cautions import Caution
from vivid_keel.core.kinds import Finding
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Next
from vivid_keel.exchange.painter import font, paint
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.ui.painting import painting
from vivid_keel.ui.theme import theme


class Sign(QLabel):
    """A verdict's shape."""

    def __init__(self, verdict: str) -> None:
        super().__init__()
        self.setFixedSize(30, 20)
        self.setAccessibleName(symbols.words(verdict) or "to know")
        self._picture = Picture(1, 1)
        symbols.verdict(self._picture, 14, 10, verdict)

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        with painting(self, "a verdict") as p:
            paint(p, self._picture.items, theme.palette)


def label(text: str, role: str = "") -> QLabel:
    """Return a wrapped label of a role."""
    made = QLabel(text)
    made.setWordWrap(True)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    return made


def plain(text: str) -> str:
    """Return a tooltip that is shown as it is: a name from a file is no markup, and fetches no picture."""
    return f"<qt>{escape(text)}</qt>" if "<" in text else text


def press(text: str) -> QPushButton:
    """Return a button that Enter presses too, not the space bar alone."""
    made = QPushButton(text)
    made.setAutoDefault(True)
    return made


class WorkingLabel(QLabel):
    """A working: the formula, the same line with its numbers, where they come from."""

    def __init__(self, working: Working) -> None:
        super().__init__()
        self.setProperty("role", "working")
        self.setWordWrap(True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        parts = [
            working.title,
            working.formula,
            working.numbers.replace(";  ", "\n"),
            *[f"· {source}" for source in working.sources if source],
        ]
        if working.note:
            parts.append(working.note)
        self.setText("\n".join(parts))


class FindingView(QWidget):
    """One finding, with its why and what can be done."""

    acted = pyqtSignal(str)

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 4, 0, 4)
        outer.setSpacing(4)
        outer.addWidget(Sign(finding.verdict), 0, Qt.AlignmentFlag.AlignTop)
        body = QVBoxLayout()
        body.setSpacing(1)
        outer.addLayout(body, 1)
        body.addWidget(label(finding.title, "head"))
        body.addWidget(label(finding.text, "muted"))
        row = QHBoxLayout()
        row.setSpacing(12)
        body.addLayout(row)
        if finding.why is not None:
            why = press("why")
            why.setProperty("role", "link")
            why.setAccessibleName(f"why: {finding.title}")
            why.setCheckable(True)
            row.addWidget(why)
            working = WorkingLabel(finding.why)
            working.hide()
            body.addWidget(working)
            why.toggled.connect(working.setVisible)
        if finding.action:
            do = press(finding.action_label)
            do.clicked.connect(lambda: self.acted.emit(finding.action))
            row.addWidget(do)
        row.addStretch(1)


class CautionView(QFrame):
    """A caution, there until it is acknowledged."""

    def __init__(self, caution: Caution) -> None:
        super().__init__()
        self.setObjectName("caution")
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(3)
        title = label(caution.title)
        title.setStyleSheet("font-weight: bold;")
        box.addWidget(title)
        box.addWidget(label("\n".join(caution.sentences)))
        self.button = press("Read by the crew" if caution.must_acknowledge else "Read")
        box.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)


class NextButton(QAbstractButton):
    """The next thing to do."""

    def __init__(self) -> None:
        super().__init__()
        self.step = Next("", "", "")
        self.setToolTip("Next (Alt+Enter)")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_step(self, step: Next) -> None:
        if step == self.step:
            return
        self.step = step
        self.setAccessibleName(f"{step.title}. {step.text}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(290, 74)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self, "the next step") as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            rect = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
            painter.setPen(theme.colour("keel") if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("night"))
            painter.drawRoundedRect(rect, 4, 4)
            painter.setPen(theme.colour("on-night"))
            painter.setFont(font(16, True))
            inner = rect.adjusted(14, 10, -12, -8)
            fm = painter.fontMetrics()
            painter.drawText(
                inner,
                int(Qt.AlignmentFlag.AlignTop),
                fm.elidedText(self.step.title, Qt.TextElideMode.ElideRight, int(inner.width())),
            )
            painter.setFont(font(13))
            painter.drawText(
                inner.adjusted(0, 24, 0, 4),
                int(Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap),
                self.step.text,
            )


def parted(findings: list[Finding]) -> tuple[list[Finding], list[Finding]]:
    """Return what is shown of findings, and what merely holds and is folded into a line: all that hold where something doesn't, else all but
    the first of them; where that is one alone it isn't worth a line."""
    held = [one for one in findings if one.verdict == "in"]
    if all(one.verdict in {"in", "note"} for one in findings):
        held = held[1:]
    if len(held) < 2:
        return findings, []
    return [one for one in findings if not any(one is other for other in held)], held


class Pane(QWidget):
    """What the numbers say, worst first; cautions; the next step."""

    acted = pyqtSignal(str)
    acknowledged = pyqtSignal(object)
    next_pressed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("pane")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 10, 0, 0)
        self.head = label("What the numbers say", "head")
        outer.addWidget(self.head)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(self._scroll, 1)
        self.next = NextButton()
        self.next.clicked.connect(self.next_pressed)
        outer.addWidget(self.next)
        self._shown: tuple[object, ...] = ()
        self._unfolded = False

    def show_all(self, findings: list[Finding], cautions: list[Caution], working: Working | None) -> None:
        """Show these; what is already shown is left as it is."""
        wanted = (tuple(findings), tuple(cautions), working, theme.name)
        if wanted == self._shown:
            return
        self._shown = wanted
        body = QWidget()
        body.setObjectName("desk")
        box = QVBoxLayout(body)
        box.setContentsMargins(0, 0, 8, 0)
        box.setSpacing(4)
        if working is not None:
            box.addWidget(WorkingLabel(working))
        must = [c for c in cautions if c.must_acknowledge]
        for caution in must:
            self._add_caution(box, caution)
        shown, folded = parted(findings)
        at = next((n for n, one in enumerate(shown) if one.verdict == "note"), len(shown))
        for n, finding in enumerate(shown):
            if n == at and folded:
                self._add_folded(box, folded, more=any(one.verdict == "in" for one in shown))
            self._add(box, finding)
        if folded and at == len(shown):
            self._add_folded(box, folded, more=any(one.verdict == "in" for one in shown))
        if not findings and not must:
            box.addWidget(label("Nothing yet. What is read will be judged here.", "muted"))
        for caution in cautions:
            if not caution.must_acknowledge:
                self._add_caution(box, caution)
        box.addStretch(1)
        self._scroll.setWidget(body)

    def _add(self, box: QVBoxLayout, finding: Finding) -> None:
        view = FindingView(finding)
        view.acted.connect(self.acted)
        box.addWidget(view)

    def _add_folded(self, box: QVBoxLayout, findings: list[Finding], *, more: bool) -> None:
        """Put what merely holds under one line, opened by a press and left as it was put."""
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(Sign("in"))
        fold = press(f"{len(findings)} {'more ' if more else ''}things hold")
        fold.setProperty("role", "link")
        fold.setCheckable(True)
        fold.setChecked(self._unfolded)
        row.addWidget(fold)
        row.addStretch(1)
        box.addLayout(row)
        inside = QWidget()
        within = QVBoxLayout(inside)
        within.setContentsMargins(0, 0, 0, 0)
        within.setSpacing(4)
        for finding in findings:
            self._add(within, finding)
        inside.setVisible(self._unfolded)
        box.addWidget(inside)

        def opened(on: bool) -> None:
            self._unfolded = on
            inside.setVisible(on)

        fold.toggled.connect(opened)

    def _add_caution(self, box: QVBoxLayout, caution: Caution) -> None:
        view = CautionView(caution)
        view.button.clicked.connect(lambda: self.acknowledged.emit(caution))
        box.addWidget(view)

    def first_button(self, text: str) -> QPushButton | None:
        """Return the first button with this text, to focus it."""
        body = self._scroll.widget()
        found = [b for b in body.findChildren(QPushButton) if b.text() == text] if body else []
        return found[0] if found else None
