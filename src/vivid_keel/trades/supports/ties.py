"""Supports read from several stations: what ties their lines, and what a reading from another station is on the first one's line.

Source: `core.moving.stations`; a height on the first station's line is h(post) − line(1).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.scale import HANGS, signs
from vivid_keel.core.moving.stations import Sighted, Tied, tie
from vivid_keel.trades.supports.reads import Read

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

HERE = "1"
"""The station of the main sheet; its line is the one that heights count from."""
MARK = 0
"""The watch mark, among points told by their entries."""


class Seen(Struct, frozen=True):
    """A reading from another station: its entry, the station, the point's id (0: the watch mark), and the reading as read."""

    id: int
    station: str
    point: int
    read: Read


class Ties(Struct, frozen=True):
    """What several stations come to in one phase: their readings in order, those of the main sheet first, and what ties them; or
    why nothing does. `seen` are those from other stations."""

    readings: tuple[Sighted, ...]
    seen: tuple[Seen, ...]
    tied: Tied | None
    trouble: str = ""

    def line_over(self, station: str) -> float:
        """Return how much higher a station's line is than the first one's [m]; nan where nothing ties it."""
        if self.tied is None or station not in self.tied.stations:
            return float("nan")
        lines = dict(zip(self.tied.stations, self.tied.lines.tolist(), strict=True))
        return float(lines[station] - lines[HERE])

    def heights(self, points: Sequence[int], u: float) -> tuple[Floats, Floats]:
        """Return heights of points, by their ids, on the first station's line (n,) [m], and their covariance (n, n) [m²], with u
        of one reading [m]; nan and 0 for those that weren't read."""
        n, tied = len(points), self.tied
        heights, cov = np.full(n, np.nan), np.zeros((n, n))
        if tied is None:
            return heights, cov
        at = {name: k for k, name in enumerate(tied.posts)}
        inside = [i for i, point in enumerate(points) if str(point) in at]
        rows = np.array([at[str(points[i])] for i in inside], dtype=int)
        m = len(tied.posts)
        here = tied.stations.index(HERE)
        heights[inside] = tied.heights[rows] - tied.lines[here]
        take = np.zeros((len(rows), m + len(tied.stations)))
        take[np.arange(len(rows)), rows] = 1.0
        take[:, m + here] = -1.0
        cov[np.ix_(inside, inside)] = take @ tied.joint @ take.T * u**2
        return heights, cov

    def residual(self, seen: Seen) -> float:
        """Return the adjusted reading − a reading from another station [m]; nan where nothing ties it."""
        if self.tied is None:
            return float("nan")
        return float(self.tied.residuals[len(self.readings) - len(self.seen) + self.seen.index(seen)])


def ties_of(
    main: Mapping[int, Read], mark: Read | None, seen: Sequence[Seen], senses: Mapping[int, str], own: bool
) -> Ties:
    """Return what ties the stations of one phase.

    Parameters
    ----------
    main : mapping of int to Read
        What was read in the main sheet, by point id.
    mark : Read or None
        The watch mark, from there.
    seen : sequence of Seen
        What was read from other stations.
    senses : mapping of int to str
        How the scale is held at each point.
    own : bool
        Whether what the scale's own foot adds is taken out.
    """

    def sighted(station: str, point: int, read: Read) -> Sighted:
        value = read.value - read.own * own
        return Sighted(station, str(point), value, 1.0, point != MARK and senses.get(point, HANGS) == HANGS)

    readings = [sighted(HERE, point, read) for point, read in main.items()]
    if mark is not None:
        readings.append(sighted(HERE, MARK, mark))
    readings += [sighted(one.station, one.point, one.read) for one in seen]
    if not main and mark is None:
        return Ties(tuple(readings), tuple(seen), None, "nothing is read from the first station yet")
    try:
        return Ties(tuple(readings), tuple(seen), tie(readings))
    except KeelError as error:
        return Ties(tuple(readings), tuple(seen), None, error.message)


def on_first_line(ties: Ties, senses: Mapping[int, str], own: bool) -> dict[int, Read]:
    """Return, by point id, what the first station's scale would have shown at points that were read from others only."""
    main = {one.post for one in ties.readings if one.station == HERE}
    out: dict[int, Read] = {}
    for seen in ties.seen:
        if seen.point == MARK or str(seen.point) in main or ties.tied is None:
            continue
        tied = ties.tied
        height = tied.heights[tied.posts.index(str(seen.point))] - tied.lines[tied.stations.index(HERE)]
        value = float(signs([senses.get(seen.point, HANGS)])[0] * height) + seen.read.own * own
        text = f"{seen.read.text} from {seen.station}"
        out[seen.point] = replace(
            seen.read, value=value, text=text, station=seen.station, seen=seen.read.value
        )
    return out
