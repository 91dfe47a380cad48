"""Puts the program into this user's menus, and takes it out again."""

from __future__ import annotations

import shutil
from pathlib import Path

from vivid_keel.places import menu_files

ICON = Path(__file__).parent.parent / "ui" / "icons" / "vivid-keel.svg"

ENTRY = """[Desktop Entry]
Type=Application
Name=Vivid Keel
GenericName=Level book and packing
Comment=Read staffs, reduce heights, work out the packing that brings things level
Exec={command} app %f
Icon=vivid-keel
Terminal=false
Categories=Science;Engineering;
StartupWMClass=vivid-keel
"""


def install(program: Path) -> list[Path]:
    """Write the menu entry and the icon for this user; return what was written.

    `program` is the installed command; run as a module, the interpreter's own `vivid-keel` is taken.
    """
    if program.name != "vivid-keel":
        import sys

        program = Path(sys.executable).parent / "vivid-keel"
    entry, icon = menu_files()
    for path in (entry, icon):
        path.parent.mkdir(parents=True, exist_ok=True)
    entry.write_text(ENTRY.format(command=str(program).replace(" ", "\\ ")))
    shutil.copyfile(ICON, icon)
    return [entry, icon]


def remove() -> list[Path]:
    """Take both away; return what was there."""
    gone = [path for path in menu_files() if path.exists()]
    for path in gone:
        path.unlink()
    return gone
