"""How wide a text is, by the shipped font's own advances; and how it is made to fit without losing a letter."""

from __future__ import annotations

import json
from functools import cache, lru_cache
from pathlib import Path

UNKNOWN = 0.7
"""Advance of a sign that the font lacks: another font stands in, hardly wider [em]."""


@cache
def _advances(bold: bool) -> dict[str, float]:
    found: dict[str, dict[str, float]] = json.loads(
        (Path(__file__).parent / "advances.json").read_text(encoding="utf-8")
    )
    return found["bold" if bold else "regular"]


@lru_cache(maxsize=4096)
def text_width(text: str, size: float, *, bold: bool = False) -> float:
    """Return how wide a text is at a size [px, or points on paper]."""
    advances = _advances(bold)
    return size * sum(advances.get(sign, UNKNOWN) for sign in text)


def wrapped(text: str, room: float, size: float, *, bold: bool = False) -> list[str]:
    """Break a text into lines that fit; a word wider than the room is broken within."""
    advances = _advances(bold)
    space = advances[" "]
    width = room / size  # of a line, in em
    lines: list[str] = []
    used = 0.0
    for word in text.split(" "):
        wide = sum(advances.get(sign, UNKNOWN) for sign in word)
        if lines and used + space + wide <= width:
            lines[-1] += f" {word}"
            used += space + wide
        elif wide <= width:
            lines.append(word)
            used = wide
        else:
            pieces = _pieces(word, width, advances)
            lines += pieces
            used = sum(advances.get(sign, UNKNOWN) for sign in pieces[-1])
    return lines or [""]


def _pieces(word: str, width: float, advances: dict[str, float]) -> list[str]:
    """A word in parts that fit a width [em], a sign at least each."""
    out, used = [""], 0.0
    for sign in word:
        wide = advances.get(sign, UNKNOWN)
        if out[-1] and used + wide > width:
            out.append("")
            used = 0.0
        out[-1] += sign
        used += wide
    return out


def smaller(text: str, room: float, size: float, least: float, *, bold: bool = False) -> float:
    """Return the size at which a text fits on one line, not under `least`."""
    wide = text_width(text, size, bold=bold)
    return size if wide <= room else max(least, size * room / wide)


@lru_cache(maxsize=2048)
def fitted(
    text: str, room: float, size: float, lines: int, least: float, *, bold: bool = False
) -> tuple[tuple[str, ...], float]:
    """Return a text as so many lines at most, and the size at which they fit: no letter is lost, however small it gets.

    Parameters
    ----------
    text : str
    room, size : float
        Width of a line, and the size wanted [px, or points].
    lines : int
        While the size is above `least`; what is longer still is given a line more for each step that it shrinks.
    least : float
    """
    at, most, smallest = size, lines, least / 2
    while True:
        broken = wrapped(text, max(room, 1.0), at, bold=bold)
        if len(broken) <= most or at <= smallest:
            return tuple(broken), at
        at = max(at - 0.5, smallest)
        most = lines + max(0, round(2 * (least - at)))
