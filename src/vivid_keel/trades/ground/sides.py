"""The sides of a piece of ground as they were paced or taped, and its corners: where its stakes lie."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres
from vivid_keel.core.surface.squared import Walk, closed_walk

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class WalkedSide(Struct, frozen=True):
    """A side from a point of the edge to the next: its entry, its length as typed and [m], nan where none was; the corner at its end as
    said, the turn there, + to the left [rad], nan where nobody said, and whether it is square."""

    id: int
    text: str = ""
    length: float = math.nan
    said: str = ""
    turn: float = math.nan
    square: bool = False


def fold_sides(journal: Journal, work: int, numbers: Mapping[int, int]) -> dict[int, WalkedSide]:
    """Return the sides, by the number of the point from which each goes."""
    out = {}
    for e in journal.standing(work, "ground-side"):
        body = e.body
        if int(body["point"]) in numbers:
            length = body.get("length")
            out[numbers[int(body["point"])]] = WalkedSide(
                e.id,
                "" if length is None else str(length["text"]),
                math.nan if length is None else metres(length),
                str(body.get("said", "")),
                float(body.get("turn_rad", math.nan)),
                bool(body.get("square", False)),
            )
    return out


def walked(edge: Sequence[int], sides: Mapping[int, WalkedSide], long: float, turn: float) -> Walk | None:
    """Return the walk round the edge, None while a side's length is wanting; `long` and `turn` are how well a side [1] and a turn [rad] are
    known. Raises KeelError as `closed_walk`."""
    if len(edge) < 3 or any(k not in sides or math.isnan(sides[k].length) for k in edge):
        return None
    each = [sides[k] for k in edge]
    lengths, turns = (np.array([getattr(s, name) for s in each]) for name in ("length", "turn"))
    return closed_walk(lengths, turns, [s.square for s in each], long, turn)


def laid(walk: Walk, first: Floats, second: Floats) -> Floats:
    """Return a walk's places (n, 2) laid on the plan: the first on `first`, the first side towards `second` (2,) [m]."""
    way = second - first
    far = float(np.hypot(*way))
    c, s = (way / far).tolist() if far > 0 else (1.0, 0.0)
    return np.asarray(first + walk.xy @ np.array([[c, s], [-s, c]]))
