"""The two themes, as one style sheet and one palette that the painted widgets read."""

from __future__ import annotations

from PyQt6.QtGui import QColor, QPalette
from PyQt6.QtWidgets import QApplication

from vivid_keel.exchange.painter import colour, font, load_fonts
from vivid_keel.figures.palette import THEMES


class Theme:
    """The theme in use; `palette` maps roles to colours."""

    def __init__(self) -> None:
        self.name = "Daylight"
        self.palette = THEMES[self.name]
        self._worn: tuple[QApplication, str] | None = None

    def use(self, name: str) -> None:
        """Put a theme on the whole application, unless it wears that one."""
        self.name, self.palette = name, THEMES[name]
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        if self._worn == (app, name):
            return
        self._worn = (app, name)
        load_fonts()
        app.setFont(font(14))
        palette = self.palette
        colours = QPalette()
        for role, ink in (
            (QPalette.ColorRole.Window, "desk"),
            (QPalette.ColorRole.Base, "field"),
            (QPalette.ColorRole.Text, "ink"),
            (QPalette.ColorRole.WindowText, "ink"),
            (QPalette.ColorRole.Button, "paper"),
            (QPalette.ColorRole.ButtonText, "ink"),
            (QPalette.ColorRole.Highlight, "lit"),
            (QPalette.ColorRole.HighlightedText, "ink"),
            (QPalette.ColorRole.PlaceholderText, "muted"),
            (QPalette.ColorRole.ToolTipBase, "paper"),
            (QPalette.ColorRole.ToolTipText, "ink"),
            (QPalette.ColorRole.AlternateBase, "side"),
            (QPalette.ColorRole.Link, "raise"),
        ):
            colours.setColor(role, QColor(palette[ink]))
        app.setPalette(colours)
        app.setStyleSheet(SHEET.format(**{k.replace("-", "_"): v for k, v in palette.items()}))

    def colour(self, role: str) -> QColor:
        """Return a role's colour."""
        return colour(self.palette[role])


theme = Theme()

SHEET = """
QWidget {{ font-family: B612; font-size: 14px; color: {ink}; }}
QMainWindow, QWidget#desk, QStackedWidget {{ background: {desk}; }}
QWidget#side {{ background: {side}; }}
QWidget#pane {{ border-left: 1px solid {rule}; background: {desk}; }}
QLabel[role="muted"] {{ color: {muted}; font-size: 13px; }}
QLabel[role="head"] {{ font-weight: bold; }}
QLabel[role="title"] {{ font-size: 22px; font-weight: bold; }}
QLabel[role="wrong"] {{ color: {wrong}; background: {wrong_ground}; padding: 4px 8px; border: 1px solid {wrong}; border-radius: 3px; font-size: 13px; }}
QLabel[role="notice"] {{ background: {lit}; padding: 6px 10px; border: 1px solid {rule}; border-radius: 3px; }}
QLabel[role="working"] {{ background: {paper}; padding: 8px; border: 1px solid {rule}; border-radius: 3px; font-size: 13px; }}
QFrame#caution {{ background: {caution}; border: 1px solid {caution_rule}; border-radius: 4px; }}
QFrame#caution QLabel {{ color: {caution_ink}; font-size: 13px; }}
QPushButton {{ background: {paper}; border: 1px solid {ink}; border-radius: 4px; padding: 4px 12px; }}
QPushButton:focus {{ border: 2px solid {keel}; padding: 3px 11px; }}
QPushButton:disabled {{ color: {muted}; border-color: {rule}; }}
QPushButton[role="link"] {{ border: none; background: transparent; text-decoration: underline; padding: 2px 0; font-size: 13px; color: {ink}; }}
QPushButton[role="link"]:focus {{ border: 1px solid {keel}; border-radius: 2px; }}
QPushButton[role="tab"] {{ border: none; background: transparent; padding: 2px 8px; font-size: 13px; color: {muted}; }}
QPushButton[role="tab"]:checked {{ color: {ink}; font-weight: bold; text-decoration: underline; }}
QPushButton[role="tab"]:focus {{ border: 1px solid {keel}; border-radius: 2px; }}
QPushButton[role="name"] {{ border: none; background: transparent; font-size: 19px; font-weight: bold; text-align: left; padding: 4px 2px; }}
QPushButton[role="name"]:focus {{ border: 1px solid {keel}; border-radius: 2px; }}
QLineEdit {{ background: {field}; border: 1.5px solid {ink}; border-radius: 3px; padding: 1px 4px; font-size: 15px; selection-background-color: {keel}; selection-color: {paper}; }}
QLineEdit:focus {{ border: 2px solid {keel}; }}
QComboBox {{ background: {field}; border: 1px solid {ink}; border-radius: 3px; padding: 3px 8px; }}
QTableView {{ background: {paper}; border: none; outline: none; }}
QListWidget {{ background: {side}; border: none; outline: none; }}
QScrollArea {{ border: none; background: {desk}; }}
QScrollBar:vertical {{ width: 12px; background: {desk}; }}
QScrollBar::handle:vertical {{ background: {rule}; min-height: 30px; border-radius: 4px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QMenu {{ background: {paper}; border: 1px solid {muted}; padding: 4px; }}
QMenu::item {{ padding: 5px 18px; }}
QMenu::item:selected {{ background: {lit}; }}
QToolTip {{ background: {paper}; color: {ink}; border: 1px solid {muted}; padding: 3px; font-size: 13px; }}
"""
