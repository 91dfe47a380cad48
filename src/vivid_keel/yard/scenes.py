"""What is seen at the exercises of the yard: a head, a tripod, a staff through the telescope, what comes to rest, a run down a slope."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from vivid_keel.figures.display import Drag, Picture, placed
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.staff_face import staff_face
from vivid_keel.figures.words import legend, title
from vivid_keel.stands.heads import RADIUS, TRAVEL, Head
from vivid_keel.stands.pegs import BESIDE, EYE, LEANS, STAFF
from vivid_keel.stands.resting import BOB, PLANE, STRING, Mark, Vial
from vivid_keel.stands.staves import JOINT, NAIL, SIDEWAYS
from vivid_keel.stands.tripods import SMOOTH, SOFT
from vivid_keel.yard.attempt import Act, Attempt
from vivid_keel.yard.holder import Held, Signal
from vivid_keel.yard.resting import NAMES
from vivid_keel.yard.rounds import CENTIMETRES, DEGREES, RINGS, TURNS, Hand, Rounds
from vivid_keel.yard.screws import RING, ScrewsExercise
from vivid_keel.yard.telescope import Sight
from vivid_keel.yard.tripod import LEGS, Standing
from vivid_keel.yard.whole import PEGS, Walk, peg_name

WIDE = 2.6
"""The bubble's vessel is so many rings wide [1]."""
BUBBLE = 0.62
"""The bubble is so many rings wide [1]."""
NOTCH = 62.0
"""A notch of the scale of the hand in use [px]."""
NOTCHES = {TURNS: (1.0, "turns"), RINGS: (1.0, "rings"), CENTIMETRES: (4.0, "cm"), DEGREES: (60.0, "°")}
"""What a notch of the scale is worth, by what is asked for."""
SCALE = 44.0
"""So much of a picture's height the scale takes [px]."""
AGO = 2.0
"""A moment ago [s]."""


def slides(hand: Hand) -> bool:
    """Whether a hand's doing can be slid on the picture."""
    return hand.asks in NOTCHES and hand.key != "look"


def scene(
    exercise: Rounds[Any],
    attempt: Attempt,
    width: float,
    height: float,
    hand: int = -1,
    turning: float = 0.0,
    seconds: float = 0.0,
) -> Picture:
    """Return the thing in hand as it is seen, with a scale along which the hand in use is slid.

    `hand` is which one, by its number, `turning` how far it is just now: the thing follows the mouse. `seconds` is the time, for what swims.
    """
    rounds = exercise.rounds(attempt)
    thing = rounds[-1][1][-1]
    used = exercise.hands[hand] if 0 <= hand < len(exercise.hands) else None
    scale = used is not None and slides(used)
    if used is not None and scale and turning:
        thing = exercise.does(thing, Act(used.key, "", turning))
    words = f"{exercise.title}: {len(rounds)} of {exercise.count}" if exercise.count > 1 else exercise.title
    draw: Callable[..., Picture] = DRAWN[type(thing)]
    more = {"seconds": seconds} if isinstance(thing, Sight) else {}
    if isinstance(exercise, ScrewsExercise):
        more = {"mirror": exercise.in_mirror(attempt, len(rounds) - 1)}
        words += ", on a dome" if exercise.on_dome(attempt, len(rounds) - 1) else ""
    picture = draw(thing, words, width, height - SCALE * scale, **more)
    picture.height = height
    if used is not None and scale:
        _scale(picture, used, turning, 0.34 * width, height - 20)
    return picture


def _scale(picture: Picture, hand: Hand, turning: float, x: float, y: float) -> None:
    """The scale along which the hand in use is slid."""
    worth, unit = NOTCHES[hand.asks]
    far = 2.0 * NOTCH
    picture.line(x - far, y, x + far, y, "muted", 1.4)
    for k in range(-8, 9):
        tall = 9 if k % 4 == 0 else 5
        picture.line(x + k * NOTCH / 4, y - tall, x + k * NOTCH / 4, y + tall, "muted", 1.0)
    at = x + max(-2.0, min(2.0, turning / worth)) * NOTCH
    picture.disc(at, y, 10, "keel", "ink", 1.4)
    amount = f"{turning:+.2f} {unit}" if unit == "turns" else f"{turning:+.1f} {unit}"
    words = f"{hand.name}: {amount}" if turning else f"{hand.name}: slide, or arrow keys"
    room = picture.width - x - far - 26
    picture.text(x + far + 16, y + 5, words if text_width(words, 13) <= room else amount, "ink", 13)
    picture.drag = Drag(at, worth / NOTCH, turning, across=True, grip=16.0, span=(y - 18, y + 18))


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


