"""Showing lengths: rounded once, at the end, to the graduation that was read.

Source: 1 ft = 0.3048 m exactly; a graduation is shown to its nearest part.
"""

from __future__ import annotations

import math

from msgspec import Struct

from vivid_keel.core.quantities.length import INCH, UNIT_IN_M
from vivid_keel.core.quantities.rounding import round_half_away

MINUS = "−"
_READY = {(1, 2): "½", (1, 4): "¼", (3, 4): "¾", (1, 8): "⅛", (3, 8): "⅜", (5, 8): "⅝", (7, 8): "⅞"}
_UP = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")
_DOWN = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


class LengthStyle(Struct, frozen=True):
    """How lengths are shown: a unit, and a number of decimals or the parts of an inch; `finer` decimals more of small amounts."""

    unit: str = "m"
    decimals: int = 3
    parts: int = 8
    finer: int = 0

    @property
    def step(self) -> float:
        """The smallest difference this style shows [m]."""
        if self.unit == "ft-in":
            return INCH / self.parts
        return UNIT_IN_M[self.unit] * 10.0**-self.decimals

    @property
    def small(self) -> str:
        """The unit of small amounts: "mm", or "in" where the work is in feet or inches."""
        return "in" if self.unit in {"ft-in", "in", "ft"} else "mm"

    @property
    def far(self) -> str:
        """The unit of distances: "m", or "ft" where the work is in feet or inches."""
        return "ft" if self.small == "in" else "m"

    def place(self, value: float) -> str:
        """Return where something stands, `value` [m], without its unit: metres to the millimetre, or feet to a hundredth."""
        return show_number(value / UNIT_IN_M[self.far], 3 if self.far == "m" else 2)

    def distance(self, value: float) -> str:
        """Return a distance, `value` [m], without its unit: metres or feet, to four figures."""
        return f"{round(value / UNIT_IN_M[self.far], 6):.4g}"

    def paced(self, value: float, decimals: int = 0) -> str:
        """Return a distance, `value` [m], with its unit: to the whole metre or foot, or so many decimals of it."""
        return f"{show_number(value / UNIT_IN_M[self.far], decimals)} {self.far}"

    def amount(self, value: float, decimals: int = 1, *, signed: bool = False, up: bool = False) -> str:
        """Return a small amount, `value` [m], without its unit: millimetres, or inches with one decimal more.

        In a work in feet and inches it is a fraction of an inch, as its leaves are; what rounds to none is said in thousandths. Where
        more decimals are asked for, as in a working, they are given. With `up` a fraction is never rounded down: no U is shown too small.
        """
        if self.unit == "ft-in" and decimals <= 1 and not self.finer:
            return _inches(value, max(self.parts, 32), signed=signed, up=up)
        if self.small == "in":
            return show_number(value / INCH, decimals + 1 + self.finer, signed=signed)
        return show_number(value * 1000, decimals + self.finer, signed=signed)

    def thickness(self, value: float) -> str:
        """Return a thickness, `value` [m], without its unit, as it is called: 1.5, or in feet and inches a fraction such as ¼."""
        if self.small == "mm":
            return f"{round(value * 1000, 6):g}"
        steps = round_half_away(value, INCH / 64)
        if abs(steps * INCH / 64 - value) > 1e-7:
            return f"{round(value / INCH, 4):g}"
        whole, rest = divmod(steps, 64)
        piece = fraction(rest, 64) if rest else ""
        return f"{whole} {piece}".strip() if whole and piece[:1].isdigit() else f"{whole or ''}{piece}" or "0"

    @property
    def label(self) -> str:
        """The unit as it stands beside a field."""
        return "ft in" if self.unit == "ft-in" else self.unit


RULE = (8, 16, 32, 64)
"""The parts of an inch that rules are divided into; whatever was read otherwise (a metric staff) is shown in the next finer ones."""


def style_for(unit: str, resolution: float | None = None) -> LengthStyle:
    """Return the style that shows a length in `unit` to the resolution it was read with [m]."""
    if unit == "ft-in":
        wanted = 8.0 if resolution is None else INCH / max(resolution, 1e-6)
        return LengthStyle("ft-in", 0, next((n for n in RULE if n >= wanted - 0.01), RULE[-1]))
    usual = {"m": 3, "mm": 0, "cm": 1, "ft": 2, "in": 2, "thou": 0, "µm": 0}[unit]
    if resolution is None or not resolution > 0:  # a stranger's file may hold a step of nothing
        return LengthStyle(unit, usual)
    wanted = math.ceil(-math.log10(resolution / UNIT_IN_M[unit]) - 1e-6)
    return LengthStyle(unit, max(0, min(6, max(usual, wanted))))


