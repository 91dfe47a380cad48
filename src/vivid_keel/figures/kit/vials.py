"""Vials: the level as it lies first and turned, the bubble where it was seen, the place to adjust to."""

from __future__ import annotations

import math

from vivid_keel.core.instruments.outcome import Step, show_in
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.kit.shapes import dashed, pill

HALF = 2.0
"""Half a bubble's length [div], as drawn."""


def draw_vial(
    picture: Picture,
    x: float,
    y: float,
    w: float,
    h: float,
    reach: float,
    value: float | None,
    *,
    target: float | None = None,
    ends: tuple[str, str] = ("", ""),
    live: bool = False,
    hollow: bool = False,
    feet: bool = True,
) -> float:
    """Draw a level with its vial in a box; return the pixels of one division.

    Parameters
    ----------
    reach : float
        Marks to each side of the bubble's place [div].
    value, target : float or None
        Where the bubble stands, and where it is to be set [div]; right positive.
    ends : (str, str)
        What is written under the left and the right end.
    live : bool
        Whether the bubble is the one being read.
    hollow : bool
        Whether it is only proposed.
    """
    picture.box(x, y, w, h, "stone", "ink", 1.6)
    for k in (0.0, 1.0) if feet else ():
        picture.box(x + 8 + k * (w - 66), y + h, 50, 9, "night", "night")
    gx, gy, gw, gh = x + w * 0.05, y + h * 0.1, w * 0.9, h * (0.56 if ends[0] else 0.8)
    picture.poly(pill(gx, gy, gw, gh), "glass", "ink", 1.6)
    one = gw / (2 * (reach + HALF) + 1.5)
    cx = gx + gw / 2
    for k in range(int(reach) + 1):
        for side in (-1, 1):
            at = cx + side * (HALF + k) * one
            picture.line(
                at,
                gy + (3 if k == 0 else 8),
                at,
                gy + gh - (3 if k == 0 else 8),
                "ink",
                2.2 if k == 0 else 1.2,
            )
    if target is not None and abs(target) <= reach + 1:
        dashed(
            picture, pill(cx + (target - HALF) * one, gy + gh * 0.16, 2 * HALF * one, gh * 0.68), "keel", 2.4
        )
    if value is not None:
        shown = max(-reach - 1.2, min(reach + 1.2, value))
        body = pill(cx + (shown - HALF) * one, gy + gh * 0.2, 2 * HALF * one, gh * 0.6)
        if hollow:
            dashed(picture, body, "muted", 1.2)
        else:
            picture.poly(body, "bright", "keel" if live else "ink", 2.4 if live else 1.8)
    for text, at, align in ((ends[0], x + 8, "left"), (ends[1], x + w - 8, "right")):
        picture.text(at, y + h - 6, text, "ink", 13, align=align)
    return one


def surface(picture: Picture, x: float, y: float, w: float, slope: float) -> None:
    """Draw the surface a level lies on, its slope made plain."""
    lift = max(-9.0, min(9.0, 5.0 * slope))
    picture.poly(
        [(x - 14, y + lift), (x + w + 14, y - lift), (x + w + 14, y + 12), (x - 14, y + 12)], "ground", ""
    )
    picture.line(x - 14, y + lift, x + w + 14, y - lift, "ink", 1.6)


