"""What a piece of ground comes to: the surface, what a plane has above and below it, boards along the sides, where to look next.

Source: volumes exact on the triangles, and how well they are known (`core/surface`).
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.surface.against import Against, Plane, against, balance
from vivid_keel.core.surface.between import heights_known
from vivid_keel.core.surface.contours import Contour, contours, levels_between
from vivid_keel.core.surface.hollows import Hollow, hollows
from vivid_keel.core.surface.outline import inside
from vivid_keel.core.surface.profile import profile
from vivid_keel.core.surface.rolling import Ground, ground_of
from vivid_keel.core.surface.squared import Walk
from vivid_keel.core.surface.tin import Tin, blindest, emptiest
from vivid_keel.core.surface.uncertainty import Known, area_known, foretold, scatter, volume_known
from vivid_keel.trades.ground.book import GroundBook
from vivid_keel.trades.ground.breaks import Kept
from vivid_keel.trades.ground.laid import FEWEST, kept_of, surface_of
from vivid_keel.trades.ground.sides import laid, walked
from vivid_keel.trades.ground.visits import Since, since

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

LARGE = 20_000
"""More points than that are a worker's."""
SLOW = (
    "_surface",
    "_foretold",
    "ground",
    "box",
    "balance_height",
    "_within",
    "contours",
    "contour_lengths",
    "_emptiest",
    "rain",
    "diagonal",
    "looks_known",
    "since",
    "thin",
)
"""What takes long and hangs on the points, not on the plane's height: the surface first."""
AT_PLANE = ("found", "water_line", "water_lengths", "deepest", "known", "known_above", "known_area")
"""What hangs on the plane's height as well, and takes long with very many points."""
THIN = 4000
"""So many of very many points follow a plane while it is dragged."""
LOOKS = 3
"""So many places are proposed for a look."""
LEAST_PIECE = 0.01
"""A gap between boards that is shorter wants no piece [m]."""
DRY = 1e-9
"""Ground that stands so little above the plane doesn't [m]."""


class Side(Struct, frozen=True):
    """A side of the outline: from one point to the next by number, its length [m], and how high a board stands there and there [m]."""

    begin: int
    end: int
    length: float
    first: float
    last: float


