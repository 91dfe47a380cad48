"""A number as it comes in while a foot is turned: itself, where it is to stand, and what the hand does."""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec import Struct

from vivid_keel.core.quantities import show_number
from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.kit.vials import draw_vial

NEAR, THERE = 1.0, 0.2
"""The hand goes slower within so many divisions of where it is to stand, and stops within so many [1]."""
UP, DOWN = 880.0, 440.0
"""Pitch of the tone for up and for down [Hz]."""
QUICK, SLOW = 0.08, 0.9
"""Its pause right beside the mark, and SPAN divisions off it [s]."""
SPAN = 5.0
"""So many divisions either side of the target are drawn [1]."""


class Number(Struct, frozen=True):
    """What is seen of a level that sends its numbers.

    Attributes
    ----------
    now : float or None
        What it shows [rad]; None while nothing came in.
    still : bool
        Whether it stands.
    silent : str
        Why nothing comes in, "" where it does.
    where : str
        Where it lies.
    division : float
        [rad]
    target : float or None
        Where it is to stand [rad]; None while it is only read.
    foot : str
        What is turned.
    planned : float
        How far it is to go in all [m].
    by : float
        What a turn does to the number [rad/m].
    turned : float or None
        How far a simulated foot was turned [m]; None where a real one stands.
    said : callable, optional
        A number in words; in divisions where nobody says.
    unit : str
        What is said of it beside; "divisions".
    lies : str
        What lies there.
    then : str
        What the hand does besides, "" for nothing.
    waits : str
        What is said where it lies nowhere.
    """

    now: float | None
    still: bool
    silent: str
    where: str
    division: float
    target: float | None = None
    foot: str = ""
    planned: float = 0.0
    by: float = 0.0
    turned: float | None = None
    said: Callable[[float], str] | None = None
    unit: str = "divisions"
    lies: str = "the level lies"
    then: str = ""
    waits: str = "Nothing is to be read now."

    def words(self, value: float) -> str:
        """A number as it is said."""
        if self.said is not None:
            return self.said(value)
        return show_number(value / self.division, 1, signed=True)

    @property
    def there(self) -> bool:
        """Whether it is where it is to stand."""
        return abs(self.off) <= THERE

    @property
    def more(self) -> float:
        """How far the point is still to go [m], + raise; nan where that isn't known."""
        return self.off * self.division / self.by if self.by else math.nan

    def tone(self) -> tuple[float, float] | None:
        """Pitch [Hz] and pause [s] of the tone that leads the hand: high for up, low for down, quicker the nearer; None: silence."""
        if self.silent or self.now is None or math.isnan(self.off) or self.there or math.isnan(self.more):
            return None
        far = min(abs(self.off), SPAN)
        return (UP if self.more > 0 else DOWN), QUICK + (SLOW - QUICK) * far / SPAN

    @property
    def off(self) -> float:
        """How far it is from where it is to stand, in divisions; nan where nothing is to."""
        if self.now is None or self.target is None:
            return math.nan
        return (self.target - self.now) / self.division

    def word(self) -> str:
        """What the hand does."""
        if self.silent:
            return "nothing comes in"
        if self.target is None and not self.where:
            return ""
        if self.now is None:
            return "listening"
        if self.target is None:
            return "it stands: F8 takes it" if self.still else "hands off, wait"
        if self.there:
            return "stop" if not self.still else "stop: it stands"
        if self.more * self.planned < 0:
            return "too far: turn back"
        return "slower" if abs(self.off) <= NEAR else "turn on"


