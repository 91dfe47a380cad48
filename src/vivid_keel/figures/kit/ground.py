"""Two-peg and cone: the layout in plan, to scale, with what it resolves and the readings to adjust to."""

from __future__ import annotations

from vivid_keel.core.instruments.outcome import Step, show_in
from vivid_keel.core.instruments.procedures.two_peg import LAYOUT, last_reading
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.shapes import dimension, staff, tripod


def pegs(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw both set-ups over the two marks in elevation, distances to scale."""
    walls = run.procedure.key == "cone"
    shown = run.outcome.shown
    plan = (1.0, 19.0, 19.0, 1.0) if walls else LAYOUT[run.way].distances
    d = [float(shown.get(k, v)) for k, v in zip(("d1a", "d1b", "d2a", "d2b"), plan, strict=True)]
    length = max(abs(d[0] + d[1]) if _between(run, 0, walls) else abs(d[0] - d[1]), 1.0)
    spots = (_spot(run, d[0], d[1], length, 0, walls), _spot(run, d[2], d[3], length, 1, walls))
    lo, hi = min(0.0, *spots), max(length, *spots)
    wide, tall = picture.width, picture.height
    x0, per = 70.0, (wide - 140.0) / (hi - lo)

    def x(m: float) -> float:
        return x0 + (m - lo) * per

    cycle = (
        active.cycle
        if active is not None and active.cycle
        else max([int(k.rpartition("/")[2]) for k in run.seen if "/" in k], default=1)
    )
    for k, spot in enumerate(spots):
        top = 14 + k * (tall - 20) / 2
        sight, foot = top + 62, top + (tall - 20) / 2 - 40
        title = f"Set-up {k + 1}"
        picture.text(14, top + 10, title, "ink", 14, bold=True)
        picture.line(20, foot, wide - 20, foot, "ink", 1.2)
        picture.box(20, foot, wide - 40, 5, "ground", "")
        c = float(shown.get("c", 0.0))
        far = max(abs(x(0) - x(spot)), abs(x(length) - x(spot)))
        lift = max(-16.0, min(16.0, c / 0.0001 * 6)) if c else 0.0
        picture.line(x(0), sight, x(length), sight, "muted", 1.0, dash=True)
        for mark, at in (("a", 0.0), ("b", length)):
            share = abs(x(at) - x(spot)) / far if far else 0
            picture.line(x(spot), sight, x(at), sight - lift * share, "keel", 2.4)
            if walls:
                picture.box(
                    x(at) - (10 if mark == "a" else 0), top + 20, 10, foot - top - 20, "stone", "ink", 1.2
                )
            else:
                staff(picture, x(at), sight - 34, foot)
            name = mark.upper()
            picture.text(
                x(at) + (-16 if mark == "a" else 16),
                foot - 6,
                name,
                "ink",
                15,
                bold=True,
                align="right" if mark == "a" else "left",
            )
            key = f"{mark}{k + 1}"
            now = active is not None and active.key.rstrip("'").startswith(f"{key}/")
            have = f"{key}/{cycle}" in run.seen
            value = (
                typed if now and typed is not None else (last_reading(run.seen, key, cycle) if have else None)
            )
            if value is not None:
                right = x(at) > wide - 110
                picture.text(
                    x(at) + (-12 if right else 12),
                    sight - 40,
                    show_number(value, 4 if have and run.seen[f"{key}/{cycle}"].step < 0.0009 else 3),
                    "keel" if now else "ink",
                    15,
                    bold=True,
                    align="right" if right else "left",
                    ground=True,
                )
            elif now:
                picture.text(x(at) + 12, sight - 40, "read here", "keel", 14, bold=True, ground=True)
            if k == 1 and not walls and f"adjust_{mark}" in shown and run.outcome.trouble is None:
                right = x(at) > wide - 150
                picture.text(
                    x(at) + (-12 if right else 12),
                    sight - 22,
                    f"adjust to {show_number(float(shown[f'adjust_{mark}']), 4)}",
                    "keel",
                    13,
                    align="right" if right else "left",
                    ground=True,
                )
        tripod(picture, x(spot), sight, foot)
        if abs(x(0) - x(spot)) > 26:
            dimension(picture, x(0), x(spot), foot + 28, f"{abs(d[2 * k]):g} m")
        if abs(x(length) - x(spot)) > 26:
            dimension(picture, x(spot), x(length), foot + 28, f"{abs(d[2 * k + 1]):g} m")
    lever = shown.get("lever")
    if lever:
        text = f"lever {abs(float(lever)):.1f} m: one round resolves {show_in(float(shown['resolves']), 'tilt', float(shown['resolves']), signed=False)}"
        picture.text(wide / 2, 24, text, "muted", 13, align="centre")
    picture.caption = f"{run.procedure.title}: {run.procedure.way_label(run.way)}"


def _between(run: CheckRun, which: int, walls: bool) -> bool:
    """Whether a set-up stands between the marks."""
    if walls:
        return True
    layout = LAYOUT[run.way]
    return 0 <= (layout.first, layout.second)[which] <= layout.pegs


def _spot(run: CheckRun, to_a: float, to_b: float, length: float, which: int, walls: bool) -> float:
    """Where a set-up stands along the line from A [m], as its distances have it."""
    if walls:
        return to_a
    layout = LAYOUT[run.way]
    place = (layout.first, layout.second)[which]
    return -to_a if place < 0 else length + to_b if place > layout.pegs else to_a


def field(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw the differences of both sets, with their means and the claim's band."""
    wide, tall = picture.width, picture.height
    rows = []
    for which in (1, 2):
        found = []
        for n in range(1, 21):
            a, b = run.seen.get(f"p{which}/{n}"), run.seen.get(f"q{which}/{n}")
            if a and b:
                found.append(a.value - b.value)
        rows.append(found)
    every = [v for found in rows for v in found]
    picture.text(14, 24, "Differences back − fore, in order", "muted", 13)
    x0, x1, top, base = 80.0, wide - 40.0, 46.0, tall - 46.0
    picture.line(x0, base, x1, base, "ink", 1.2)
    if not every:
        picture.text(
            (x0 + x1) / 2,
            (top + base) / 2,
            "Midway between two marks 60 m apart: back, fore, level anew; ten times.",
            "muted",
            15,
            align="centre",
        )
        return
    middle = sum(every) / len(every)
    half = max(0.001, max(abs(v - middle) for v in every) * 1.2)

    def y(v: float) -> float:
        return (top + base) / 2 - (v - middle) / half * (base - top) / 2

    for mm in (-1, 0, 1):
        v = middle + mm * half * 0.8
        picture.line(x0 - 5, y(v), x0, y(v), "ink")
        picture.text(x0 - 9, y(v) + 5, f"{v * 1000:.1f}", "muted", 13, align="right")
    room = (x1 - x0) / 2
    for k, found in enumerate(rows):
        left = x0 + k * room + 16
        step = (room - 32) / max(9, len(found) - 1)
        picture.text(left, top - 4, f"Set {k + 1}: {len(found)}", "ink", 14, bold=True)
        if found:
            mean = sum(found) / len(found)
            picture.line(left - 8, y(mean), left + room - 30, y(mean), "keel", 2.0)
            for n, v in enumerate(found):
                picture.line(left + n * step, y(mean), left + n * step, y(v), "muted", 1.0)
                picture.disc(left + n * step, y(v), 4.5, "raise", "ink", 1.0)
    picture.text(x1, base + 20, "mm; the magenta rule is each set's mean", "muted", 13, align="right")
    picture.caption = "Differences over a fixed line"
