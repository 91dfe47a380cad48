"""A mark carried round: star or chain, what each column's slab is, and what to measure up or cut from it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from vivid_keel.core.quantities import at_most

STAR, CHAIN = "star", "chain"


class Measured(Struct, frozen=True):
    """A column as it was marked [m]; None where nothing was measured.

    Attributes
    ----------
    name : str
    offset : float
        The mark was made this much above the carried line.
    to_slab : float or None
        Tape from the mark down to the slab.
    design : float or None
        Height that is wanted of its top.
    top : float or None
        Tape from the mark up to its top as it is.
    """

    name: str
    offset: float = 0.0
    to_slab: float | None = None
    design: float | None = None
    top: float | None = None


class Carried(Struct, frozen=True):
    """What a column gets [m]: height of its mark, slab, up (design − mark), cut (top − design, + cut, − make up), u."""

    name: str
    mark: float
    slab: float | None
    up: float | None
    cut: float | None
    u: float

    @property
    def sure(self) -> bool:
        """Whether there is more to cut or make up than its U: less is said to fit."""
        return self.cut is not None and not at_most(abs(self.cut), 2 * self.u)


def carry(reference: float, columns: Sequence[Measured], u_step: float, order: str = STAR) -> list[Carried]:
    """Return the marks of all columns, in order.

    mark = reference + offset; slab = mark − tape down; up = design − mark; cut = mark + tape up − design.
    u is one step in a star, √k steps at the k-th of a chain.

    Parameters
    ----------
    reference : float
        Height of the mark everything is carried from [m].
    u_step : float
        Standard uncertainty of carrying once [m].
    """
    out = []
    for k, column in enumerate(columns, 1):
        mark = reference + column.offset
        up = None if column.design is None else column.design - mark
        cut = None if up is None or column.top is None else column.top - up
        out.append(
            Carried(
                column.name,
                mark,
                None if column.to_slab is None else mark - column.to_slab,
                up,
                cut,
                u_step * (math.sqrt(k) if order == CHAIN else 1.0),
            )
        )
    return out


def closed_chain_u(u_step: float, k: int, n: int) -> float:
    """Return u at step k of a chain of n steps closed on its start and spread, u_step·√(k(n − k)/n) [m]."""
    return u_step * math.sqrt(k * (n - k) / n)


class CarryStep(Struct, frozen=True):
    """One carrying: from a mark that stands to a column, how far [m], and how many steps it is from the first."""

    start: str
    to: str
    length: float
    depth: int


def order_of_carrying(places: dict[str, tuple[float, float]], first: str, reach: float) -> list[CarryStep]:
    """Return in which order to carry with a tube that reaches so far, most of them from the first mark.

    Breadth first: every column within reach of the first mark is carried from it (a star); the others
    from the nearest mark that has the fewest steps behind it. Columns nothing reaches are left out.

    Parameters
    ----------
    places : dict of str to (x, y)
        Plan positions [m], the first mark's among them.
    reach : float
        Plan distance that the tube spans [m].
    """
    depth = {first: 0}
    out: list[CarryStep] = []
    while True:
        best: CarryStep | None = None
        for name, (x, y) in places.items():
            if name in depth:
                continue
            for start, d in depth.items():
                length = math.hypot(x - places[start][0], y - places[start][1])
                if length > reach + 1e-9:
                    continue
                step = CarryStep(start, name, length, d + 1)
                if best is None or (step.depth, step.length) < (best.depth, best.length):
                    best = step
        if best is None:
            return out
        depth[best.to] = best.depth
        out.append(best)
