"""What is seen in the practice yard: a staff through the telescope, a head from above with its bubble; and what a learner slips at."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.measure import wrapped
from vivid_keel.figures.staff_face import staff_face
from vivid_keel.figures.words import legend, title
from vivid_keel.stands.heads import RADIUS, TRAVEL, Head
from vivid_keel.yard.attempt import KINDS, Debrief
from vivid_keel.yard.learner import OFTEN, Skill
from vivid_keel.yard.screws import RING, Control
from vivid_keel.yard.staff import View

NEAR, FAR = 0.13, 0.30
"""How much of a staff is seen near by and far away, at least [m]."""
WIDE = 2.6
"""The bubble's vessel is so many rings wide [1]."""
BUBBLE = 0.62
"""The bubble is so many rings wide [1]."""
A_TURN = 62.0
"""A turn along the scale of the control in hand [px]."""
SLIP_BAR = 170.0


def through(seen: View, n: int, of: int, width: float, height: float) -> Picture:
    """Return a staff as it is seen through the telescope, its three hairs on it."""
    span = max(FAR if seen.far else NEAR, 2.3 * seen.half)
    words = (
        f"Reading {n} of {of}{', far away' if seen.far else ''}{', upside down' if seen.upside_down else ''}"
    )
    return staff_face(
        seen.style,
        seen.hair,
        seen.hair,
        width,
        height,
        upside_down=seen.upside_down,
        title=words,
        span=span,
        half=seen.half,
        told=False,
    )


def head(
    now: Head,
    controls: Sequence[Control],
    words: str,
    width: float,
    height: float,
    hand: int = -1,
    turning: float = 0.0,
) -> Picture:
    """Return a head from above, the observer below: its screws, the way the telescope looks, the bubble in its vessel.

    `hand` is the control in hand, by its number, `turning` how far it is turned just now [turns]: it follows the mouse along its scale.
    """
    picture = Picture(width, height)
    scale = 0 <= hand < len(controls)
    size = min(height - (126 if scale else 96), 0.46 * width) / 2
    x0, y0 = 0.34 * width, (height - 30 if scale else height) / 2 + 8
    if scale:
        now = now.turned(tuple(turning * by for by in controls[hand].by))
        _scale(picture, controls[hand], turning, 0.34 * width, height - 50)
    picture.disc(x0, y0, size, "paper", "ink", 1.6)
    for turn, (right, away) in zip(now.turns, now.places, strict=True):
        x, y = x0 + right / RADIUS * size * 0.84, y0 - away / RADIUS * size * 0.84
        picture.disc(x, y, 13, "wood", "ink", 1.4)
        end = math.pi / 2 - 2 * math.pi * turn
        picture.line(x, y, x + 11 * math.cos(end), y - 11 * math.sin(end), "ink", 2.0)
        full = max(-1.0, min(1.0, turn / TRAVEL))
        picture.box(x + 17, y - 14, 5, 28, "paper", "muted", 0.8)
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
    _vessel(picture, now, 0.78 * width, y0 - 4, min(height - (146 if scale else 120), 0.36 * width) / 2)
    title(picture, words)
    rocks = " · it rocks" if now.rocks else ""
    legend(
        picture,
        f"from above, you stand below · the telescope looks along the thick line · bars: the screws' travel{rocks}",
    )
    along, right = (value / RING for value in now.shown)
    picture.caption = f"{words}; bubble {along:+.1f} along the telescope, {right:+.1f} to its right, in rings"
    return picture


def _scale(picture: Picture, control: Control, turning: float, x: float, y: float) -> None:
    """The scale along which the control in hand is turned."""
    far = 2.0 * A_TURN
    picture.line(x - far, y, x + far, y, "muted", 1.4)
    for k in range(-8, 9):
        tall = 9 if k % 4 == 0 else 5
        picture.line(x + k * A_TURN / 4, y - tall, x + k * A_TURN / 4, y + tall, "muted", 1.0)
    at = x + max(-2.0, min(2.0, turning)) * A_TURN
    picture.disc(at, y, 10, "keel", "ink", 1.4)
    words = f"{control.name}: {turning:+.2f} turns" if turning else f"{control.name}: slide, or arrow keys"
    picture.text(x + far + 16, y + 5, words, "ink", 13)
    picture.drag = Drag(at, 1 / A_TURN, turning, across=True, grip=16.0, span=(y - 18, y + 18))


def _vessel(picture: Picture, now: Head, x: float, y: float, size: float) -> None:
    """The circular bubble, as it lies over the head: it goes uphill."""
    ring = size / WIDE
    picture.disc(x, y, size, "glass", "ink", 1.6)
    picture.disc(x, y, ring, "", "ink", 1.4)
    along, beside = (value / RING * ring for value in now.shown)
    s, c = math.sin(now.azimuth), math.cos(now.azimuth)
    right, away = along * s + beside * c, along * c - beside * s
    out = math.hypot(right, away)
    least = size - BUBBLE * ring
    if out > least:
        right, away = (value * least / out for value in (right, away))
    picture.disc(x + right, y - away, BUBBLE * ring, "bright", "ink", 1.4)


