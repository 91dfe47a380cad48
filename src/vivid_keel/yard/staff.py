"""Reading a staff: three faces, right way up or upside down, near or far; each reading is told with its error and what it likely was.

A reading is right within what can be estimated; one that is off is laid to the kind of mistake that makes just that error, where one does.
"""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import LengthStyle, parse_length, show_amount, show_length
from vivid_keel.core.quantities.length import FOOT, INCH
from vivid_keel.yard.attempt import KINDS, Attempt, Debrief, Step

READINGS = 12
"""So many in an attempt."""
LOOKS_NEAR = 0.0025
"""A reading is right within so much [m]; far away within twice that; of a staff in eighths within a twelfth of an inch."""
ODD = 0.004
"""A stadia interval whose half is as near to another kind's error would be told as that [m]."""
METRIC, TENTHS, EIGHTHS = "m", "ft", "ft-in"


class View(Struct, frozen=True):
    """What is seen through the telescope: the face, where the middle hair lies and how far the others are off it [m], which way up."""

    unit: str
    hair: float
    half: float
    upside_down: bool
    far: bool

    @property
    def style(self) -> LengthStyle:
        """How it is written."""
        return LengthStyle(self.unit, 3 if self.unit == METRIC else 2)

    @property
    def close(self) -> float:
        """Within so much it is right [m]."""
        near = {METRIC: LOOKS_NEAR, TENTHS: 0.006 * FOOT, EIGHTHS: INCH / 12}[self.unit]
        return near * (2 if self.far and self.unit == METRIC else 1)


def view(attempt: Attempt, k: int, unit: str, upside_down: bool) -> View:
    """Return what is seen at the k-th reading of an attempt: harder ones are far away, and the hairs lie wide."""
    rng = np.random.default_rng([attempt.seed, k])
    far = bool(rng.random() < (0.0, 0.4, 0.8)[min(attempt.level, 3) - 1])
    step = {METRIC: 0.001, TENTHS: 0.01 * FOOT, EIGHTHS: INCH / 8}[unit]
    while True:
        seen = View(unit, round(float(rng.uniform(0.25, 3.7)) / step) * step, 0.0, upside_down, far)
        half = float(rng.uniform(0.02, 0.16))
        plain = all(abs(half - size) > ODD for _, size in _steps(unit))
        # What is read the wrong way up is not what another slip makes, nor the right thing.
        apart = abs(mirrored(seen) - seen.hair)
        clear = not upside_down or all(
            abs(apart - size) > 2 * seen.close for size in (0.0, *(s for _, s in _steps(unit)))
        )
        if plain and clear:
            return View(unit, seen.hair, half, upside_down, far)


def kind_of(seen: View, value: float, text: str, *, loose: float = 0.0) -> str:
    """Return the kind of mistake that a reading [m], as it was typed, likely is; "" where it is right, "?" where no kind makes it.

    `loose` is what an image that swims allows besides [m].
    """
    off = value - seen.hair
    near = seen.close + loose
    if abs(off) <= near:
        return ""
    if seen.upside_down and abs(value - mirrored(seen)) <= near:
        return "upside"
    if swapped(text, seen):
        return "swap"
    sizes = (("hair", seen.half), ("metre", 1.0 if seen.unit == METRIC else FOOT), *_steps(seen.unit))
    told = [(abs(abs(off) - size), kind) for kind, size in sizes if abs(abs(off) - size) <= near]
    return min(told)[1] if told else "?"


def _steps(unit: str) -> tuple[tuple[str, float], ...]:
    if unit == METRIC:
        return ("ten", 0.01), ("fifty", 0.05), ("tenth", 0.1)
    if unit == TENTHS:
        return ("ten", 0.05 * FOOT), ("tenth", 0.1 * FOOT)
    return ("inch", INCH / 8), ("inch", INCH / 4), ("tenth", INCH)


def mirrored(seen: View) -> float:
    """Return what is read where the figure is taken from the wrong side: as far above it as the hair lies below the next [m]."""
    tenth = {METRIC: 0.1, TENTHS: 0.1 * FOOT, EIGHTHS: INCH}[seen.unit]
    low = math.floor(seen.hair / tenth + 1e-9) * tenth
    return low + (low + tenth - seen.hair)


def swapped(text: str, seen: View) -> bool:
    """Whether a text has two neighbouring digits of the right one exchanged."""
    right = show_length(seen.hair, seen.style)
    if len(text.strip()) != len(right) or not right[0].isdigit():
        return False
    differ = [k for k, (a, b) in enumerate(zip(text.strip(), right, strict=True)) if a != b]
    digits = [k for k, sign in enumerate(right) if sign.isdigit()]
    if (
        len(differ) != 2
        or not set(differ) <= set(digits)
        or digits.index(differ[1]) - digits.index(differ[0]) != 1
    ):
        return False
    a, b = differ
    return text.strip()[a] == right[b] and text.strip()[b] == right[a]


class StaffExercise:
    """Twelve readings of a staff with one face."""

    goal = "twelve readings of the middle hair: look twice"

    def __init__(
        self, key: str, title: str, unit: str, shows: tuple[str, ...], *, upside_down: bool = False
    ) -> None:
        self.key, self.title, self.unit, self.shows, self.upside_down = key, title, unit, shows, upside_down

    def view(self, attempt: Attempt, k: int) -> View:
        """What is seen at the k-th reading."""
        return view(attempt, k, self.unit, self.upside_down)

    def over(self, attempt: Attempt) -> bool:
        """Whether all are read."""
        return len(attempt.done) >= READINGS

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        """Return what a reading says [m]. Raises KeelError where it is none."""
        return parse_length(text, self.unit, decimal_mark).value

    def hint(self, attempt: Attempt) -> str:
        """What a teacher would say now."""
        seen = self.view(attempt, len(attempt.done))
        if seen.upside_down:
            return "It stands on its head: the figure above the hair is the smaller one. Count downwards from it."
        if seen.unit == EIGHTHS:
            return "Find the inch below the hair first; then count the edges of the bars up to it: each is an eighth."
        return "Find the tenth below the hair, then which half of it; then count the blocks, and estimate the last figure."

    def debrief(self, attempt: Attempt) -> Debrief:
        """What came of it."""
        could: dict[str, int] = {}
        made: dict[str, int] = {}
        steps, worst = [], 0.0
        for k, act in enumerate(attempt.done[:READINGS]):
            seen = self.view(attempt, k)
            for kind in self.shows:
                could[kind] = could.get(kind, 0) + 1
            kind = kind_of(seen, act.value, act.text)
            if kind in could:
                made[kind] = made.get(kind, 0) + 1
            off = act.value - seen.hair
            worst = max(worst, abs(off)) if kind else worst
            right = show_length(seen.hair, seen.style, unit=seen.unit != EIGHTHS)
            words = f"Reading {k + 1}: {act.text}"
            steps.append(
                Step(
                    words, not kind, "" if not kind else f"it stood at {right}: {slip_words(kind, off, seen)}"
                )
            )
        good = sum(step.good for step in steps)
        summary = f"{good} of {len(steps)} right" if steps else "nothing read yet"
        return Debrief(steps, {kind: (n, made.get(kind, 0)) for kind, n in could.items()}, worst, summary)


def slip_words(kind: str, off: float, seen: View) -> str:
    """How far a reading was off [m], and what that likely was."""
    by = show_amount(off, seen.style, signed=True)
    return f"{by}, {KINDS[kind][0]}" if kind in KINDS else f"{by}, and no usual slip makes that"
