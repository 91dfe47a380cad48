"""Tilts as people write them; held as an angle, positive when the far end is high.

Source: a tilt is an angle; mm/m, in/ft, % and 1:n are its tangent.
"""

from __future__ import annotations

import math
import re

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities.number import parse_number, tidy
from vivid_keel.core.quantities.show import show_number

_ARCSEC = math.pi / 648000
_SLOPE = {"mm/m": 0.001, "%": 0.01, "in/ft": 1 / 12, "m/m": 1.0}
_ANGLE = {
    "rad": 1.0,
    "mrad": 0.001,
    "°": math.pi / 180,
    "deg": math.pi / 180,
    '"': _ARCSEC,
    "arcsec": _ARCSEC,
    "'": 60 * _ARCSEC,
    "arcmin": 60 * _ARCSEC,
}
_FORM = re.compile(r"([+-]?[\d.,]+)\s*(.*)")
_RATIO = re.compile(r"([+-])?\s*1\s*:\s*([\d.,]+)")


class Tilt(Struct, frozen=True):
    """A tilt as read: the text, its unit, the angle [rad] and the step of its last digit [rad]."""

    text: str
    unit: str
    value: float
    resolution: float


def parse_tilt(
    text: str, unit: str = "mm/m", decimal_mark: str | None = None, division_rad: float | None = None
) -> Tilt:
    """Return the tilt that `text` writes; a bare number takes the field's unit.

    mm/m, in/ft, % and 1:n are tangents of the angle; arcseconds and degrees are the angle itself.

    Parameters
    ----------
    text : str
        Such as ``0.05 mm/m``, ``0.005 in/ft``, ``20"``, ``1.2°``, ``1 %``, ``1:80``, ``3 div``.
    unit : str
        The field's unit.
    decimal_mark : {".", ",", None}
    division_rad : float, optional
        One division of the instrument's vial [rad]; needed for ``div``.

    Raises
    ------
    KeelError
        `not-a-tilt`, `needs-instrument`, `not-a-number`, `ambiguous-number`.
    """
    clean = tidy(text)
    ratio = _RATIO.fullmatch(clean)
    if ratio:
        n, _ = parse_number(ratio[2], decimal_mark)
        if n <= 0:
            raise KeelError("not-a-tilt", f"“{clean}”: the second number of a fall 1:n must be above 0")
        value = math.copysign(math.atan(1 / n), -1.0 if ratio[1] == "-" else 1.0)
        return Tilt(text, "1:n", value, abs(value) / n)
    form = _FORM.fullmatch(clean)
    if not form:
        raise KeelError(
            "not-a-tilt", f"“{clean}” is not a tilt; expected something like 0.05 mm/m, 1:80 or 1.2°"
        )
    number, decimals = parse_number(form[1], decimal_mark)
    used = form[2].strip().lower() or unit
    step = 10.0**-decimals
    if used == "div":
        if division_rad is None:
            raise KeelError(
                "needs-instrument",
                "divisions mean nothing without the level they were read on; choose it first",
            )
        return Tilt(text, used, number * division_rad, step * division_rad)
    if used in _SLOPE:
        return Tilt(text, used, math.atan(number * _SLOPE[used]), step * _SLOPE[used])
    if used in _ANGLE:
        return Tilt(text, used, number * _ANGLE[used], step * _ANGLE[used])
    raise KeelError(
        "not-a-tilt", f'“{used}” is no unit of tilt known here; use mm/m, in/ft, %, 1:n, °, " or div'
    )


def show_tilt(value: float, unit: str = "mm/m", decimals: int = 3) -> str:
    """Return a tilt of `value` [rad] in people's units, with its unit and a true minus."""
    if unit == "1:n":
        if abs(math.tan(value)) < 1e-9:
            return "level"
        return f"{'−' if value < 0 else ''}1:{show_number(abs(1 / math.tan(value)), 0)}"
    scale = math.tan(value) / _SLOPE[unit] if unit in _SLOPE else value / _ANGLE[unit]
    return f"{show_number(scale, decimals)}{'' if unit in {'°', '″'} else ' '}{unit}"
