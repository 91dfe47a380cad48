"""The menu and the keys: one table, so that the handbook can be held to it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu

if TYPE_CHECKING:
    from vivid_keel.ui.window import Window


FOR_A_JOB = (
    "Bring in a level book (CSV)", "Paste a level book from a spreadsheet", "Write the report (PDF)", "Write blank booking forms (PDF)",
    "Write the whole job (JSON)", "Write marks with places (GeoJSON)", "Site mode",
)  # fmt: skip
"""What means nothing to a kit."""


SHELVES = {"Bring in": ("Bring in", "Paste"), "Write": ("Write",)}
"""Menus within the menu, by how what stands in them begins: all together were taller than a screen."""


def _shelf(window: Window, shelves: dict[str, QMenu], text: str) -> QMenu:
    """Return the menu that an action belongs in."""
    name = next((n for n, words in SHELVES.items() if text.startswith(words)), "")
    if not name:
        return window.menu
    if name not in shelves:
        shelves[name] = QMenu(name, window)
        window.menu.addMenu(shelves[name])
    return shelves[name]


def add_actions(window: Window) -> None:
    """Give the window its menu and its keys."""
    e = window.errands
    shelves: dict[str, QMenu] = {}
    for text, key, what in (
        ("New job", "Ctrl+N", window.show_new_job),
        ("Open a job", "Ctrl+O", e.choose_job),
        ("New work in this job", "Ctrl+Shift+N", window.show_new_work),
        ("-", "", None),
        ("Undo", "Ctrl+Z", window.undo),
        ("Redo", "Ctrl+Shift+Z", window.redo),
        ("Strike this line", "Ctrl+D", window.strike),
        ("Why this number", "F4", window.toggle_why),
        ("New set-up", "Ctrl+Return", window.new_set_up),
        ("Something happened: moved, knocked, taken in …", "F3", window.tell_event),
        ("-", "", None),
        ("Bring in a level book (CSV)", "Ctrl+I", e.choose_book),
        ("Paste a level book from a spreadsheet", "Ctrl+Shift+V", e.paste),
        ("Bring in a whole job (JSON)", "", e.choose_json),
        ("Write the report (PDF)", "Ctrl+P", e.write_report),
        ("Write blank booking forms (PDF)", "", e.write_blank_forms),
        ("Write marks with places (GeoJSON)", "", e.write_geojson),
        ("Write the whole job (JSON)", "", e.write_job),
        ("Write the diary (calendar file)", "", e.write_diary),
        ("-", "", None),
        ("The kit, and back to the job", "Alt+K", window.toggle_kit),
        ("The diary: what falls due", "Alt+Y", window.show_diary),
        ("Practise on a stand-in: this instrument, or a copy of this work", "", e.make_stand_in),
        ("-", "", None),
        ("Read by matching the picture", "F8", window.match),
        ("Site mode", "F11", window.site_mode),
        ("Daylight or Lamp", "F9", window.switch_theme),
        ("Explain this stage", "F1", window.toggle_help),
        ("Quit", "Ctrl+Q", window.close),
    ):
        if what is None:
            window.menu.addSeparator()
            continue
        action = QAction(text, window)
        if key:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _=False, w=what, job=text in FOR_A_JOB: window.only_in_job(w) if job else w())
        _shelf(window, shelves, text).addAction(action)
        window.addAction(action)
    shelves["Write"].aboutToShow.connect(lambda: e.offer(shelves["Write"]))
    for key, what in (
        ("Alt+Return", window.do_next), ("Alt+J", window.open_menu), ("Ctrl+PgDown", lambda: window.step_work(1)),
        ("Ctrl+PgUp", lambda: window.step_work(-1)), ("Ctrl+Backspace", window.stop_work), ("F6", window.next_region), ("Ctrl+Tab", window.next_sheet),
        ("F7", window.next_view),
    ):  # fmt: skip
        action = QAction(window)
        action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _=False, w=what: w())
        window.addAction(action)
    for number in range(1, 9):
        action = QAction(window)
        action.setShortcut(QKeySequence(f"Alt+{number}"))
        action.triggered.connect(lambda _=False, n=number: window.stage_by_number(n))
        window.addAction(action)
