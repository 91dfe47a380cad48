"""Entry point of the command vivid-keel."""

from __future__ import annotations

import io
import sys

from vivid_keel.places import settle_home

WINDOW_COMMANDS = {"app", "demo"}


def main(argv: list[str] | None = None) -> int:
    """Hand window commands to the window and everything else to the command line."""
    words = sys.argv[1:] if argv is None else argv
    settle_home()
    _say_everything()
    if words and words[0] in WINDOW_COMMANDS and not any(word.startswith("--write") for word in words):
        from vivid_keel.ui.app import run

        return run(words[0], words[1:])
    from vivid_keel.cli import main as command_line

    return command_line(words)


def _say_everything() -> None:
    """Have names that the terminal can't show come out escaped; what goes to a file or a pipe is UTF-8, whatever the locale."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            encoding = stream.encoding if stream.isatty() else "utf-8"
            stream.reconfigure(encoding=encoding, errors="backslashreplace")


if __name__ == "__main__":
    sys.exit(main())
