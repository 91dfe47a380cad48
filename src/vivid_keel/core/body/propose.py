"""The next reading that would tell most.

Source: the design of an adjustment: a reading is worth what it takes off the greatest uncertainty, before it is read.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vivid_keel.core.body.model import Body, Observation, adjust
from vivid_keel.core.errors import KeelError


@dataclass(frozen=True, slots=True)
class Proposal:
    """A reading worth making: which of those that could be, the greatest u of a height with it [m], and without it
    (inf where these readings can't tell)."""

    which: int
    u_with: float
    u_without: float


def next_reading(
    body: Body,
    read: Sequence[Observation],
    could: Sequence[Observation],
    zeros: Mapping[str, tuple[float, float]] | None = None,
) -> Proposal | None:
    """Return the reading that would tell most; None where none of them tells anything more.

    Where one alone settles nothing yet, the one that leaves fewest things untold goes first.

    Parameters
    ----------
    body : Body
    read : sequence of Observation
        What was read.
    could : sequence of Observation
        What could be read, with the u it would have; its value doesn't matter.
    zeros : mapping of str to (float, float)
        What is known of the levels' zeros [rad].
    """
    without, untold = _worst(body, read, zeros)
    best: tuple[int, float, int] | None = None
    for which, one in enumerate(could):
        u, left = _worst(body, [*read, one], zeros)
        if best is None or (left, u) < (best[0], best[1]):
            best = (left, u, which)
    if best is None or (best[0], best[1]) >= (untold, without * (1 - 1e-9)):
        return None
    return Proposal(best[2], best[1], without)


def _worst(
    body: Body, read: Sequence[Observation], zeros: Mapping[str, tuple[float, float]] | None
) -> tuple[float, int]:
    """The greatest u of a height [m], inf where it can't be told, and how many things can't."""
    try:
        return float(np.max(adjust(body, read, zeros).u)), 0
    except KeelError as error:
        if error.code != "not-observable":
            raise
        return float("inf"), 1 + error.message.count(" and ") + error.message.count(",")
