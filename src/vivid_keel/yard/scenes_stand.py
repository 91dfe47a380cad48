"""What is seen of what stands or rests: a head on its screws, a tripod, a vial, lines of water, light and string."""

from __future__ import annotations

import math

from msgspec.structs import replace

from vivid_keel.figures.display import Picture
from vivid_keel.figures.words import legend, title
from vivid_keel.stands.heads import RADIUS, TRAVEL, Head
from vivid_keel.stands.resting import BOB, PLANE, STRING, Mark, Vial
from vivid_keel.stands.tripods import SMOOTH, SOFT
from vivid_keel.yard.resting import NAMES
from vivid_keel.yard.screws import RING
from vivid_keel.yard.tripod import LEGS, Standing

WIDE = 2.6
"""The bubble's vessel is so many rings wide [1]."""
BUBBLE = 0.62
"""The bubble is so many rings wide [1]."""
AGO = 2.0
"""A moment ago [s]."""


def head(now: Head, words: str, width: float, height: float, *, mirror: bool = False) -> Picture:
    """Return a head from above, the observer below: its screws, the way the telescope looks, the bubble in its vessel; in a mirror near
    and far change places."""
    picture = Picture(width, height)
    size = min(height - 96, 0.46 * width) / 2
    x0, y0 = 0.34 * width, height / 2 + 8
    picture.disc(x0, y0, size, "paper", "ink", 1.6)
    for turn, (right, away) in zip(now.turns, now.places, strict=True):
        x, y = x0 + right / RADIUS * size * 0.84, y0 - away / RADIUS * size * 0.84
        picture.disc(x, y, 13, "wood", "ink", 1.4)
        end = math.pi / 2 - 2 * math.pi * turn
        picture.line(x, y, x + 11 * math.cos(end), y - 11 * math.sin(end), "ink", 2.0)
        full = max(-1.0, min(1.0, turn / TRAVEL))
        picture.box(x + 17, y - 14, 5, 28, "paper", "muted", 0.8)
        picture.line(x + 15, y, x + 24, y, "ink", 1.2)  # the mark at mid-travel
        picture.box(x + 17, y - 14 * max(full, 0.0), 5, 14 * abs(full), "muted", "")
    look = (math.sin(now.azimuth), math.cos(now.azimuth))
    picture.line(
        x0 - look[0] * size * 0.30,
        y0 + look[1] * size * 0.30,
        x0 + look[0] * size * 0.66,
        y0 - look[1] * size * 0.66,
        "keel",
        5.0,
    )
    _vessel(picture, now, 0.78 * width, y0 - 4, min(height - 120, 0.36 * width) / 2, mirror=mirror)
    title(picture, words)
    seen = " · the bubble is seen in a mirror" if mirror else ""
    rocks = " · it rocks" if now.rocks else ""
    legend(
        picture,
        f"from above, you stand below · the telescope looks along the thick line · bars: the screws' travel{seen}{rocks}",
    )
    along, right = (value / RING for value in now.shown)
    picture.caption = (
        f"{words}; bubble {along:+.1f} along the telescope, {right:+.1f} to its right, in rings{seen}"
    )
    return picture


def _vessel(picture: Picture, now: Head, x: float, y: float, size: float, *, mirror: bool) -> None:
    """The circular bubble, as it lies over the head: it goes uphill."""
    ring = size / WIDE
    if mirror:
        picture.poly(
            [
                (x - size - 10, y - size - 8),
                (x + size + 10, y - size - 8),
                (x + size - 2, y + size + 8),
                (x - size + 2, y + size + 8),
            ],
            "leaf2",
            "ink",
            1.4,
        )
    picture.disc(x, y, size, "glass", "ink", 1.6)
    picture.disc(x, y, ring, "", "ink", 1.4)
    along, beside = (value / RING * ring for value in now.shown)
    s, c = math.sin(now.azimuth), math.cos(now.azimuth)
    right, away = along * s + beside * c, along * c - beside * s
    out = math.hypot(right, away)
    least = size - BUBBLE * ring
    if out > least:
        right, away = (value * least / out for value in (right, away))
    picture.disc(x + right, y - (-away if mirror else away), BUBBLE * ring, "bright", "ink", 1.4)


