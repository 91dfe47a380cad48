"""Reading what a person types at a step of a check, or for a trait of an instrument."""

from __future__ import annotations

import math
import re
from datetime import date, datetime

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.outcome import Step, Traits
from vivid_keel.core.instruments.procedures.certificate import MOST_DAYS
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.quantities.number import parse_number, tidy

_TWO = re.compile(r"([+-]?[\d.,]+)\s*(?:[/;|]|\s)\s*([+-]?[\d.,]+)")
_ENGLISH = {"m": "ft-in", "mm": "in", "distance": "ft"}
_LENGTHS = {"m": "m", "mm": "mm", "distance": "m"}


LARGEST = 1e6
"""No number typed at a step is larger [its unit]: hours, seconds, newtons, degrees."""


FORMS = ("%Y-%m-%d", "%d %b %Y", "%d %B %Y", "%d.%m.%Y", "%d/%m/%Y")
"""How a day may be typed."""


def past_day(text: str, today: date) -> date:
    """Return a day as typed, not ahead of today.

    Raises
    ------
    KeelError
        `bad-value`: no day, or one to come.
    """
    for form in FORMS:
        try:
            day = datetime.strptime(text.strip(), form).date()
        except ValueError:
            continue
        if day > today:
            raise KeelError(
                "bad-value", f"{day:%-d %b %Y} is still to come; a check was done on a day that has been"
            )
        if day.year < 1950:
            raise KeelError("bad-value", f"{day:%-d %b %Y} is before any instrument here was made")
        return day
    raise KeelError(
        "bad-value", f"“{text.strip()}” is no day; type it as {today:%Y-%m-%d} or {today:%-d %b %Y}"
    )


class Booked(Struct, frozen=True):
    """A value as booked: its text, itself (m, rad, div, s, h, N, °C; nan for words), the step of its last digit."""

    text: str
    value: float
    step: float


def parse_step(
    step: Step, typed: str, tool: Traits, unit: str = "m", decimal_mark: str | None = None
) -> Booked:
    """Return what was typed at a step.

    A bubble is typed where its middle stands, right positive, or as both its ends from the vial's
    middle ("-3.4 6.6"): reading = (left + right)/2.

    Raises
    ------
    KeelError
        `bad-value`, `not-a-number`, `not-a-length`, `not-a-tilt`, in words that say what was expected.
    """
    text = typed.strip()
    if not text:
        raise KeelError("bad-value", f"nothing was typed; expected {_expected(step, unit)}")
    if step.unit == "words":
        return _word(step, text, decimal_mark)
    if step.unit == "day":
        day = past_day(text, date.max)
        return Booked(day.isoformat(), float(day.toordinal()), 1.0)
    if step.unit == "div":
        return _bubble(text, decimal_mark)
    if step.unit == "tilt":
        tilt = parse_tilt(text, "mm/m", decimal_mark, None)
        return Booked(text, tilt.value, tilt.resolution)
    if step.unit in _LENGTHS:
        field = _ENGLISH[step.unit] if unit in {"ft-in", "ft", "in"} else _LENGTHS[step.unit]
        length = parse_length(text, field, decimal_mark)
        return Booked(text, length.value, length.resolution)
    number, decimals = parse_number(_without(text, step.unit), decimal_mark)
    if step.unit == "days" and not 1 <= number <= MOST_DAYS:
        raise KeelError("bad-value", f"expected from 1 to {MOST_DAYS:g} days; “{text[:20]}” is not")
    if abs(number) > LARGEST:
        raise KeelError(
            "bad-value", f"“{text[:20]}” is beyond anything read here; expected {_expected(step, unit)}"
        )
    return Booked(text, number, 10.0**-decimals)


def _expected(step: Step, unit: str) -> str:
    if step.unit == "words":
        return " or ".join(step.words)
    return {
        "div": "divisions, right of the middle +",
        "tilt": "a tilt in mm/m",
        "h": "hours such as 8.25",
        "s": "seconds",
        "day": "a day such as 2026-03-12",
        "days": "a number of days",
    }.get(step.unit, f"a value in {step.unit if step.unit != 'distance' else 'metres'}")


def _without(text: str, unit: str) -> str:
    clean = tidy(text)
    return clean[: -len(unit)].strip() if unit and clean.lower().endswith(unit.lower()) else clean


def _bubble(text: str, decimal_mark: str | None) -> Booked:
    clean = _without(text, "div")
    ends = _TWO.fullmatch(clean)
    if ends:
        (left, a), (right, b) = parse_number(ends[1], decimal_mark), parse_number(ends[2], decimal_mark)
        if right <= left:
            raise KeelError(
                "bad-value",
                f"the right end, {right:g}, must stand right of the left one, {left:g}; both from the vial's middle, right +",
            )
        return Booked(text, (left + right) / 2, 10.0 ** -min(a, b) / math.sqrt(2))
    number, decimals = parse_number(clean, decimal_mark)
    return Booked(text, number, 10.0**-decimals)


def _word(step: Step, text: str, decimal_mark: str | None) -> Booked:
    lower = text.lower()
    for word in step.words:
        if word.startswith(lower):
            return Booked(word, 0.0 if word in {"same", "no"} else math.nan, 0.2 if word == "same" else 0.0)
    if step.words[:1] == ("same",):
        return _bubble(text, decimal_mark)
    raise KeelError("bad-value", f"“{text}” is not known here; expected {' or '.join(step.words)}")