def sight(now: Sight, words: str, width: float, height: float, *, seconds: float = 0.0) -> Picture:
    """Return what the eye sees in the telescope: the staff beside or in the middle, soft or sharp, the hairs soft or thin."""
    picture, one = Picture(width, height), now.telescope
    wide, x0 = min(0.62 * width, 460.0), 0.5 * width
    top, bottom = 36.0, height - 34
    picture.box(x0 - wide / 2, top, wide, bottom - top, "ink" if one.capped else "slope5", "ink", 2.0)
    moves = "the floor shakes" if one.swims else "the air shimmers" if one.shimmers else ""
    title(picture, f"{words}{f': {moves}, read the middle of it' if moves else ''}")
    picture.caption = (
        f"{words}; {'dark' if one.capped else 'the staff is ' + ('in' if now.found else 'out of') + ' sight'}"
    )
    legend(picture, "the three hairs stand still · the staff is what moves")
    if one.capped:
        return picture
    span = max(0.13, 2.4 * now.staff.half)
    moved = one.trembles(seconds)
    strip = min(170.0, 0.5 * wide)
    left = x0 + one.aside * (wide - strip) / 2 - strip / 2
    if abs(one.aside) < 1:
        face = staff_face(
            now.staff.style,
            -9.0,
            one.shows + moved,
            strip / 0.56,
            bottom - top + 38,
            span=span,
            told=False,
            soft=0.0016 * one.staff_soft * span / 0.13,
        )
        picture.items += placed(face, left - 0.22 * strip / 0.56, top - 10)
    else:
        way = "right" if one.aside > 0 else "left"
        picture.text(x0, top + 30, f"the staff stands further to the {way}", "muted", 13, align="centre")
    middle = (top + bottom) / 2
    scale = (bottom - top + 38 - 38) / span
    soft = one.hairs_soft
    for off, half in ((0.0, wide / 2 - 8), (now.staff.half, 26.0), (-now.staff.half, 26.0)):
        y = middle - off * scale
        if top < y < bottom:
            _hair(picture, x0 - half, x0 + half, y, 2.2 if off == 0 else 1.2, soft)
    return picture


def _hair(picture: Picture, x1: float, x2: float, y: float, width: float, soft: float) -> None:
    """A hair, thin and dark where it is sharp, broad and faint where it isn't."""
    if soft <= 0:
        picture.line(x1, y, x2, y, "keel", width)
        return
    for k, ink in enumerate(("rule", "slope2")):
        picture.line(x1, y, x2, y, ink, width + soft * (7.0 - 4.0 * k))


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


def walk(now: Walk, words: str, width: float, height: float) -> Picture:
    """Return the slope with its pegs, where the instrument stands and the staff, and what is seen through the telescope."""
    picture = Picture(width, height)
    side = min(250.0, 0.34 * width)
    x1, x2, top, bottom = 24.0, width - side - 30, 58.0, height - 78
    slope = now.slope
    lowest, highest = min(slope.heights) - 0.4, max(slope.heights) + STAFF + 0.2
    across, up = (x2 - x1) / slope.along[-1], (bottom - top) / (highest - lowest)

    def at(along: float, z: float) -> tuple[float, float]:
        return x1 + along * across, bottom - (z - lowest) * up

    ground = [at(a, z) for a, z in zip(slope.along, slope.heights, strict=True)]
    picture.poly([*ground, (x2, bottom + 8), (x1, bottom + 8)], "ground", "")
    picture.poly(ground, "", "ink", 1.6, closed=False)
    for k, (x, y) in enumerate(ground):
        picture.line(x, y - 5, x, y + 7, "ink", 3.0)
        picture.text(x, bottom + 24, peg_name(k), "ink", 13, bold=k in {0, PEGS - 1}, align="centre")
        picture.text(x, bottom + 40, f"{slope.along[k]:.0f}", "muted", 13, align="centre")
    _staff_on(picture, now, at)
    if now.stands:
        z = slope.ground(now.stands[-1])
        x, y = at(now.stands[-1], z)
        eye = at(now.stands[-1], z + EYE)[1]
        for foot in (-8, 8):
            picture.line(x, eye + 4, x + foot, y, "wood", 3.0)
        picture.box(x - 8, eye - 5, 16, 9, "ink", "")
        picture.line(x1, eye, x2, eye, "keel", 1.4, dash=True)
    title(
        picture,
        f"{words}: set-up {now.setup}, the staff on {peg_name(now.peg)}"
        if now.stands
        else f"{words}: choose where to stand",
    )
    seen = now.seen
    if seen is not None:
        face = staff_face(
            seen.style,
            seen.hair,
            seen.hair,
            side,
            height - 40,
            span=max(0.13, 2.3 * seen.half),
            half=seen.half,
            told=False,
        )
        picture.items += placed(face, width - side, 30)
    else:
        words_ = "nothing to be seen" if now.stands else ""
        picture.text(width - side / 2, height / 2, words_, "muted", 14, align="centre")
    legend(
        picture, "from the side, heights drawn large · dashes: the line of sight · right: in the telescope"
    )
    picture.caption = f"Set-up {now.setup}, staff on {peg_name(now.peg)}, {len(now.sights)} sights booked"
    return picture