def tripod(now: Standing, words: str, width: float, height: float) -> Picture:
    """Return a tripod from the front, or from the side, and from above."""
    picture, one = Picture(width, height), now.tripod
    x0, base = 0.30 * width, height - 58
    scale = (base - 56) / 1.75
    tip, rises = (one.tilt[1], one.slope[1]) if now.aside else (one.tilt[0], one.slope[0])
    half = 0.26 * width
    ground = {SOFT: "leaf2", SMOOTH: "stone"}.get(one.ground, "ground")
    picture.poly(
        [
            (x0 - half, base + rises * half),
            (x0 + half, base - rises * half),
            (x0 + half, height - 30),
            (x0 - half, height - 30),
        ],
        ground,
        "",
    )
    top = base - one.height * scale
    picture.line(
        x0 - half, top + 4, x0 + half, top + 4, "rule", 1.2, dash=True
    )  # what an eye holds it against: a sill, the horizon
    for name, (right, ahead) in zip(LEGS, one.feet, strict=True):
        along, z = (ahead if now.aside else right), one.slope[0] * right + one.slope[1] * ahead
        foot = (x0 + along * scale, base - z * scale)
        picture.line(x0 + 0.1 * along * scale, top + 8, *foot, "wood", 6.0)
        if one.trodden and one.ground != SMOOTH:
            picture.line(foot[0] - 9, foot[1] + 3, foot[0] + 9, foot[1] + 3, "ink", 3.0)
        if one.stopped:
            picture.box(foot[0] - 8, foot[1] - 1, 16, 5, "in", "")
        picture.text(foot[0], foot[1] + 20, name.upper(), "ink", 13, bold=True, align="centre", ground=True)
    plate = min(90.0, 0.3 * half + 40)
    picture.poly(
        [
            (x0 - plate, top + tip * plate),
            (x0 + plate, top - tip * plate),
            (x0 + plate, top + 9 - tip * plate),
            (x0 - plate, top + 9 + tip * plate),
        ],
        "wood",
        "ink",
        1.4,
    )
    _from_above(picture, now, 0.78 * width, height / 2 + 2, min(height - 150, 0.36 * width) / 2)
    title(picture, f"{words}, on {one.ground}; seen from {'the side' if now.aside else 'the front'}")
    legend(
        picture,
        "left: as you see it · right: from above, the work ahead, you below · dashes: what an eye calls level",
    )
    picture.caption = (
        f"{words}; head {math.degrees(tip):+.1f}° from {'the side' if now.aside else 'the front'}"
    )
    return picture


def _from_above(picture: Picture, now: Standing, x: float, y: float, size: float) -> None:
    one = now.tripod
    for name, (right, ahead) in zip(LEGS, one.feet, strict=True):
        foot = (x + right / 0.95 * size, y - ahead / 0.95 * size)
        picture.line(x, y, *foot, "wood", 5.0)
        picture.disc(*foot, 5, "ink", "ink")
        out = 1 + 17 / max(math.hypot(foot[0] - x, foot[1] - y), 1.0)
        picture.text(
            x + (foot[0] - x) * out,
            y + (foot[1] - y) * out + 5,
            name.upper(),
            "ink",
            13,
            bold=True,
            align="centre",
            ground=True,
        )
    picture.disc(x, y, 9, "wood", "ink", 1.4)
    picture.box(x - 4, y - size - 34, 8, 22, "bright", "ink", 1.2)
    picture.text(x + 12, y - size - 18, "the work", "muted", 13)
    picture.disc(x, y + size + 22, 9, "keel", "ink", 1.4)
    picture.text(x + 16, y + size + 27, "you", "muted", 13)


