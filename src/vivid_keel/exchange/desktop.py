"""Puts the program into this user's menus, and takes it out again."""

from __future__ import annotations

import shutil
from pathlib import Path

from vivid_keel.core.errors import KeelError
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


def quoted(program: str) -> str:
    """Return a path as the Desktop Entry Specification wants it in Exec: in quotes, its own rules and those of a value after them.

    Raises
    ------
    KeelError
        `bad-value`: the rules have no way to write it.
    """
    if "=" in program or any(ord(c) < 32 for c in program):
        raise KeelError(
            "bad-value",
            f"{program!r} can't stand in a menu; install the program in a folder with a plain name",
        )
    inner = "".join(f"\\{c}" if c in '"`$\\' else c for c in program)
    return '"' + inner.replace("\\", "\\\\").replace("%", "%%") + '"'


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
    entry.write_text(ENTRY.format(command=quoted(str(program))))
    shutil.copyfile(ICON, icon)
    return [entry, icon]


def remove() -> list[Path]:
    """Take both away; return what was there."""
    gone = [path for path in menu_files() if path.exists()]
    for path in gone:
        path.unlink()
    return gone
