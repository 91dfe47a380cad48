"""Checks of instruments: what each finds, how sure it is, and what to adjust to."""

from vivid_keel.core.instruments.checks.laser import RotaryAxis, rotary_axis
from vivid_keel.core.instruments.checks.reversal import Reversal, reverse
from vivid_keel.core.instruments.checks.tube import Settling, settle
from vivid_keel.core.instruments.checks.two_peg import PegSetUp, TwoPeg, two_peg

__all__ = [
    "PegSetUp",
    "Reversal",
    "RotaryAxis",
    "Settling",
    "TwoPeg",
    "reverse",
    "rotary_axis",
    "settle",
    "two_peg",
]
