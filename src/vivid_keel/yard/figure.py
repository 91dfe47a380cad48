"""A staff as it is read in the yard; what was done, what a learner slips at, and both over time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import smaller
from vivid_keel.figures.staff_face import staff_face
from vivid_keel.figures.words import legend, title
from vivid_keel.yard.attempt import KINDS, Debrief
from vivid_keel.yard.learner import OFTEN, Skill
from vivid_keel.yard.staff import View

NEAR, FAR = 0.13, 0.30
"""How much of a staff is seen near by and far away, at least [m]."""
SLIP_BAR = 170.0
ROW, EDGE = 20.5, 16.0
"""From a kind of mistake to the next, and from the picture's edge [px]."""


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
    """Return the kinds of mistake with how often each is made and how well that is known, the likeliest habits first; as many as there is
    room for, in two columns where it is wide."""
    picture = Picture(width, height)
    title(picture, "What you slip at: how often, and how well that is known")
    columns = 2 if width > 640 else 1
    rows = max(1, int((height - 92) / ROW))
    kinds = sorted(KINDS, key=lambda kind: -found[kind].likely if kind in found else 1.0)[: rows * columns]
    rows = min(rows, -(-len(kinds) // columns))
    wide = (width - 2 * EDGE) / columns
    for column in range(columns):
        mine = kinds[column * rows : (column + 1) * rows]
        left, right = EDGE + column * wide + 0.68 * wide, EDGE + (column + 1) * wide - 14
        across = (right - left) / 0.5
        often = left + OFTEN * across
        picture.line(often, 44, often, 54 + ROW * len(mine), "open", 1.4, dash=True)
        for k, kind in enumerate(mine):
            _rate(picture, KINDS[kind][0], found.get(kind), left, across, 60 + ROW * k)
    more = len(KINDS) - len(kinds)
    legend(
        picture,
        "from never to every second time · dashes: oftener is a habit · a bar: where it lies in nine of ten"
        + (f" · {more} more in the list" if more else ""),
    )
    named = [KINDS[kind][0] for kind, one in found.items() if one.habit]
    picture.caption = f"Habits: {', '.join(named) or 'none'}"
    return picture


def _rate(picture: Picture, name: str, one: Skill | None, left: float, across: float, y: float) -> None:
    """A kind's name, and on its scale how often it is made."""
    size = smaller(name, 0.68 * (across * 0.5 + 14) / 0.32 - 20, 13, 13)
    habit = one is not None and one.habit
    picture.text(left - 12, y + 5, name, "ink" if one else "muted", size, bold=habit, align="right")
    if one is None:
        return
    picture.line(left + one.low * across, y, left + min(one.high, 0.5) * across, y, "muted", 3.0)
    picture.disc(left + min(one.rate, 0.5) * across, y, 5, "out" if habit else "paper", "ink", 1.4)


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
