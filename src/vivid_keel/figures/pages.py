"""Figures of the handbook's general pages: each says one rule that a word needs many lines for. Numbers in them are worked out."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT, judge
from vivid_keel.core.quantities import show_number
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.shapes import staff, tripod
from vivid_keel.figures.kit.vials import draw_vial, surface

WIDE = 620.0
"""Width of every figure [px]."""


def line_of_sight() -> Picture:
    """A level between two staffs: the backsight gives the height of the line, the line that of the next mark."""
    picture = Picture(WIDE, 226.0)
    benchmark, back, fore = 42.318, 1.482, 0.873
    line, metre = 58.0, 74.0
    ends = ((70.0, back), (550.0, fore))
    feet = [line + read * metre for _, read in ends]
    ground = [
        (0.0, feet[0] + 6),
        (70.0, feet[0]),
        (310.0, line + 1.3 * metre),
        (550.0, feet[1]),
        (WIDE, feet[1] - 4),
    ]
    picture.poly([*ground, (WIDE, 226), (0, 226)], "ground", "")
    picture.poly(ground, "", "ink", 1.4, closed=False)
    picture.line(40, line, 580, line, "keel", 2.2)
    tripod(picture, 310, line, line + 1.3 * metre)
    for (x, _), foot in zip(ends, feet, strict=True):
        staff(picture, x, line - 26, foot)
    texts = (("backsight", back), ("foresight", fore))
    for (x, _), foot, (word, read), side in zip(ends, feet, texts, (1, -1), strict=True):
        picture.line(x + side * 14, line, x + side * 14, foot, "ink", 1.2)
        align = "left" if side > 0 else "right"
        picture.text(x + side * 22, (line + foot) / 2 + 5, f"{word} {read:.3f}", bold=True, align=align)
    picture.text(
        310,
        line - 16,
        f"height of the line  {benchmark:.3f} + {back:.3f} = {benchmark + back:.3f}",
        "keel",
        14,
        bold=True,
        align="centre",
    )
    picture.text(70, feet[0] + 22, f"benchmark {benchmark:.3f}", align="centre")
    picture.text(
        528,
        feet[1] + 32,
        f"{benchmark + back:.3f} − {fore:.3f} = {benchmark + back - fore:.3f}",
        bold=True,
        align="centre",
    )
    return picture


def turned_round() -> Picture:
    """A level on one place, then turned end for end: what stays is the place, what changes sides is the level's own."""
    picture = Picture(WIDE, 236.0)
    first, second = 3.0, -1.0
    place, own = (first + second) / 2, (first - second) / 2
    for k, (value, ends, word) in enumerate(
        ((first, ("A", "B"), "first"), (second, ("B", "A"), "turned end for end"))
    ):
        x = 24.0 + k * 308.0
        draw_vial(picture, x, 34, 264, 62, 5.0, value, ends=ends, target=place if k else None)
        surface(picture, x, 108, 264, place)
        signed = show_number(value, 0, signed=True)
        picture.text(x + 132, 22, f"{word}: {signed} divisions", bold=True, align="centre")
    lines = (
        (f"the place leans by half the sum: ({first:+.0f} {second:+.0f}) / 2 = {place:+.0f}", "ink"),
        (f"the level is out by half the difference: ({first:.0f} + {-second:.0f}) / 2 = {own:.0f}", "keel"),
        ("so bring the bubble half the way back, to the dashed outline, and never all of it", "ink"),
    )
    for k, (text, ink) in enumerate(lines):
        picture.text(WIDE / 2, 158 + 26 * k, text.replace("-", "−"), ink, 14, align="centre", bold=k == 2)
    return picture


def three_verdicts() -> Picture:
    """Deviations with their U against one limit: proven in, proven out, and what no number decides."""
    picture = Picture(WIDE, 196.0)
    limit, scale, zero = 2.0, 46.0, 122.0
    left, right = zero - limit * scale, zero + limit * scale
    picture.box(left, 34, right - left, 128, "lit", "")
    for x, words in ((left, f"−{limit:.0f} mm"), (zero, "target"), (right, f"+{limit:.0f} mm")):
        picture.line(x, 34, x, 162, "rule" if x == zero else "muted", 1.2, dash=x == zero)
        picture.text(x, 182, words, "muted", align="centre")
    picture.text(zero, 22, "allowed", "muted", align="centre")
    told = {
        PROVEN_IN: "in: all of it lies within",
        NOT_PROVEN: "not proven: read finer, or more often",
        PROVEN_OUT: "out: none of it does",
    }
    for k, (deviation, spread) in enumerate(((0.8, 0.7), (1.7, 0.9), (2.9, 0.6))):
        y, found = 60.0 + 38 * k, judge(deviation, spread, limit)
        sign = "out+" if found == PROVEN_OUT else found
        x1, x2 = zero + (deviation - spread) * scale, zero + (deviation + spread) * scale
        picture.line(x1, y, x2, y, found, 2.4)
        for x in (x1, x2):
            picture.line(x, y - 6, x, y + 6, found, 2.0)
        picture.disc(zero + deviation * scale, y, 4.5, found, found)
        symbols.verdict(picture, max(x2, right) + 26, y, sign)
        picture.text(max(x2, right) + 46, y + 5, told[found], found, 14)
    return picture


