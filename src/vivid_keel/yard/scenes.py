"""What is seen at an exercise of the yard: the thing in hand as it stands, with the scale along which the hand in use is slid."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.stands.heads import Head
from vivid_keel.stands.resting import Mark, Vial
from vivid_keel.yard.attempt import Act, Attempt
from vivid_keel.yard.holder import Held, Signal
from vivid_keel.yard.rounds import CENTIMETRES, DEGREES, RINGS, TURNS, Hand, Rounds
from vivid_keel.yard.scenes_staff import held, sight, signal, walk
from vivid_keel.yard.scenes_stand import head, mark, tripod, vial
from vivid_keel.yard.screws import ScrewsExercise
from vivid_keel.yard.telescope import Sight
from vivid_keel.yard.tripod import Standing
from vivid_keel.yard.whole import Walk

NOTCH = 62.0
"""A notch of the scale of the hand in use [px]."""
NOTCHES = {TURNS: (1.0, "turns"), RINGS: (1.0, "rings"), CENTIMETRES: (4.0, "cm"), DEGREES: (60.0, "°")}
"""What a notch of the scale is worth, by what is asked for."""
SCALE = 44.0
"""So much of a picture's height the scale takes [px]."""


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
