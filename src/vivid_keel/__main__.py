"""Entry point of the command vivid-keel."""

from __future__ import annotations

import sys

WINDOW_COMMANDS = {"app", "demo"}


def main(argv: list[str] | None = None) -> int:
    """Hand window commands to the window and everything else to the command line."""
    words = sys.argv[1:] if argv is None else argv
    if words and words[0] in WINDOW_COMMANDS and not any(word.startswith("--write") for word in words):
        from vivid_keel.ui.app import run

        return run(words[0], words[1:])
    from vivid_keel.cli import main as command_line

    return command_line(words)


if __name__ == "__main__":
    sys.exit(main())
