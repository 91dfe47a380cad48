"""Charts of the kit: an error against its limit, its drift, an error budget, who can prove a tolerance."""

from __future__ import annotations

import math
from datetime import datetime

import numpy as np

from vivid_keel.core.instruments.advisor import Advice
from vivid_keel.core.instruments.drift import forecast
from vivid_keel.core.instruments.outcome import Found, show_in, spans_of
from vivid_keel.core.instruments.tool import HAPPENINGS, Tool
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture

WORDS = {"in": "proven in", "out": "proven out", "open": "not proven"}


def gauge(found: list[Found], spans: list[tuple[str, float]], width: float, height: float) -> Picture:
    """Return each error with its U against its limit, and what it means on the spans."""
    picture = Picture(width, height)
    if not found:
        picture.text(
            width / 2,
            height / 2,
            "Nothing is found yet: book the readings first.",
            "muted",
            15,
            align="centre",
        )
        return picture
    room = min(150.0, (height - 20) / len(found[:4]))
    for k, item in enumerate(found[:4]):
        y = 20 + k * room
        x0, x1 = 60.0, width - 60.0
        reach = max(item.limit * 1.6, abs(item.value) + item.U * 1.2)

        def x(v: float, reach: float = reach, x0: float = x0, x1: float = x1) -> float:
            return (x0 + x1) / 2 + v / reach * (x1 - x0) / 2

        picture.text(
            14,
            y + 12,
            f"{item.name.capitalize()}: {item.show_with_u()}",
            "ink",
            15,
            bold=True,
        )
        symbols.verdict(picture, width - 132, y + 7, item.verdict)
        picture.text(width - 112, y + 12, WORDS[item.verdict], "ink", 14)
        line = y + 50
        picture.box(x(-item.limit), line - 12, x(item.limit) - x(-item.limit), 24, "glass", "")
        picture.line(x0, line, x1, line, "ink", 1.2)
        for v in (-item.limit, 0.0, item.limit):
            picture.line(x(v), line - 14, x(v), line + 14, "ink" if v else "keel", 1.6, dash=bool(v))
            text = "0" if not v else f"{show_in(v, item.unit, item.limit)}"
            picture.text(x(v), line + 30, text, "muted", 13, align="centre")
        a, b = x(item.value - item.U), x(item.value + item.U)
        picture.line(a, line, b, line, "raise", 4.0)
        for at in (a, b):
            picture.line(at, line - 8, at, line + 8, "raise", 2.0)
        picture.disc(x(item.value), line, 6, "raise", "ink", 1.4)
        if room > 100 and item.unit == "tilt":
            if len(found) == 1 and height - line > 190:
                _spans(picture, item, spans[:3], line + 58, height - 16)
            else:
                picture.text(
                    14, line + 52, "Uncorrected: " + "; ".join(spans_of(item, spans)[:3]), "muted", 14
                )
    picture.caption = "; ".join(
        f"{item.name} {item.show(item.value)}, {WORDS[item.verdict]}" for item in found
    )
    return picture


def _spans(picture: Picture, f: Found, spans: list[tuple[str, float]], top: float, base: float) -> None:
    """Draw what an error left uncorrected does over each span: level dashed, the true lie of it solid."""
    picture.text(14, top, "Left uncorrected:", "muted", 13)
    longest = max(length for _, length in spans)
    # Room for the longest name, and for what stands behind the bars.
    names = min(
        max(176.0, 8.0 * max(len(f"{name}, {length:g} m") for name, length in spans)), picture.width - 330
    )
    room = (base - top - 8) / len(spans)
    for k, (name, length) in enumerate(spans):
        y = top + 8 + (k + 0.62) * room
        x1 = names + 14
        x2 = x1 + max(40.0, picture.width - names - 244) * length / longest
        off = abs(f.value) * length * 1000
        lift = min(room * 0.5, 4 + off * 1.6) * (1 if f.value >= 0 else -1)
        picture.text(names, y + 5, f"{name}, {length:g} m", "ink", 14, align="right")
        picture.line(x1, y, x2, y, "keel", 1.6, dash=True)
        picture.poly([(x1, y), (x2, y - lift), (x2, y - lift + 6), (x1, y + 6)], "wood", "ink", 1.0)
        picture.text(x2 + 12, y - lift / 2 + 5, f"{off:.1f} mm out", "ink", 15, bold=True)