def told(debrief: Debrief, width: float, height: float) -> Picture:
    """Return what was done as a strip of steps, good ones and others, and what kinds of mistake there were."""
    picture = Picture(width, height)
    title(picture, debrief.summary[:1].upper() + debrief.summary[1:])
    n = len(debrief.steps)
    if n:
        wide = min(26.0, (width - 40) / n)
        for k, step in enumerate(debrief.steps):
            x = 20 + k * wide
            picture.box(x, 52, max(wide - 3, 1.5), 30, "in" if step.good else "out", "")
            if not step.good:
                picture.line(x, 88, x + max(wide - 3, 1.5), 88, "out", 2.5)
    y = 118.0
    for kind, (could, made) in sorted(debrief.slips.items(), key=lambda item: -item[1][1]):
        if not could or y > height - 30:
            continue
        picture.text(20, y + 5, f"{KINDS[kind][0]}: {made} of {could}", "ink", 13, bold=made > 0)
        picture.box(width - SLIP_BAR - 20, y - 6, SLIP_BAR, 12, "paper", "muted", 0.8)
        picture.box(width - SLIP_BAR - 20, y - 6, SLIP_BAR * made / could, 12, "out", "")
        y += 22
    legend(picture, "a box a step, in order · underlined: something went wrong there")
    picture.caption = debrief.summary
    return picture


def record(found: Mapping[str, Skill], width: float, height: float) -> Picture:
    """Return every kind of mistake with how often it is made and how well that is known."""
    picture = Picture(width, height)
    title(picture, "What you slip at: how often, and how well that is known")
    left, right = 300.0, width - 30.0
    across = (right - left) / 0.5
    y, tall = 58.0, min(24.0, (height - 92) / max(len(KINDS), 1))
    picture.line(
        left + OFTEN * across, 44, left + OFTEN * across, y + tall * len(KINDS), "open", 1.4, dash=True
    )
    for kind, (name, _) in KINDS.items():
        one = found.get(kind)
        line = wrapped(name, left - 34, 13)[0]
        picture.text(
            left - 12, y + 5, line, "ink" if one else "muted", 13, bold=bool(one and one.habit), align="right"
        )
        if one is not None:
            low, high = left + one.low * across, left + min(one.high, 0.5) * across
            picture.line(low, y, high, y, "muted", 3.0)
            picture.disc(
                left + min(one.rate, 0.5) * across, y, 5, "out" if one.habit else "paper", "ink", 1.4
            )
        y += tall
    legend(
        picture,
        "left is never, right is every second time · dashes: oftener than that is a habit · a bar: where it lies in nine of ten",
    )
    named = [KINDS[kind][0] for kind, one in found.items() if one.habit]
    picture.caption = f"Habits: {', '.join(named) or 'none'}"
    return picture


def over_time(done: Sequence[tuple[str, str, float]], width: float, height: float) -> Picture:
    """Return how much of each exercise went without a slip, in the order they were done: the day, the exercise, the part that was good [1]."""
    picture = Picture(width, height)
    title(picture, "Over time: how much of each exercise went without a slip")
    left, right, top, bottom = 70.0, width - 30.0, 60.0, height - 58.0
    for part in (0.0, 0.5, 1.0):
        y = bottom - part * (bottom - top)
        picture.line(left, y, right, y, "rule", 1.0)
        picture.text(left - 8, y + 5, f"{part:.0%}", "muted", 13, align="right")
    if not done:
        picture.text((left + right) / 2, (top + bottom) / 2, "Nothing done yet", "muted", 14, align="centre")
    apart = (right - left) / max(len(done) - 1, 1)
    spots = [(left + k * apart, bottom - good * (bottom - top)) for k, (_, _, good) in enumerate(done)]
    for (x1, y1), (x2, y2) in zip(spots, spots[1:], strict=False):
        picture.line(x1, y1, x2, y2, "keel", 1.6)
    for (x, y), (day, name, good) in zip(spots, done, strict=True):
        picture.disc(x, y, 5, "in" if good > 1 - 1e-9 else "paper", "ink", 1.4)
        picture.hit(x - 9, y - 9, 18, 18, "", f"{day}: {name}, {good:.0%}")
    for k in sorted({0, len(done) - 1}) if done else ():
        picture.text(
            spots[k][0],
            bottom + 22,
            done[k][0],
            "muted",
            13,
            align="left" if k == 0 and len(done) > 1 else "right",
        )
    legend(picture, "a dot an exercise, in order · filled: without a slip")
    picture.caption = f"{len(done)} exercise{'s' if len(done) != 1 else ''} over time"
    return picture
