"""The order in which an instrument is set up: short lists, a step a line, for each kind of instrument; what was ticked of one.

Source: the usual practice of setting up, step by step (the handbook). Ticking is optional; a list that nobody began says nothing.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.record.journal import Journal

AUTOMATIC, FOUR_SCREWS, LASER, TUBE, LIQUID, PRECISION = (
    "automatic",
    "four-screws",
    "laser",
    "tube",
    "liquid",
    "precision",
)


class SetUpStep(Struct, frozen=True):
    """A step: its key, what is done, and why."""

    key: str
    does: str
    why: str


_LEGS = (
    SetUpStep(
        "legs",
        "One leg towards the work, two beside you",
        "no leg under the observer; by the chin when closed it is long enough",
    ),
    SetUpStep(
        "tread", "Tread the feet in; on a smooth floor stop them", "a foot that creeps takes the line with it"
    ),
    SetUpStep("head", "Head level by eye, from two sides", "it saves the screws"),
    SetUpStep(
        "middle", "Foot screws at mid-travel, then the instrument on", "snug, never forced, one hand under it"
    ),
)
_SIGHT = (
    SetUpStep("hairs", "Eyepiece on the hairs first, against sky or paper", "then the staff in focus"),
    SetUpStep(
        "parallax",
        "Move the eye: do hairs and staff stay together?",
        "if not, refocus: parallax costs millimetres",
    ),
)
_FIRST = SetUpStep(
    "first", "First reading: the benchmark; the last one too", "an instrument that moved has no line any more"
)
ORDERS: dict[str, tuple[SetUpStep, ...]] = {
    AUTOMATIC: (
        *_LEGS,
        SetUpStep(
            "bubble",
            "Bubble into its ring: two screws together, then the third",
            "the bubble follows the left thumb",
        ),
        SetUpStep("round", "Turn it by half a circle: does the bubble stay?", "if not, split the difference"),
        *_SIGHT,
        SetUpStep(
            "tap", "Tap it: the image swings and comes back", "a compensator that hangs draws a crooked line"
        ),
        _FIRST,
    ),
    FOUR_SCREWS: (
        *_LEGS,
        SetUpStep(
            "bubble",
            "One opposite pair, then the other, thumbs in or out together",
            "snug: loose it rocks, tight it bends the plate",
        ),
        SetUpStep(
            "round",
            "Turn it by half a circle over each pair: half out",
            "then all round the same place, central or not",
        ),
        *_SIGHT,
        SetUpStep(
            "each",
            "Look at the bubble before and after each reading",
            "a fixed line is only as level as the bubble just now",
        ),
        _FIRST,
    ),
    LASER: (
        *_LEGS[:3],
        SetUpStep(
            "ready",
            "Let it level itself; wait until it stands",
            "a plane that still swings reads like one that stands",
        ),
        SetUpStep("edge", "Always the same edge of the line", "it widens with the distance"),
        SetUpStep("near", "Read near, and from its middle distance", "its own error grows with the metres"),
        _FIRST,
    ),
    TUBE: (
        SetUpStep("bubbles", "Run it until no bubble is left in the tube", "one bubble hides centimetres"),
        SetUpStep(
            "side", "Both ends side by side: do they agree?", "else carry the difference with every mark"
        ),
        SetUpStep("shade", "Both legs in the shade, away from warm pipes", "a warm leg stands higher"),
        SetUpStep(
            "wait",
            "Wait until the water stands; then read its lower edge",
            "it swings for longer than it looks",
        ),
        _FIRST,
    ),
    LIQUID: (
        SetUpStep(
            "base",
            "The base on a lasting mark, where nobody kicks it",
            "a base that moved voids what follows",
        ),
        SetUpStep("zero", "Zero there, and write the time", "its drift is spread between two zeros"),
        SetUpStep("still", "Wait until the number stands", "the hose swings after each step"),
        _FIRST,
    ),
    PRECISION: (
        SetUpStep("clean", "Wipe and deburr where it will lie", "a chip is a tenth of a millimetre"),
        SetUpStep("seat", "Put it down, slide it a little, let go", "grips only: a warm hand bows the vial"),
        SetUpStep("still", "Wait until the bubble rests", "a fine vial takes half a minute"),
        SetUpStep("stand", "Nobody leans on it or stands beside it", "floors bend under a person"),
        SetUpStep("both", "Read both ends of the bubble when it is fine", "the mean of both is the reading"),
    ),
}
"""By the kind of instrument at hand."""


def order_for(way: str, *, kind: str = "", fixed: bool = False, four: bool = False) -> str:
    """Return which list is for an instrument.

    Parameters
    ----------
    way : str
        How it reads (see `defaults.WAYS`).
    kind : str
        Of the kit, where it is known.
    fixed, four : bool
        Of an optical level: a line fixed to its bubble, four foot screws.
    """
    by_kind = {
        "tube": TUBE,
        "hydrostatic": LIQUID,
        "rotary": LASER,
        "line": LASER,
        "precision": PRECISION,
        "electronic": PRECISION,
    }
    if kind in by_kind:
        return by_kind[kind]
    if way == "water":
        return TUBE
    if way.startswith(("rotary", "line")):
        return LASER
    return FOUR_SCREWS if fixed or four else AUTOMATIC


class Ticked(Struct, frozen=True):
    """What was ticked of a list: which list, its entry (0: nobody began it), and the steps' keys."""

    order: str
    entry: int
    done: frozenset[str]

    @property
    def steps(self) -> Sequence[SetUpStep]:
        """The whole list."""
        return ORDERS[self.order]

    @property
    def skipped(self) -> list[SetUpStep]:
        """What was left out of a list that somebody began."""
        return [step for step in self.steps if step.key not in self.done] if self.entry else []


def ticked(journal: Journal, work: int, order: str) -> Ticked:
    """Return what was ticked of a list for the set-up in hand: what was ticked for another instrument isn't for this one."""
    entry = journal.latest(work, "set-up-order")
    if entry is None or str(entry.body["order"]) != order:
        return Ticked(order, 0, frozenset())
    known = {step.key for step in ORDERS[order]}
    return Ticked(order, entry.id, frozenset(str(entry.body["done"]).split()) & known)
