"""Lasers as they are checked: axes, the line across a wall, the plumb line."""

from __future__ import annotations

from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.procedures.lasers import SIDES
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.readings import at as _at
from vivid_keel.figures.kit.readings import last as _last
from vivid_keel.figures.kit.shapes import dimension, tripod


def axes(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the laser and its target with the four marks, X and Y."""
    n = _last(run, active)
    d = _at(run, "d", active, typed)
    marks = {s: _at(run, f"{s}/{n}", active, typed) for s in SIDES}
    known = [mark for mark in marks.values() if mark is not None]
    wide, tall = picture.width, picture.height
    mid = sum(known) / len(known) if known else 0.0
    half = max(0.004, max((abs(v - mid) for v in known), default=0.0) * 1.3)
    board, top, base = wide - 250, 40.0, tall - 56
    picture.box(board, top, 190, base - top, "bright", "ink", 1.6)
    picture.line(board + 95, top, board + 95, base, "rule", 1.2)

    def y(v: float) -> float:
        return (top + base) / 2 - (v - mid) / half * (base - top) / 2 * 0.8

    x, at = 130.0, (top + base) / 2
    tripod(picture, x, at, base + 10)
    picture.box(x - 16, at - 26, 32, 22, "night", "night")
    picture.line(x, at, board, at, "muted", 1.0, dash=True)
    for k, axis in enumerate("xy"):
        left = board + 8 + 95 * k
        picture.text(left + 40, top - 8, f"axis {axis.upper()}", "ink", 14, bold=True, align="centre")
        for side, name in (("p", "+"), ("m", "−")):
            mark = marks[axis + side]
            now = active is not None and active.key == f"{axis}{side}/{n}"
            if mark is None:
                continue
            picture.line(left, y(mark), left + 78, y(mark), "keel", 3.0 if now else 2.2, dash=side == "m")
            above = side == "p"
            picture.text(
                left + 2,
                y(mark) - 6 if above else y(mark) + 16,
                f"{axis.upper()}{name}  {mark * 1000:.1f}",
                "keel" if now else "ink",
                13,
                bold=now,
                ground=True,
            )
    if active is not None and active.key.partition("/")[0] in SIDES:
        picture.text(
            x, 30, f"{active.title.split(' to ')[0]} faces the target", "keel", 15, bold=True, align="centre"
        )
    dimension(picture, x, board, base + 22, f"{d:g} m" if d else "15 m or more")
    for k, item in enumerate(run.outcome.found):
        picture.text(
            board + 190,
            base + 22 + 20 * k,
            f"{item.name}: {item.show(item.value)}",
            "ink",
            14,
            bold=True,
            align="right",
        )
    picture.caption = "Axes of a rotating laser"


def fan(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the line on the wall at left, middle and right against a level one."""
    n = _last(run, active)
    at = {k: _at(run, f"{k}/{n}", active, typed) for k in "lmr"}
    known = [v for v in at.values() if v is not None]
    mid = sum(known) / len(known) if known else 0.0
    wide, tall = picture.width, picture.height
    half = max(0.002, max((abs(v - mid) for v in known), default=0.0) * 1.4)
    y0 = tall * 0.42
    picture.box(60, 40, wide - 120, tall * 0.62, "bright", "rule", 1.2)
    picture.line(60, y0, wide - 60, y0, "muted", 1.2, dash=True)
    xs = {"l": 100.0, "m": wide / 2, "r": wide - 100.0}

    def y(v: float) -> float:
        return y0 - (v - mid) / half * tall * 0.2

    points = [(xs[k], y(v)) for k in "lmr" if (v := at[k]) is not None]
    if len(points) > 1:
        picture.poly(points, "", "keel", 3.0, closed=False)
    for k, name in (("l", "left"), ("m", "middle"), ("r", "right")):
        v, now = at[k], active is not None and active.key == f"{k}/{n}"
        picture.line(xs[k], 50, xs[k], 40 + tall * 0.6, "rule", 1.0)
        picture.text(
            xs[k], 40 + tall * 0.62 + 20, name, "keel" if now else "ink", 14, bold=True, align="centre"
        )
        if v is not None:
            picture.disc(xs[k], y(v), 5, "keel", "ink", 1.0)
            picture.text(
                xs[k],
                y(v) - 12,
                f"{v * 1000:.1f} mm",
                "keel" if now else "ink",
                15,
                bold=True,
                align="centre",
                ground=True,
            )
    picture.disc(wide / 2, tall - 26, 9, "night", "night")
    for k in "lmr":
        picture.line(wide / 2, tall - 26, xs[k], 40 + tall * 0.62, "keel", 0.8, dash=True)
    picture.text(wide / 2 + 18, tall - 20, "the laser, as far from all three marks", "muted", 13)
    picture.text(14, 26, "The wall seen from the laser; heights drawn far larger than they are", "muted", 13)
    picture.caption = "Line of a line laser"


def plumb_line(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the laser's plumb line beside the string with its bob."""
    n = _last(run, active)
    top, foot, h = (_at(run, k, active, typed) for k in (f"top/{n}", f"foot/{n}", "h"))
    cx, y0, y1 = picture.width * 0.42, 40.0, picture.height - 40.0
    picture.line(cx, y0, cx, y1 - 26, "ink", 1.6)
    picture.poly([(cx - 8, y1 - 26), (cx + 8, y1 - 26), (cx, y1)], "night", "night")
    picture.line(cx - 60, y0, cx + 120, y0, "ink", 2.0)

    def x(v: float | None) -> float:
        return cx + 60 + (0.0 if v is None else max(-90.0, min(90.0, (v - (foot or 0.0)) * 12000)))

    picture.line(x(top), y0 + 6, cx + 60, y1 - 12, "keel", 2.6, dash=top is None or foot is None)
    for v, y, key, name in (
        (top, y0 + 34, f"top/{n}", "at the top"),
        (foot, y1 - 30, f"foot/{n}", "at the foot"),
    ):
        now = active is not None and active.key == key
        picture.line(cx, y, x(v) if key.startswith("top") else cx + 60, y, "muted", 1.2)
        picture.text(
            cx + 170,
            y + 5,
            f"{'?' if v is None else f'{v * 1000:.1f} mm'} {name}",
            "keel" if now else "ink",
            16,
            bold=True,
        )
    dimension_v(picture, cx - 50, y0 + 34, y1 - 30, f"{h:g} m" if h else "height")
    picture.text(
        14,
        26,
        "String with its bob, and the laser's plumb line; sideways drawn far larger than it is",
        "muted",
        13,
    )
    picture.caption = "Plumb line of a line laser"


def dimension_v(picture: Picture, x: float, y1: float, y2: float, text: str) -> None:
    """Draw a measured height between two ticks."""
    picture.line(x, y1, x, y2, "muted")
    for y in (y1, y2):
        picture.line(x - 4, y, x + 4, y, "muted", 1.4)
    picture.text(x - 8, (y1 + y2) / 2 + 5, text, "muted", 13, align="right")
