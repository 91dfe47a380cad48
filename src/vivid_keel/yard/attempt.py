"""An attempt at an exercise as it was done, act by act; and the kinds of mistake that are looked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

KINDS = {
    "ten": (
        "ten millimetres off",
        "Count the blocks from the figure below the hair, not from the one nearest to it.",
    ),
    "fifty": (
        "fifty millimetres off",
        "A bar joins the fifth block to its group: see first which half of the tenth the hair is in.",
    ),
    "tenth": (
        "a tenth off",
        "Read the figure that stands below the hair on the staff, then look again before the staff moves.",
    ),
    "metre": ("a whole metre off", "The colour changes with the metre: see which one the hair is in first."),
    "hair": (
        "a stadia hair read for the middle one",
        "The short hairs are for distance. Half of their sum is the middle one: add them up.",
    ),
    "upside": (
        "read the wrong way up",
        "Upside down, values grow downwards: read from the figure towards the next larger one.",
    ),
    "swap": ("two digits changed places", "Say the figure aloud as it is read, and again as it is booked."),
    "inch": (
        "an eighth miscounted",
        "The edges of a bar count: bottom, middle and top of a mark are three eighths apart by one each.",
    ),
    "way": (
        "the screw turned the wrong way",
        "The bubble follows the left thumb: think before the first turn, not after it.",
    ),
    "reversal": (
        "not turned round",
        "A bubble in its ring tells nothing until the head was turned by half a circle.",
    ),
    "half": (
        "all taken out where half was to go",
        "Half of what it moved is the axis, the other half the bubble's own: split it.",
    ),
    "pair": (
        "a pair loose, or bent tight",
        "Both thumbs in or both out, by as much: a loose pair rocks, a tight one bends the plate and the bubble lies.",
    ),
    "under": (
        "a leg where you stand",
        "One leg towards the work, two beside you: nobody kicks what is not in the way.",
    ),
    "creep": (
        "feet left to creep",
        "Tread them in on soft ground; on a smooth floor stop them, treading holds nothing there.",
    ),
    "side": (
        "the head looked at from one side",
        "Level from one side leans to the other: go round by a quarter before you believe it.",
    ),
    "parallax": (
        "read with parallax",
        "Hairs first, then the staff; move the eye: while the hairs move on the staff, refocus.",
    ),
    "tap": ("the compensator not tried", "Tap it before the first reading: only what swings comes back."),
    "ran": ("read before it stood", "Look twice, some seconds apart: what stands is where it was."),
    "hand": ("a hand left on it", "Grips only, then off: a warm vial is bowed for half a minute."),
    "ends": ("an end with the wrong sign", "From the middle: to the left is −, to the right is +."),
    "held": (
        "read though it was held wrong",
        "Look past the telescope before each reading: foot, joint, and whether it leans.",
    ),
    "rock": (
        "not the lowest reading",
        "A staff that leans only ever reads too much: have it rocked through plumb, the lowest counts.",
    ),
    "signal": ("a signal misunderstood", "Agree on the signals before you part; answer each by doing it."),
    "edge": ("the other edge of the line", "Agree on one edge before the first reading: the lower one."),
}
"""By their key: what it is called, and what helps against it."""


class Act(Struct, frozen=True):
    """Something that was done: what (a control), how much as it was typed, and as a number."""

    what: str
    text: str
    value: float


class Attempt(Struct, frozen=True):
    """An attempt: its entry, which exercise, how hard (1 to 3), its seed, what was done, whether it was ended, on which day, and how long it took [s]."""

    id: int
    exercise: str
    level: int
    seed: int
    acts: tuple[Act, ...] = ()
    ended: bool = False
    day: str = ""
    took: float = 0.0

    def with_act(self, what: str, text: str, value: float) -> Attempt:
        """Return it with one thing more done."""
        return replace(self, acts=(*self.acts, Act(what, text, value)))

    @property
    def hints(self) -> int:
        """How many hints were asked for."""
        return sum(act.what == HINT for act in self.acts)

    @property
    def done(self) -> list[Act]:
        """What was done, hints left out."""
        return [act for act in self.acts if act.what != HINT]


HINT = "hint"
"""What asks for help."""


class Step(Struct, frozen=True):
    """A step as the debrief tells it: what was done, whether it was well done, and what is to be said."""

    words: str
    good: bool
    said: str = ""


class Debrief(Struct, frozen=True):
    """What came of an attempt.

    Attributes
    ----------
    steps : sequence of Step
        What was done.
    slips : mapping of str to (int, int)
        How often each kind of mistake could have been made, and how often it was.
    costs : float
        What it would have cost on a job [m].
    summary : str
        How far it was, in a sentence.
    """

    steps: Sequence[Step]
    slips: Mapping[str, tuple[int, int]]
    costs: float
    summary: str
