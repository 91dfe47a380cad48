"""Where to stand: the way in section, and for every set-up the band of lines that reads it."""

from __future__ import annotations

from vivid_keel.core.booking.planning import PlannedSetUp, Reach, StandingPlan, Waypoint
from vivid_keel.core.quantities import LengthStyle, is_missing, show_length
from vivid_keel.figures.display import Picture, Ruler
from vivid_keel.figures.measure import text_width


def standing(
    way: list[Waypoint],
    plan: StandingPlan | None,
    reach: Reach,
    style: LengthStyle,
    width: float,
    height: float,
    focus: int = -1,
) -> Picture:
    """Return the way with its set-ups; `focus` is the mark in hand.

    Parameters
    ----------
    way : list of Waypoint
    plan : StandingPlan or None
        None while there is nothing to plan.
    width, height : float
        [px]
    """
    picture = Picture(width, height)
    if plan is None or not way:
        picture.line(60, height * 0.42, width - 60, height * 0.42, "rule", 2.0)
        said = "List the marks to be read in order of walking, each with its rough height."
        picture.text(width / 2, height * 0.42 + 34, said, "muted", 15, align="centre")
        picture.caption = said
        return picture
    known = all(not is_missing(w.along) for w in way)
    at = [w.along if known else float(i) for i, w in enumerate(way)]
    tops = [setup.high for setup in plan.setups]
    low, high = min(w.height for w in way), max([w.height + reach.eye for w in way] + tops)
    left, right, top, bottom = 60.0, width - 60.0, 44.0, height - 62.0
    wide = max(at[-1] - at[0], 1e-9)
    tall = max(high - low, 0.5)

    def x(along: float) -> float:
        return left + (along - at[0]) / wide * (right - left)

    def y(h: float) -> float:
        return bottom - (h - low) / tall * (bottom - top)

    line = [(x(a), y(w.height)) for a, w in zip(at, way, strict=True)]
    whole = [(0.0, line[0][1]), *line, (width, line[-1][1])]
    picture.poly([*whole, (width, height), (0.0, height)], "ground", "")
    picture.poly(whole, "", "ink", 1.2, closed=False)
    for n, setup in enumerate(plan.setups):
        _set_up(picture, n, setup, x, y, style, known)
    taken: list[tuple[float, float]] = []
    for i, (w, (px, py)) in enumerate(zip(way, line, strict=True)):
        if i == focus:
            picture.box(px - 5, py - 60, 10, 60, "row", "")
        picture.disc(px, py, 3.4, "ink", "ink")
        half = text_width(w.name, 13) / 2
        tx = min(max(px, half + 6), width - half - 6)
        base = py + 18
        while any(abs(tx - a) < half + h + 6 and abs(base - b) < 15 for a, b, h in _wide(taken, way)):
            base += 15
        taken.append((tx, base))
        picture.text(tx, min(base, height - 26), w.name, "ink", 13, align="centre")
        picture.hit(
            px - 12, py - 60, 24, 76, f"row:{i}", f"{w.name}, about {show_length(w.height, style, unit=True)}"
        )
    n = len(plan.setups)
    scale = "lengths to scale" if known else "marks evenly spaced: no lengths given"
    picture.text(
        14,
        height - 12,
        f"{n} set-up{'s' if n != 1 else ''} · band: lines that read it all · {scale}",
        "muted",
        13,
    )
    picture.caption = f"Where to stand: {n} set-ups for {len(way)} marks"
    return picture


def _wide(taken: list[tuple[float, float]], way: list[Waypoint]) -> list[tuple[float, float, float]]:
    return [(a, b, text_width(w.name, 13) / 2) for (a, b), w in zip(taken, way, strict=False)]


def _set_up(
    picture: Picture, n: int, s: PlannedSetUp, x: Ruler, y: Ruler, style: LengthStyle, known: bool
) -> None:
    a, b = x(s.start[0]), x(s.end[0])
    up, down = y(s.high), y(s.low)
    picture.box(a + 1, up, max(b - a - 2, 4), down - up, "lit", "rule")
    middle = (s.low + s.high) / 2
    line = y(middle)
    picture.line(a + 2, line, b - 2, line, "keel", 2.0, dash=True)
    stand = x(s.stand) if known else (a + b) / 2
    foot = y(middle - 1.35)
    for dx in (-11, 0, 11):
        picture.line(stand, line + 5, stand + dx, max(foot, line + 24), "ink", 1.5)
    picture.box(stand - 9, line - 5, 18, 10, "ink", "ink")
    for place, name in ((s.start, s.first), (s.end, s.last)):
        if name == "change point":
            px, py = x(place[0]), y(place[1])
            picture.poly([(px - 5, py), (px, py - 6), (px + 5, py), (px, py + 6)], "paper", "ink", 1.3)
    words = f"{n + 1}"
    if b - a > 150:
        words += f" · HC {show_length(s.low, style)} to {show_length(s.high, style)}"
    picture.text((a + b) / 2, up - 8, words, "keel", 13, bold=True, align="centre", ground=True)
