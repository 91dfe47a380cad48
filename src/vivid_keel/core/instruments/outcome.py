"""What a check asks for, step by step, and what comes of it.

Source: the three-valued verdict with its guard band (conventions of this program).
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.kinds import Kind
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT, judge
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.working import Working

TRUST, SETTLE, CORRECT, ALLOW, ADJUST, OUT_OF_USE = "trust", "settle", "correct", "allow", "adjust", "out"
DECISIONS = {
    TRUST: "trust it as it is",
    SETTLE: "use it with its ±, and settle it",
    CORRECT: "correct every reading by this",
    ALLOW: "allow for it where it is read",
    ADJUST: "adjust it now",
    OUT_OF_USE: "take it out of use",
}
TAKEN_OUT = frozenset({"collimation", "cone", "foot"})
"""Errors that a job takes off its readings: of no other is it said that it is corrected."""
FINEST = 8.0
"""Nobody reads an instrument so many times as finely: then it lies at its limit, as far as anybody can tell [1]."""
MOST_CYCLES = 20
MOST_ROUNDS = 12
"""More further rounds than this are no advice [1]."""


class Step(Struct, frozen=True):
    """One thing to do and book.

    Attributes
    ----------
    key : str
        Such as "a1/2": what, and in which cycle.
    title, text : str
        What to do, in a few words; and how.
    unit : str
        "div" (divisions of the vial), "tilt", "m" or "mm" (lengths), "distance", "s", "h", "°C", "words", "day" (its ordinal), "days".
    cycle : int
        0 for what is booked once.
    optional : bool
    words : tuple of str
        What may be answered, where it is words.
    usual : str
        Proposed, as it would be typed.
    """

    key: str
    title: str
    text: str
    unit: str
    cycle: int = 0
    optional: bool = False
    words: tuple[str, ...] = ()
    usual: str = ""


class Seen(Struct, frozen=True):
    """What was booked at a step: entry, text, value (m, rad, div, s, h, K; nan for words), step of its last digit.

    `at` is when it was booked [s], for judging patience.
    """

    id: int
    text: str
    value: float
    step: float
    at: float = 0.0


class Found(Struct, frozen=True):
    """An error that a check found, against what is allowed.

    Attributes
    ----------
    key, name : str
        Which error of the instrument ("level", "plumb", "collimation" …).
    unit : str
        "tilt" [rad], "length" [m], "rate" [m/h] or "div".
    value, U, limit : float
    cycles : int
    correctable : bool
        Whether readings can be freed from it by arithmetic, in a job (`TAKEN_OUT`) or by hand.
    adjust : str
        What to set, and to which reading; "" where there is nothing to turn.
    told : str
        The verdict of the procedure's own test, where it has one; "": the three-valued one of value and U.
    """

    key: str
    name: str
    unit: str
    value: float
    U: float
    limit: float
    cycles: int = 1
    correctable: bool = True
    adjust: str = ""
    told: str = ""
    allow: str = ""
    """How to go on with it where no job takes it off."""

    @property
    def taken_out(self) -> bool:
        """Whether a job takes it off the readings."""
        return self.correctable and self.key in TAKEN_OUT

    @property
    def verdict(self) -> str:
        """PROVEN_IN, PROVEN_OUT or NOT_PROVEN."""
        if self.told:
            return self.told
        if is_missing(self.U):
            return NOT_PROVEN
        scale = {"tilt": 1e-3, "length": 1e-3, "rate": 1e-3}.get(self.unit, 1.0)
        return judge(self.value / scale, self.U / scale, self.limit / scale)

    @property
    def decision(self) -> str:
        """What follows, one of DECISIONS: not proven is no fault; it leads to what would settle it, never out of use."""
        if self.verdict == PROVEN_IN:
            return TRUST
        if self.verdict == NOT_PROVEN:
            return SETTLE
        if self.adjust:
            return ADJUST
        if self.taken_out:
            return CORRECT
        return ALLOW if self.correctable or self.allow else OUT_OF_USE

    def settling(self) -> str:
        """Return what would settle a verdict that is not proven, with its number."""
        if is_missing(self.U) or is_missing(self.limit):
            return "Book what is missing; then it can be told."
        inside, far = self.limit - abs(self.value), abs(self.value)
        room = inside if inside > 0 else far - self.limit
        if room <= 0.05 * self.limit or FINEST * room < self.U:
            return (
                f"It lies at the limit itself, {self.show(self.limit, signed=False)}: no number of rounds tells that apart; "
                "a wider limit, or correct it."
            )
        times = self.U / room
        more = math.ceil(self.cycles * times**2 - 1e-9) - self.cycles
        towards = "in" if inside > 0 else "out"
        if 0 < more <= MOST_ROUNDS:
            rounds = f"{more} more round{'s' if more > 1 else ''} like {'these' if self.cycles > 1 else 'this one'}"
            return f"About {rounds} would prove it {towards}, or one that is {times:.1f} times as fine."
        return f"It wants a reading, or a lever, {times:.1f} times as fine to prove it {towards}: more rounds alone are too many."

    def show_with_u(self) -> str:
        """Return the error and its U, the unit once."""
        value, _, unit = self.show(self.value).rpartition(" ")
        return f"{value} ± {self.show(self.U, signed=False).rpartition(' ')[0]} {unit}"

    def show(self, value: float, *, signed: bool = True) -> str:
        """Return a value of this error [SI] with its unit."""
        return show_in(value, self.unit, self.U, signed=signed)


def show_in(value: float, unit: str, U: float = math.nan, *, signed: bool = True) -> str:
    """Return a value [SI] with its unit, to as many digits as its U [SI] makes worth showing."""
    if is_missing(value):
        return "not known"
    if unit == "div":
        return f"{show_number(value, 2, signed=signed)} div"
    word = {"tilt": "mm/m", "length": "mm", "rate": "mm/h"}[unit]
    thousandths = abs(U) * 1000
    digits = (
        2
        if is_missing(thousandths) or thousandths == 0
        else min(4, max(1, 1 - math.floor(math.log10(thousandths))))
    )
    return f"{show_number(value * 1000, digits, signed=signed)} {word}"


class Outcome(Struct, frozen=True):
    """What came of a check so far.

    Attributes
    ----------
    found : list of Found
        Empty until enough is booked.
    lines : list of (label, value, note)
        What that means, in a few lines.
    notes : list of (verdict, title, text)
        What else there is to say.
    trouble : KeelError or None
        What is wrong with what was booked; `where` is the step. Nothing is decided until it is put right.
    why : Working or None
    shown : mapping
        Numbers the picture needs.
    """

    found: list[Found] = field(default_factory=list)
    lines: list[tuple[str, str, str]] = field(default_factory=list)
    notes: list[tuple[str, str, str]] = field(default_factory=list)
    trouble: KeelError | None = None
    why: Working | None = None
    shown: Mapping[str, float] = field(default_factory=dict)

    @property
    def verdict(self) -> str:
        """The worst of what was found; "" where nothing is."""
        found = {item.verdict for item in self.found}
        if self.trouble is not None and self.found:
            return NOT_PROVEN
        return next((v for v in (PROVEN_OUT, NOT_PROVEN, PROVEN_IN) if v in found), "")

    @property
    def decision(self) -> str:
        """What follows for the whole instrument, the gravest first; "" while nothing is found."""
        if self.trouble is not None:
            return ""
        found = {item.decision for item in self.found}
        return next((d for d in (OUT_OF_USE, ADJUST, ALLOW, CORRECT, SETTLE, TRUST) if d in found), "")


class Traits:
    """Values of an instrument's traits: numbers in SI or divisions, texts as they are."""

    def __init__(self, kind: Kind, numbers: Mapping[str, float], texts: Mapping[str, str]) -> None:
        self.kind, self._numbers, self._texts = kind, numbers, texts

    def same_as(self, other: Traits) -> bool:
        """Whether all traits are the same."""
        return (self._numbers, self._texts) == (other._numbers, other._texts)

    def number(self, key: str, otherwise: float = math.nan) -> float:
        """Return a number that is known of it [SI], or `otherwise` [SI] where it isn't."""
        return self._numbers.get(key, otherwise)

    def text(self, key: str) -> str:
        return self._texts.get(key, "")

    @property
    def division(self) -> float:
        """One division of the vial [rad]; nan where it has none."""
        return self.number("division")

    @property
    def electronic(self) -> bool:
        """Whether it shows a tilt as a number."""
        return self.kind.key == "electronic"


