"""Bubbles, string, plumb frame and staff, each as it is checked."""

from __future__ import annotations

import math

from vivid_keel.core.instruments.outcome import Step, show_in
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.readings import at as _at
from vivid_keel.figures.kit.readings import last as _last
from vivid_keel.figures.kit.shapes import dashed, dimension, pill
from vivid_keel.figures.kit.vials import draw_vial


def _ring(points: int, x: float, y: float, r: float) -> list[tuple[float, float]]:
    return [
        (x + r * math.cos(2 * math.pi * k / points), y + r * math.sin(2 * math.pi * k / points))
        for k in range(points)
    ]


def circular(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the circular bubble seen from above: central, a quarter, half a turn; and the half to set."""
    n = _last(run, active)
    x, y = _at(run, f"right/{n}", active, typed), _at(run, f"away/{n}", active, typed)
    quarter = _at(run, f"quarter/{n}", active, typed)
    third = picture.width / 3
    r = min(third * 0.36, picture.height * 0.3)
    cy = picture.height * 0.5
    per = r * 0.55 / 0.003  # 3 mm reach this far on the glass

    def clip(v: float) -> float:
        return max(-r * 0.6, min(r * 0.6, v * per))

    views = (
        ("Central", 0.0, 0.0, True),
        ("A quarter turn", 0.0 if quarter is None else quarter, 0.0, quarter is not None),
        ("Half a turn", x or 0.0, y or 0.0, x is not None),
    )
    for k, (title, right, away, known) in enumerate(views):
        cx = third * (k + 0.5)
        picture.text(cx, 30, title, "ink", 15, bold=True, align="centre")
        picture.disc(cx, cy, r, "stone", "ink", 1.6)
        picture.disc(cx, cy, r * 0.86, "glass", "ink", 1.4)
        picture.disc(cx, cy, r * 0.36, "", "ink", 2.0)
        bx, by, br = cx + clip(right), cy - clip(away), r * 0.27
        if known:
            picture.disc(bx, by, br, "bright", "keel" if k == 2 else "ink", 2.2)
        else:
            dashed(picture, _ring(48, bx, by, br), "muted", 1.2)
        turn = -math.pi / 2 + k * math.pi / 2
        picture.line(
            cx + math.cos(turn) * r * 1.04,
            cy + math.sin(turn) * r * 1.04,
            cx + math.cos(turn) * r * 1.24,
            cy + math.sin(turn) * r * 1.24,
            "ink",
            5,
        )
        if k == 2 and x is not None and y is not None and run.outcome.found:
            dashed(picture, _ring(48, cx + clip(x / 2), cy - clip(y / 2), br), "keel", 2.2)
    picture.text(
        picture.width / 2,
        picture.height - 38,
        "the thick stub is where the telescope points; away from you is up",
        "muted",
        13,
        align="centre",
    )
    if run.outcome.found:
        picture.text(
            picture.width / 2,
            picture.height - 16,
            "dashed: where the foot screws leave it, half the way back; the rest with the bubble's own screws",
            "keel",
            13,
            align="centre",
        )
    picture.caption = "Circular bubble"


def plate(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the plate bubble over its screws, with the half to set, and the head from above."""
    n = _last(run, active)
    four = run.way == "four"
    left = picture.width - 230
    for k, key in enumerate(("first", "second")):
        y = 44 + k * (picture.height - 50) / 2
        over = (("two screws", "the third screw"), ("one opposite pair", "the other pair"))[four][k]
        picture.text(20, y, f"Over {over}, after half a turn", "ink", 14, bold=True)
        value = _at(run, f"{key}/{n}", active, typed)
        body = max(30.0, min(60.0, picture.height / 2 - 92))
        draw_vial(
            picture,
            24,
            y + 10,
            left - 60,
            body,
            5,
            0.0 if value is None else value,
            target=None if value is None else value / 2,
            live=active is not None and active.key == f"{key}/{n}",
            hollow=value is None,
        )
        if value is not None:
            picture.text(
                left - 24,
                y + 10 + body + 26,
                f"off by {show_number(value, 1, signed=True)}; set to {show_number(value / 2, 1, signed=True)} (dashed)",
                "keel",
                13,
                align="right",
            )
        cx, cy, r = picture.width - 120, y + 10 + body / 2 + 6, min(52.0, picture.height / 5)
        picture.disc(cx, cy, r, "stone", "ink", 1.4)
        turned = (
            [math.pi / 4 + j * math.pi / 2 for j in range(4)]
            if four
            else [math.pi / 2 + j * 2 * math.pi / 3 for j in range(3)]
        )
        used = ((0, 2), (1, 3)) if four else ((1, 2), (0,))
        for j, a in enumerate(turned):
            picture.disc(
                cx + r * 0.78 * math.cos(a),
                cy + r * 0.78 * math.sin(a),
                9,
                "keel" if j in used[k] else "paper",
                "ink",
                1.4,
            )
        tilt = {True: (math.pi / 4, -math.pi / 4), False: (0.0, math.pi / 2)}[four][k]
        bar = [
            (
                cx + a * r * 0.46 * math.cos(tilt) - b * 7 * math.sin(tilt),
                cy + a * r * 0.46 * math.sin(tilt) + b * 7 * math.cos(tilt),
            )
            for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        picture.poly(bar, "glass", "ink", 1.4)
    picture.text(
        picture.width - 120,
        picture.height - 12,
        "the bubble follows the left thumb",
        "muted",
        13,
        align="centre",
    )
    picture.caption = "Plate bubble"


def string(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the taut string with its level, the sag and the far end."""
    n = _last(run, active)
    s = run.outcome.shown
    off = _at(run, f"off/{n}", active, typed)
    x0, x1, y0 = 70.0, picture.width - 90.0, picture.height * 0.4
    for x in (x0, x1):
        picture.box(x - 7, y0 - 26, 14, picture.height - y0 - 20, "wood", "ink", 1.2)
    mid = (x0 + x1) / 2
    span = float(s.get("span", 7.5))
    place = mid + (off or 0.0) / span * (x1 - x0)
    sag = 34.0
    points = [(x0 + (x1 - x0) * k / 40, y0 + sag * 4 * (k / 40) * (1 - k / 40)) for k in range(41)]
    picture.line(x0, y0, x1, y0, "muted", 1.0, dash=True)
    picture.poly(points, "", "keel", 2.2, closed=False)
    k = (place - x0) / (x1 - x0)
    at = y0 + sag * 4 * k * (1 - k)
    picture.poly(pill(place - 34, at + 4, 68, 16), "glass", "ink", 1.4)
    picture.line(mid, y0 - 16, mid, y0 + sag + 60, "rule", 1.2, dash=True)
    picture.text(mid, y0 - 22, "the middle", "muted", 13, align="centre")
    if off is not None and abs(off) > 0.001:
        dimension(picture, mid, place, at + 44, f"{off * 1000:.0f} mm off")
    picture.text(
        mid,
        y0 + sag + 84,
        f"sag {float(s.get('sag', 0)) * 1000:.1f} mm",
        "ink",
        15,
        bold=True,
        align="centre",
    )
    if "end" in s:
        picture.text(
            x1 - 14,
            y0 - 40,
            f"far end {show_in(float(s['end']), 'length', abs(float(s['end'])))}",
            "keel",
            15,
            bold=True,
            align="right",
        )
    dimension(picture, x0, x1, picture.height - 22, f"{span:g} m")
    picture.text(14, 24, "Sag drawn far larger than it is", "muted", 13)
    picture.caption = "String and its level"


def plumb_frame(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the frame on its two feet, then turned about, and its bob against the mark."""
    n = _last(run, active)
    third = (picture.width - 150) / 2
    e = run.outcome.found[0].value if run.outcome.found else None
    for k, head in enumerate(("First", "Turned about, the same feet")):
        cx, top, base = third * (k + 0.5), 52.0, picture.height - 46.0
        picture.text(cx, 28, head, "ink", 14, bold=True, align="centre")
        picture.poly(
            [
                (cx, top),
                (cx - third * 0.34, base),
                (cx - third * 0.28, base),
                (cx, top + 26),
                (cx + third * 0.28, base),
                (cx + third * 0.34, base),
            ],
            "wood",
            "ink",
            1.4,
        )
        bar = top + (base - top) * 0.72
        picture.box(cx - third * 0.25, bar, third * 0.5, 12, "wood", "ink", 1.2)
        v = _at(run, f"m{k + 1}/{n}", active, typed)
        now = active is not None and active.key == f"m{k + 1}/{n}"
        shift = 0.0 if v is None else max(-40.0, min(40.0, v * 9000))
        picture.line(cx, top + 8, cx + shift, bar - 6, "keel", 1.8)
        picture.poly(
            [(cx + shift - 6, bar - 16), (cx + shift + 6, bar - 16), (cx + shift, bar - 2)], "night", "night"
        )
        picture.line(cx, bar, cx, bar + 12, "ink", 3.0)
        if e is not None:
            at = cx + max(-40.0, min(40.0, (e if k == 0 else -e) * 9000))
            picture.line(at, bar - 2, at, bar + 14, "keel", 2.0, dash=True)
        picture.text(
            cx,
            base + 24,
            "?" if v is None else f"{show_number(v * 1000, 1, signed=True)} mm",
            "keel" if now else "ink",
            17,
            bold=True,
            align="centre",
        )
        picture.poly(
            [
                (cx - third * 0.44, base),
                (cx + third * 0.44, base - 3),
                (cx + third * 0.44, base + 4),
                (cx - third * 0.44, base + 4),
            ],
            "ground",
            "ink",
            1.0,
        )
    picture.text(
        picture.width - 140, 60, f"swings {run.outcome.shown.get('period', 0):.2f} s", "ink", 15, bold=True
    )
    if "wait" in run.outcome.shown:
        picture.text(
            picture.width - 140, 82, f"wait {math.ceil(run.outcome.shown['wait'])} s", "ink", 15, bold=True
        )
    if e is not None:
        picture.text(picture.width - 140, 120, "dashed: where its", "keel", 13)
        picture.text(picture.width - 140, 138, "mark belongs", "keel", 13)
    picture.caption = "Plumb bob frame"


def staff(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the staff lying, its foot and joints, and what each adds above it."""
    joints = round(run.traits.number("joints", 3))
    n = _last(run, active)
    x0, x1, y = 90.0, picture.width - 60.0, picture.height * 0.36
    parts = joints + 1
    w = (x1 - x0) / parts
    for k in range(parts):
        picture.box(x0 + k * w, y - 24 + 2 * k, w, 48 - 4 * k, "bright", "ink", 1.6)
        for m in range(1, 10):
            picture.line(x0 + k * w + w * m / 10, y - 24 + 2 * k, x0 + k * w + w * m / 10, y - 8, "ink", 1.0)
    names = ["foot", *[f"j{k}" for k in range(1, joints + 1)]]
    for k, key in enumerate(names):
        x = x0 + k * w
        v = _at(run, f"{key}/{n}", active, typed)
        now = active is not None and active.key == f"{key}/{n}"
        nominal = 0.1 if key == "foot" else 0.2
        a, b = (x, x + 42) if key == "foot" else (x - 36, x + 36)
        dimension(picture, a, b, y - 42, "?" if v is None else f"{v * 1000:.1f}", "keel" if now else "muted")
        picture.text(
            x + (21 if key == "foot" else 0),
            y + 46,
            "foot" if key == "foot" else f"joint {k}",
            "keel" if now else "ink",
            14,
            bold=now,
            align="centre",
        )
        if v is not None:
            added = (nominal - v) * 1000
            good = abs(added) <= run.traits.number("limit") * 1000
            picture.text(
                x + (21 if key == "foot" else 0),
                y + 68,
                f"{show_number(added, 1, signed=True)} mm",
                "ink" if good else "wrong",
                14,
                bold=not good,
                align="centre",
            )
    total = 0.0
    base = picture.height - 30
    picture.text(14, base - 34, "reads too", "muted", 13)
    picture.text(14, base - 18, "long by, mm", "muted", 13)
    sums = []
    for key in names:
        v = _at(run, f"{key}/{n}", active, typed)
        total += 0.0 if v is None else ((0.1 if key == "foot" else 0.2) - v) * 1000
        sums.append(total)
    most = max(1.0, *(abs(v) for v in sums))
    steps = []
    for k, v in enumerate(sums):
        at = base - 34 * v / most
        steps += [(x0 + k * w, at), (x0 + (k + 1) * w, at)]
        picture.text(x0 + (k + 0.5) * w, at - 6, show_number(v, 1, signed=True), "ink", 13, align="centre")
    picture.line(x0, base, x1, base, "rule", 1.2)
    picture.poly(steps, "", "keel", 2.2, closed=False)
    picture.caption = "Foot and joints of a staff"