def _staff_on(picture: Picture, now: Walk, at: Callable[[float, float], tuple[float, float]]) -> None:
    """The staff as the holder has it: a careful eye sees when it isn't on its peg, or leans."""
    along, z = now.slope.along[now.peg], now.slope.heights[now.peg]
    spoiled = bool(now.stands) and now.fresh and now.faulty(now.setup)
    foot, top = at(along, z), at(along, z + STAFF)
    off = lean = 0.0
    if spoiled:
        off = 7.0 if now.slope.fault == BESIDE else 0.0
        lean = 16.0 if now.slope.fault == LEANS else 0.0
    stone = spoiled and not off and not lean
    if stone:
        picture.disc(foot[0], foot[1] - 4, 5, "stone", "ink", 1.2)
    picture.line(foot[0] + off, foot[1] - (9 if stone else 0), top[0] + off + lean, top[1], "staff", 4.0)


def held(now: Held, words: str, width: float, height: float) -> Picture:
    """Return a staff through the telescope, or past it by eye: its holder, its foot, its joint."""
    picture = Picture(width, height)
    title(picture, f"{words}, {'by eye' if now.by_eye else 'in the telescope'}")
    picture.caption = f"{words}; {'by eye' if now.by_eye else 'in the telescope'}, rocked {now.rocked} times"
    one = now.staff
    if not now.by_eye:
        face = staff_face(
            now.seen.style, one.shows, one.shows, 320, height - 34, span=0.13, half=now.seen.half, told=False
        )
        picture.items += placed(face, width / 2 - 160, 30)
        legend(picture, "no telescope shows whether it leans towards you or away")
        return picture
    base, x = height - 50.0, 0.5 * width
    tall = base - 56
    picture.box(40, base, width - 80, 14, "ground", "")
    lean = math.tan(0.16) if one.fault == SIDEWAYS else 0.0
    lift = 9.0 if one.fault == NAIL else 0.0
    foot = (x, base - lift)
    if lift:
        picture.line(x - 7, base, x - 3, base - 9, "ink", 3.0)
        picture.line(x + 7, base, x + 3, base - 9, "ink", 3.0)
    gap = 0.55
    for low, high in ((0.0, gap), (gap + (0.045 if one.fault == JOINT else 0.0), 1.0)):
        ends = [(foot[0] + lean * part * tall, foot[1] - part * tall) for part in (low, high)]
        picture.line(*ends[0], *ends[1], "staff", 9.0)
        picture.line(*ends[0], *ends[1], "bright", 4.0)
    _person(picture, x + 34, base, ((x + 6 + lean * 0.4 * tall, base - 0.4 * tall), (x + 22, base - 60)))
    legend(picture, "past the telescope: does it lean to a side, does its joint gape, what does it stand on?")
    return picture


def _person(
    picture: Picture, x: float, base: float, hands: Sequence[tuple[float, float]], size: float = 1.0
) -> None:
    """Somebody who stands there, seen from the front, each hand where it is."""
    hip, neck = base - 52 * size, base - 104 * size
    for side in (-1, 1):
        picture.line(x, hip, x + 13 * side * size, base, "ink", 6.0 * size)
    picture.line(x, hip, x, neck, "keel", 14.0 * size)
    for hand in hands:
        picture.line(x, neck + 10 * size, *hand, "ink", 5.0 * size)
        picture.disc(*hand, 5 * size, "wood", "ink", 1.0)
    picture.disc(x, neck - 14 * size, 11 * size, "wood", "ink", 1.4)


ARMS = {
    "extend": ((-22, -168), (22, -168)),
    "left": ((-62, -98), (14, -50)),
    "right": ((62, -98), (-14, -50)),
    "hold": ((-62, -98), (62, -98)),
    "up": ((30, -166), (-14, -50)),
    "down": ((44, -52), (-14, -50)),
    "done": ((-50, -58), (50, -58)),
}
"""Where the hands are at each signal, from the feet, as they are seen."""


def signal(now: Signal, words: str, width: float, height: float) -> Picture:
    """Return the one at the instrument, giving a signal, as far away as they stand."""
    picture = Picture(width, height)
    base = height - 52.0
    size = max(0.45, (height - 110) / 180 * min(1.0, 35 / now.away))
    picture.box(0, base, width, 18, "ground", "")
    x = width / 2
    for foot in (-16, 0, 16):
        picture.line(x - 90 * size, base - 92 * size, x + (foot - 90) * size, base, "wood", 3.0)
    picture.box(x - 100 * size, base - 104 * size, 20 * size, 12 * size, "stone", "ink", 1.2)
    hands = [(x + a * size, base + b * size) for a, b in ARMS[now.what]]
    _person(picture, x, base, hands, size)
    if now.what in {"up", "down"}:  # the hand that moves goes that way
        (a, b), way = hands[0], -1 if now.what == "up" else 1
        picture.line(a, b + 12 * way * size, a, b + 26 * way * size, "muted", 2.0)
    title(picture, f"{words}, from {now.away:.0f} m: what are you to do?")
    legend(picture, "you hold the staff, and see the one who reads it · left and right are yours")
    picture.caption = f"{words}; somebody signals from {now.away:.0f} m"
    return picture


DRAWN: dict[type, Callable[..., Picture]] = {
    Head: head,
    Standing: tripod,
    Sight: sight,
    Vial: vial,
    Mark: mark,
    Walk: walk,
    Held: held,
    Signal: signal,
}
