"""The words over and under a picture, broken into lines where it is narrow."""

from __future__ import annotations

from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width, wrapped

EDGE = 14.0


def title(picture: Picture, words: str) -> None:
    """Write what a picture shows at its head."""
    for k, line in enumerate(wrapped(words, picture.width - 2 * EDGE, 14, bold=True)):
        picture.text(EDGE, 24 + 18 * k, line, "ink", 14, bold=True)


def headed(picture: Picture, words: str, signs: str, right: float, wanted: float) -> float:
    """Write what a picture shows at its head and what its signs mean beside it, up to `right`, or under it where there is no room for
    both; return where what is drawn begins: at `wanted`, or under those words [px]."""
    title(picture, words)
    if EDGE + text_width(words, 14, bold=True) + 20 + text_width(signs, 13) <= right:
        picture.text(right, 24, signs, "muted", 13, align="right")
        return wanted
    lines = wrapped(signs, right - EDGE, 13)
    for k, line in enumerate(lines):
        picture.text(EDGE, 42 + 17 * k, line, "muted", 13)
    return wanted + 17.0 * len(lines)


def legend(picture: Picture, words: str, up: float = 10.0) -> None:
    """Write what its signs mean at its foot, the last line so far above the edge [px]."""
    lines = wrapped(words, picture.width - 2 * EDGE, 13)
    for k, line in enumerate(lines):
        picture.text(
            EDGE, picture.height - up - 17 * (len(lines) - 1 - k), line, "muted", 13, ground=len(lines) > 1
        )