def vial(now: Vial, words: str, width: float, height: float) -> Picture:
    """Return a tube vial with its divisions, the bubble in it and, faintly, where it was a moment ago."""
    picture = Picture(width, height)
    one = min(34.0, (width - 80) / 20)
    x0, y0, half = width / 2, height / 2 - 6, max(26.0, min(60.0, 0.17 * height))
    picture.box(x0 - 9.6 * one, y0 - half, 19.2 * one, 2 * half, "glass", "ink", 1.6)
    for n in range(-9, 10):
        x = x0 + n * one
        picture.line(x, y0 - half, x, y0 - (0.35 if n % 2 else 0.1) * half, "ink", 1.2 if n % 2 else 1.8)
        if n % 2 == 0:
            picture.text(
                x, y0 + half + 18, f"{n:+d}".replace("-", "−") if n else "0", "ink", 13, align="centre"
            )

    def bubble(at: float, fill: str, ink: str, width: float) -> None:
        left, right = (x0 + max(-9.5, min(9.5, at + side * now.half)) * one for side in (-1, 1))
        tall, low, round_ = 0.55 * half, 0.25 * half, 0.2 * half
        outline = [(left + round_, -tall), (right - round_, -tall), (right, -low), (right, low)]
        outline += [(right - round_, tall), (left + round_, tall), (left, low), (left, -low)]
        picture.poly([(x, y0 + y) for x, y in outline], fill, ink, width)

    before = replace(now, since=max(now.since - AGO, 0.0)).shows
    bubble(now.shows, "bright", "ink", 1.6)
    if abs(before - now.shows) > 0.05:
        bubble(before, "", "muted", 1.0)
    if now.hand:
        for k in range(4):
            x = x0 + (k - 1.5) * 26 - 180
            picture.box(x, y0 - half - 26, 20, 34, "wood", "ink", 1.2)
        picture.text(x0 - 118, y0 - half - 10, "your hand", "muted", 13)
    title(picture, f"{words}, put down {now.since:.0f} s ago")
    legend(picture, "a division each, longer every second · faint outline: where it stood a moment ago")
    picture.caption = f"{words}; bubble from {now.ends[0]:+.1f} to {now.ends[1]:+.1f} divisions"
    return picture


def mark(now: Mark, words: str, width: float, height: float) -> Picture:
    """Return what is read on its scale: the line with its two edges, and, faintly, where it was a moment ago."""
    picture = Picture(width, height)
    name, edge = NAMES[now.what]
    span = 0.064
    upright = now.what != BOB
    low_px, high_px = (height - 44.0, 44.0) if upright else (60.0, width - 60.0)
    one = (high_px - low_px) / span
    middle, across = now.rest + 0.001 * ((now.rest * 7919) % 9 - 4), (0.42 * width if upright else height / 2)

    def at(value: float) -> float:
        return low_px + (value - middle + span / 2) * one

    for n in range(math.ceil((middle - span / 2) * 1000), math.floor((middle + span / 2) * 1000) + 1):
        long = 30 if n % 10 == 0 else 20 if n % 5 == 0 else 11
        p = at(n / 1000)
        ends = (across - long, p, across, p) if upright else (p, across - long, p, across)
        picture.line(*ends, "ink", 1.6 if n % 10 == 0 else 1.0)
        if n % 10 == 0:
            spot = (across - 44, p + 5) if upright else (p, across - 40)
            picture.text(*spot, str(n), "ink", 15, bold=True, align="right" if upright else "centre")
    before = replace(now, since=max(now.since - AGO, 0.0))
    for one_, faint in ((before, True), (now, False)):
        low, high = (at(max(middle - span / 2, min(middle + span / 2, value))) for value in one_.edges)
        if abs(low - high) < 0.5 or (faint and abs(before.swing - now.swing) < 0.0003):
            continue  # beyond the scale just now, or where it was
        fill, ink = (
            ("", "muted")
            if faint
            else ({STRING: "wood", PLANE: "keel", BOB: "ink"}.get(now.what, "leaf"), "ink")
        )
        box = (
            (across, high, 0.34 * width, low - high)
            if upright
            else (low, across, high - low, height - 40 - across)
        )
        picture.box(*box, fill, ink, 1.0)
    title(picture, f"{words}: {name.lower()}, read {edge}")
    legend(picture, "the scale is in millimetres · faint outline: where it stood a moment ago")
    picture.caption = f"{words}; {name.lower()}, {edge} at {now.edges[0] * 1000:.1f} mm"
    return picture
