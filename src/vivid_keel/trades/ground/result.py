"""What a piece of ground comes to: the surface, what a plane has above and below it, boards along the sides, where to look next.

Source: volumes exact on the triangles (`core/surface`). U of a volume: a point's height counts with the plan area that hangs on it,
a third of each wet triangle round it; between the points the ground is known as well as points are foretold by their neighbours.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.surface.against import Against, Plane, against, areas, balance
from vivid_keel.core.surface.contours import Contour, contours, levels_between
from vivid_keel.core.surface.tin import Tin, surface
from vivid_keel.trades.ground.book import GroundBook

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

FEWEST = 3
"""A surface goes through so many points at least."""
DRY = 1e-9
"""Ground that stands so little above the plane doesn't [m]."""


@dataclass(frozen=True, slots=True)
class Side:
    """A side of the outline: from one point to the next by number, its length [m], and how high a board stands there and there [m]."""

    begin: int
    end: int
    length: float
    first: float
    last: float


@dataclass(frozen=True)
class GroundResult:
    """A piece of ground worked out; `trouble` says why there is no surface."""

    book: GroundBook

    @cached_property
    def read(self) -> list[int]:
        """The points where something was read."""
        return np.flatnonzero(~np.isnan(self.book.heights)).tolist()

    @cached_property
    def _surface(self) -> tuple[Tin | None, KeelError | None]:
        book, read = self.book, self.read
        if len(read) < FEWEST:
            return None, None
        edge = [read.index(k) for k in book.edge if k in read]
        xyz = np.column_stack([book.xy[read], book.heights[read]])
        try:
            return surface(xyz, edge if len(edge) >= FEWEST else None), None
        except KeelError as error:
            return None, error

    @property
    def tin(self) -> Tin | None:
        """The surface, None where there is none."""
        return self._surface[0]

    @property
    def trouble(self) -> KeelError | None:
        """Why there is none, though enough was read."""
        return self._surface[1]

    @property
    def plane(self) -> Plane | None:
        """The plane, None while nobody said how high it lies."""
        height = self.book.facts.values["plane"]
        return None if is_missing(height) else Plane(height, self.book.gradient)

    def at_height(self, height: float) -> GroundResult:
        """Return the same ground with its plane at a height [m]; the surface stays."""
        facts = self.book.facts
        book = replace(self.book, facts=replace(facts, values={**facts.values, "plane": height}))
        out = GroundResult(book)
        for name in ("_surface", "u_between", "balance_height", "contours", "_within"):
            if name in self.__dict__:
                out.__dict__[name] = self.__dict__[name]
        return out

    @cached_property
    def found(self) -> Against | None:
        """What lies above the plane and below it."""
        if self.tin is None or self.plane is None:
            return None
        return against(self.tin.pieces, self.plane)

    @cached_property
    def below(self) -> Floats:
        """How far each point lies below the plane (n,), − above it; nan where either isn't known [m]."""
        if self.plane is None:
            return np.full(len(self.book.points), np.nan)
        return np.asarray(self.plane.at(self.book.xy) - self.book.heights)

    @cached_property
    def deepest(self) -> tuple[float, float, float]:
        """The lowest place under the plane: along, across, and how deep [m]; it is a corner of a triangle."""
        if self.tin is None or self.plane is None or not len(self.tin.pieces):
            return math.nan, math.nan, math.nan
        corners = self.tin.pieces.reshape(-1, 3)
        deep = self.plane.at(corners[:, :2]) - corners[:, 2]
        k = int(deep.argmax())
        return float(corners[k, 0]), float(corners[k, 1]), float(deep[k])

    @property
    def humps(self) -> list[int]:
        """The points inside that stand above the plane, the highest first."""
        inner = [k for k in self.read if not self.book.points[k].edge and self.below[k] < -DRY]
        return sorted(inner, key=lambda k: float(self.below[k]))

    @cached_property
    def u_between(self) -> float:
        """How well a point's height is foretold by those round it [m], root mean square: what the ground does between the points."""
        tin = self.tin
        if tin is None or len(tin.xyz) < 6:
            return 0.0
        off = foretold(tin)
        return float(np.sqrt(np.mean(off**2))) if len(off) else 0.0

    @cached_property
    def u_volume(self) -> float:
        """Standard uncertainty of what lies below the plane [m³]."""
        tin, plane = self.tin, self.plane
        if tin is None or plane is None or not len(tin.pieces):
            return 0.0
        pieces = tin.pieces
        a, d = areas(pieces), pieces[:, :, 2] - plane.at(pieces[:, :, :2])
        wet = a * np.clip((d < 0).mean(axis=1), 0, 1)
        # Corners of cut triangles lie between points; what hangs on a corner hangs on the point nearest to it.
        weight = np.zeros(len(tin.xyz))
        from scipy.spatial import cKDTree

        nearest = cKDTree(tin.xyz[:, :2]).query(pieces[:, :, :2].reshape(-1, 2))[1].reshape(-1, 3)
        np.add.at(weight, nearest, (wet / 3)[:, None])
        points = float((weight**2).sum()) * (self.book.facts.values["good"] / 2) ** 2
        between = float((wet**2).sum()) * (BETWEEN * self.u_between) ** 2
        return math.sqrt(points + between)

    @cached_property
    def balance_height(self) -> float:
        """The height of the plane at which what is cut fills what is to be filled [m]; nan without a surface."""
        if self.tin is None or not len(self.tin.pieces):
            return math.nan
        return balance(self.tin.pieces, self.book.gradient, self.book.facts.values["fills"])

    @cached_property
    def sides(self) -> list[Side]:
        """The sides of the outline, in order, with the boards on them."""
        book, plane = self.book, self.plane
        edge = [k for k in book.edge if k in set(self.read)]
        if plane is None or len(edge) < FEWEST or self.tin is None:
            return []
        out = []
        for begin, end in zip(edge, [*edge[1:], edge[0]], strict=True):
            boards = [max(0.0, float(self.below[k]) + book.facts.values["above"]) for k in (begin, end)]
            length = float(np.hypot(*(book.xy[end] - book.xy[begin])))
            out.append(Side(begin, end, length, boards[0], boards[1]))
        return out

    @cached_property
    def _within(self) -> tuple[Floats, npt.NDArray[np.int_]]:
        """Corners of what lies inside the outline, and its triangles by number."""
        assert self.tin is not None
        if self.tin.outline is None:
            return self.tin.xyz, self.tin.triangles
        corners, numbers = np.unique(self.tin.pieces.reshape(-1, 3).round(9), axis=0, return_inverse=True)
        return corners, numbers.reshape(-1, 3)

    @cached_property
    def contours(self) -> list[Contour]:
        """Lines of one height, every so many metres."""
        if self.tin is None or not len(self.tin.pieces):
            return []
        xyz, triangles = self._within
        low, high = float(xyz[:, 2].min()), float(xyz[:, 2].max())
        return contours(xyz, triangles, levels_between(low, high, self.book.facts.values["lines"]))

    @cached_property
    def water_line(self) -> list[Contour]:
        """Where the plane meets the ground."""
        if self.tin is None or self.plane is None or not len(self.tin.pieces):
            return []
        xyz, triangles = self._within
        over = np.column_stack([xyz[:, :2], xyz[:, 2] - self.plane.at(xyz[:, :2])])
        return contours(over, triangles, [0.0])

    @cached_property
    def look_next(self) -> tuple[float, float, int, int] | None:
        """Where the surface knows least: the middle of the longest side of a triangle inside, and the points at its ends."""
        tin = self.tin
        if tin is None or self.plane is None:
            return None
        sides = np.sort(
            np.concatenate([tin.triangles[:, list(pair)] for pair in ((0, 1), (1, 2), (2, 0))]), axis=1
        )
        sides = np.unique(sides, axis=0)
        edge = {frozenset(pair) for pair in self._edge_pairs()}
        a, b = tin.xyz[sides[:, 0], :2], tin.xyz[sides[:, 1], :2]
        far = np.hypot(*(b - a).T)
        if tin.outline is not None:
            from vivid_keel.core.surface.outline import inside

            far = np.where(inside(tin.outline, (a + b) / 2), far, 0.0)
        for k in np.argsort(-far).tolist():
            p, q = (self.read[int(i)] for i in sides[k])
            if frozenset((p, q)) not in edge and far[k] > 0:
                x, y = ((a[k] + b[k]) / 2).tolist()
                return x, y, p, q
        return None

    def _edge_pairs(self) -> list[tuple[int, int]]:
        edge = self.book.edge
        return list(zip(edge, [*edge[1:], *edge[:1]], strict=True))