def live(seen: Number, width: float, height: float) -> Picture:
    """Return the picture."""
    picture = Picture(width, height)
    lies = seen.lies if seen.foot else seen.lies[:1].upper() + seen.lies[1:]
    head = f"{seen.foot}: {lies} {seen.where}" if seen.foot else f"{lies} {seen.where}"
    picture.text(14, 26, head if seen.where else seen.waits, "ink", 15, bold=True)
    if seen.silent:
        picture.text(14, 52, seen.silent[:1].upper() + seen.silent[1:] + ".", "out", 13)
    now = "–" if seen.now is None else seen.words(seen.now)
    ink = "ink" if seen.still else "muted"
    picture.text(width * 0.27, height * 0.52, now, ink, 72, bold=True, align="centre")
    tilt = seen.now is not None and seen.said is None
    mm = f"   {show_number(math.tan(seen.now or 0.0) * 1000, 3, signed=True)} mm/m" if tilt else ""
    picture.text(width * 0.27, height * 0.52 + 30, f"{seen.unit}{mm}", "muted", 15, align="centre")
    word = seen.word()
    there = word.startswith(("stop", "it stands"))
    picture.text(
        width * 0.72,
        height * 0.42,
        word,
        "in" if there else "lower" if "back" in word else "ink",
        34,
        bold=True,
        align="centre",
    )
    if seen.target is not None:
        stand = seen.words(seen.target)
        way = "raise" if seen.planned >= 0 else "lower"
        picture.text(width * 0.72, height * 0.42 + 34, f"{way} it until {stand}", way, 17, align="centre")
        picture.text(width * 0.72, height * 0.42 + 60, seen.then, "muted", 14, align="centre")
    _scale(picture, seen, width, height)
    picture.caption = f"{now} {seen.unit}, {word}"
    return picture


def bubble_to_match(
    where: str, divisions: float | None, reach: float, width: float, height: float
) -> Picture:
    """Return a vial marked to `reach` divisions whose bubble is put where it is seen [divisions]; in the middle while nobody has."""
    picture = Picture(width, height)
    picture.text(14, 26, f"The level lies {where}" if where else "All is read.", "ink", 15, bold=True)
    x, w, y, h = 70.0, width - 140.0, height / 2 - 50, 96.0
    one = draw_vial(
        picture, x, y, w, h, reach, divisions or 0.0, ends=("", "the arrow's end"), live=divisions is not None
    )
    said = "–" if divisions is None else f"{show_number(divisions, 1, signed=True)} divisions"
    picture.text(width / 2, y - 18, said, "ink", 22, bold=True, align="centre")
    picture.text(
        width / 2,
        height - 14,
        "drag the bubble to where you see it, or arrow keys left and right; Enter takes it",
        "muted",
        13,
        align="centre",
    )
    at = divisions or 0.0
    picture.drag = Drag(width / 2 + at * one, 1 / one, at, across=True, grip=width, span=(y, y + h))
    picture.caption = f"A vial, its bubble at {said}"
    return picture


def _far(turned: float) -> str:
    """How far a hand turned something, in words."""
    if abs(turned) < 1e-3:
        return f"{show_number(turned * 1e6, 0, signed=True)} µm"
    return f"{show_number(turned * 1e3, 1, signed=True)} mm"


def _scale(picture: Picture, seen: Number, width: float, height: float) -> None:
    """A band with where it is to stand in the middle, and where it stands."""
    y, left, right = height - 46.0, 60.0, width - 60.0
    middle, one = (left + right) / 2, (right - left) / 2 / SPAN
    picture.box(left, y - 10, right - left, 20, "glass", "ink", 1.2)
    if seen.target is not None:
        picture.box(middle - THERE * one, y - 14, 2 * THERE * one, 28, "lit", "keel", 1.6)
    centre = 0.0 if seen.target is None else seen.target / seen.division
    for k in range(-int(SPAN), int(SPAN) + 1):
        picture.line(middle + k * one, y - 10, middle + k * one, y - 4, "ink", 1.0)
    if seen.now is not None:
        at = max(-SPAN, min(SPAN, seen.now / seen.division - centre))
        picture.disc(middle + at * one, y, 9, "paper", "ink" if seen.still else "muted", 2.0)
    if seen.turned is not None:
        picture.text(
            middle,
            height - 10,
            f"stand-in: turn it with the arrow keys left and right, or drag · turned {_far(seen.turned)}",
            "muted",
            13,
            align="centre",
        )
        picture.drag = Drag(middle, 1e-6, seen.turned, across=True, grip=width, span=(y - 40, height))
