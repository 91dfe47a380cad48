"""The surface of a piece of ground, at one visit: through its points, along its lines, to its edge."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.tin import Tin, surface
from vivid_keel.trades.ground.book import GroundBook
from vivid_keel.trades.ground.breaks import Kept, kept

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

FEWEST = 3
"""A surface goes through so many points at least."""


def kept_of(book: GroundBook) -> Kept:
    """Return its points with those on top of walls, and the lines that the surface keeps."""
    return kept(
        book.lines, [p.name for p in book.points], book.xy, book.heights, book.stands_up, book.rises_behind
    )


def surface_of(book: GroundBook) -> Tin:
    """Return its surface.

    Raises
    ------
    KeelError
        As `surface` has it, points and lines by their names.
    """
    read = np.flatnonzero(~np.isnan(book.heights)).tolist()
    edge = [read.index(k) for k in book.edge if k in read]
    one = kept_of(book)
    xyz = np.concatenate([one.xyz, book.cloud[_elsewhere(book.cloud, one.xyz)]])
    try:
        return surface(xyz, edge if len(edge) >= FEWEST else None, one.lines, one.holes)
    except KeelError as error:
        raise KeelError(error.code, _by_name(error.message, one), error.where) from None


def _by_name(message: str, one: Kept) -> str:
    """A message that tells points and lines by number, by their names."""

    def named(found: re.Match[str]) -> str:
        names = one.called if found[1] == "line" else one.names
        return (
            ", ".join(names[int(n) - 1] for n in (found[2], found[3]) if n and int(n) <= len(names))
            or found[0]
        )

    return re.sub(r"(point|line)s? (\d+)(?: and (\d+))?", named, message)


def _elsewhere(cloud: Floats, named: Floats) -> npt.NDArray[np.bool_]:
    """Which points of a cloud lie where no named point lies; two at one place are no surface, and the named one is known better."""
    if not len(cloud) or not len(named):
        return np.ones(len(cloud), dtype=bool)
    taken = {(x, y) for x, y in named[:, :2].tolist()}
    near = np.isin(cloud[:, 0], named[:, 0])
    near[near] = [(x, y) in taken for x, y in cloud[near, :2].tolist()]
    return np.asarray(~near)
