"""Two walks that bring heights: a string levelled from stake to stake, and a hydrostatic level carried from point to point.

Source: practice 07 and 06. A string is fixed at its first stake, levelled at mid-span, and the farther end is always the one that is
adjusted; where it comes back above its start it has climbed on the way, in proportion to its length. A hydrostatic level's zero
drifts in a straight line between two looks at the benchmark.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing

SAME = 1e-6
"""Lengths that ought to be equal are: three thirds of a leg may be a hair more than the leg [m]."""


class Between(Struct, frozen=True):
    """A point under a leg: its name, the leg by number from 0, how far from its first stake and how far below the string [m]."""

    name: str
    leg: int
    at: float
    down: float


class StringWalk(Struct, frozen=True):
    """A walk worked out: misclosure [m] (nan: open), whether it is allowed (None: open), heights of string and ground by name [m]."""

    misclosure: float
    accepted: bool | None
    string: dict[str, float]
    ground: dict[str, float]


def walk_string(
    start: float,
    stakes: Sequence[tuple[str, float]],
    lengths: Sequence[float],
    *,
    closing: float = math.nan,
    allowed: float = 0.01,
    weight: float = 0.0,
    tension: float = math.nan,
    between: Sequence[Between] = (),
) -> StringWalk:
    """Return what a string says.

    Parameters
    ----------
    start : float
        Its height at the first stake [m].
    stakes : sequence of (str, float)
        Their names, and how far the ground is below the string [m].
    lengths : sequence of float
        Of the legs [m]; as many as stakes where the last comes back to the first.
    closing : float
        How far above its start the string comes back [m]; nan where it doesn't come back.
    allowed : float
        How much of that is spread [m].
    weight, tension : float
        Of the string [N/m, N]: at x of a leg of length L it sags by w·x·(L − x)/(2T).
    between : sequence of Between

    Raises
    ------
    KeelError
        `wrong-legs`, `no-tension`, `duplicate-name`, `bad-value`.
    """
    back = len(lengths) == len(stakes)
    _check_legs(stakes, lengths, back, not is_missing(closing))
    if weight > 0 and is_missing(tension):
        raise KeelError("no-tension", "a string of that weight sags; how hard is it pulled?")
    names = [name for name, _ in stakes] + [one.name for one in between]
    for k, name in enumerate(names):
        if name in names[:k]:
            raise KeelError("duplicate-name", f"there are two called {name}")
    accepted = abs(closing) <= allowed if back else None
    whole, gone = sum(lengths), 0.0
    at = []
    for k in range(len(stakes)):
        at.append(start + (closing * gone / whole if accepted else 0.0))
        gone += lengths[k] if k < len(lengths) else 0.0
    ends = [*at[1:], *([start + (closing if accepted else 0.0)] if back else [])]
    ground = {name: height - down for (name, down), height in zip(stakes, at, strict=True)}
    for one in between:
        if not 0 <= one.leg < len(lengths):
            raise KeelError(
                "bad-value",
                f"{one.name}: there is no leg {one.leg}; they are numbered from 0 to {len(lengths) - 1}",
            )
        length = lengths[one.leg]
        if not -SAME <= one.at <= length + SAME:
            raise KeelError(
                "bad-value", f"{one.name}: its leg is {length:g} m long, and it is said to be at {one.at:g} m"
            )
        along = min(max(one.at, 0.0), length)
        sag = weight * along * (length - along) / (2 * tension) if weight > 0 else 0.0
        line = at[one.leg] + (ends[one.leg] - at[one.leg]) * along / length
        ground[one.name] = line - sag - one.down
    string = {name: height for (name, _), height in zip(stakes, at, strict=True)}
    return StringWalk(closing if back else math.nan, accepted, string, ground)


def _check_legs(
    stakes: Sequence[tuple[str, float]], lengths: Sequence[float], back: bool, closes: bool
) -> None:
    if len(lengths) not in {len(stakes) - 1, len(stakes)}:
        raise KeelError(
            "wrong-legs",
            f"{len(stakes)} stakes have {len(stakes) - 1} legs, or {len(stakes)} where the last comes back to the first; {len(lengths)} are given",
        )
    if back != closes:
        raise KeelError(
            "wrong-legs",
            "the last leg comes back to the first stake: how far above its start does the string arrive?"
            if back
            else "the string is said to come back, and the leg on which it does is missing",
        )


class Look(Struct, frozen=True):
    """A reading of a hydrostatic level: at the benchmark, or at a named point; when [s] and how much higher it reads [m]."""

    time: float
    reading: float
    name: str = ""


class HydroWalk(Struct, frozen=True):
    """A walk worked out: heights by name [m]; the names after the last look, and those that nothing ties to a look, in order of time."""

    heights: dict[str, float]
    unchecked: list[str]
    void: list[str]


def walk_hydrostatic(
    benchmark: float, zeros: Sequence[Look], points: Sequence[Look], moved: Sequence[float] = ()
) -> HydroWalk:
    """Return what a hydrostatic level says.

    Parameters
    ----------
    benchmark : float
        Its height [m].
    zeros, points : sequence of Look
        At the benchmark, and at points; in any order.
    moved : sequence of float
        When its base was moved [s].

    Raises
    ------
    KeelError
        `no-zero`; `bad-value`: two looks at one time; `duplicate-name`.
    """
    if not zeros:
        raise KeelError("no-zero", "look at the benchmark first: nothing ties these readings to a height")
    looks = sorted(zeros, key=lambda one: one.time)
    times = [one.time for one in looks]
    for earlier, later in zip(times, times[1:], strict=False):
        if earlier == later:
            raise KeelError("bad-value", f"two looks at the benchmark at one time, {earlier:g} s")
    heights: dict[str, float] = {}
    unchecked: list[str] = []
    void: list[str] = []
    names: set[str] = set()
    for one in sorted(points, key=lambda one: one.time):
        if one.name in names:
            raise KeelError("duplicate-name", f"there are two called {one.name}")
        names.add(one.name)
        k = bisect.bisect_right(times, one.time) - 1
        if k < 0 or _moved_near(one.time, times, k, moved):
            void.append(one.name)
            continue
        zero = looks[k].reading
        if times[k] != one.time:
            if k + 1 < len(looks):
                part = (one.time - times[k]) / (times[k + 1] - times[k])
                zero += part * (looks[k + 1].reading - zero)
            else:
                unchecked.append(one.name)
        heights[one.name] = benchmark + one.reading - zero
    return HydroWalk(heights, unchecked, void)


def _moved_near(time: float, times: Sequence[float], k: int, moved: Sequence[float]) -> bool:
    """Whether the base was moved between the looks about a time, the one it falls on left alone [s]."""
    if times[k] == time:
        return False
    until = times[k + 1] if k + 1 < len(times) else float("inf")
    return any(times[k] <= one < until for one in moved)
