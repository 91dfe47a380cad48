"""The same marks measured again: what changed, and whether the change is real.

Source: the difference of two epochs of one mark, their variances added.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import EQUAL


class Epochs(Struct, frozen=True):
    """Changes second − first [m] of the marks in both, u of a change [m], and each mark's verdict.

    A verdict is "moved", "stood" or "not-proven". `missing` and `new` name marks in one epoch only.
    """

    change: dict[str, float]
    u: float
    verdict: dict[str, str]
    missing: list[str]
    new: list[str]


def verdict_of(change: float, u: float, tolerance: float | None) -> str:
    """Return what a change comes to, three-valued: "moved", "stood" (within the tolerance, with its U) or "not-proven".

    Parameters
    ----------
    change, u : float
        With its standard uncertainty [m].
    tolerance : float or None
        [m]; without one nothing can be shown to have stood.
    """
    if abs(change) > 2 * u + EQUAL:
        return "moved"
    if tolerance is not None and abs(change) + 2 * u <= tolerance + EQUAL:
        return "stood"
    return "not-proven"


def compare_epochs(
    first: Mapping[str, float],
    second: Mapping[str, float],
    u_first: float,
    u_second: float,
    tolerance: float | None = None,
) -> Epochs:
    """Return what changed between two epochs.

    Parameters
    ----------
    first, second : mapping of str to float
        Heights [m].
    u_first, u_second : float
        Standard uncertainty of one height of an epoch [m]; independent.
    tolerance : float, optional
        A mark within it, with its U, stood [m].

    Raises
    ------
    KeelError
        `no-common-mark`.
    """
    common = [name for name in first if name in second]
    if not common:
        raise KeelError("no-common-mark", "no mark stands in both epochs; the names must be the same in both")
    u = math.hypot(u_first, u_second)
    change = {name: second[name] - first[name] for name in common}
    verdict = {name: verdict_of(d, u, tolerance) for name, d in change.items()}
    return Epochs(
        change, u, verdict, [n for n in first if n not in second], [n for n in second if n not in first]
    )
