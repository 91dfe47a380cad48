"""Lengths as people write them: metric, decimal feet, feet-inches-fractions, thou, microns.

Source: 1 ft = 0.3048 m exactly; feet-inches in whole 1/64 in.
"""

from __future__ import annotations

import re

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities.number import parse_number, tidy

INCH = 0.0254
FOOT = 0.3048

LONGEST = 60
"""No length is written with more characters."""

UNIT_IN_M = {
    "m": 1.0,
    "mm": 0.001,
    "cm": 0.01,
    "µm": 1e-6,
    "ft": FOOT,
    "in": INCH,
    "thou": INCH / 1000,
    "ft-in": INCH,
}
"""Metres in one of each unit; `ft-in` counts in inches."""

_NAMES = {
    "m": "m",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "mm": "mm",
    "cm": "cm",
    "µm": "µm",
    "um": "µm",
    "micron": "µm",
    "microns": "µm",
    "ft": "ft",
    "feet": "ft",
    "foot": "ft",
    "'": "ft",
    "in": "in",
    "inch": "in",
    "inches": "in",
    '"': "in",
    "thou": "thou",
    "mil": "thou",
    "mils": "thou",
}

_METRES = re.compile(r"-?[0-9]{1,7}\.[0-9]{1,9}")
_DECIMAL = re.compile(r"([+-]?\s*[\d.,]+)\s*([a-zµ'\"]*)\.?", re.IGNORECASE)
_FEET_INCHES = re.compile(
    r"""(?P<sign>[+-])?\s*
    (?:(?P<feet>\d+)\s*(?:'|ft\.?|feet|foot)\s*(?:-\s*)?)?
    (?:(?P<inches>\d+)(?:[\s-]+(?P<num>\d+)\s*/\s*(?P<den>\d+))?|(?P<num0>\d+)\s*/\s*(?P<den0>\d+))?
    \s*(?P<mark>"|in\.?|inch|inches)?""",
    re.IGNORECASE | re.VERBOSE,
)
FARTHEST = 5e7
"""No length or coordinate is longer [m]: once round the Earth, with room for a zone before a coordinate."""
_BARE_FEET_INCHES = re.compile(r"([+-])?\s*(\d+)[\s-]+(\d+)[\s-]+(\d+)\s*/\s*(\d+)")


class Length(Struct, frozen=True):
    """A length as read.

    Attributes
    ----------
    text : str
        What was typed, untouched.
    unit : str
        The unit it was read in, a key of `UNIT_IN_M`.
    value : float
        [m]
    resolution : float
        The step of its last written digit or its fraction [m].
    """

    text: str
    unit: str
    value: float
    resolution: float


def metres_of(text: str, unit: str = "m", decimal_mark: str | None = None) -> float:
    """Return the value [m] of a length that `text` writes, as `parse_length`, whose errors it raises."""
    if unit == "m" and decimal_mark != "," and _METRES.fullmatch(text):
        return float(text)
    return parse_length(text, unit, decimal_mark).value


def parse_length(text: str, unit: str = "m", decimal_mark: str | None = None) -> Length:
    """Return the length that `text` writes; a bare number takes the field's unit.

    Feet-inches are counted in whole 1/64 in, so that sums of them stay exact once shown to a
    graduation of 1/8, 1/16 or 1/32 in (tests: a 10,000-row book).

    Parameters
    ----------
    text : str
        Such as ``1.482``, ``1482 mm``, ``4.86 ft``, ``5' 7 3/8"``, ``12 thou``, ``40 µm``.
    unit : str
        The field's unit, a key of `UNIT_IN_M`.
    decimal_mark : {".", ",", None}
        The job's decimal mark.

    Raises
    ------
    KeelError
        `not-a-length`, `ambiguous-number`, `not-a-number`: nothing is guessed.
    """
    if unit == "m" and decimal_mark != "," and _METRES.fullmatch(text):
        # As nearly all of a long book is written: read at once, and as below.
        return Length(text, unit, float(text), 10.0 ** (text.index(".") + 1 - len(text)))
    length = _read_length(text, unit, decimal_mark)
    if abs(length.value) > FARTHEST:
        raise KeelError(
            "not-a-length",
            f"“{tidy(text)[:20]}…” is longer than anything that is measured here; expected something like {example(unit)}",
        )
    return length


