"""The menu and the keys: one table, so that the handbook can be held to it."""

from __future__ import annotations

from operator import attrgetter
from typing import Any

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu

FOR_A_JOB = (
    "Bring in a level book, or points (CSV)",
    "Paste a level book from a spreadsheet",
    "Write the report (PDF)",
    "Print the report",
    "Print the work sheet",
    "Write the work sheet (PDF)",
    "Write the report of the whole job (PDF)",
    "Write blank booking forms (PDF)",
    "Write the blank form of this work (PDF)",
    "Write the whole job (JSON)",
    "Write marks with places (GeoJSON)",
    "Site mode",
    "Copy for a new visit",
    "Copy this work with its readings",
    "Change the job's name, place, units or decimal mark",
)
"""What means nothing to a kit."""
ALSO_YARD = (
    "Write the report (PDF)",
    "Print the report",
    "Print the work sheet",
    "Write the work sheet (PDF)",
    "Site mode",
)
"""What of that is for the practice yard, too."""


SHELVES = {
    "This work, this job": (
        "Copy for a new",
        "Copy this work",
        "Copy this sheet",
        "Name this",
        "Set this",
        "Move this",
        "Change the job",
        "Typed in from",
    ),
    "Bring in": ("Bring in", "Paste"),
    "Write": ("Write", "Print"),
    "Practise": ("The practice yard", "Practise"),
    "Show": ("Why this number", "Site mode", "Daylight", "Larger"),
    "When it breaks": ("Copy for a bug", "Take over"),
}
"""Menus within the menu, by how what stands in them begins: all together were taller than a screen."""


def _shelf(window: Any, shelves: dict[str, QMenu], text: str) -> QMenu:
    """Return the menu that an action belongs in."""
    name = next((n for n, words in SHELVES.items() if text.startswith(words)), "")
    if not name:
        menu: QMenu = window.menu
        return menu
    if name not in shelves:
        shelves[name] = QMenu(name, window)
        window.menu.addMenu(shelves[name])
    return shelves[name]


KEYS = (
    ("New job", "Ctrl+N", "show_new_job"),
    ("Open a job", "Ctrl+O", "errands.choose_job"),
    ("New work in this job", "Ctrl+Shift+N", "show_new_work"),
    ("-", "", ""),
    ("Undo", "Ctrl+Z", "undo"),
    ("Redo", "Ctrl+Shift+Z", "redo"),
    ("Strike this line", "Ctrl+D", "strike"),
    ("Find in this job", "Ctrl+F", "find_in_job"),
    ("Copy for a new visit", "Alt+V", "house.again"),
    ("Copy this work with its readings", "", "house.copy"),
    ("Copy this work, nothing read in it", "", "house.copy_bare"),
    ("Name this work anew", "F2", "rename"),
    ("Set this work aside, or bring it back", "", "house.set_aside"),
    ("Move this work up in the list", "Ctrl+Shift+PgUp", "house.move_up"),
    ("Move this work down in the list", "Ctrl+Shift+PgDown", "house.move_down"),
    ("Change the job's name, place, units or decimal mark", "", "house.tell_job"),
    ("Typed in from paper: say which page, and when it was read", "", "house.from_paper"),
    ("Why this number", "F4", "toggle_why"),
    ("New set-up", "Ctrl+Return", "new_set_up"),
    ("Something happened: moved, knocked, taken in …", "F3", "tell_event"),
    ("-", "", ""),
    ("Copy this sheet, for a spreadsheet", "Ctrl+Shift+C", "house.copy_sheet"),
    ("Bring in a level book, or points (CSV)", "Ctrl+I", "errands.choose_book"),
    ("Paste a level book from a spreadsheet", "Ctrl+Shift+V", "errands.paste"),
    ("Bring in a whole job (JSON)", "", "errands.choose_json"),
    ("Write the report (PDF)", "Ctrl+Shift+P", "errands.write_report"),
    ("Print the report", "Ctrl+P", "errands.preview_report"),
    ("Print the work sheet", "Ctrl+Shift+W", "errands.preview_sheet"),
    ("Write the work sheet (PDF)", "", "errands.write_sheet"),
    ("Write the report of the whole job (PDF)", "", "errands.write_whole_report"),
    ("Write blank booking forms (PDF)", "", "errands.write_blank_forms"),
    ("Write the blank form of this work (PDF)", "", "errands.write_blank_work"),
    ("Write marks with places (GeoJSON)", "", "errands.write_geojson"),
    ("Write the whole job (JSON)", "", "errands.write_job"),
    ("Write the archive: a folder that outlives this program", "", "errands.write_archive"),
    ("Bring in an archive (a folder)", "", "errands.choose_archive"),
    ("Write the diary (calendar file)", "", "errands.write_diary"),
    ("Write all that is here to another file", "", "keeping.write_copy"),
    ("-", "", ""),
    ("The kit, and back to the job", "Alt+K", "toggle_kit"),
    ("The practice yard, and back to the job", "Alt+G", "toggle_yard"),
    ("The diary: what falls due", "Alt+Y", "show_diary"),
    ("Practise on a stand-in: this instrument, or a copy of this work", "Alt+P", "errands.make_stand_in"),
    ("-", "", ""),
    ("Read by matching the picture", "F8", "match"),
    ("Site mode", "F11", "site_mode"),
    ("Daylight, Lamp, or Strong for bright sun", "F9", "switch_theme"),
    ("Larger type, for tired eyes; the usual after the largest", "Ctrl++", "larger_type"),
    ("The handbook: this stage explained, and all the rest", "F1", "toggle_help"),
    ("Take over a file that another hand changed", "", "keeping.take_over"),
    ("Copy for a bug report", "", "errands.copy_report"),
    ("Copy for a bug report, with this work's readings", "", "errands.copy_report_with_readings"),
    ("Quit", "Ctrl+Q", "close"),
)
"""What stands in the menu: its words, its key, and what of the window does it; - parts groups."""
UNNAMED = (
    ("Alt+Return", "do_next", ()),
    ("Alt+J", "open_menu", ()),
    ("Ctrl+PgDown", "step_work", (1,)),
    ("Ctrl+PgUp", "step_work", (-1,)),
    ("Ctrl+Backspace", "stop_work", ()),
    ("F6", "next_region", ()),
    ("Ins", "put_in", ()),
    ("Ctrl+Tab", "next_sheet", ()),
    ("F7", "next_view", ()),
    *((f"Alt+{number}", "stage_by_number", (number,)) for number in range(1, 9)),
)
"""Keys of what stands in no menu, and what it is called with."""


def add_actions(window: Any) -> None:
    """Give the window its menu and its keys."""
    shelves: dict[str, QMenu] = {}
    for text, key, name in KEYS:
        if not name:
            window.menu.addSeparator()
            continue
        what = attrgetter(name)(window)
        action = QAction(text, window)
        if key:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(
            lambda _=False, w=what, t=text: (
                window.only_in_job(w, also_yard=t in ALSO_YARD) if t in FOR_A_JOB else w()
            )
        )
        _shelf(window, shelves, text).addAction(action)
        window.addAction(action)
    shelves["Write"].aboutToShow.connect(lambda: window.errands.offer(shelves["Write"]))
    for key, name, given in UNNAMED:
        action = QAction(window)
        action.setShortcut(QKeySequence(key))
        what = attrgetter(name)(window)
        action.triggered.connect(lambda _=False, w=what, g=given: w(*g))
        window.addAction(action)
