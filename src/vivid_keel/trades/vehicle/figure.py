"""A vehicle seen from behind and from the side, leaning as it was read, with what goes under; and headings."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import show_number, show_piece, show_thickness
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import wrapped
from vivid_keel.trades.vehicle.result import DEGREE, VehicleResult

SWELL = 4.0
"""Tilts are drawn so many times larger than they are."""


def _rotated(
    points: list[tuple[float, float]], cx: float, cy: float, angle: float
) -> list[tuple[float, float]]:
    c, s = math.cos(angle), math.sin(angle)
    return [(cx + x * c - y * s, cy + x * s + y * c) for x, y in points]


def stance(result: VehicleResult, width: float, height: float, *, left: bool = False) -> Picture:
    """Return both views; with `left` as it was read again."""
    picture = Picture(width, height)
    book = result.book
    at = book.left if left else book.found
    if at is None:
        picture.text(
            width / 2,
            height / 2,
            "Read the two-way level at its own place: side to side, nose to tail.",
            "muted",
            15,
            align="centre",
        )
        picture.caption = "Not read yet"
        return picture
    half = width / 2
    ground = height - 46
    swell = min(SWELL, 0.28 / max(abs(at.roll), abs(at.pitch), 0.02))
    _rear(picture, result, half / 2, ground, at.roll * swell, left=left)
    _side(picture, result, half * 1.5, ground, at.pitch * swell, left=left)
    seen = (
        (14.0, f"From behind: lean {show_number(at.roll / DEGREE, 2, signed=True)}°, right side high +"),
        (half + 14, f"From its right: tip {show_number(at.pitch / DEGREE, 2, signed=True)}°, nose high +"),
    )
    for left_edge, words in seen:
        for k, line in enumerate(wrapped(words, half - 24, 14, bold=True)):
            picture.text(left_edge, 22 + 17 * k, line, "ink", 14, bold=True)
    picture.text(14, height - 12, f"tilts drawn {swell:.1f} times larger than they are", "muted", 13)
    picture.caption = f"Lean {at.roll / DEGREE:.2f}°, tip {at.pitch / DEGREE:.2f}°"
    return picture


def _rear(
    picture: Picture, result: VehicleResult, cx: float, ground: float, roll: float, *, left: bool
) -> None:
    wide, tall, tread = 150.0, 110.0, 24.0
    y0 = ground - 34
    half = wide / 2 - 14

    def at(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return _rotated(points, cx, y0, -roll)

    (x1, y1), (x2, y2) = at([(-175, tread), (175, tread)])  # the ground leans with what stands on it
    picture.line(x1, y1, x2, y2, "ink", 1.4)
    picture.poly(
        at([(-wide / 2, -tall - 20), (wide / 2, -tall - 20), (wide / 2, -16), (-wide / 2, -16)]),
        "lit",
        "ink",
        1.6,
    )
    picture.line(cx - 150, y0 - tall / 2 - 20, cx + 150, y0 - tall / 2 - 20, "keel", 2.2, dash=True)
    for side, name in ((-1, "left"), (1, "right")):
        x = side * half
        picture.poly(at([(x - 11, -20), (x + 11, -20), (x + 11, tread), (x - 11, tread)]), "night", "night")
        places = (f"front {name}", f"rear {name}")
        lift = next((i for i in result.instructions if i.where.startswith(name) or i.where in places), None)
        if lift is not None and not left:
            high = min(
                max((lift.step or lift.lift) * half / result.book.values["track"] * 2 * SWELL, 8.0), 34.0
            )
            out = x + side * 18  # the ramp waits beside its wheel
            picture.poly(
                at(
                    [
                        (out, tread),
                        (out, tread - high),
                        (out + side * 34, tread - high),
                        (out + side * 62, tread),
                    ]
                ),
                "leaf",
                "raise",
                1.6,
            )
            (tx, ty) = at([(out + side * 24, tread - high - 12)])[0]
            amount = show_piece(lift.step or lift.lift, result.book.style)
            picture.text(tx, ty, amount, "raise", 15, bold=True, align="centre", ground=True)


def _side(
    picture: Picture, result: VehicleResult, cx: float, ground: float, pitch: float, *, left: bool
) -> None:
    long, tall = 230.0, 96.0
    y0 = ground - 34
    picture.line(cx - 180, ground - 10, cx + 180, ground - 10, "ink", 1.4)
    body = _rotated(
        [(-long / 2, -tall - 20), (long / 2, -tall - 20), (long / 2, -14), (-long / 2, -14)],
        cx - 10,
        y0,
        -pitch,
    )
    picture.poly(body, "lit", "ink", 1.6)
    picture.line(cx - 170, y0 - tall / 2 - 20, cx + 170, y0 - tall / 2 - 20, "keel", 2.2, dash=True)
    axles = (
        (-70.0, 70.0)
        if result.book.sort == "four"
        else (-28.0, 28.0)
        if result.book.sort == "twin"
        else (0.0,)
    )
    for axle in axles:
        (wx, wy) = _rotated([(axle, 2)], cx - 10, y0, -pitch)[0]
        picture.disc(wx, wy, 22, "night", "night")
        picture.disc(wx, wy, 8, "paper", "night")
    if result.book.sort != "four":
        nose = _rotated([(long / 2, -18), (long / 2 + 52, -10), (long / 2, -8)], cx - 10, y0, -pitch)
        picture.poly(nose, "wood", "ink", 1.2)
        jockey = next((i for i in result.instructions if i.where == "jockey wheel"), None)
        x, y = nose[1]
        picture.line(x - 8, y, x - 8, ground - 18, "ink", 2.4)
        picture.disc(x - 8, ground - 17, 7, "night", "night")
        if jockey is not None and not left:
            ink = "raise" if jockey.lift > 0 else "lower"
            picture.text(
                min(x + 20, picture.width - 10),
                y - 14,
                f"{show_piece(abs(jockey.lift), result.book.style)} {'up' if jockey.lift > 0 else 'down'}",
                ink,
                15,
                bold=True,
                align="right",
                ground=True,
            )


def headings(result: VehicleResult, width: float, height: float) -> Picture:
    """Return the greatest lift for every heading, the ramp's reach marked."""
    picture = Picture(width, height)
    if not result.headings:
        return stance(result, width, height)
    x0, x1, top, base = 70.0, width - 30.0, 50.0, height - 50.0
    most = max(0.01, *(one.worst for one in result.headings)) * 1.15
    reach = result.reach

    def y(v: float) -> float:
        return base - v / most * (base - top)

    picture.text(
        14,
        24,
        "Turned clockwise by so many degrees. Bar: packing under a wheel; ring: at the jockey wheel",
        "ink",
        14,
        bold=True,
    )
    flattest = result.best_heading
    best, least = flattest.degrees, flattest.worst
    step = (x1 - x0) / len(result.headings)
    for k, one in enumerate(result.headings):
        degrees, lift = one.degrees, one.wheel
        x = x0 + k * step
        fits = result.fits(one)
        picture.box(
            x + 3,
            y(lift),
            step - 6,
            base - y(lift),
            "leaf" if fits else "",
            "raise" if degrees == best else "ink",
            2.0 if degrees in (0, best) else 1.0,
        )
        if one.nose > 0:
            picture.disc(x + step / 2, y(one.nose), 4, "", "keel", 1.6)
        if k % 3 == 0:
            picture.text(x + step / 2, base + 18, f"{degrees}°", "muted", 13, align="centre")
        if degrees in {0, best}:
            picture.text(
                x + step / 2,
                y(lift) - 7,
                result.book.style.amount(lift, 0),
                "ink",
                14,
                bold=True,
                align="centre",
                ground=True,
            )
    picture.line(x0, base, x1, base, "ink", 1.2)
    if reach < math.inf and reach < most:
        picture.line(x0, y(reach), x1, y(reach), "lower", 1.6, dash=True)
        picture.text(
            x1,
            y(reach) - 6,
            f"the highest {'step' if result.book.steps else 'stack'}, {show_thickness(reach, result.book.style)}",
            "lower",
            13,
            align="right",
            ground=True,
        )
    picture.text(x0 - 8, top + 4, result.book.style.small, "muted", 13, align="right")
    picture.text(14, height - 10, "as it stands is 0°; outlined: the flattest", "muted", 13)
    picture.caption = f"Flattest turned {best}°, {show_piece(least, result.book.style)}"
    return picture
