"""Sketches that lie as texts beside what they show: display lists in JSON, so that showing one loads no code of its own."""

from __future__ import annotations

import json
from typing import Any

from vivid_keel.figures.display import Box, Disc, Line, Picture, Poly

KINDS: dict[str, type[Box | Disc | Line | Poly]] = {"box": Box, "disc": Disc, "line": Line, "poly": Poly}
"""What a sketch may be made of, by the word that begins an item."""


def drawn(text: str) -> Picture:
    """Return the picture that a sketch says.

    Parameters
    ----------
    text : str
        {"width", "height", "items": [[kind, {field: value}] …]}; positions in pixels, as `figures.display` has them.
    """
    said = json.loads(text)
    picture = Picture(float(said["width"]), float(said["height"]))
    for kind, fields in said["items"]:
        values: dict[str, Any] = dict(fields)
        if "points" in values:
            values["points"] = tuple((x, y) for x, y in values["points"])
        picture.items.append(KINDS[kind](**values))
    return picture