class GroundResult(Struct, frozen=True, dict=True):
    """A piece of ground worked out; `trouble` says why there is no surface, `waits` that a worker is still at it."""

    book: GroundBook
    waits: bool = False
    rough: bool = False
    """Whether only some of very many points are in it."""

    @cached_property
    def read(self) -> list[int]:
        """The points where something was read."""
        return np.flatnonzero(~np.isnan(self.book.heights)).tolist()

    @cached_property
    def read_edge(self) -> list[int]:
        """The points of the edge where something was read, in order."""
        read = set(self.read)
        return [k for k in self.book.edge if k in read]

    @cached_property
    def _surface(self) -> tuple[Tin | None, KeelError | None]:
        if self.waits or self.all_points < FEWEST:
            return None, None
        try:
            return surface_of(self.book), None
        except KeelError as error:
            return None, error

    @cached_property
    def kept(self) -> Kept:
        """Its points with those on top of walls, and the lines that the surface keeps."""
        return kept_of(self.book)

    @cached_property
    def _walk(self) -> tuple[Walk | None, KeelError | None]:
        book, v = self.book, self.book.facts.values
        try:
            return walked(book.edge, book.sides, v["paced"] / 100, math.radians(v["turned"])), None
        except KeelError as error:
            return None, error

    @property
    def walk(self) -> Walk | None:
        """The walk round its edge, closed and squared up; None where it wasn't walked."""
        return self._walk[0]

    @cached_property
    def laid(self) -> Floats:
        """Where the walk puts the edge's points (m, 2) [m]: the first stays, and the way to the second."""
        book = self.book
        if self.walk is None:
            return np.empty((0, 2))
        return laid(self.walk, book.xy[book.edge[0]], book.xy[book.edge[1]])

    @property
    def to_lay(self) -> bool:
        """Whether the walk puts a point of the edge elsewhere than it lies."""
        return (
            self.walk is not None and float(np.abs(self.laid - self.book.xy[self.book.edge]).max()) >= 0.001
        )

    @property
    def unplaced(self) -> list[str]:
        """Points that lie where another one does: nobody said yet where."""
        seen, out = set[tuple[float, float]](), []
        for p in self.book.points:
            if (p.x, p.y) in seen:
                out.append(p.name)
            seen.add((p.x, p.y))
        return out

    @property
    def walk_trouble(self) -> KeelError | None:
        """Why the sides are no walk round."""
        return self._walk[1]

    @property
    def all_points(self) -> int:
        """How many there are that a surface may go through."""
        return len(self.read) + len(self.book.cloud)

    @property
    def large(self) -> bool:
        """Whether it is worked out off the window's thread: it has very many points, or had at the visit before."""
        before = len(self.book.earlier[-1].cloud) if self.book.earlier else 0
        return max(self.all_points, before) > LARGE

    @cached_property
    def thin(self) -> GroundResult:
        """The same ground through some of its points, drawn evenly from those without names: what follows the hand."""
        some = self.book.cloud[:: max(1, -(-len(self.book.cloud) // THIN))]
        return GroundResult(replace(self.book, cloud=some), rough=True).settled()

    def settled(self) -> GroundResult:
        """Return it with all that takes long worked out."""
        out = self.like(self)
        if out.tin is not None:
            for name in SLOW[1:-2] if self.rough else SLOW[1:]:
                getattr(out, name)
            for name in () if self.rough else AT_PLANE:
                getattr(out, name)
        return out

    def given_up(self) -> GroundResult:
        """Return it with no surface: its making was stopped, or failed, and isn't begun again by itself."""
        out = replace(self, waits=False)
        why = "it was stopped before the surface was made; change a point, or open the work again"
        out.__dict__["_surface"] = (None, KeelError("bad-value", why))
        return out

    def like(self, other: GroundResult, *, plane: bool = False) -> GroundResult:
        """Return it with what takes long taken from another of the same points, and of the same `plane`."""
        out = replace(self, waits=False)
        names = (*SLOW, *AT_PLANE) if plane else SLOW
        out.__dict__.update({name: other.__dict__[name] for name in names if name in other.__dict__})
        return out

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
        return replace(self, book=book).like(self)

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
    def _foretold(self) -> Floats:
        assert self.tin is not None
        return foretold(self.tin)

    @cached_property
    def ground(self) -> Ground | None:
        """What the ground may do between the points; None where too few tell it, very many leave little, or it breaks along lines."""
        return None if self.tin is None else ground_of(self.tin, self.book.facts.values["good"] / 2)

    @cached_property
    def known(self) -> Known:
        """How well the volume below the plane is known."""
        return self._known(above=False)

    @cached_property
    def known_area(self) -> Known:
        """How well the area below the plane is known."""
        if self.tin is None or self.plane is None:
            return Known(0.0, 0.0, 0.0, 0)
        if self.ground is None:
            return area_known(self.tin, self.plane, self.book.facts.values["good"] / 2, self._foretold)
        return self._drawn(self.ground.wet_area(self.plane))

    def _drawn(self, U: float) -> Known:
        """What is known where the ground was drawn between its points, by U of it."""
        assert self.tin is not None
        return Known(U / 2, 0.0, scatter(self.tin, self._foretold)[2], len(self.tin.xyz))

    @cached_property
    def known_above(self) -> Known:
        """How well the volume above the plane is known."""
        return self._known(above=True)

    def _known(self, *, above: bool) -> Known:
        if self.tin is None or self.plane is None:
            return Known(0.0, 0.0, 0.0, 0)
        if self.ground is None:
            good = self.book.facts.values["good"] / 2
            return volume_known(self.tin, self.plane, good, self._foretold, above=above)
        return self._drawn(self.ground.volume(self.plane, above=above))

    @cached_property
    def since(self) -> Since | None:
        """What changed since the visit before, or since an earlier surface from a file."""
        return since(self.book, self.tin)

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
        edge = self.read_edge
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
        if self.tin.whole:
            return self.tin.xyz, self.tin.triangles
        corners, numbers = np.unique(self.tin.pieces.reshape(-1, 3).round(9), axis=0, return_inverse=True)
        numbers = numbers.reshape(-1, 3)
        cut = (numbers != np.roll(numbers, 1, axis=1)).all(axis=1)  # slivers that rounding closed are gone
        return corners, numbers[cut]

    @cached_property
    def boards(self) -> tuple[int, list[list[float]]]:
        """How many whole boards of the stock's length go in, and how others are cut: the pieces of each [m], the longest first into the
        first board that holds it."""
        stock = self.book.facts.values["stock"]
        whole, pieces = 0, list[float]()
        for side in self.sides:
            if side.first > 0 or side.last > 0:
                n = int(side.length / stock + 1e-9)
                whole += n
                if side.length - n * stock > LEAST_PIECE:
                    pieces.append(side.length - n * stock)
        cut: list[list[float]] = []
        for piece in sorted(pieces, reverse=True):
            holds = next((board for board in cut if sum(board) + piece <= stock + 1e-9), None)
            if holds is None:
                cut.append([piece])
            else:
                holds.append(piece)
        return whole, cut

    @cached_property
    def box(self) -> tuple[Floats, Floats]:
        """The corners that all its points lie between, least and most [m]."""
        parts = [xy for xy in (self.book.xy, self.book.cloud[:, :2]) if len(xy)]
        return np.min([xy.min(axis=0) for xy in parts], axis=0), np.max(
            [xy.max(axis=0) for xy in parts], axis=0
        )

    @cached_property
    def contours(self) -> list[Contour]:
        """Lines of one height, every so many metres."""
        if self.tin is None or not len(self.tin.pieces):
            return []
        xyz, triangles = self._within
        low, high = float(xyz[:, 2].min()), float(xyz[:, 2].max())
        return contours(xyz, triangles, levels_between(low, high, self.book.facts.values["lines"]))

    @cached_property
    def contour_lengths(self) -> Floats:
        """How long each of those lines is (n,) [m]."""
        return _lengths(self.contours)

    @cached_property
    def water_lengths(self) -> Floats:
        """How long each line is along which the plane meets the ground (n,) [m]."""
        return _lengths(self.water_line)

    @cached_property
    def rain(self) -> list[Hollow]:
        """Where rain stands, the most of it first; what is shallower than a point's height is good for stands in doubt."""
        if self.tin is None or not len(self.tin.pieces):
            return []
        xyz, triangles = self._within
        walls = np.zeros(len(xyz), dtype=bool)
        for hole in self.tin.holes:
            walls |= inside(hole, xyz[:, :2])
        return hollows(xyz, triangles, walls, deeper=self.book.facts.values["good"])

    def along(self, line: int) -> Floats:
        """The ground along one of its lines: how far, how high (m, 2) [m], nan where it leaves the ground."""
        if self.tin is None:
            return np.empty((0, 2))
        return profile(self.tin.pieces, self.book.xy[list(self.book.lines[line].way)])

    @cached_property
    def water_line(self) -> list[Contour]:
        """Where the plane meets the ground."""
        if self.tin is None or self.plane is None or not len(self.tin.pieces):
            return []
        xyz, triangles = self._within
        over = np.column_stack([xyz[:, :2], xyz[:, 2] - self.plane.at(xyz[:, :2])])
        return contours(over, triangles, [0.0])

    @cached_property
    def looks(self) -> list[tuple[float, float, int]]:
        """Where the surface knows least, the emptiest place first: along, across [m], and the point that is nearest to it."""
        if self.plane is None:
            return []
        return [(x, y, self.read[k] if k < len(self.read) else -1) for x, y, k in self._emptiest]

    def known_at(self, xy: Floats) -> Floats:
        """How well the height is known at places (m, 2) [m]: U (m,) [m], nan off the ground."""
        if self.tin is None:
            return np.full(len(xy), np.nan)
        if self.ground is not None:
            return self.ground.heights(xy)
        return 2 * heights_known(self.tin, xy, self.book.facts.values["good"] / 2, self._foretold)

    @cached_property
    def looks_known(self) -> list[float]:
        """U of the height at the places proposed for a look [m]."""
        places = np.array([(x, y) for x, y, _ in self._emptiest]).reshape(-1, 2)
        return [float(U) for U in self.known_at(places)]

    @cached_property
    def diagonal(self) -> tuple[int, int] | None:
        """The way across, from one point of the edge to another by number, along which the surface knows least."""
        edge = self.read_edge
        found = (
            None if self.tin is None or self.tin.outline is None else blindest(self.tin, self.book.xy[edge])
        )
        return None if found is None else (edge[found[0]], edge[found[1]])

    @cached_property
    def _emptiest(self) -> list[tuple[float, float, int]]:
        return [] if self.tin is None else emptiest(self.tin, LOOKS)


def _lengths(lines: Sequence[Contour]) -> Floats:
    return np.array([float(np.hypot(*np.diff(line.xy, axis=0).T).sum()) for line in lines])


def work_out_ground(book: GroundBook) -> GroundResult:
    """Compute a piece of ground; what isn't asked for isn't computed."""
    return GroundResult(book)
