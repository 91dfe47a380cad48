"""A stretch of track: the rail top as found under the aimed line, hollows hanging below, the cans from above."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.plan import FOUND
from vivid_keel.figures.display import Dots, Picture, Trace
from vivid_keel.figures.words import legend, title
from vivid_keel.trades.track.lifts import in_words
from vivid_keel.trades.track.result import TrackResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

LEFT_EDGE = 74.0
NAMES_APART = 15.0
"""Names of two lines that begin together stand so far from one another [px]."""
MANY = 80
"""More sleepers than that are drawn as lines through them all."""


def _x(result: TrackResult, width: float) -> Floats:
    return np.linspace(LEFT_EDGE, width - 34, result.book.sleepers)


def rail_top(result: TrackResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return both rails from the side: how far below the aimed line each sleeper lies, and what hangs hollow below it."""
    picture, book = Picture(width, height), result.book
    if not book.dips(FOUND):
        picture.text(
            width / 2,
            height / 2,
            "Sight every few sleepers along the datum rail, between two high spots.",
            "muted",
            14,
            align="centre",
        )
        picture.caption = "Nothing sighted yet"
        return picture
    x = _x(result, width)
    most = max(float(c.max()) for c in result.cans)
    half = (height - 84) / 2
    scale = (half - 34) / max(most, 1.0)
    for rail, (name, rest, void) in enumerate(
        zip(("left", "right"), result.at_rest, result.voids, strict=True)
    ):
        line = 56 + rail * half
        picture.text(
            14, line + 5, f"{name}{' ◂' if (rail == 1) == result.datum_right else ''}", "ink", 13, bold=True
        )
        picture.line(LEFT_EDGE, line, width - 34, line, "keel", 1.6, dash=True)
        y = line + rest * scale
        picture.items.append(Trace(x, y, "ink", 2.4))
        hangs = np.flatnonzero(void > 0)
        for k in hangs[:400].tolist():
            picture.box(float(x[k]) - 4, float(y[k]) + 2, 8, float(void[k]) * scale, "row", "keel", 1.2)
        if book.sleepers <= MANY:
            for k in range(book.sleepers):
                picture.box(
                    float(x[k]) - 3, float(y[k]) + 1, 6, 5, "wood" if k != focus else "keel", "ink", 0.8
                )
                picture.hit(float(x[k]) - 6, line - 16, 12, half - 8, str(k), f"sleeper {k + 1}")
        elif 0 <= focus < book.sleepers:
            picture.disc(float(x[focus]), float(y[focus]), 4, "keel")
    _numbers(picture, result, x, height - (22 if width > 460 else 42))
    title(picture, f"Below the aimed line, in measures: {in_words(result.total)} cans in all")
    legend(picture, "◂ sighted rail · boxes: hollows that only a passing wheel shows", 6)
    picture.caption = f"{in_words(result.total)} cans on {book.sleepers} sleepers"
    return picture


def _numbers(picture: Picture, result: TrackResult, x: Floats, y: float) -> None:
    n = result.book.sleepers
    step = max(1, -(-n // max(2, round((picture.width - LEFT_EDGE) / 27))))
    for k in range(0, n, step):
        picture.text(float(x[k]), y, str(k + 1), "muted", 11, align="centre")


def cans_plan(result: TrackResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return the stretch from above: how much goes under each rail at each sleeper."""
    picture, book = Picture(width, height), result.book
    if book.dips(FOUND) and not book.cautions_read:
        picture.text(
            width / 2,
            height / 2,
            "Read the cautions first: nothing is packed before.",
            "muted",
            14,
            align="centre",
        )
        picture.caption = "The cautions first"
        return picture
    x, most = _x(result, width), max(max(float(c.max()) for c in result.cans), 1.0)
    top, low = height * 0.36, height * 0.66
    few = book.sleepers <= MANY
    if few:
        for k in range(book.sleepers):
            picture.box(
                float(x[k]) - 3.5,
                top - 34,
                7,
                low - top + 68,
                "wood" if k != focus else "row",
                "ink" if k != focus else "keel",
                0.8,
            )
            picture.hit(float(x[k]) - 6, top - 40, 12, low - top + 80, str(k), f"sleeper {k + 1}")
    for y, name, cans in ((top, "left", result.cans[0]), (low, "right", result.cans[1])):
        picture.line(LEFT_EDGE - 20, y, width - 20, y, "ink", 3.0)
        picture.text(14, y + 5, name, "ink", 13, bold=True)
        if not few:
            some = np.flatnonzero(cans > 0)
            picture.items.append(Dots(x[some], np.full(len(some), y), ("raise",), None, 3.0))
            continue
        for k in np.flatnonzero(cans > 0).tolist():
            picture.disc(float(x[k]), y, 3 + 8 * float(np.sqrt(cans[k] / most)), "leaf", "raise", 1.4)
            if book.sleepers <= 40:
                words = in_words(float(cans[k]))
                picture.text(
                    float(x[k]),
                    y + (-16 if y == top else 26),
                    words,
                    "ink",
                    11,
                    bold=True,
                    align="centre",
                    ground=True,
                )
    _numbers(picture, result, x, height - 22)
    title(picture, "Cans of chips, from above")
    picture.caption = f"{in_words(result.total)} cans"
    return picture


def cross_level(result: TrackResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return the cross level along the stretch: as found, wanted, and once it is packed."""
    picture = Picture(width, height)
    x, style = _x(result, width), result.book.style
    all_of = np.concatenate([result.cross, result.predicted, [result.wanted]])
    low, high = float(all_of.min()), float(all_of.max())
    tall = max(high - low, 0.004)
    scale = (height - 120) / tall

    def y(level: Floats | float) -> Floats:
        return np.asarray(height - 60 - (np.asarray(level) - low) * scale)

    level = float(y(result.wanted))
    picture.line(LEFT_EDGE, level, width - 34, level, "keel", 1.8, dash=True)
    picture.text(
        width - 34,
        level - 6,
        f"wanted {style.amount(result.wanted, signed=True)}",
        "keel",
        12,
        align="right",
        ground=True,
    )
    picture.items.append(Trace(x, y(result.cross), "muted", 1.6))
    picture.items.append(Trace(x, y(result.predicted), "in", 2.4))
    for k in np.flatnonzero(~np.isnan(result.u_predicted)).tolist():
        U = 2 * float(result.u_predicted[k])
        low_end, high_end = (float(y(float(result.predicted[k]) + side * U)) for side in (-1, 1))
        picture.line(float(x[k]), low_end, float(x[k]), high_end, "in", 1.2)
    begins = [float(y(float(line[0]))) for line in (result.cross, result.predicted)]
    apart = max(0.0, (NAMES_APART - abs(begins[1] - begins[0])) / 2) * (1 if begins[1] >= begins[0] else -1)
    for name, at, ink in (("as found", begins[0] - apart, "muted"), ("packed", begins[1] + apart, "in")):
        picture.text(LEFT_EDGE - 8, at + 4, name, ink, 13, align="right", ground=True)
    if 0 <= focus < len(x):
        picture.disc(float(x[focus]), float(y(float(result.predicted[focus]))), 4, "keel")
    _numbers(picture, result, x, height - 22)
    title(picture, f"Cross level, {style.small}: + the right rail high")
    picture.caption = "Cross level as found and packed"
    return picture