def show_number(value: float, decimals: int, *, signed: bool = False) -> str:
    """Return `value` [any unit] with a fixed number of decimals, halves away from zero, with a true minus."""
    steps = round_half_away(value * 10**decimals)
    sign = MINUS if steps < 0 else "+" if signed and steps > 0 else ""
    whole, rest = divmod(abs(steps), 10**decimals)
    return f"{sign}{whole}.{rest:0{decimals}d}" if decimals else f"{sign}{whole}"


def show_length(value: float, style: LengthStyle, *, unit: bool = False, signed: bool = False) -> str:
    """Return a length [m] in people's units.

    Parameters
    ----------
    value : float
        [m]
    style : LengthStyle
    unit : bool
        Append the unit (feet and inches carry their marks always).
    signed : bool
        Write + before positive values.
    """
    if style.unit == "ft-in":
        return _feet_inches(value, style.parts, signed)
    body = show_number(value / UNIT_IN_M[style.unit], style.decimals, signed=signed)
    return f"{body} {style.unit}" if unit else body


def show_move(value: float, style: LengthStyle, decimals: int = 1) -> str:
    """Return a difference of readings, `value` [m], with its sign and unit: millimetres, or fractions of an inch."""
    if style.unit == "ft-in":
        return show_length(value, style, signed=True)
    return show_amount(value, style, decimals, signed=True)


def show_amount(
    value: float, style: LengthStyle, decimals: int = 1, *, signed: bool = False, up: bool = False
) -> str:
    """Return a small value [m] with its unit: millimetres, or inches where the work is in feet and inches."""
    return f"{style.amount(value, decimals, signed=signed, up=up)} {style.small}"


def show_piece(value: float, style: LengthStyle, decimals: int = 0, *, signed: bool = False) -> str:
    """Return a length that is cut, packed or wound, `value` [m], with its unit: millimetres, inches and their fraction, or inches."""
    if style.unit == "ft-in":
        return _feet_inches(value, style.parts, signed)
    return show_amount(value, style, decimals, signed=signed)


def show_thickness(value: float, style: LengthStyle) -> str:
    """Return a thickness, `value` [m], as it is called, with its unit."""
    return f"{style.thickness(value)} {style.small}"


def fraction(numerator: int, denominator: int) -> str:
    """Return a set fraction in lowest terms, composed where no single sign exists."""
    common = math.gcd(numerator, denominator)
    numerator, denominator = numerator // common, denominator // common
    ready = _READY.get((numerator, denominator))
    return ready or f"{numerator}/{denominator}"


def _inches(value: float, parts: int, *, signed: bool, up: bool) -> str:
    """Inches and their fraction without the sign for inches; below half a part, thousandths; with `up` never rounded down."""
    steps = round_half_away(value, INCH / parts)
    if up and steps and steps * INCH / parts < value - 1e-9:
        steps += 1
    if not steps:
        thou = show_number(value / INCH, 3, signed=signed)
        return thou if thou.strip("+-−0.") else "0"
    sign = MINUS if steps < 0 else "+" if signed else ""
    inches, rest = divmod(abs(steps), parts)
    piece = fraction(rest, parts) if rest else ""
    gap = " " if piece[:1].isdigit() and inches else ""
    return f"{sign}{inches or ''}{gap}{piece}"


def _feet_inches(value: float, parts: int, signed: bool) -> str:
    steps = round_half_away(value, INCH / parts)
    sign = MINUS if steps < 0 else "+" if signed and steps > 0 else ""
    inches, rest = divmod(abs(steps), parts)
    feet, inches = divmod(inches, 12)
    piece = fraction(rest, parts) if rest else ""
    gap = " " if piece and piece[0].isdigit() and inches else ""
    if feet:
        return f"{sign}{feet}′ {inches}{gap or (' ' if piece and piece[0].isdigit() else '')}{piece}″"
    return f"{sign}{inches if inches or not piece else ''}{gap}{piece}″"
