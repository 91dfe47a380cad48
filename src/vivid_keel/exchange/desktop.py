"""Puts the program into this user's menus, and takes it out again."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

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


def _places() -> tuple[Path, Path]:
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return (
        data / "applications" / "vivid-keel.desktop",
        data / "icons" / "hicolor" / "scalable" / "apps" / "vivid-keel.svg",
    )


def install(program: Path) -> list[Path]:
    """Write the menu entry and the icon for this user; return what was written.

    `program` is the installed command; run as a module, the interpreter's own `vivid-keel` is taken.
    """
    if program.name != "vivid-keel":
        import sys

        program = Path(sys.executable).parent / "vivid-keel"
    entry, icon = _places()
    for path in (entry, icon):
        path.parent.mkdir(parents=True, exist_ok=True)
    entry.write_text(ENTRY.format(command=str(program).replace(" ", "\\ ")))
    shutil.copyfile(ICON, icon)
    return [entry, icon]


def remove() -> list[Path]:
    """Take both away; return what was there."""
    gone = [path for path in _places() if path.exists()]
    for path in gone:
        path.unlink()
    return gone
