"""People's units at the edge: parse, convert, show. Inside the core everything is SI."""

from vivid_keel.core.quantities.length import Length, metres_of, parse_length
from vivid_keel.core.quantities.missing import is_missing
from vivid_keel.core.quantities.rounding import EQUAL, at_most, round_half_away
from vivid_keel.core.quantities.show import (
    LengthStyle,
    show_amount,
    show_length,
    show_move,
    show_number,
    show_piece,
    show_thickness,
    style_for,
)
from vivid_keel.core.quantities.tilt import Tilt, parse_tilt, show_tilt

__all__ = [
    "EQUAL",
    "Length",
    "LengthStyle",
    "Tilt",
    "at_most",
    "is_missing",
    "metres_of",
    "parse_length",
    "parse_tilt",
    "round_half_away",
    "show_amount",
    "show_length",
    "show_move",
    "show_number",
    "show_piece",
    "show_thickness",
    "show_tilt",
    "style_for",
]
