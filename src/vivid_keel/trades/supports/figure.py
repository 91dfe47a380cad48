"""The two ways in which a scale is held on a support."""

from __future__ import annotations

from vivid_keel.core.moving.scale import HANGS, STANDS
from vivid_keel.figures.display import Picture
from vivid_keel.figures.staff_face import staff


def senses(width: float, height: float, chosen: str) -> Picture:
    """Return the two ways a scale is held, side by side, the chosen one lit: mixing them up is the classic slip."""
    picture = Picture(width, height)
    half, base = width / 2, height - 58
    picture.text(
        14, 22, "How is the scale held? Say it below, with rows, posts and spacing.", "ink", 15, bold=True
    )
    for k, sense in enumerate((HANGS, STANDS)):
        x, on = half * (k + 0.5), sense == chosen
        if on:
            picture.box(half * k + 12, 34, half - 24, height - 44, "lit", "")
        hangs = sense == HANGS
        line = base - 24 if hangs else 70.0
        for dx, high in ((-70.0, 0.0), (70.0, 26.0)):  # the right one is the higher point
            top = base - 110 - high if hangs else base - 10 - high
            if hangs:
                picture.box(x + dx - 46, top - 16, 92, 16, "wood", "ink")
                staff(picture, x + dx - 4, top, 8, line + 10 - top)
            else:
                picture.box(x + dx - 30, top, 60, base - top + 4, "stone", "ink")
                staff(picture, x + dx - 4, line - 10, 8, top - line + 10)
            amount = "larger" if (high > 0) == hangs else "smaller"
            picture.text(
                x + dx + 12, (top + line) / 2 + 5, amount, "ink", 14, bold=amount == "larger", ground=True
            )
        picture.line(half * k + 24, line, half * (k + 1) - 24, line, "keel", 2.6)
        words = (
            "hangs (h): a larger reading is a higher point"
            if hangs
            else "stands (s): a larger reading is a lower point"
        )
        picture.text(x, height - 22, words, "ink" if on else "muted", 14, bold=on, align="centre")
    picture.caption = "The two ways a scale is held"
    return picture
