"""Three hairs: a distance and a check on the middle one."""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.errors import KeelError


class HairResult(Struct, frozen=True):
    """`distance` [m] and `middle_check` [m], each None where the hairs read don't give it."""

    distance: float | None
    middle_check: float | None


def stadia(
    middle: float, upper: float | None = None, lower: float | None = None, factor: float = 100.0
) -> HairResult:
    """Return the distance of a sight and how far its middle hair is from the mean of the outer two.

    distance = factor·(U − L), check = (U + L)/2 − M; from one outer hair, twice its interval to the
    middle. An overhead reading is booked negative and its hairs keep the same order.

    Parameters
    ----------
    middle, upper, lower : float
        Readings as booked [m].
    factor : float
        Interval factor of the hairs [1].

    Raises
    ------
    KeelError
        `hairs-out-of-order` unless upper > middle > lower.

    References
    ----------
    Stadia principle: similar triangles through the objective's anallactic point.
    """
    top = middle + 1.0 if upper is None else upper
    bottom = middle - 1.0 if lower is None else lower
    if not top > middle > bottom:
        raise KeelError(
            "hairs-out-of-order",
            "the upper hair must read more than the middle one and the lower hair less; look again which is which",
        )
    if upper is not None and lower is not None:
        return HairResult(factor * (upper - lower), (upper + lower) / 2 - middle)
    one = upper if upper is not None else lower
    return HairResult(None if one is None else 2 * factor * abs(one - middle), None)
