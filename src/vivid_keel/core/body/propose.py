"""The next reading that would tell most.

Source: the design of an adjustment: a reading is worth what it takes off the greatest uncertainty, before it is read.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.body.model import Adjusted, Body, Observation, adjust, row_of
from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Proposal(Struct, frozen=True):
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
        if best is None or (left, u) < (best[0], best[1] * (1 - 1e-12)):
            best = (left, u, which)
    if best is None or (best[0], best[1]) >= (untold, without * (1 - 1e-9)):
        return None
    return Proposal(best[2], best[1], without)


def most_telling(
    body: Body, found: Adjusted, could: Sequence[Observation], deciding: Floats, count: int = 2
) -> list[Proposal]:
    """Return the readings that would lessen the greatest u of some sums of heights most, one after another.

    A reading a of standard uncertainty u takes (r·C·a)²/(u² + a·C·a) off the variance of r: no adjustment is made anew.

    Parameters
    ----------
    body : Body
    found : Adjusted
        As it was read.
    could : sequence of Observation
        What could be read, with the u it would have; its value doesn't matter.
    deciding : float array (k, n)
        Sums of heights [1].
    count : int
        How many at most.

    Returns
    -------
    list of Proposal
        Each with the u before and after it, the ones before it read; empty where none lessens it.
    """
    if not len(could) or not len(deciding):
        return []
    joint = found.joint
    sums = np.hstack([deciding, np.zeros((len(deciding), len(joint) - deciding.shape[1]))])
    rows = [row_of(body, found, one) for one in could]
    out: list[Proposal] = []
    for _ in range(count):
        variance = np.einsum("ij,jk,ik->i", sums, joint, sums)
        best: tuple[float, int] | None = None
        for which, (row, one) in enumerate(zip(rows, could, strict=True)):
            seen = joint @ row
            left = variance - (sums @ seen) ** 2 / (one.u**2 + float(row @ seen))
            if best is None or float(left.max()) < best[0] * (1 - 1e-12):
                best = (float(left.max()), which)
        assert best is not None
        before, after = (float(np.sqrt(max(v, 0.0))) for v in (float(variance.max()), best[0]))
        if after >= before * (1 - 1e-9):
            break
        out.append(Proposal(best[1], after, before))
        seen = joint @ rows[best[1]]
        joint = joint - np.outer(seen, seen) / (could[best[1]].u ** 2 + float(rows[best[1]] @ seen))
    return out


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