def _read_length(text: str, unit: str, decimal_mark: str | None) -> Length:
    clean = tidy(text)
    if not clean:
        raise KeelError("not-a-length", f"nothing was typed; expected a length such as {example(unit)}")
    if len(clean) > LONGEST:
        raise KeelError(
            "not-a-length",
            f"“{clean[:20]}…” is too large or too long for a length; expected something like {example(unit)}",
        )
    decimal = _DECIMAL.fullmatch(clean)
    if decimal and not (unit == "ft-in" and not decimal[2]):
        return _decimal(text, decimal[1].replace(" ", ""), decimal[2], unit, decimal_mark)
    mixed = _FEET_INCHES.fullmatch(clean)
    measured = mixed and (mixed["feet"] or mixed["mark"] or mixed["num"] or mixed["num0"])
    if mixed and measured and (mixed["feet"] or mixed["inches"] or mixed["num0"]):
        return _feet_inches(text, clean, mixed, unit)
    bare = _BARE_FEET_INCHES.fullmatch(clean) if unit == "ft-in" else None
    if bare:
        return _sixty_fourths(text, bare[1], int(bare[2]), int(bare[3]), int(bare[4]), int(bare[5]))
    if unit == "ft-in" and decimal:
        raise KeelError("not-a-length", f"“{clean}” of what? Type {clean}' for feet or {clean}\" for inches")
    raise KeelError("not-a-length", f"“{clean}” is not a length; expected something like {example(unit)}")


def example(unit: str) -> str:
    """Return a well-formed length in this unit, for messages and empty fields."""
    return {
        "m": "1.482",
        "mm": "1482",
        "cm": "148.2",
        "ft": "4.86",
        "in": '67 3/8"',
        "ft-in": "5' 7 3/8\"",
        "thou": "12",
        "µm": "40",
    }[unit]


def _decimal(text: str, digits: str, suffix: str, unit: str, mark: str | None) -> Length:
    name = suffix.lower()
    if name and name not in _NAMES:
        raise KeelError(
            "not-a-length", f"“{suffix}” is no unit of length known here; use m, mm, cm, ft, in, thou or µm"
        )
    used = _NAMES[name] if name else unit
    number, decimals = parse_number(digits, mark)
    # Divide rather than multiply where the factor is 1/1000 and the like: 1482 mm is the float 1.482.
    whole = {"mm": 1000.0, "cm": 100.0, "µm": 1e6}.get(used)
    value = number / whole if whole else number * UNIT_IN_M[used]
    if used in {"in", "ft"} and float(number).is_integer():
        value = _exact_64ths(int(number) * (768 if used == "ft" else 64))
    return Length(text, used, value, UNIT_IN_M[used] * 10.0**-decimals)


def _feet_inches(text: str, clean: str, m: re.Match[str], unit: str) -> Length:
    if not m["feet"] and not m["mark"] and unit not in {"ft-in", "in"}:
        raise KeelError("not-a-length", f'“{clean}” has no unit; for inches type {clean}"')
    inches = int(m["inches"] or 0)
    if m["feet"] and inches >= 12:
        feet, rest = divmod(int(m["feet"]) * 12 + inches, 12)
        raise KeelError(
            "not-a-length", f"“{clean}”: inches after feet run from 0 to 11; did you mean {feet}' {rest}\"?"
        )
    numerator, denominator = int(m["num"] or m["num0"] or 0), int(m["den"] or m["den0"] or 1)
    return _sixty_fourths(text, m["sign"], int(m["feet"] or 0), inches, numerator, denominator)


def _sixty_fourths(text: str, sign: str | None, feet: int, inches: int, num: int, den: int) -> Length:
    if inches >= 12 and feet:
        raise KeelError("not-a-length", f"“{text.strip()}”: inches after feet run from 0 to 11")
    if den not in (1, 2, 4, 8, 16, 32, 64):
        raise KeelError(
            "not-a-length", f"“{num}/{den}” is not on a rule; expected halves, quarters … 64ths of an inch"
        )
    if num >= den > 1:
        raise KeelError("not-a-length", f"“{num}/{den}” is an inch or more; expected a fraction below 1")
    count = (feet * 12 + inches) * 64 + num * 64 // den
    value = _exact_64ths(count)
    return Length(text, "ft-in", -value if sign == "-" else value, INCH / den)


def _exact_64ths(count: int) -> float:
    return count * INCH / 64
