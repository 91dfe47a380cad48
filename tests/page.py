"""The page of what was measured: each measurement keeps its own part of docs/measured.md."""

from __future__ import annotations

from pathlib import Path

PAGE = Path(__file__).parent.parent / "docs" / "measured.md"


def put(head: str, lines: list[str]) -> None:
    """Put a part (its first line is `head`) where it stood, or at the end; the others stay."""
    whole = PAGE.read_text() if PAGE.exists() else "# Measured\n"
    before, _, after = whole.partition(head)
    rest = after[after.index("\n## ") :] if "\n## " in after else ""
    PAGE.write_text(before.rstrip("\n") + "\n\n" + "\n".join(lines).rstrip("\n") + "\n" + rest)
