"""The signs of verdicts and moves: shapes first, colour second."""

from __future__ import annotations

from vivid_keel.figures.display import Disc, Picture

VIAL = 22.0
"""How wide a verdict is at its usual size [px]; it is half as high."""
HIGH, LOW = "+", "-"
"""Behind "out": to which side it is out."""


def verdict(picture: Picture, x: float, y: float, kind: str, size: float = VIAL) -> None:
    """Draw a verdict as a small vial centred on (x, y): two strokes and a bubble.

    "in": the bubble between the strokes. "out+" or "out-": past the right or the left one; "out", where there is no
    side: past both. "open": half-filled, across a stroke. "todo" and "note": strokes alone, dotted.
    """
    k = size / VIAL
    stroke, tall, r = 6.0 * k, 5.5 * k, 3.7 * k
    state, side = kind.rstrip(HIGH + LOW), kind[-1:]
    for at in (x - stroke, x + stroke):
        if state in {"in", "out", "open"}:
            picture.line(at, y - tall, at, y + tall, state, 1.5 * k)
        else:
            for dot in (-4.6, 0.0, 4.6):
                picture.disc(at, y + dot * k, 0.8 * k, "muted", "muted", 0.5 * k)
    if state == "in":
        picture.disc(x, y, r, "in", "in")
    elif state == "open":
        picture.items.append(Disc(x + stroke, y, r, "open", "open", 1.4 * k, half=True))
    elif state == "out":
        past = stroke + r + 1.4 * k
        for at in {HIGH: (x + past,), LOW: (x - past,)}.get(side, (x - past, x + past)):
            picture.disc(at, y, r - 0.4 * k, "out", "out")


SAID = {
    "in": "in",
    "out": "out",
    "open": "not proven",
    "todo": "to do",
    "note": "",
    "raise": "raise",
    "lower": "lower",
}
"""What a sign says to who hears it."""


def words(sign: str) -> str:
    """Return a sign in words."""
    side = {HIGH: ", high", LOW: ", low"}.get(sign[-1:], "")
    return SAID.get(sign.rstrip(HIGH + LOW), "") + side


def raise_wedge(picture: Picture, x: float, y: float, size: float = 11.0) -> None:
    """Draw the solid wedge of a raise, its heel at (x, y)."""
    picture.poly([(x, y), (x + size, y), (x + size, y - size * 0.75)], "raise", "raise")


def lower_wedge(picture: Picture, x: float, y: float, size: float = 11.0) -> None:
    """Draw the hollow wedge of a lowering, hanging from (x, y)."""
    picture.poly([(x, y - size * 0.75), (x + size, y - size * 0.75), (x + size, y)], "", "lower", 1.6)


def move(picture: Picture, x: float, y: float, value: float, text: str, size: float = 14.0) -> None:
    """Draw a move [m] as its wedge and its number as it is said, centred on x, baseline at y."""
    ink = "raise" if value >= 0 else "lower"
    if value >= 0:
        raise_wedge(picture, x - 6, y - size - 1)
    else:
        lower_wedge(picture, x - 6, y - size - 2)
    picture.text(x, y, text, ink, size, bold=True, align="centre", ground=True)