class Procedure(ABC):
    """A check of an instrument: its steps, and what they give. Subclasses say the rest.

    Attributes
    ----------
    key, title, purpose : str
    ways : tuple of (key, label)
        Schools or layouts to choose from; the first is usual.
    """

    key = ""
    title = ""
    purpose = ""
    ways: tuple[tuple[str, str], ...] = (("", ""),)
    waits = True
    """Whether what is read settles first: a bubble does, what stands on paper doesn't."""

    @abstractmethod
    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        """Return what is to be booked, in order; cycles grow as they are filled."""

    @abstractmethod
    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        """Return what the booked steps give."""

    def way_label(self, way: str) -> str:
        return dict(self.ways).get(way, "")

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        """Check a value [the step's unit, SI] before it is booked.

        Raises
        ------
        KeelError
            For what can't be meant at a step: `bad-value`, `beyond-the-vial`, `looks-differ`.
        """


def cycles_of(seen: Mapping[str, Seen], keys: Sequence[str]) -> list[int]:
    """Return the cycles in which all of these steps are booked, ascending."""
    numbers = {int(k.rpartition("/")[2]) for k in seen if "/" in k}
    return [n for n in sorted(numbers) if all(f"{k}/{n}" in seen for k in keys)]


def open_cycle(seen: Mapping[str, Seen], keys: Sequence[str]) -> int:
    """Return how many cycles to show: one more than are complete, at most MOST_CYCLES."""
    return min(MOST_CYCLES, len(cycles_of(seen, keys)) + 1)


