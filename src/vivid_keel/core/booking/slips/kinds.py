"""The slips people make, as what each would have added to the readings.

Source: the practice's list of mistakes in booking, each a pattern in the observations.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.layout import FS
from vivid_keel.core.booking.slips.fit import HAIRS, LOOK, Fit
from vivid_keel.core.booking.slips.readings import BookReadings
from vivid_keel.core.quantities import is_missing, round_half_away
from vivid_keel.core.quantities.length import FOOT, INCH, UNIT_IN_M

FREE = 0.015
"""How far a staff sinks, slides or drops, or an instrument settles: ordinary size [m]."""
HALF_INTERVAL, ITS_SPREAD = 0.1, 0.06
"""From the middle hair to an outer one where no distance is known: 20 m, 12 m more or less [m]."""
ANY = (0.02, 0.4)
"""Ordinary sizes of a mistake of a kind that stands on no list: a small one, a large one [m]."""


STAFF = 5.0
"""The longest staff in common use [m]."""
LONG = 600
"""Sights beyond which a book is searched where it looks strange only."""
STRANGE = 2.5


class SlipKind(Struct, frozen=True):
    """A kind of slip: its key, what it is called, how often it is met against the others [1]."""

    key: str
    label: str
    prior: float


KINDS = {
    k.key: k
    for k in (
        SlipKind("whole", "a whole unit", 1.0),
        SlipKind("tenth", "a tenth", 1.0),
        SlipKind("half-tenth", "the wrong block", 1.0),
        SlipKind("hundredth", "a block of ten", 1.0),
        SlipKind("swapped", "digits swapped", 1.0),
        SlipKind("hair", "a stadia hair for the middle one", 1.0),
        SlipKind("columns", "backsight and foresight in each other's column", 1.0),
        SlipKind("overhead", "an overhead reading without its sign", 0.7),
        SlipKind("face", "the staff's other face", 0.7),
        SlipKind("joint", "a staff joint not home", 0.7),
        SlipKind("sank", "a change point that sank", 0.7),
        SlipKind("moved", "the instrument moved within a set-up", 0.7),
        SlipKind("nail", "the staff's foot dropped over a nail", 0.5),
        SlipKind("look", "the second look, not the first", 0.4),
        SlipKind("outer", "an outer hair misread", 0.4),
        SlipKind("unknown", "something of another kind", 0.7),
    )
}


class Hypothesis(Struct, frozen=True):
    """One mistake at one place.

    Attributes
    ----------
    kind : str
    rows : tuple of int
        Sights it touches, the one to look at first.
    size : float
        What the mistake added to the reading [m]; the middle of what it may have been.
    spread : float
        Standard deviation of that [m]; 0 for slips of a known size.
    touches : tuple of (int, float)
        Observations and what one unit of the slip adds to each.
    """

    kind: str
    rows: tuple[int, ...]
    size: float
    spread: float
    touches: tuple[tuple[int, float], ...]


STEPS: dict[str, tuple[tuple[str, float], ...]] = {
    "m": (("whole", 1.0), ("tenth", 0.1), ("half-tenth", 0.05), ("hundredth", 0.01)),
    "ft": (("whole", FOOT), ("tenth", FOOT / 10), ("hundredth", FOOT / 20)),
    "ft-in": (("whole", FOOT), ("tenth", INCH), ("half-tenth", INCH / 2)),
}
"""The marks of a face that are taken for one another, by unit [m]."""


def steps_of(unit: str) -> tuple[tuple[str, float], ...]:
    """Return the steps of the faces read in a unit."""
    return STEPS.get(unit, STEPS["ft-in"] if unit == "in" else STEPS["m"])


def hypotheses(book: BookReadings, fit: Fit) -> Iterator[Hypothesis]:
    """Yield every single mistake that could have been made in a book."""
    good = [i for i in range(len(book.middle)) if fit.at_middle[i] >= 0]
    for i in good:
        yield from _at_one_reading(book, fit, i)
    for k in np.flatnonzero((fit.sort == LOOK) | (fit.sort == HAIRS)).tolist():
        key = "look" if fit.sort[k] == LOOK else "outer"
        yield Hypothesis(key, (int(fit.sight[k]),), 0.0, 0.1, ((k, 1.0),))
    yield from _columns(book, fit)
    yield from _change_points(book, fit)
    yield from _moved(book, fit)
    yield from _joints(book, fit, good)
    yield from _nails(book, fit, good)


def _at_one_reading(book: BookReadings, fit: Fit, i: int) -> Iterator[Hypothesis]:
    reading = float(book.middle[i])
    one, all_read = ((int(fit.at_middle[i]), 1.0),), _all_of(fit, [i])
    for key, step in steps_of(book.unit):
        for size in (step, -step):
            if on_a_staff(reading - size, reading):
                yield Hypothesis(key, (i,), size, 0.0, one)
    for other in filter(on_a_staff, swapped(reading, book.unit, book.decimals)):
        yield Hypothesis("swapped", (i,), reading - other, 0.0, one)
    distance = float(book.distance[i])
    if not is_missing(distance):
        half = distance / 200  # a hundredth of the distance lies between the outer hairs
        for size in (half, -half):
            yield Hypothesis("hair", (i,), size, max(0.04 * half, 0.0007), one)
    else:
        for size in (HALF_INTERVAL, -HALF_INTERVAL):
            yield Hypothesis("hair", (i,), size, ITS_SPREAD, one)
    for spread in ANY:
        yield Hypothesis("unknown", (i,), 0.0, spread, one)
        if len(all_read) > 1:
            yield Hypothesis("unknown", (i,), 0.0, spread, all_read)
    if reading > 0:
        yield Hypothesis("overhead", (i,), 2 * reading, 0.0, all_read)
    metric = book.unit in {"m", "cm", "mm"}
    yield Hypothesis(
        "face", (i,), reading * (1 - FOOT) if metric else reading - reading / FOOT, 0.0, all_read
    )


def on_a_staff(reading: float, beside: float = math.nan) -> bool:
    """Tell whether a reading [m] can be: within a staff's length, and on the same side of the line as the one beside."""
    return 0.0 < abs(reading) <= STAFF and not reading * beside < 0


