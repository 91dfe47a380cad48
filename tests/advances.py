"""Writes how wide each sign of the shipped fonts is: python -m tests.advances, after a font was changed."""

from __future__ import annotations

import json
from pathlib import Path

from fontTools.ttLib import TTFont

PACKAGE = Path(__file__).parents[1] / "src" / "vivid_keel"


def read() -> dict[str, dict[str, float]]:
    """Return the advance of every sign, in em, of the regular and the bold font."""
    found = {}
    for name in ("Regular", "Bold"):
        font = TTFont(PACKAGE / "ui" / "fonts" / f"B612-{name}.otf")
        em, advances = font["head"].unitsPerEm, font["hmtx"]
        found[name.lower()] = {
            chr(code): round(advances[glyph][0] / em, 4) for code, glyph in sorted(font.getBestCmap().items())
        }
    return found


if __name__ == "__main__":
    text = json.dumps(read(), ensure_ascii=False, separators=(",", ":"))
    (PACKAGE / "figures" / "advances.json").write_text(text + "\n", encoding="utf-8")