def reversal(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw both positions of the cycle in hand; the second with the dashed place to adjust to."""
    if run.traits.electronic:
        _numbers(picture, run, active, typed)
        return
    if run.procedure.key == "plumb":
        _upright(picture, run, active, typed)
        return
    wide, tall = picture.width, picture.height
    cycle = _cycle(run, active)
    reach = min(8.0, run.traits.number("reach", 5.0))
    x, w = 28.0, wide - 190
    body = max(36.0, min(74.0, (tall - 160) / 2))
    target = run.outcome.shown.get("target") if run.outcome.trouble is None else None
    picture.text(14, 22, "The same spot, seen from the same side", "muted", 13)
    picture.text(wide - 14, 22, f"cycle {cycle}", "muted", 13, align="right")
    gap = (tall - 60 - 2 * (body + 40)) / 2
    for k, head in enumerate(("First: end A to the right", "Then turned end for end: end A to the left")):
        top = 56 + k * (body + 42 + gap)
        picture.text(x, top - 10, head, "ink", 14, bold=True)
        surface(picture, x, top + body + 9, w, run.outcome.shown.get("slope", 0.0))
        one = _vial_of(picture, run, k, cycle, active, typed, (x, top, w, body), reach, target)
        _value(picture, run, k, cycle, active, typed, wide - 30, top + body * 0.5 + 4, "divisions right")
        if k == 1 and target is not None and one:
            text = f"to adjust: leave it so, turn its screw until the bubble stands in the dashed outline ({show_number(target, 1, signed=True)})"
            picture.text(x + w / 2, top + body + 34, text, "keel", 13, align="centre")
    picture.caption = f"Reversal, cycle {cycle}"


def _at(
    run: CheckRun, k: int, cycle: int, active: Step | None, typed: float | None
) -> tuple[float | None, bool, bool]:
    """Return where the bubble of a position stands [div], whether that is its own, and whether it is being read.

    A position not read yet shows the cycle before in outline, to compare with.
    """
    now = active is not None and active.key == f"a{k + 1}/{cycle}"
    if now and typed is not None:
        return typed, True, True
    for c in range(cycle, 0, -1):
        seen = run.seen.get(f"a{k + 1}/{c}")
        if seen is not None and not math.isnan(seen.value):
            return seen.value, c == cycle, now
    return None, False, now


def _vial_of(
    picture: Picture,
    run: CheckRun,
    k: int,
    cycle: int,
    active: Step | None,
    typed: float | None,
    box: tuple[float, float, float, float],
    reach: float,
    target: float | None,
) -> float:
    """Draw the level of one position in a box, its bubble to be dragged where it is in hand."""
    x, y, w, h = box
    value, own, now = _at(run, k, cycle, active, typed)
    upright = run.procedure.key == "plumb"
    ends = ("", "") if upright else ("end B", "end A") if k == 0 else ("end A", "end B")
    one = draw_vial(
        picture,
        x,
        y,
        w,
        h,
        reach,
        value or 0.0,
        target=target if k == 1 else None,
        ends=ends,
        live=now,
        hollow=not own,
        feet=not upright,
    )
    if now:
        picture.drag = Drag(
            x + w / 2 + (value or 0.0) * one,
            1 / one,
            value or 0.0,
            across=True,
            grip=max(18.0, HALF * one),
            span=(y, y + h),
        )
    return one


def _value(
    picture: Picture,
    run: CheckRun,
    k: int,
    cycle: int,
    active: Step | None,
    typed: float | None,
    x: float,
    y: float,
    unit: str,
) -> None:
    """Write a position's reading at the right."""
    value, own, now = _at(run, k, cycle, active, typed)
    seen = run.seen.get(f"a{k + 1}/{cycle}")
    if seen is not None and math.isnan(seen.value):
        picture.text(x, y, seen.text, "ink", 20, bold=True, align="right")
    elif value is not None and own:
        text = show_number(value, 1 if seen is None or seen.step > 0.05 else 2, signed=True)
        picture.text(x, y, text, "keel" if now and typed is not None else "ink", 25, bold=True, align="right")
        picture.text(x, y + 22, unit, "muted", 13, align="right")
    elif value is not None:
        picture.text(x, y, f"before {show_number(value, 1, signed=True)}", "muted", 15, align="right")


def _upright(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the level standing on its edge against two pins, then turned over about them like a page."""
    cycle = _cycle(run, active)
    reach = min(8.0, run.traits.number("reach", 5.0))
    target = run.outcome.shown.get("target") if run.outcome.trouble is None else None
    half = picture.width / 2
    picture.text(picture.width - 14, 22, f"cycle {cycle}", "muted", 13, align="right")
    lean = max(-10.0, min(10.0, 4.0 * run.outcome.shown.get("slope", 0.0)))
    for k, head in enumerate(("First face to the wall", "Turned over like a page, same end up")):
        left = half * k
        picture.text(left + 14, 22, head, "ink", 14, bold=True)
        pins = left + (70 if k == 0 else 118)
        top, foot = 40.0, picture.height - 34.0
        side = 1 if k == 0 else -1
        body = [
            (pins - lean, top),
            (pins - lean + side * 46, top),
            (pins + lean + side * 46, foot),
            (pins + lean, foot),
        ]
        picture.poly(body, "stone", "ink", 1.6)
        picture.line(pins - 1.2 * lean, top - 6, pins + 1.2 * lean, foot + 6, "ink", 1.0, dash=True)
        for share in (0.12, 0.88):
            picture.disc(
                pins - side * 5 + lean * (2 * share - 1), top + (foot - top) * share, 5, "night", "night"
            )
        middle = (top + foot) / 2
        small = pill(pins + side * 23 - 20, middle - 8, 40, 16)
        picture.poly(small, "glass", "ink", 1.4)
        picture.text(pins + side * 23, top + 18, "head", "ink", 13, align="centre")
        picture.text(pins + side * 23, foot - 8, "foot", "ink", 13, align="centre")
        x0, wide = left + 150, half - 172
        picture.line(pins + side * 23 + 20, middle - 6, x0, middle - 34, "muted", 1.0)
        picture.line(pins + side * 23 + 20, middle + 6, x0, middle + 34, "muted", 1.0)
        _vial_of(picture, run, k, cycle, active, typed, (x0, middle - 34, wide, 68), reach, target)
        _value(picture, run, k, cycle, active, typed, left + half - 26, middle - 66, "divisions right")
        if k == 1 and target is not None:
            picture.text(
                x0 + wide / 2,
                middle + 58,
                f"to adjust: set it to {show_number(target, 1, signed=True)} (dashed)",
                "keel",
                13,
                align="centre",
            )
    picture.text(
        14,
        picture.height - 10,
        "two pins on the wall carry the same edge both times; the vial is drawn large beside each",
        "muted",
        13,
    )
    picture.caption = f"Reversal for plumb, cycle {cycle}"


def _cycle(run: CheckRun, active: Step | None) -> int:
    if active is not None and active.cycle:
        return active.cycle
    done = [int(k.rpartition("/")[2]) for k in run.seen if "/" in k]
    return max(done, default=1)


def _numbers(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw an electronic level's two positions with their numbers."""
    cycle = _cycle(run, active)
    wide, tall = picture.width, picture.height
    body = max(44.0, min(82.0, (tall - 130) / 2))
    picture.text(14, 22, "The same spot, seen from the same side", "muted", 13)
    picture.text(wide - 14, 22, f"cycle {cycle}", "muted", 13, align="right")
    heads = ("First: end A to the right", "Then turned end for end: end A to the left")
    if run.procedure.key == "plumb":
        heads = ("First face to the wall", "Then turned over like a page, same end up")
    slope = run.outcome.shown.get("slope", 0.0) * 1000
    for k, head in enumerate(heads):
        y = 48 + k * (tall - 60) / 2
        seen, key = run.seen.get(f"a{k + 1}/{cycle}"), f"a{k + 1}/{cycle}"
        now = active is not None and active.key == key
        value = typed if now and typed is not None else (seen.value if seen else None)
        picture.text(28, y, head, "ink", 14, bold=True)
        surface(picture, 28, y + 10 + body + 9, wide - 190, slope)
        picture.box(28, y + 10, wide - 190, body, "stone", "ink", 1.6)
        picture.box(
            28 + (wide - 190) * 0.32,
            y + 10 + body * 0.16,
            (wide - 190) * 0.36,
            body * 0.68,
            "glass",
            "ink",
            1.4,
        )
        text = "– – –" if value is None else show_in(value, "tilt", run.traits.number("last-digit"))
        picture.text(
            28 + (wide - 190) / 2,
            y + 10 + body * 0.62,
            text,
            "keel" if now and value is not None else "ink",
            21,
            bold=True,
            align="centre",
        )
        a, b = ("B", "A") if k == 0 else ("A", "B")
        picture.text(40, y + 10 + body * 0.6, a, "ink", 16, bold=True)
        picture.text(wide - 174, y + 10 + body * 0.6, b, "ink", 16, bold=True, align="right")
    found = run.outcome.found
    if found:
        picture.text(wide - 14, tall - 34, "own error", "muted", 13, align="right")
        picture.text(wide - 14, tall - 14, found[0].show(found[0].value), "ink", 17, bold=True, align="right")
    picture.caption = f"Reversal, cycle {cycle}"


def straightness(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the edge on its two rests, then turned over: the bow changes sides."""
    wide, tall = picture.width, picture.height
    cycle = _cycle(run, active)
    bow = run.outcome.shown.get("bow", 0.0)
    lean = max(-18.0, min(18.0, bow * 1e5)) if run.outcome.found else 9.0
    for k, head in enumerate(("First edge down", "Turned over: the other edge down")):
        y = 40 + k * (tall - 30) / 2
        edge = y + (tall - 60) / 4 + 6
        sag = lean if k == 0 else -lean
        x1, x2 = 60.0, wide - 190
        picture.text(28, y, head, "ink", 14, bold=True)
        curve = [(x1 + (x2 - x1) * t / 20, edge - 16 - sag * (1 - ((t - 10) / 10) ** 2)) for t in range(21)]
        picture.poly([*curve, *[(x, v - 26) for x, v in reversed(curve)]], "stone", "ink", 1.4)
        picture.poly(
            [(x1 - 30, edge + 10), (x2 + 30, edge + 10), (x2 + 30, edge + 26), (x1 - 30, edge + 26)],
            "ground",
            "ink",
            1.2,
        )
        for x in (x1 + 14, x2 - 14):
            picture.box(x - 8, edge - 14, 16, 24, "night", "night")
        mid = (x1 + x2) / 2
        picture.line(mid, edge - 16 - sag, mid, edge + 10, "keel", 2.2)
        key = f"g{k + 1}/{cycle}"
        seen = run.seen.get(key)
        now = active is not None and active.key == key
        value = typed if now and typed is not None else (seen.value if seen else None)
        text = "gap ?" if value is None else f"{value * 1000:.2f} mm"
        picture.text(
            wide - 30, edge - 2, text, "keel" if now else "ink", 20, bold=value is not None, align="right"
        )
        picture.text(wide - 30, edge + 18, "middle gap", "muted", 13, align="right")
    if run.outcome.found:
        f = run.outcome.found[0]
        picture.text(
            14,
            tall - 10,
            f"bow {f.show_with_u()}, drawn far larger than it is",
            "muted",
            13,
        )
    picture.caption = "Straightness"
