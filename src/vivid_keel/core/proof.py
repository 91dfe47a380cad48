"""Proof: deviations against a tolerance, three-valued, with the guard band in between.

Source: the three-valued verdict against a tolerance with guard band U (conventions of this program; JCGM 106 has the idea).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import EQUAL, at_most

if TYPE_CHECKING:
    import numpy.typing as npt

PROVEN_IN = "in"
PROVEN_OUT = "out"
NOT_PROVEN = "open"
VERDICT_WORDS = {PROVEN_IN: "proven in", PROVEN_OUT: "proven out", NOT_PROVEN: "not proven"}


class BudgetLine(Struct, frozen=True):
    """One contribution to an uncertainty: its name, standard uncertainty [m], and what would lessen it, "" where nothing is known."""

    name: str
    u: float
    advice: str = ""


class Budget(Struct, frozen=True):
    """Contributions combined as the root of the sum of squares; U = k·u [m]."""

    lines: tuple[BudgetLine, ...]
    k: float = 2.0

    @property
    def u(self) -> float:
        """The standard uncertainty of the sum, √Σu² [m]."""
        return float(sum(line.u**2 for line in self.lines) ** 0.5)

    @property
    def U(self) -> float:
        """U = 2·u [m]."""
        return self.k * self.u

    @property
    def dominant(self) -> BudgetLine:
        """The largest contribution: what to better first."""
        return max(self.lines, key=lambda line: line.u)


def judge(deviation: float, U: float, tolerance: float) -> str:
    """Return PROVEN_IN, PROVEN_OUT or NOT_PROVEN; deviation, U and tolerance t [m].

    proven in: |deviation| + U ≤ t; proven out: |deviation| − U > t; else the instrument and method
    can't tell.
    """
    if at_most(abs(deviation) + U, tolerance):
        return PROVEN_IN
    if abs(deviation) - U > tolerance + EQUAL:
        return PROVEN_OUT
    return NOT_PROVEN


def judge_all(deviations: npt.NDArray[np.float64], U: npt.NDArray[np.float64], tolerance: float) -> list[str]:
    """Return `judge` of every deviation (n,) with its U (n,) against a tolerance [m], "" where it is nan."""
    size = np.abs(deviations)
    out = np.where(
        size + U <= tolerance + EQUAL,
        PROVEN_IN,
        np.where(size - U > tolerance + EQUAL, PROVEN_OUT, NOT_PROVEN),
    )
    return [str(v) for v in np.where(np.isnan(size), "", out).tolist()]