def value(seen: Mapping[str, Seen], key: str, otherwise: float = math.nan) -> float:
    """Return the value booked at a step [the step's unit, SI], or `otherwise` [the same]."""
    return seen[key].value if key in seen else otherwise


def typed_to(seen: Mapping[str, Seen], keys: Sequence[str]) -> float:
    """Return the coarsest step typed [the step's unit, SI] at steps that begin so."""
    return max((s.step for k, s in seen.items() if k.rpartition("/")[0] in keys or k in keys), default=0.0)


def resolution(seen: Mapping[str, Seen], keys: Sequence[str]) -> float:
    """Return what was read to [the step's unit, SI] at steps that begin so: the coarsest step typed, or the grid that all of it lies on."""
    there = [
        s for k, s in seen.items() if (k.rpartition("/")[0] in keys or k in keys) and not is_missing(s.value)
    ]
    typed = max((s.step for s in there), default=0.0)
    told = sum(abs(s.value) > 1e-9 for s in there)  # nought, as just zeroed, lies on every grid
    for grid in GRIDS if typed > 0 else ():
        if grid <= typed * (1 + 1e-9) or (typed / grid) ** told >= CHANCE:
            continue
        if all(abs(s.value / grid - round(s.value / grid)) < 1e-6 for s in there):
            return grid
    return typed


GRIDS = (0.01, 0.005, 0.002, 0.001, 0.0005, 0.0002)
"""Steps that people read lengths to, whatever they type [m]."""
CHANCE = 0.01
"""A grid that readings would lie on by chance more often than this is none [1]."""


def spans_of(found: Found, spans: Sequence[tuple[str, float]]) -> list[str]:
    """Return what a tilt means on spans (name, length [m]), in millimetres."""
    if found.unit != "tilt":
        return []
    return [
        f"over {name} ({length:g} m) {show_number(abs(found.value) * length * 1000, 1)} mm"
        for name, length in spans
    ]
