"""What is seen of a staff and its holder: through the telescope, past it, from afar, and down a slope."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from vivid_keel.figures.display import Picture, placed
from vivid_keel.figures.staff_face import staff_face
from vivid_keel.figures.words import legend, title
from vivid_keel.stands.pegs import BESIDE, EYE, LEANS, STAFF
from vivid_keel.stands.staves import JOINT, NAIL, SIDEWAYS
from vivid_keel.yard.holder import Held, Signal
from vivid_keel.yard.telescope import Sight
from vivid_keel.yard.whole import PEGS, Walk, peg_name


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
