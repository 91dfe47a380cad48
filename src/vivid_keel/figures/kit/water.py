"""Water as it is checked: a tube and how it comes to rest, a hydrostatic level's drift."""

from __future__ import annotations

import math

from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.readings import at as _at
from vivid_keel.figures.kit.readings import last as _last


def tube(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw both ends side by side at one board, and how the water comes to rest."""
    n = _last(run, active)
    s = run.outcome.shown
    e = [_at(run, f"e{k}/{n}", active, typed) for k in (1, 2)]
    half = picture.width * 0.4
    top, base = 44.0, picture.height - 34.0
    picture.text(20, 26, "Both ends at one board", "ink", 14, bold=True)
    picture.box(30, top, half - 50, base - top - 24, "wood", "ink", 1.2)
    known = [v for v in e if v is not None]
    mid = sum(known) / len(known) if known else 0.0
    for k, v in enumerate(e):
        cx = 30 + (half - 50) * (0.3 + 0.4 * k)
        level = (top + base) / 2 - (0.0 if v is None else max(-50.0, min(50.0, (v - mid) * 9000)))
        picture.box(cx - 9, top + 8, 18, base - top - 16, "bright", "ink", 1.4)
        picture.box(cx - 8, level, 16, base - level - 10, "leaf", "")
        now = active is not None and active.key == f"e{k + 1}/{n}"
        picture.line(cx - 34, level, cx + 34, level, "keel", 2.2 if v is not None else 1.0, dash=v is None)
        picture.text(
            cx, top - 2, f"end {k + 1}", "keel" if now else "ink", 13, bold=now, align="centre", ground=True
        )
        if v is not None:
            picture.text(
                cx,
                level - 8,
                f"{v * 1000:.1f}",
                "keel" if now else "ink",
                15,
                bold=True,
                align="centre",
                ground=True,
            )
    settling(picture, half + 20, 44, picture.width - half - 50, picture.height - 90, s)
    picture.caption = "Water tube"


def settling(picture: Picture, x: float, y: float, w: float, h: float, s: object) -> None:
    """Draw the water coming to rest, with the wait marked."""
    assert isinstance(s, dict)
    from vivid_keel.core.instruments.checks.tube import WATER, G

    filled, bore, wait, start = s["filled"], s["bore"], max(s["wait"], 1.0), s["start"]
    omega, beta = math.sqrt((1 if s["basin"] else 2) * G / filled), 4 * WATER / bore**2
    span = wait * 1.25
    picture.text(x, y - 18, "How it comes to rest", "ink", 14, bold=True)
    picture.line(x, y + h / 2, x + w, y + h / 2, "muted", 1.0)
    picture.line(x, y, x, y + h, "ink", 1.2)

    def at(t: float) -> float:
        if beta < omega:
            return math.exp(-beta * t) * math.cos(math.sqrt(omega**2 - beta**2) * t)
        return math.exp(-(omega**2) / (beta + math.sqrt(beta**2 - omega**2)) * t)

    steps = 600
    points = [(x + w * k / steps, y + h / 2 - at(span * k / steps) * h * 0.46) for k in range(steps + 1)]
    picture.poly(points, "", "raise", 1.4, closed=False)
    xw = x + w * wait / span
    picture.line(xw, y, xw, y + h, "keel", 2.0, dash=True)
    picture.text(
        xw - 6, y + 14, f"read from {math.ceil(wait)} s on", "keel", 14, bold=True, align="right", ground=True
    )
    picture.text(
        x + w,
        y + h + 18,
        f"from {start * 1000:g} mm to under {s['step'] * 1000:g} mm",
        "muted",
        13,
        align="right",
    )


def hydrostatic(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the zero checks over time, the fitted drift, and what a moved base voids."""
    s = run.outcome.shown
    checks = sorted(int(k[1:]) for k in s if k[0] == "z" and k[1:].isdigit())
    x0, x1, top, base = 80.0, picture.width - 40.0, 50.0, picture.height - 50.0
    picture.line(x0, base, x1, base, "ink", 1.2)
    picture.line(x0, top, x0, base, "ink", 1.2)
    picture.text(14, 26, "Reading on the benchmark, mm", "ink", 14, bold=True)
    if not checks:
        picture.text(
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
    lo = min(t.values())
    hi = max(*t.values(), lo + 1, lo + 1e-6 * abs(lo))  # hours of a file made elsewhere may be monstrous
    reach = max(0.003, *(abs(v) for v in z.values())) * 1.2

    def x(v: float) -> float:
        return x0 + 20 + (v - lo) / (hi - lo) * (x1 - x0 - 60)

    def y(v: float) -> float:
        return (top + base) / 2 - v / reach * (base - top) / 2

    picture.line(x0, y(0), x1, y(0), "rule", 1.2)
    for v in (-reach / 1.2, 0, reach / 1.2):
        picture.text(x0 - 8, y(v) + 5, f"{v * 1000:.0f}", "muted", 13, align="right")
    first = int(s.get("from", checks[0]))
    used = [k for k in checks if k >= first]
    if first > checks[0]:
        picture.box(
            x(t[max(k for k in checks if k < first)]),
            top,
            x(t[first]) - x(t[max(k for k in checks if k < first)]),
            base - top,
            "row",
            "",
        )
        picture.text(x(t[first]) - 6, top + 16, "base moved: void", "wrong", 13, align="right", ground=True)
    if "rate" in s and len(used) > 1:
        mean_t, mean_z = sum(t[k] for k in used) / len(used), sum(z[k] for k in used) / len(used)
        a, b = t[used[0]], t[used[-1]]
        picture.line(
            x(a),
            y(mean_z + s["rate"] * (a - mean_t)),
            x(b),
            y(mean_z + s["rate"] * (b - mean_t)),
            "keel",
            2.2,
        )
    for k in checks:
        picture.disc(x(t[k]), y(z[k]), 5, "raise" if k >= first else "paper", "ink", 1.4)
        picture.text(x(t[k]), base + 20, f"{t[k]:g} h", "muted", 13, align="centre")
    picture.caption = "Drift of a hydrostatic level"
