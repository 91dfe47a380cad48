"""Heights over time: every mark's way against where it was first read, the one in hand with its U, its rate and where that leads."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import date

from msgspec import Struct

from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.visits import HORIZON
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.words import headed

To = Callable[[float], float]
"""From years or metres to pixels."""
LINE = 17.0
"""From one name to the next at the right edge [px]."""
DAYS = 365.25


class Course(Struct, frozen=True):
    """What a mark did.

    Attributes
    ----------
    name : str
    times, values, U : sequence of float
        When it was read [years from the first occasion], how high against where it was first read, and U of that [m or rad].
    moved, benchmark : bool
        Whether it moved for certain; whether it carries the datum.
    rate, U_rate, until : float
        A year, nan where nothing tells it; how far ahead it is worth looking [years], 0: not.
    """

    name: str
    times: Sequence[float]
    values: Sequence[float]
    U: Sequence[float]
    moved: bool
    benchmark: bool = False
    rate: float = math.nan
    U_rate: float = math.nan
    until: float = 0.0
    key: str = ""
    """What its name answers the mouse with."""

    @property
    def last(self) -> float:
        """Its change since it was first read."""
        return self.values[-1]

    @property
    def ink(self) -> str:
        """Raised, lowered, or neither for certain."""
        return "muted" if not self.moved else "raise" if self.last > 0 else "lower"


class Scale(Struct, frozen=True):
    """How amounts are shown: their unit, what one of it is [m or rad], and an amount's text, signed, without the unit."""

    unit: str
    one: float
    amount: Callable[[float], str]


def over_time(
    courses: Sequence[Course],
    occasions: Sequence[tuple[float, date, str]],
    scale: Scale,
    allowed: float,
    width: float,
    height: float,
    focus: int = -1,
) -> Picture:
    """Return the picture.

    Parameters
    ----------
    courses : sequence of Course
    occasions : sequence of (years from the first, day, name)
    scale : Scale
    allowed : float
        How far a mark may go; nan where nobody said.
    width, height : float
        [px]
    focus : int
        The course in hand, -1 for none.
    """
    picture = Picture(width, height)
    if not courses:
        said = "Two occasions with a mark in common, and its way stands here."
        picture.text(width / 2, height / 2, said, "muted", 15, align="centre")
        picture.caption = said
        return picture
    lit = courses[focus] if 0 <= focus < len(courses) else None
    times = [time for time, _, _ in occasions]
    ahead = _ahead(lit, times[-1])
    reach = max(
        max(abs(v) for one in courses for v in one.values), max(max(one.U) for one in courses), scale.one / 10
    )
    if not is_missing(allowed):
        reach = max(reach, min(1.15 * allowed, 3 * reach))
    reach *= 1.12
    x0, base = 76.0, height - 40.0
    figures = 20 + max(text_width(scale.amount(one.last), 13, bold=True) for one in courses)
    names_wide = min(max(text_width(one.name, 13) for one in courses) + figures + 12, 0.36 * width)
    x1 = width - names_wide - 14
    signs = ["▵ benchmark"] if any(one.benchmark for one in courses) else []
    if not is_missing(allowed):
        within = scale.amount(allowed).lstrip("+").removesuffix(".0")
        signs.append(f"shaded: allowed ± {within} {scale.unit}")
    top = headed(picture, f"Since first read, {scale.unit}", " · ".join(signs), x1, 40.0)
    whole = max(times[-1] + ahead, 1e-3)

    def x(t: float) -> float:
        return x0 + 16 + (x1 - x0 - 16) * t / whole

    def y(v: float) -> float:
        return (top + base) / 2 - min(max(v / reach, -1.0), 1.0) * (base - top) / 2

    if not is_missing(allowed):
        picture.box(x0, y(allowed), x1 - x0, y(-allowed) - y(allowed), "glass", "")
    _steps(picture, scale, reach, (x0, x1), y)
    free = x1 + 40
    for time, _, name in reversed(occasions):  # the last is named first, and what stands too near not at all
        at, half = x(time), text_width(name, 13) / 2
        picture.line(at, top, at, base, "rule", 1.0)
        if at + half < free:
            picture.text(max(at, half + 14), base + 18, name, "ink", 13, align="centre")
            free = at - half - 10
    if ahead > 0 and x(whole) - x(times[-1]) > 90:
        day = date.fromordinal(occasions[-1][1].toordinal() + round(ahead * DAYS))
        picture.text(x(whole), base + 18, f"{day:%Y}", "muted", 13, align="right")
    for one in courses:
        if one is not lit:
            _course(picture, one, x, y)
    if lit is not None:
        _lit(picture, lit, ahead, x, y)
    _names(picture, courses, lit, scale, (x(times[-1]), x1, x1 + figures), y)
    picture.caption = f"{len(courses)} marks on {len(occasions)} occasions"
    return picture