def swapped(reading: float, unit: str, decimals: int) -> list[float]:
    """Return what a reading [m] would be with two neighbouring digits in each other's place [m]."""
    if unit in {"ft-in", "in"}:
        return []
    scale = UNIT_IN_M[unit]
    digits = f"{round_half_away(abs(reading) / scale, 10.0**-decimals):0{decimals + 1}d}"
    out = []
    for a in range(len(digits) - 1):
        if digits[a] != digits[a + 1]:
            other = digits[:a] + digits[a + 1] + digits[a] + digits[a + 2 :]
            out.append(math.copysign(int(other) * 10.0**-decimals * scale, reading))
    return out


def _columns(book: BookReadings, fit: Fit) -> Iterator[Hypothesis]:
    """On a set-up, and on a change point's line, where the two stand side by side."""
    layout = book.layout
    for s in range(layout.setups):
        fore, back = layout.foresight[s], layout.backsight[s]
        after = layout.backsight[s + 1] if s + 1 < layout.setups else -1
        for a, b in ((back, fore), (fore, after)):
            if a < 0 or b < 0 or fit.at_middle[a] < 0 or fit.at_middle[b] < 0:
                continue
            if (a, b) == (fore, after) and layout.marks[a] != layout.marks[b]:
                continue
            size = float(book.middle[a] - book.middle[b])
            touches = (*_all_of(fit, [a]), *((k, -1.0) for k, _ in _all_of(fit, [b])))
            yield Hypothesis("columns", (a, b), size, 0.0, touches)


def _change_points(book: BookReadings, fit: Fit) -> Iterator[Hypothesis]:
    """A change point that sank: all sights on it from then on read more."""
    layout = book.layout
    on: dict[str, list[int]] = {}
    for i, mark in enumerate(layout.marks):
        on.setdefault(mark, []).append(i)
    for s, row in enumerate(layout.backsight):
        source = layout.source[s]
        if row < 0 or source < 0 or layout.kinds[source] != FS or fit.at_middle[row] < 0:
            continue
        later = [i for i in on[layout.marks[row]] if i >= row and fit.at_middle[i] >= 0]
        yield Hypothesis("sank", (row,), FREE, FREE / 2, _all_of(fit, later))


def _moved(book: BookReadings, fit: Fit) -> Iterator[Hypothesis]:
    """Everything read on a set-up from one sight on, by a line that is no longer where it was."""
    layout = book.layout
    # In a long book a line that moved can only be placed where something on its own set-up doesn't fit.
    strange = np.abs(fit.left) * np.sqrt(fit.weight) > STRANGE * np.sqrt(fit.share)
    look_at = (
        range(layout.setups)
        if len(book.middle) <= LONG
        else np.unique(layout.setup[fit.sight[strange]]).tolist()
    )
    for s in look_at:
        rows = [i for i in np.flatnonzero(layout.setup == s).tolist() if fit.at_middle[i] >= 0]
        for k in range(1, len(rows)):
            yield Hypothesis("moved", (rows[k],), 0.0, FREE, _all_of(fit, rows[k:]))


def _joints(book: BookReadings, fit: Fit, good: list[int]) -> Iterator[Hypothesis]:
    """Readings above a joint, from one set-up on: where the sections of common staffs meet."""
    layout = book.layout
    places = (1.0, 1.5, 2.0, 3.0) if book.unit in {"m", "cm", "mm"} else (5 * FOOT, 8 * FOOT, 10 * FOOT)
    firsts = sorted({int(layout.setup[i]) for i in good})
    if len(firsts) > 60:  # a long book: the search is for one place, not for all pairs
        firsts = firsts[:: math.ceil(len(firsts) / 60)]
    for joint in places:
        seen: set[tuple[int, ...]] = set()
        for s in firsts:
            rows = [i for i in good if layout.setup[i] >= s and abs(book.middle[i]) > joint]
            if len(rows) > 1 and tuple(rows) not in seen:
                seen.add(tuple(rows))
                for size in (
                    FREE,
                    -FREE,
                ):  # not fully drawn it reads more, dirt in the joint makes it read less
                    yield Hypothesis("joint", tuple(rows), size, FREE / 2, _all_of(fit, rows))


def _nails(book: BookReadings, fit: Fit, good: list[int]) -> Iterator[Hypothesis]:
    """A staff that dropped over a nail reads more on that mark, on every set-up that saw it."""
    seen: dict[str, list[int]] = {}
    for i in good:
        seen.setdefault(book.layout.marks[i], []).append(i)
    for rows in seen.values():
        yield Hypothesis("nail", tuple(rows), FREE, FREE / 2, _all_of(fit, rows))


def _all_of(fit: Fit, rows: list[int]) -> tuple[tuple[int, float], ...]:
    """All that was read at these sights, hairs and second looks too: the staff or the line itself was off."""
    return tuple((k, 1.0) for i in rows for k in fit.of_sight[i])