BETWEEN = 0.5
"""What the ground does in the middle of a triangle, of what a left-out point is off from its neighbours [1]; see docs/measured.md."""


def foretold(tin: Tin) -> Floats:
    """Return how far points are off the plane through those round them, by least squares (m,) [m]; points at the rim are left out."""
    n, triangles = len(tin.xyz), tin.triangles
    near: list[set[int]] = [set() for _ in range(n)]
    for a, b, c in triangles.tolist():
        near[a].update((b, c))
        near[b].update((a, c))
        near[c].update((a, b))
    count = np.bincount(triangles.reshape(-1), minlength=n)
    out = []
    for k in range(n):
        if len(near[k]) != count[k] or len(near[k]) < 4:
            continue  # at the rim it has one neighbour more than triangles
        round_it = np.array(sorted(near[k]))
        design = np.column_stack([np.ones(len(round_it)), tin.xyz[round_it, :2] - tin.xyz[k, :2]])
        fit = np.linalg.lstsq(design, tin.xyz[round_it, 2], rcond=None)[0]
        out.append(float(tin.xyz[k, 2] - fit[0]))
    return np.array(out)


def work_out_ground(book: GroundBook) -> GroundResult:
    """Compute a piece of ground; what isn't asked for isn't computed."""
    return GroundResult(book)
