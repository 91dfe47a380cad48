"""Shapes that several pictures of instruments share."""

from __future__ import annotations

import math

from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width


def pill(x: float, y: float, w: float, h: float) -> list[tuple[float, float]]:
    """Return the outline of a lying rounded bar."""
    r = min(h, w) / 2
    right = [(x + w - r + r * math.cos(a), y + h / 2 + r * math.sin(a)) for a in _half(-math.pi / 2)]
    left = [(x + r + r * math.cos(a), y + h / 2 + r * math.sin(a)) for a in _half(math.pi / 2)]
    return right + left


def _half(start: float) -> list[float]:
    return [start + math.pi * k / 10 for k in range(11)]


def dashed(
    picture: Picture, points: list[tuple[float, float]], ink: str, width: float = 2.0, dash: float = 7.0
) -> None:
    """Draw a closed outline in dashes."""
    closed = [*points, points[0]]
    on, left = True, dash
    for (x1, y1), (x2, y2) in zip(closed, closed[1:], strict=False):
        length = math.hypot(x2 - x1, y2 - y1)
        at = 0.0
        while length - at > 1e-9:
            step = min(left, length - at)
            if on:
                a, b = at / length, (at + step) / length
                picture.line(
                    x1 + (x2 - x1) * a, y1 + (y2 - y1) * a, x1 + (x2 - x1) * b, y1 + (y2 - y1) * b, ink, width
                )
            at += step
            left -= step
            if left <= 1e-9:
                on, left = not on, dash * (0.7 if on else 1.0)


def dimension(picture: Picture, x1: float, x2: float, y: float, text: str, ink: str = "muted") -> None:
    """Draw a measured length between two ticks, its text in the middle."""
    if x2 < x1:
        x1, x2 = x2, x1
    picture.line(x1, y, x2, y, ink)
    for x in (x1, x2):
        picture.line(x, y - 4, x, y + 4, ink, 1.4)
    if x2 - x1 > text_width(text, 13) + 4:
        picture.text((x1 + x2) / 2, y - 6, text, ink, 13, align="centre", ground=True)
    elif x2 > picture.width - 70:
        picture.text(x1 - 8, y + 5, text, ink, 13, align="right")
    else:
        picture.text(x2 + 8, y + 5, text, ink, 13)


def tripod(picture: Picture, x: float, y: float, foot: float, ink: str = "ink") -> None:
    """Draw an instrument on its legs, its line of sight at y."""
    for dx in (-13, 0, 13):
        picture.line(x, y + 6, x + dx, foot, ink, 1.6)
    picture.box(x - 12, y - 6, 24, 12, "lit", ink, 1.4)
    picture.disc(x + 12, y, 4, "paper", ink, 1.2)


def staff(picture: Picture, x: float, top: float, foot: float) -> None:
    """Draw a staff seen from afar."""
    n = max(4, int((foot - top) / 14))
    for k in range(n):
        h = (foot - top) / n
        picture.box(x - 4, top + k * h, 8, h, "staff" if k % 2 == 0 else "paper", "staff", 0.8)


def rule_with_hand(
    picture: Picture, x: float, y: float, width: float, value: float, unit: str, span: float, digits: int
) -> None:
    """Draw a straight scale `span` wide with its hand at a value, the value's neighbourhood in sight."""
    middle = round(value / span * 10) / 10 * span
    lo = middle - span / 2
    picture.box(x, y, width, 46, "bright", "ink", 1.2)
    for k in range(51):
        at = x + width * k / 50
        tall = 24 if k % 10 == 0 else 17 if k % 5 == 0 else 10
        picture.line(at, y + 46 - tall, at, y + 46, "ink", 1.0)
        if k % 10 == 0:
            picture.text(at, y + 66, f"{lo + span * k / 50:.{digits}f}", "muted", 13, align="centre")
    at = x + width * (value - lo) / span
    picture.poly([(at - 7, y - 12), (at + 7, y - 12), (at, y + 1)], "keel", "keel")
    picture.line(at, y, at, y + 46, "keel", 1.8)
    picture.text(x + width + 10, y + 30, unit, "muted", 14)