def drift(tool: Tool, key: str, now: datetime, width: float, height: float) -> Picture:
    """Return an error over the instrument's life: checks with their U, breaks, the fitted line and its forecast."""
    picture = Picture(width, height)
    points = tool.history().get(key, [])
    if not points:
        picture.text(width / 2, height / 2, "No check is in its record yet.", "muted", 15, align="centre")
        return picture
    f = points[-1].found
    first = min(point.time for point in points)
    line = tool.drift(key, now)
    ahead = 60.0
    story = forecast(line, 0.0, f.limit) if line is not None else None
    if story is not None and story.days < math.inf:
        ahead = min(400.0, max(60.0, story.days * 1.3))

    def days(t: datetime) -> float:
        return (t - now).total_seconds() / 86400

    lo, hi = min(days(first), -30.0) * 1.04, ahead
    reach = max([f.limit * 1.25, *[abs(point.value) + point.U for point in points]]) * 1.08
    x0, x1, top, base = 92.0, width - 24.0, 40.0, height - 40.0

    def x(d: float) -> float:
        return x0 + (d - lo) / (hi - lo) * (x1 - x0)

    def y(v: float) -> float:
        return (top + base) / 2 - v / reach * (base - top) / 2

    picture.text(14, 24, f"{f.name.capitalize()} over its life", "ink", 14, bold=True)
    picture.box(x0, y(f.limit), x1 - x0, y(-f.limit) - y(f.limit), "glass", "")
    for v in (f.limit, 0.0, -f.limit):
        picture.line(x0, y(v), x1, y(v), "ink" if not v else "lower", 1.2, dash=bool(v))
        picture.text(
            x0 - 8,
            y(v) + 5,
            "0"
            if not v
            else show_in(v, f.unit, f.limit).replace(" mm/m", "").replace(" mm/h", "").replace(" mm", ""),
            "muted",
            13,
            align="right",
        )
    picture.text(
        x0 - 8,
        top - 2,
        {"tilt": "mm/m", "length": "mm", "rate": "mm/h", "div": "div"}[f.unit],
        "muted",
        13,
        align="right",
    )
    picture.line(x(0), top, x(0), base, "muted", 2.4)
    picture.text(x(0), base + 18, "today", "ink", 13, bold=True, align="centre")
    picture.text(x(lo), base + 18, f"{first:%b %Y}", "muted", 13)
    if hi - lo > 1:
        picture.text(x1, base + 18, f"+ {hi:.0f} days", "muted", 13, align="right")
    for h in tool.happenings:
        d = days(h.time)
        if lo <= d <= 0:
            picture.line(x(d), top, x(d), base, "ink", 1.4)
            right = x(d) > x1 - 130
            picture.text(
                x(d) + (-5 if right else 5),
                top + 12,
                HAPPENINGS.get(h.what, h.what),
                "ink",
                13,
                align="right" if right else "left",
                ground=True,
            )
    if line is not None:
        since = tool.since_break(key, now)
        t = np.linspace(days(since[0].time), hi, 60)
        middle, U = line.at(t)
        edge = [
            (x(float(a)), y(float(np.clip(b + c, -reach, reach))))
            for a, b, c in zip(t, middle, U, strict=True)
        ]
        under = [
            (x(float(a)), y(float(np.clip(b - c, -reach, reach))))
            for a, b, c in zip(t, middle, U, strict=True)
        ]
        picture.poly([*edge, *reversed(under)], "lit", "")
        picture.poly(
            [(x(float(a)), y(float(np.clip(b, -reach, reach)))) for a, b in zip(t, middle, strict=True)],
            "",
            "raise",
            1.8,
            closed=False,
        )
        if story is not None and story.days < math.inf and line.tells:
            picture.line(x(story.days), top, x(story.days), base, "lower", 1.6, dash=True)
            picture.text(
                x(story.days) - 5,
                base - 8,
                f"limit in {story.days:.0f} days",
                "lower",
                13,
                bold=True,
                align="right",
                ground=True,
            )
    for point in points:
        d = days(point.time)
        picture.line(x(d), y(point.value - point.U), x(d), y(point.value + point.U), "ink", 1.8)
        picture.disc(x(d), y(point.value), 5, "raise" if point.check else "paper", "ink", 1.2)
    picture.caption = f"{f.name} over {len(points)} checks"
    return picture


def who_can(advice: list[Advice], tolerance: float, span: float, width: float, height: float) -> Picture:
    """Return the U of every instrument over the span against the tolerance."""
    picture = Picture(width, height)
    picture.text(
        14,
        26,
        f"U of a height difference over {span:g} m, against ± {tolerance * 1000:g} mm",
        "ink",
        15,
        bold=True,
    )
    if not advice:
        picture.text(
            width / 2,
            height / 2,
            "There is no instrument in the kit that reads heights or tilts.",
            "muted",
            15,
            align="centre",
        )
        return picture
    left, room = 190.0, min(34.0, (height - 80) / len(advice))
    reach = tolerance * 2.2
    x1 = width - 150.0
    at = left + (x1 - left) * tolerance / reach
    bottom = 44 + len(advice) * room
    picture.box(left, 44, (x1 - left) * 0.25 * tolerance / reach, bottom - 44, "glass", "")
    for k, a in enumerate(advice):
        y = 44 + k * room
        share = min(1.0, a.budget.U / reach)
        grey = bool(a.hindrance)
        picture.text(
            left - 10,
            y + room / 2 + 4,
            a.tool.name,
            "muted" if grey else "ink",
            14,
            bold=a.proves and not grey,
            align="right",
            struck=grey,
        )
        picture.box(
            left,
            y + 5,
            max(2.0, share * (x1 - left)),
            room - 12,
            "" if grey else "leaf" if a.proves else "paper",
            "muted" if grey else "ink",
            1.2,
        )
        symbols.verdict(picture, x1 + 18, y + room / 2, a.sign)
        picture.text(
            x1 + 32,
            y + room / 2 + 4,
            f"{a.budget.U * 1000:.2f} mm" if share < 1 else f"{a.budget.U * 1000:.1f} mm",
            "ink",
            14,
        )
    picture.line(at, 38, at, bottom + 4, "keel", 2.2, dash=True)
    picture.text(at, bottom + 20, "tolerance", "keel", 13, align="centre")
    picture.text(left, bottom + 20, "enough", "muted", 13)
    picture.caption = f"{sum(a.proves and not a.hindrance for a in advice)} can prove it"
    return picture
