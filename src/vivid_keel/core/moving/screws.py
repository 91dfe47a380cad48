"""Moves as turns of a screw that a hand can do."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import round_half_away
from vivid_keel.core.quantities.show import fraction


def turns(move: float, pitch: float) -> float:
    """Return how many turns make a move: move/pitch, up positive [1]; both in metres."""
    return move / pitch


def hand_turns(value: float, parts: int = 8) -> str:
    """Return a value in turns [1] rounded to 1/parts, halves away from zero, in lowest terms: ``1 3/8 turns``."""
    steps = round_half_away(value * parts)
    whole, rest = divmod(abs(steps), parts)
    pieces = [str(whole)] if whole or not rest else []
    if rest:
        common = math.gcd(rest, parts)
        pieces.append(f"{rest // common}/{parts // common}")
    return f"{'-' if steps < 0 else ''}{' '.join(pieces)} turns"


def in_parts(steps: int, parts: int) -> str:
    """Return steps/parts as it is set in print: 1⅜, ½, 1 5/16, 2."""
    whole, rest = divmod(steps, parts)
    part = fraction(rest, parts) if rest else ""
    if not whole or not part:
        return part or str(whole)
    return f"{whole}{' ' if part[0].isdigit() else ''}{part}"
