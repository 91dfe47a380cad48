"""Lines on a piece of ground: where it breaks, walls with their tops, what is not ground, and where it is looked along."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct, field

from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres
from vivid_keel.core.surface.lines import beside

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BREAK, WALL, FREE, HOLE, LOOK = "break", "wall", "free wall", "hole", "look"
SORTS = {
    BREAK: "the ground breaks along it: top or bottom of a bank, kerb, ditch",
    WALL: "it holds up what is behind it: its tops are read, too, and lie to the left of the way along it",
    FREE: "it stands free: ground on both sides; its tops are read, too, and its thickness lies to the left of the way along it",
    HOLE: "no ground inside it: a house, a well",
    LOOK: "only looked along: the ground under it is drawn",
}
"""What a line may be, and what that means."""
THICK = 0.010
"""How far a wall's top stands back from its foot where nobody said so [m]."""


FREE_THICK = 0.240
"""How thick a wall is that stands free, where nobody said so [m]."""
STANDING = frozenset({WALL, FREE})
"""What stands up from its foot."""


class GroundLine(Struct, frozen=True):
    """A line: its entry, its name, what it is, the points it goes through by number, and how far its top stands back from its foot, or how
    thick it is where it stands free [m]."""

    id: int
    name: str
    what: str
    points: tuple[int, ...]
    thick: float = THICK

    @property
    def way(self) -> tuple[int, ...]:
        """The points in the order in which it is walked: round a hole back to the first."""
        return (*self.points, self.points[0]) if self.what == HOLE and len(self.points) > 2 else self.points


class Kept(Struct, frozen=True):
    """What a surface is to keep: its points, those of walls' tops behind those that were read, with their names; lines and holes by
    number; and the names of the lines, in order."""

    xyz: Floats
    names: list[str]
    lines: list[list[int]] = field(default_factory=list)
    holes: list[list[int]] = field(default_factory=list)
    called: list[str] = field(default_factory=list)


def fold_lines(journal: Journal, work: int, numbers: Mapping[int, int]) -> list[GroundLine]:
    """Return the lines of a piece of ground; `numbers` are its points' by their first entry. A point that is gone is left out."""
    out = []
    for e in journal.standing(work, "ground-line"):
        body = e.body
        ids = [int(id) for _, id in sorted(body["points"].items(), key=lambda item: int(item[0]))]
        points = tuple(numbers[id] for id in ids if id in numbers)
        what = str(body["what"])
        thick = float(body.get("thick_m", FREE_THICK if what == FREE else THICK))
        out.append(GroundLine(e.id, str(body["name"]), what, points, thick))
    return out


TOP, BEHIND = "ground-top", "ground-behind"
"""Readings at a wall: on top of it, and at its foot on its other side."""


def fold_at_walls(
    journal: Journal, work: int, numbers: Mapping[int, int], kind: str
) -> dict[int, tuple[int, str, float]]:
    """Return what was read on top of a wall, or behind it (`kind`), by the number of the point at its foot: the entry, the text, and the
    reading [m]."""
    return {
        numbers[int(e.body["point"])]: (e.id, str(e.body["reading"]["text"]), metres(e.body["reading"]))
        for e in journal.standing(work, kind)
        if int(e.body["point"]) in numbers
    }


def kept(
    lines: Sequence[GroundLine],
    names: Sequence[str],
    xy: Floats,
    heights: Floats,
    tops: Mapping[int, float],
    behind: Mapping[int, float],
) -> Kept:
    """Return what the surface keeps of lines through points.

    Parameters
    ----------
    lines : sequence of GroundLine
    names : sequence of str
        The points' (n).
    xy, heights : float array (n, 2), (n,)
        Where they lie in plan and how high, nan where nothing was read [m].
    tops : mapping of int to float
        How high a wall stands above its foot there [m].
    behind : mapping of int to float
        How much higher the ground is behind a wall that stands free, where that was read [m]; elsewhere it is as high as before it.
    """
    read = np.flatnonzero(~np.isnan(heights)).tolist()
    at = {k: i for i, k in enumerate(read)}
    out = Kept(np.column_stack([xy[read], heights[read]]), [names[k] for k in read])
    more: list[list[float]] = []

    def put(k: int, place: Floats, up: float, word: str) -> int:
        more.append([float(place[0]), float(place[1]), float(heights[k]) + up])
        out.names.append(f"{names[k]}, {word}")
        return len(read) + len(more) - 1

    for line in lines:
        way = [k for k in line.way if k in at]
        if line.what == HOLE and len(way) > 3 and way[0] == way[-1]:
            out.holes.append([at[k] for k in way[:-1]])
        if len(way) < 2 or line.what in {HOLE, LOOK}:
            continue
        foot = [at[k] for k in way]
        topped = [i for i, k in enumerate(way) if not is_missing(tops.get(k, math.nan))]
        if line.what == FREE and len(topped) > 1:
            face = math.copysign(min(THICK, abs(line.thick) / 4), line.thick)
            inset = _ends_in(xy[way], abs(face))
            far = beside(xy[way], line.thick)
            foot += [put(k, far[i], behind.get(k, 0.0), "behind") for i, k in enumerate(way)][::-1]
            near, back = (beside(inset, by) for by in (face, line.thick - face))
            top = [put(way[i], near[i], tops[way[i]], "top") for i in topped]
            top += [put(way[i], back[i], tops[way[i]], "top behind") for i in topped[::-1]]
            out.lines.extend([[*foot, foot[0]], [*top, top[0]]])
            out.called.extend([line.name, f"{line.name}, its top"])
            continue
        out.lines.append(foot)
        out.called.append(line.name)
        if line.what == WALL:
            places = beside(xy[way], line.thick)
            top = [put(way[i], places[i], tops[way[i]], "top") for i in topped]
            if len(top) > 1:
                out.lines.append(top)
                out.called.append(f"{line.name}, its top")
    out.called.extend(line.name for line in lines if line.what == HOLE)
    return Kept(
        np.concatenate([out.xyz, np.array(more, dtype=np.float64).reshape(-1, 3)]),
        out.names,
        out.lines,
        out.holes,
        out.called,
    )


def _ends_in(xy: Floats, by: float) -> Floats:
    """A line's points (m, 2) [m] with both ends taken in along it [m]: its end faces stand there."""
    out = xy.copy()
    for end, then in ((0, 1), (-1, -2)):
        way = xy[then] - xy[end]
        out[end] = xy[end] + way * min(by / max(float(np.hypot(*way)), 1e-9), 0.25)
    return out