def two_pegs() -> Picture:
    """The two-peg test: from the middle a line that rises does no harm; from beside one peg all of it shows."""
    picture = Picture(WIDE, 262.0)
    lean = 0.05
    for k, (stand, word) in enumerate(
        ((0.5, "from the middle: as much on both"), (0.06, "from beside A: all of it on B"))
    ):
        top, a, b = 44.0 + 124 * k, 70.0, 550.0
        foot, at = top + 62, a + stand * (b - a)
        picture.poly([(0, foot), (WIDE, foot), (WIDE, foot + 10), (0, foot + 10)], "ground", "")
        picture.line(0, foot, WIDE, foot, "ink", 1.4)
        picture.line(30, top, 590, top, "rule", 1.2, dash=True)
        picture.line(at, top, a, top - lean * (at - a), "keel", 2.2)
        picture.line(at, top, b, top - lean * (b - at), "keel", 2.2)
        tripod(picture, at, top, foot)
        for x, name in ((a, "A"), (b, "B")):
            staff(picture, x, top - 34, foot)
            picture.text(x + (22 if x == b else -22), foot - 8, name, bold=True, align="centre")
            off = lean * abs(x - at)
            if off > 3:
                dimension_up(picture, x + (16 if x == b else -16), top - off, top)
        picture.text(WIDE / 2, top - 28, word, bold=k == 1, align="centre")
    return picture


def dimension_up(picture: Picture, x: float, high: float, low: float) -> None:
    """Mark a rise between two heights."""
    picture.line(x, high, x, low, "out", 2.0)
    for y in (high, low):
        picture.line(x - 5, y, x + 5, y, "out", 1.6)


def left_thumb() -> Picture:
    """Foot screws from above: the bubble goes the way the left thumb goes."""
    picture = Picture(WIDE, 216.0)
    for k, (inward, word) in enumerate(((True, "both thumbs in"), (False, "both thumbs out"))):
        x, y = 165.0 + 300 * k, 92.0
        corners = [
            (x + 74 * math.cos(a), y + 62 * math.sin(a)) for a in (math.radians(d) for d in (150, 30, 270))
        ]
        picture.poly(corners, "stone", "ink", 1.4)
        for cx, cy in corners:
            picture.disc(cx, cy, 15, "paper", "ink", 1.6)
        way = 1.0 if inward else -1.0
        for (cx, cy), side in zip(corners[:2], (1.0, -1.0), strict=True):
            arrow(picture, cx, cy + 30, cx + side * way * 34, "keel" if side > 0 else "muted")
        picture.disc(x, y - 4, 24, "glass", "ink", 1.6)
        picture.disc(x, y - 4, 10, "", "ink", 1.2)
        picture.disc(x + way * 13, y - 4, 8, "bright", "keel", 2.0)
        picture.text(corners[0][0], y + 82, "left thumb", "keel", bold=True, align="centre")
        right = "right" if inward else "left"
        picture.text(x, 212, f"{word}: the bubble goes {right}", bold=True, align="centre")
    return picture


def arrow(picture: Picture, x1: float, y: float, x2: float, ink: str) -> None:
    """Draw an arrow along a line."""
    side = math.copysign(9.0, x2 - x1)
    picture.line(x1, y, x2, y, ink, 2.6)
    picture.poly([(x2 + side * 0.4, y), (x2 - side, y - 6), (x2 - side, y + 6)], ink, ink)


