"""A staff as it is read in the yard; what was done, what a learner slips at, and both over time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import wrapped
from vivid_keel.figures.staff_face import staff_face
from vivid_keel.figures.words import legend, title
from vivid_keel.yard.attempt import KINDS, Debrief
from vivid_keel.yard.learner import OFTEN, Skill
from vivid_keel.yard.staff import View

NEAR, FAR = 0.13, 0.30
"""How much of a staff is seen near by and far away, at least [m]."""
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
