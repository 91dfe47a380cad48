"""A staff's face as it is seen: metric or in feet and inches, right way up or upside down, with the hair on it."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import LengthStyle, show_length
from vivid_keel.core.quantities.length import FOOT, INCH
from vivid_keel.figures.display import Blocks, Drag, Picture, Ruler


def staff_face(
    style: LengthStyle,
    hair: float,
    centre: float,
    width: float,
    height: float,
    *,
    upside_down: bool = False,
    title: str = "",
    span: float | None = None,
    others: tuple[tuple[float, str], ...] = (),
    half: float = 0.02,
    told: bool = True,
    soft: float = 0.0,
) -> Picture:
    """Return the part of a staff around a height, with the hair as a line that can be dragged.

    Parameters
    ----------
    style : LengthStyle
        Of the book; decides the face.
    hair : float
        Where the hair lies [m].
    centre : float
        What stands in the middle of the picture [m]; kept while the hair is dragged.
    width, height : float
        [px]
    upside_down : bool
        As old telescopes show it: values grow downwards.
    title : str
        What is being read.
    span : float, optional
        How much of the staff is seen [m].
    others : tuple of (float, str)
        Readings drawn thinly beside the hair, such as the first look [m].
    half : float
        How far the stadia hairs stand off the middle one [m].
    told : bool
        Whether the reading stands beside the hair, which can then be slid; else it is to be read.
    soft : float
        How wide its edges are smeared out of focus [m].
    """
    picture = Picture(width, height)
    feet = style.unit in {"ft-in", "in", "ft"}
    seen = span or (0.40 * FOOT if feet else 0.13)
    top, bottom = 10.0, height - 28.0
    scale = (bottom - top) / seen
    middle = (top + bottom) / 2
    way = 1.0 if upside_down else -1.0

    def y(h: float) -> float:
        return middle + way * (h - centre) * scale

    wide = min(170.0, width * 0.56)
    x = (width - wide) / 2
    low, high = centre - seen / 2, centre + seen / 2
    picture.box(x, top, wide, bottom - top, "bright", "ink", 1.4)
    if feet:
        _feet_face(picture, low, high, x, wide, y)
    else:
        _metric_face(picture, low, high, x, wide, y, ticks=told, soft=soft)
    for value, words in others:
        if low < value < high:
            picture.line(x - 26, y(value), x + wide + 26, y(value), "raise", 1.4)
            picture.text(x + wide + 30, y(value) + 5, words, "raise", 13)
    if low <= hair <= high:
        picture.line(14, y(hair), width - 14, y(hair), "keel", 2.6)
        for off in (half, -half):  # the stadia hairs are short, so that they are not taken for the middle one
            if low < hair + off < high:
                picture.line(x + wide / 2 - 26, y(hair + off), x + wide / 2 + 26, y(hair + off), "keel", 1.0)
        if told:
            picture.text(20, y(hair) - 8, show_length(hair, style), "keel", 18, bold=True, ground=True)
    if not told:
        picture.caption = title or "A staff as it is seen"
        if title:
            picture.text(width - 16, 28, title, "ink", 14, bold=True, align="right", ground=True)
        return picture
    picture.drag = Drag(y(hair), -way / scale, hair)  # upside down, down is more
    if title:
        picture.text(width - 16, 28, title, "ink", 14, bold=True, align="right", ground=True)
    step = (
        "an eighth" if style.unit in {"ft-in", "in"} else "a hundredth of a foot" if feet else "a millimetre"
    )
    words = f"Slide the hair to what you see · arrow keys move it by {step} · Enter takes it"
    picture.text(14, height - 9, words if width > 560 else "Slide the hair, or arrow keys", "muted", 13)
    picture.caption = f"Staff face, hair at {show_length(hair, style, unit=True)}"
    return picture


def hair_step(style: LengthStyle) -> float:
    """Return what an arrow key moves the hair by [m]: a millimetre, an eighth of an inch, a hundredth of a foot."""
    if style.unit in {"ft-in", "in"}:
        return INCH / 8
    return FOOT / 100 if style.unit == "ft" else 0.001


def _metric_face(
    picture: Picture, low: float, high: float, x: float, wide: float, y: Ruler, *, ticks: bool, soft: float
) -> None:
    """Blocks of 10 mm, five and five; the fifth ones joined by a bar; the colour changes with the metre."""
    for n in range(max(0, math.floor(low * 100) - 1), math.ceil(high * 100) + 1):
        ink = "staff" if (n // 100) % 2 == 0 else "raise"
        group = n % 10
        left = x + (0.06 if group < 5 else 0.30) * wide
        if n % 2 == 0:
            _block(picture, left, wide * 0.24, n / 100, (n + 1) / 100, low, high, y, ink, soft)
        if group in (0, 5):  # the bar that makes the group a figure of its own
            _block(picture, x + 0.27 * wide, wide * 0.06, n / 100, (n + 5) / 100, low, high, y, ink, soft)
    for n in range(max(0, math.floor(low * 10)), math.ceil(high * 10) + 1):
        h = n / 10
        if low < h < high:
            ink = "staff" if int(n // 10) % 2 == 0 else "raise"
            picture.line(x + 0.56 * wide, y(h), x + wide, y(h), ink, 1.2)
        for part, size, bold in ((0.0, 30, True), (0.05, 15, False)):
            at = h + part
            if low < at + 0.012 and at + 0.012 < high:
                ink = "staff" if int(at + 1e-9) % 2 == 0 else "raise"
                ink = "rule" if soft > 0.005 else "slope1" if soft > 0.002 else ink
                words = f"{at:.1f}" if not part else f"{at:.2f}"
                picture.text(
                    x + 0.79 * wide, y(at + 0.012) + size * 0.36, words, ink, size, bold=bold, align="centre"
                )
    for n in range(math.ceil(low * 1000), math.floor(high * 1000) + 1) if ticks else ():
        # Millimetres are estimated on a staff; here fine ticks at the edge help the hand.
        long = 0.035 if n % 5 == 0 else 0.02
        picture.line(x, y(n / 1000), x + long * wide, y(n / 1000), "muted", 0.8)


def _feet_face(picture: Picture, low: float, high: float, x: float, wide: float, y: Ruler) -> None:
    """Bars of an eighth, longer at the half and the inch; inches in figures, feet larger and in the other colour."""
    eighth = INCH / 8
    for n in range(max(0, math.floor(low / eighth) - 1), math.ceil(high / eighth) + 1):
        if n % 2 == 0:
            long = 0.46 if n % 8 == 0 else 0.36 if n % 8 == 4 else 0.26
            _block(picture, x + 0.05 * wide, wide * long, n * eighth, (n + 1) * eighth, low, high, y, "staff")
    for n in range(max(0, math.floor(low / INCH)), math.ceil(high / INCH) + 1):
        h = n * INCH
        if not low < h + INCH * 0.2 < high:
            continue
        foot, inch = divmod(n, 12)
        if inch:
            picture.text(x + 0.66 * wide, y(h) + 7, f"{inch}", "staff", 20, bold=True, align="centre")
        picture.text(
            x + 0.88 * wide,
            y(h) + (11 if not inch else 5),
            f"{foot}′",
            "raise",
            30 if not inch else 14,
            bold=True,
            align="centre",
        )


def _block(
    picture: Picture,
    x: float,
    wide: float,
    a: float,
    b: float,
    low: float,
    high: float,
    y: Ruler,
    ink: str,
    soft: float = 0.0,
) -> None:
    """A block from a to b; out of focus its edges are smeared, from faint to dark."""
    layers = [(0.0, ink)] if soft <= 0 else [(soft, "rule"), (0.0, "slope1"), (-soft, ink)]
    for wider, shade in layers:
        c, d = max(a - wider, low), min(b + wider, high)
        if d > c:
            picture.box(x, min(y(c), y(d)), wide, abs(y(d) - y(c)), shade, "")


def staff(picture: Picture, x: float, y: float, w: float, h: float) -> None:
    """Draw a staff or scale with its blocks."""
    picture.box(x, y, w, h, "paper", "staff")
    blocks = max(2, int(h / 9))
    step = h / blocks
    picture.items.append(Blocks(tuple((x, y + i * step, w, step) for i in range(0, blocks, 2)), "staff"))