def the_window() -> Picture:
    """The window, and what each part of it is for."""
    picture = Picture(WIDE, 292.0)
    picture.box(8, 8, 604, 276, "desk", "ink", 1.4)
    picture.box(8, 8, 122, 276, "side", "rule")
    picture.text(20, 32, "the works", bold=True)
    for k in range(4):
        picture.box(20, 46 + 26 * k, 98, 19, "lit" if k == 1 else "paper", "rule")
        symbols.verdict(picture, 104, 55.5 + 26 * k, ("in", "open", "out", "todo")[k], 14)
    picture.text(20, 244, "kit, yard", "muted")
    for k, word in enumerate(("what it is", "read", "move", "prove")):
        picture.text(150 + 84 * k, 32, word, "keel" if k == 1 else "muted", bold=k == 1)
    picture.line(234, 40, 262, 40, "keel", 2.4)
    picture.text(486, 32, "the stages, Alt+1 …", "muted")
    picture.box(142, 54, 322, 104, "paper", "rule")
    picture.text(154, 76, "the sheet: type and Enter", bold=True)
    for k in range(3):
        picture.line(154, 96 + 20 * k, 452, 96 + 20 * k, "rule", 1.0)
    picture.box(232, 121, 72, 18, "row", "keel", 1.6)
    picture.box(142, 168, 322, 104, "paper", "rule")
    picture.text(154, 190, "the picture: slide, and see", bold=True)
    picture.line(160, 232, 446, 226, "keel", 2.4)
    for k in range(5):
        picture.box(176 + 58 * k, 236 - 2 * k, 8, 28, "wood", "ink", 0.8)
    picture.box(476, 54, 126, 176, "paper", "rule")
    picture.text(486, 76, "what the", bold=True)
    picture.text(486, 94, "numbers say", bold=True)
    for k, sign in enumerate(("out+", "open", "in")):
        symbols.verdict(picture, 498, 120 + 26 * k, sign)
        picture.line(520, 120 + 26 * k, 590, 120 + 26 * k, "muted", 1.6)
    picture.text(486, 210, "worst first", "muted")
    picture.box(476, 240, 126, 32, "night", "night")
    picture.text(539, 261, "what is next", "on-night", 14, bold=True, align="centre")
    return picture


def kept() -> Picture:
    """From a reading to a folder that outlives the program: nothing is ever changed or taken out."""
    picture = Picture(WIDE, 190.0)
    steps = (
        ("typed", ("1.482", "Enter")),
        ("an entry", ("who, when, what", "safe on the disk")),
        ("the job file", ("entry after entry,", "each one sealed")),
        ("the archive", ("plain files, for", "fifty years")),
    )
    wide = 137.0
    for k, (head, lines) in enumerate(steps):
        x = 8.0 + k * (wide + 18.7)
        picture.box(x, 20, wide, 92, "paper", "ink", 1.4)
        picture.text(x + wide / 2, 44, head, "keel" if k == 2 else "ink", 14, bold=True, align="centre")
        for n, line in enumerate(lines):
            picture.text(x + wide / 2, 72 + 20 * n, line, "muted", 13, align="centre")
        if k < len(steps) - 1:
            arrow(picture, x + wide + 2, 66, x + wide + 14, "ink")
    x = 8 + 2 * (wide + 18.7)
    for n, (text, struck) in enumerate((("1.428", True), ("1.482", False))):
        picture.box(x + 10, 124 + 30 * n, wide - 20, 24, "lit" if n else "paper", "rule")
        picture.text(
            x + wide / 2,
            141 + 30 * n,
            text,
            "muted" if struck else "ink",
            14,
            bold=not struck,
            align="centre",
            struck=struck,
        )
    picture.text(x - 10, 141, "a slip is struck, and stays", align="right")
    picture.text(x - 10, 171, "what is right stands behind it", align="right")
    return picture


def life() -> Picture:
    """An instrument over a year: trusted after a check, due after some time, and at once after a knock."""
    picture = Picture(WIDE, 150.0)
    left, right, y = 40.0, 580.0, 78.0
    spans = (
        (0.0, 0.30, "in", "trusted"),
        (0.30, 0.42, "open", "check due"),
        (0.42, 0.66, "in", "trusted"),
        (0.66, 0.78, "out", "knocked"),
        (0.78, 1.0, "in", "trusted"),
    )
    for begin, end, ink, word in spans:
        x1, x2 = left + begin * (right - left), left + end * (right - left)
        picture.box(x1, y - 7, x2 - x1, 14, ink, "paper", 1.4)
        picture.text((x1 + x2) / 2, y - 20, word, ink, bold=ink != "in", align="centre")
    for at, word in ((0.0, "check"), (0.42, "check"), (0.66, "a knock, F3"), (0.78, "")):
        x = left + at * (right - left)
        picture.line(x, y - 12, x, y + 26, "ink", 1.6)
        picture.text(x, y + 44, word, align="centre")
    picture.text(left + 0.78 * (right - left) + 8, y + 44, "check", align="left")
    picture.text(
        WIDE / 2,
        142,
        "a knock, a repair or a far journey makes a check due at once, whatever the calendar says",
        "muted",
        align="centre",
    )
    return picture


FIGURES: Mapping[str, Callable[[], Picture]] = {
    "window": the_window,
    "kept": kept,
    "line-of-sight": line_of_sight,
    "turned-round": turned_round,
    "three-verdicts": three_verdicts,
    "two-pegs": two_pegs,
    "left-thumb": left_thumb,
    "life": life,
}
"""By the name that a page calls it by."""