def _ahead(lit: Course | None, span: float) -> float:
    """How far ahead is drawn [years]: to where the mark in hand may be out, within reason."""
    if lit is None or lit.benchmark or is_missing(lit.rate):
        return 0.0
    return min(lit.until * 1.1, HORIZON, 3 * span) if lit.until > 0 else 0.25 * span


def _steps(picture: Picture, scale: Scale, reach: float, across: tuple[float, float], y: To) -> None:
    x0, x1 = across
    ten = 10.0 ** math.floor(math.log10(reach / scale.one))
    step = next(s for s in (ten / 5, ten / 2, ten, 2 * ten, 5 * ten) if reach / scale.one / s <= 4.2)
    decimals = max(0, -math.floor(math.log10(step) + 1e-9))
    for k in range(-int(reach / scale.one / step), int(reach / scale.one / step) + 1):
        at = y(k * step * scale.one)
        picture.line(x0, at, x1, at, "keel" if k == 0 else "rule", 1.6 if k == 0 else 0.8)
        text = "0" if k == 0 else f"{k * step:+.{decimals}f}".replace("-", "−")
        picture.text(x0 - 8, at + 5, text, "muted", 13, align="right")


def _course(picture: Picture, one: Course, x: To, y: To) -> None:
    points = [(x(t), y(v)) for t, v in zip(one.times, one.values, strict=True)]
    picture.poly(points, "", one.ink, 2.0 if one.moved else 1.1, closed=False)
    for a, b in points[1:]:
        if one.benchmark:
            picture.poly([(a - 5, b + 4), (a + 5, b + 4), (a, b - 5)], "keel", "ink", 1.0)
        else:
            picture.disc(a, b, 3.4, one.ink if one.moved else "paper", one.ink, 1.0)


def _lit(picture: Picture, one: Course, ahead: float, x: To, y: To) -> None:
    """The mark in hand: its readings with U, the line through them, and where that leads."""
    t0, v0 = one.times[-1], one.values[-1]
    if not is_missing(one.rate) and ahead > 0:
        far = t0 + ahead
        fan = [
            (x(t0), y(v0)),
            (x(far), y(v0 + (one.rate + one.U_rate) * ahead)),
            (x(far), y(v0 + (one.rate - one.U_rate) * ahead)),
        ]
        picture.poly(fan, "lit", "")
        picture.line(x(t0), y(v0), x(far), y(v0 + one.rate * ahead), one.ink, 1.8, dash=True)
    points = [(x(t), y(v)) for t, v in zip(one.times, one.values, strict=True)]
    for (a, _), v, U in list(zip(points, one.values, one.U, strict=True))[1:]:
        low, high = y(v - U), y(v + U)
        picture.line(a, low, a, high, "ink", 1.8)
        for end in (low, high):
            picture.line(a - 6, end, a + 6, end, "ink", 1.8)
    picture.poly(points, "", "ink", 2.6, closed=False)
    for a, b in points:
        picture.disc(a, b, 5.0, "keel" if one.benchmark else "paper", "ink", 1.6)


def _names(
    picture: Picture,
    courses: Sequence[Course],
    lit: Course | None,
    scale: Scale,
    at_x: tuple[float, float, float],
    y: To,
) -> None:
    """Names at the right edge, one under the other, each led to its mark; those that moved, and as many others as there is room for;
    `at_x` is where the last occasion, the amounts and the names stand."""
    last, x1, names = at_x
    room = int((picture.height - 80) / LINE)
    chosen = sorted(courses, key=lambda one: (one is not lit, not one.moved, not one.benchmark))[:room]
    chosen.sort(key=lambda one: -one.last)
    places: list[float] = []
    for one in chosen:
        wanted = y(one.last) + 5
        places.append(max(wanted, places[-1] + LINE) if places else max(wanted, 52.0))
    if places[-1] > picture.height - 44:  # what ran out below is pushed up again
        below = picture.height - 44 + LINE
        for k in range(len(places) - 1, -1, -1):
            below = places[k] = min(places[k], below - LINE)
    for one, at in zip(chosen, places, strict=True):
        if x1 - last < 60 and one.times[-1] == max(c.times[-1] for c in courses):
            picture.line(last + 7, y(one.last), x1 + 6, at - 5, "rule", 1.0)
        ink = "ink" if one is lit else one.ink
        said = scale.amount(one.last)
        picture.text(x1 + 10, at, said, ink, 13, bold=one is lit or one.moved)
        picture.text(names, at, one.name, ink, 13, bold=one is lit)
        tip = f"{one.name}: {said} ± {scale.amount(one.U[-1]).lstrip('+')} {scale.unit}"
        picture.hit(x1 + 4, at - 14, picture.width - x1 - 8, LINE, one.key, tip)
