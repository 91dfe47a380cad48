"""Bubbles, lasers, water, string, plumb frame and staff, each as it is checked."""

from __future__ import annotations

import math

from vivid_keel.core.instruments.outcome import Step, show_in
from vivid_keel.core.instruments.procedures.lasers import SIDES
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.shapes import dashed, dimension, pill, tripod
from vivid_keel.figures.kit.vials import draw_vial


def _last(run: CheckRun, active: Step | None) -> int:
    return (
        active.cycle
        if active is not None and active.cycle
        else max([int(k.rpartition("/")[2]) for k in run.seen if "/" in k], default=1)
    )


def _at(run: CheckRun, key: str, active: Step | None, typed: float | None) -> float | None:
    if active is not None and active.key == key and typed is not None:
        return typed
    seen = run.seen.get(key)
    return None if seen is None or math.isnan(seen.value) else seen.value


def _ring(points: int, x: float, y: float, r: float) -> list[tuple[float, float]]:
    return [
        (x + r * math.cos(2 * math.pi * k / points), y + r * math.sin(2 * math.pi * k / points))
        for k in range(points)
    ]


def circular(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the circular bubble seen from above: central, a quarter, half a turn; and the half to set."""
    n = _last(run, active)
    x, y = _at(run, f"right/{n}", active, typed), _at(run, f"away/{n}", active, typed)
    quarter = _at(run, f"quarter/{n}", active, typed)
    third = p.width / 3
    r = min(third * 0.36, p.height * 0.3)
    cy = p.height * 0.5
    per = r * 0.55 / 0.003  # 3 mm reach this far on the glass

    def clip(v: float) -> float:
        return max(-r * 0.6, min(r * 0.6, v * per))

    views = (("Central", 0.0, 0.0, True), ("A quarter turn", 0.0 if quarter is None else quarter, 0.0, quarter is not None),
             ("Half a turn", x or 0.0, y or 0.0, x is not None))  # fmt: skip
    for k, (title, right, away, known) in enumerate(views):
        cx = third * (k + 0.5)
        p.text(cx, 30, title, "ink", 15, bold=True, align="centre")
        p.disc(cx, cy, r, "stone", "ink", 1.6)
        p.disc(cx, cy, r * 0.86, "glass", "ink", 1.4)
        p.disc(cx, cy, r * 0.36, "", "ink", 2.0)
        bx, by, br = cx + clip(right), cy - clip(away), r * 0.27
        if known:
            p.disc(bx, by, br, "bright", "keel" if k == 2 else "ink", 2.2)
        else:
            dashed(p, _ring(48, bx, by, br), "muted", 1.2)
        turn = -math.pi / 2 + k * math.pi / 2
        p.line(
            cx + math.cos(turn) * r * 1.04,
            cy + math.sin(turn) * r * 1.04,
            cx + math.cos(turn) * r * 1.24,
            cy + math.sin(turn) * r * 1.24,
            "ink",
            5,
        )
        if k == 2 and x is not None and y is not None and run.outcome.found:
            dashed(p, _ring(48, cx + clip(x / 2), cy - clip(y / 2), br), "keel", 2.2)
    p.text(
        p.width / 2,
        p.height - 38,
        "the thick stub is where the telescope points; away from you is up",
        "muted",
        13,
        align="centre",
    )
    if run.outcome.found:
        p.text(
            p.width / 2,
            p.height - 16,
            "dashed: where the foot screws leave it, half the way back; the rest with the bubble's own screws",
            "keel",
            13,
            align="centre",
        )
    p.caption = "Circular bubble"


def plate(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the plate bubble over its screws, with the half to set, and the head from above."""
    n = _last(run, active)
    four = run.way == "four"
    left = p.width - 230
    for k, key in enumerate(("first", "second")):
        y = 44 + k * (p.height - 50) / 2
        over = (("two screws", "the third screw"), ("one opposite pair", "the other pair"))[four][k]
        p.text(20, y, f"Over {over}, after half a turn", "ink", 14, bold=True)
        value = _at(run, f"{key}/{n}", active, typed)
        body = max(30.0, min(60.0, p.height / 2 - 92))
        draw_vial(p, 24, y + 10, left - 60, body, 5, 0.0 if value is None else value, target=None if value is None else value / 2,
                  live=active is not None and active.key == f"{key}/{n}", hollow=value is None)  # fmt: skip
        if value is not None:
            p.text(
                left - 24,
                y + 10 + body + 26,
                f"off by {show_number(value, 1, signed=True)}; set to {show_number(value / 2, 1, signed=True)} (dashed)",
                "keel",
                13,
                align="right",
            )
        cx, cy, r = p.width - 120, y + 10 + body / 2 + 6, min(52.0, p.height / 5)
        p.disc(cx, cy, r, "stone", "ink", 1.4)
        turned = (
            [math.pi / 4 + j * math.pi / 2 for j in range(4)]
            if four
            else [math.pi / 2 + j * 2 * math.pi / 3 for j in range(3)]
        )
        used = ((0, 2), (1, 3)) if four else ((1, 2), (0,))
        for j, a in enumerate(turned):
            p.disc(
                cx + r * 0.78 * math.cos(a),
                cy + r * 0.78 * math.sin(a),
                9,
                "keel" if j in used[k] else "paper",
                "ink",
                1.4,
            )
        tilt = {True: (math.pi / 4, -math.pi / 4), False: (0.0, math.pi / 2)}[four][k]
        bar = [(cx + a * r * 0.46 * math.cos(tilt) - b * 7 * math.sin(tilt), cy + a * r * 0.46 * math.sin(tilt) + b * 7 * math.cos(tilt))
               for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]  # fmt: skip
        p.poly(bar, "glass", "ink", 1.4)
    p.text(p.width - 120, p.height - 12, "the bubble follows the left thumb", "muted", 13, align="centre")
    p.caption = "Plate bubble"


def axes(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the laser and its target with the four marks, X and Y."""
    n = _last(run, active)
    d = _at(run, "d", active, typed)
    marks = {s: _at(run, f"{s}/{n}", active, typed) for s in SIDES}
    known = [v for v in marks.values() if v is not None]
    wide, tall = p.width, p.height
    mid = sum(known) / len(known) if known else 0.0
    half = max(0.004, max((abs(v - mid) for v in known), default=0.0) * 1.3)
    board, top, base = wide - 250, 40.0, tall - 56
    p.box(board, top, 190, base - top, "bright", "ink", 1.6)
    p.line(board + 95, top, board + 95, base, "rule", 1.2)

    def y(v: float) -> float:
        return (top + base) / 2 - (v - mid) / half * (base - top) / 2 * 0.8

    x, at = 130.0, (top + base) / 2
    tripod(p, x, at, base + 10)
    p.box(x - 16, at - 26, 32, 22, "night", "night")
    p.line(x, at, board, at, "muted", 1.0, dash=True)
    for k, axis in enumerate("xy"):
        left = board + 8 + 95 * k
        p.text(left + 40, top - 8, f"axis {axis.upper()}", "ink", 14, bold=True, align="centre")
        for side, name in (("p", "+"), ("m", "−")):
            v = marks[axis + side]
            now = active is not None and active.key == f"{axis}{side}/{n}"
            if v is None:
                continue
            p.line(left, y(v), left + 78, y(v), "keel", 3.0 if now else 2.2, dash=side == "m")
            above = side == "p"
            p.text(
                left + 2,
                y(v) - 6 if above else y(v) + 16,
                f"{axis.upper()}{name}  {v * 1000:.1f}",
                "keel" if now else "ink",
                13,
                bold=now,
                ground=True,
            )
    if active is not None and active.key.partition("/")[0] in SIDES:
        p.text(x, 30, f"{active.title.split(' to ')[0]} faces the target", "keel", 15, bold=True, align="centre")
    dimension(p, x, board, base + 22, f"{d:g} m" if d else "15 m or more")
    for k, f in enumerate(run.outcome.found):
        p.text(board + 190, base + 22 + 20 * k, f"{f.name}: {f.show(f.value)}", "ink", 14, bold=True, align="right")
    p.caption = "Axes of a rotating laser"


def fan(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the line on the wall at left, middle and right against a level one."""
    n = _last(run, active)
    at = {k: _at(run, f"{k}/{n}", active, typed) for k in "lmr"}
    known = [v for v in at.values() if v is not None]
    mid = sum(known) / len(known) if known else 0.0
    wide, tall = p.width, p.height
    half = max(0.002, max((abs(v - mid) for v in known), default=0.0) * 1.4)
    y0 = tall * 0.42
    p.box(60, 40, wide - 120, tall * 0.62, "bright", "rule", 1.2)
    p.line(60, y0, wide - 60, y0, "muted", 1.2, dash=True)
    xs = {"l": 100.0, "m": wide / 2, "r": wide - 100.0}

    def y(v: float) -> float:
        return y0 - (v - mid) / half * tall * 0.2

    points = [(xs[k], y(v)) for k in "lmr" if (v := at[k]) is not None]
    if len(points) > 1:
        p.poly(points, "", "keel", 3.0, closed=False)
    for k, name in (("l", "left"), ("m", "middle"), ("r", "right")):
        v, now = at[k], active is not None and active.key == f"{k}/{n}"
        p.line(xs[k], 50, xs[k], 40 + tall * 0.6, "rule", 1.0)
        p.text(xs[k], 40 + tall * 0.62 + 20, name, "keel" if now else "ink", 14, bold=True, align="centre")
        if v is not None:
            p.disc(xs[k], y(v), 5, "keel", "ink", 1.0)
            p.text(
                xs[k],
                y(v) - 12,
                f"{v * 1000:.1f} mm",
                "keel" if now else "ink",
                15,
                bold=True,
                align="centre",
                ground=True,
            )
    p.disc(wide / 2, tall - 26, 9, "night", "night")
    for k in "lmr":
        p.line(wide / 2, tall - 26, xs[k], 40 + tall * 0.62, "keel", 0.8, dash=True)
    p.text(wide / 2 + 18, tall - 20, "the laser, as far from all three marks", "muted", 13)
    p.text(14, 26, "The wall seen from the laser; heights drawn far larger than they are", "muted", 13)
    p.caption = "Line of a line laser"


def plumb_line(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the laser's plumb line beside the string with its bob."""
    n = _last(run, active)
    top, foot, h = (_at(run, k, active, typed) for k in (f"top/{n}", f"foot/{n}", "h"))
    cx, y0, y1 = p.width * 0.42, 40.0, p.height - 40.0
    p.line(cx, y0, cx, y1 - 26, "ink", 1.6)
    p.poly([(cx - 8, y1 - 26), (cx + 8, y1 - 26), (cx, y1)], "night", "night")
    p.line(cx - 60, y0, cx + 120, y0, "ink", 2.0)

    def x(v: float | None) -> float:
        return cx + 60 + (0.0 if v is None else max(-90.0, min(90.0, (v - (foot or 0.0)) * 12000)))

    p.line(x(top), y0 + 6, cx + 60, y1 - 12, "keel", 2.6, dash=top is None or foot is None)
    for v, y, key, name in ((top, y0 + 34, f"top/{n}", "at the top"), (foot, y1 - 30, f"foot/{n}", "at the foot")):
        now = active is not None and active.key == key
        p.line(cx, y, x(v) if key.startswith("top") else cx + 60, y, "muted", 1.2)
        p.text(
            cx + 170,
            y + 5,
            f"{'?' if v is None else f'{v * 1000:.1f} mm'} {name}",
            "keel" if now else "ink",
            16,
            bold=True,
        )
    dimension_v(p, cx - 50, y0 + 34, y1 - 30, f"{h:g} m" if h else "height")
    p.text(
        14, 26, "String with its bob, and the laser's plumb line; sideways drawn far larger than it is", "muted", 13
    )
    p.caption = "Plumb line of a line laser"


def dimension_v(p: Picture, x: float, y1: float, y2: float, text: str) -> None:
    """Draw a measured height between two ticks."""
    p.line(x, y1, x, y2, "muted")
    for y in (y1, y2):
        p.line(x - 4, y, x + 4, y, "muted", 1.4)
    p.text(x - 8, (y1 + y2) / 2 + 5, text, "muted", 13, align="right")


def tube(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw both ends side by side at one board, and how the water comes to rest."""
    n = _last(run, active)
    s = run.outcome.shown
    e = [_at(run, f"e{k}/{n}", active, typed) for k in (1, 2)]
    half = p.width * 0.4
    top, base = 44.0, p.height - 34.0
    p.text(20, 26, "Both ends at one board", "ink", 14, bold=True)
    p.box(30, top, half - 50, base - top - 24, "wood", "ink", 1.2)
    known = [v for v in e if v is not None]
    mid = sum(known) / len(known) if known else 0.0
    for k, v in enumerate(e):
        cx = 30 + (half - 50) * (0.3 + 0.4 * k)
        level = (top + base) / 2 - (0.0 if v is None else max(-50.0, min(50.0, (v - mid) * 9000)))
        p.box(cx - 9, top + 8, 18, base - top - 16, "bright", "ink", 1.4)
        p.box(cx - 8, level, 16, base - level - 10, "leaf", "")
        now = active is not None and active.key == f"e{k + 1}/{n}"
        p.line(cx - 34, level, cx + 34, level, "keel", 2.2 if v is not None else 1.0, dash=v is None)
        p.text(cx, top - 2, f"end {k + 1}", "keel" if now else "ink", 13, bold=now, align="centre", ground=True)
        if v is not None:
            p.text(
                cx, level - 8, f"{v * 1000:.1f}", "keel" if now else "ink", 15, bold=True, align="centre", ground=True
            )
    settling(p, half + 20, 44, p.width - half - 50, p.height - 90, s)
    p.caption = "Water tube"


def settling(p: Picture, x: float, y: float, w: float, h: float, s: object) -> None:
    """Draw the water coming to rest, with the wait marked."""
    assert isinstance(s, dict)
    from vivid_keel.core.instruments.checks.tube import WATER, G

    filled, bore, wait, start = s["filled"], s["bore"], max(s["wait"], 1.0), s["start"]
    omega, beta = math.sqrt((1 if s["basin"] else 2) * G / filled), 4 * WATER / bore**2
    span = wait * 1.25
    p.text(x, y - 18, "How it comes to rest", "ink", 14, bold=True)
    p.line(x, y + h / 2, x + w, y + h / 2, "muted", 1.0)
    p.line(x, y, x, y + h, "ink", 1.2)

    def at(t: float) -> float:
        if beta < omega:
            return math.exp(-beta * t) * math.cos(math.sqrt(omega**2 - beta**2) * t)
        return math.exp(-(omega**2) / (beta + math.sqrt(beta**2 - omega**2)) * t)

    steps = 600
    points = [(x + w * k / steps, y + h / 2 - at(span * k / steps) * h * 0.46) for k in range(steps + 1)]
    p.poly(points, "", "raise", 1.4, closed=False)
    xw = x + w * wait / span
    p.line(xw, y, xw, y + h, "keel", 2.0, dash=True)
    p.text(xw - 6, y + 14, f"read from {math.ceil(wait)} s on", "keel", 14, bold=True, align="right", ground=True)
    p.text(
        x + w, y + h + 18, f"from {start * 1000:g} mm to under {s['step'] * 1000:g} mm", "muted", 13, align="right"
    )


def hydrostatic(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the zero checks over time, the fitted drift, and what a moved base voids."""
    s = run.outcome.shown
    checks = sorted(int(k[1:]) for k in s if k[0] == "z" and k[1:].isdigit())
    x0, x1, top, base = 80.0, p.width - 40.0, 50.0, p.height - 50.0
    p.line(x0, base, x1, base, "ink", 1.2)
    p.line(x0, top, x0, base, "ink", 1.2)
    p.text(14, 26, "Reading on the benchmark, mm", "ink", 14, bold=True)
    if not checks:
        p.text(
            (x0 + x1) / 2,
            (top + base) / 2,
            "Zero it on the benchmark; read it there again and again, hours apart.",
            "muted",
            15,
            align="centre",
        )
        return
    t = {k: float(s[f"t{k}"]) for k in checks}
    z = {k: float(s[f"z{k}"]) for k in checks}
    lo, hi = min(t.values()), max(max(t.values()), min(t.values()) + 1)
    reach = max(0.003, *(abs(v) for v in z.values())) * 1.2

    def x(v: float) -> float:
        return x0 + 20 + (v - lo) / (hi - lo) * (x1 - x0 - 60)

    def y(v: float) -> float:
        return (top + base) / 2 - v / reach * (base - top) / 2

    p.line(x0, y(0), x1, y(0), "rule", 1.2)
    for v in (-reach / 1.2, 0, reach / 1.2):
        p.text(x0 - 8, y(v) + 5, f"{v * 1000:.0f}", "muted", 13, align="right")
    first = int(s.get("from", checks[0]))
    used = [k for k in checks if k >= first]
    if first > checks[0]:
        p.box(
            x(t[max(k for k in checks if k < first)]),
            top,
            x(t[first]) - x(t[max(k for k in checks if k < first)]),
            base - top,
            "row",
            "",
        )
        p.text(x(t[first]) - 6, top + 16, "base moved: void", "wrong", 13, align="right", ground=True)
    if "rate" in s and len(used) > 1:
        mean_t, mean_z = sum(t[k] for k in used) / len(used), sum(z[k] for k in used) / len(used)
        a, b = t[used[0]], t[used[-1]]
        p.line(x(a), y(mean_z + s["rate"] * (a - mean_t)), x(b), y(mean_z + s["rate"] * (b - mean_t)), "keel", 2.2)
    for k in checks:
        p.disc(x(t[k]), y(z[k]), 5, "raise" if k >= first else "paper", "ink", 1.4)
        p.text(x(t[k]), base + 20, f"{t[k]:g} h", "muted", 13, align="centre")
    p.caption = "Drift of a hydrostatic level"


def string(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the taut string with its level, the sag and the far end."""
    n = _last(run, active)
    s = run.outcome.shown
    off = _at(run, f"off/{n}", active, typed)
    x0, x1, y0 = 70.0, p.width - 90.0, p.height * 0.4
    for x in (x0, x1):
        p.box(x - 7, y0 - 26, 14, p.height - y0 - 20, "wood", "ink", 1.2)
    mid = (x0 + x1) / 2
    span = float(s.get("span", 7.5))
    place = mid + (off or 0.0) / span * (x1 - x0)
    sag = 34.0
    points = [(x0 + (x1 - x0) * k / 40, y0 + sag * 4 * (k / 40) * (1 - k / 40)) for k in range(41)]
    p.line(x0, y0, x1, y0, "muted", 1.0, dash=True)
    p.poly(points, "", "keel", 2.2, closed=False)
    k = (place - x0) / (x1 - x0)
    at = y0 + sag * 4 * k * (1 - k)
    p.poly(pill(place - 34, at + 4, 68, 16), "glass", "ink", 1.4)
    p.line(mid, y0 - 16, mid, y0 + sag + 60, "rule", 1.2, dash=True)
    p.text(mid, y0 - 22, "the middle", "muted", 13, align="centre")
    if off is not None and abs(off) > 0.001:
        dimension(p, mid, place, at + 44, f"{off * 1000:.0f} mm off")
    p.text(mid, y0 + sag + 84, f"sag {float(s.get('sag', 0)) * 1000:.1f} mm", "ink", 15, bold=True, align="centre")
    if "end" in s:
        p.text(
            x1 - 14,
            y0 - 40,
            f"far end {show_in(float(s['end']), 'length', abs(float(s['end'])))}",
            "keel",
            15,
            bold=True,
            align="right",
        )
    dimension(p, x0, x1, p.height - 22, f"{span:g} m")
    p.text(14, 24, "Sag drawn far larger than it is", "muted", 13)
    p.caption = "String and its level"


def plumb_frame(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the frame on its two feet, then turned about, and its bob against the mark."""
    n = _last(run, active)
    third = (p.width - 150) / 2
    e = run.outcome.found[0].value if run.outcome.found else None
    for k, head in enumerate(("First", "Turned about, the same feet")):
        cx, top, base = third * (k + 0.5), 52.0, p.height - 46.0
        p.text(cx, 28, head, "ink", 14, bold=True, align="centre")
        p.poly(
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
        p.box(cx - third * 0.25, bar, third * 0.5, 12, "wood", "ink", 1.2)
        v = _at(run, f"m{k + 1}/{n}", active, typed)
        now = active is not None and active.key == f"m{k + 1}/{n}"
        shift = 0.0 if v is None else max(-40.0, min(40.0, v * 9000))
        p.line(cx, top + 8, cx + shift, bar - 6, "keel", 1.8)
        p.poly([(cx + shift - 6, bar - 16), (cx + shift + 6, bar - 16), (cx + shift, bar - 2)], "night", "night")
        p.line(cx, bar, cx, bar + 12, "ink", 3.0)
        if e is not None:
            at = cx + max(-40.0, min(40.0, (e if k == 0 else -e) * 9000))
            p.line(at, bar - 2, at, bar + 14, "keel", 2.0, dash=True)
        p.text(
            cx,
            base + 24,
            "?" if v is None else f"{show_number(v * 1000, 1, signed=True)} mm",
            "keel" if now else "ink",
            17,
            bold=True,
            align="centre",
        )
        p.poly(
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
    p.text(p.width - 140, 60, f"swings {run.outcome.shown.get('period', 0):.2f} s", "ink", 15, bold=True)
    if "wait" in run.outcome.shown:
        p.text(p.width - 140, 82, f"wait {math.ceil(run.outcome.shown['wait'])} s", "ink", 15, bold=True)
    if e is not None:
        p.text(p.width - 140, 120, "dashed: where its", "keel", 13)
        p.text(p.width - 140, 138, "mark belongs", "keel", 13)
    p.caption = "Plumb bob frame"


def staff(p: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the staff lying, its foot and joints, and what each adds above it."""
    joints = round(run.traits.number("joints", 3))
    n = _last(run, active)
    x0, x1, y = 90.0, p.width - 60.0, p.height * 0.36
    parts = joints + 1
    w = (x1 - x0) / parts
    for k in range(parts):
        p.box(x0 + k * w, y - 24 + 2 * k, w, 48 - 4 * k, "bright", "ink", 1.6)
        for m in range(1, 10):
            p.line(x0 + k * w + w * m / 10, y - 24 + 2 * k, x0 + k * w + w * m / 10, y - 8, "ink", 1.0)
    names = ["foot", *[f"j{k}" for k in range(1, joints + 1)]]
    for k, key in enumerate(names):
        x = x0 + k * w
        v = _at(run, f"{key}/{n}", active, typed)
        now = active is not None and active.key == f"{key}/{n}"
        nominal = 0.1 if key == "foot" else 0.2
        a, b = (x, x + 42) if key == "foot" else (x - 36, x + 36)
        dimension(p, a, b, y - 42, "?" if v is None else f"{v * 1000:.1f}", "keel" if now else "muted")
        p.text(
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
            p.text(
                x + (21 if key == "foot" else 0),
                y + 68,
                f"{show_number(added, 1, signed=True)} mm",
                "ink" if good else "wrong",
                14,
                bold=not good,
                align="centre",
            )
    total = 0.0
    base = p.height - 30
    p.text(14, base - 34, "reads too", "muted", 13)
    p.text(14, base - 18, "long by, mm", "muted", 13)
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
        p.text(x0 + (k + 0.5) * w, at - 6, show_number(v, 1, signed=True), "ink", 13, align="centre")
    p.line(x0, base, x1, base, "rule", 1.2)
    p.poly(steps, "", "keel", 2.2, closed=False)
    p.caption = "Foot and joints of a staff"
