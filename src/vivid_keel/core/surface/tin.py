"""The surface through points of the ground: triangles with the empty circle (Delaunay), and inside an outline only.

Source: SciPy's Qhull; every triangle is a plane through its three corners.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.lines import Parted, parted
from vivid_keel.core.surface.outline import cut_out, cut_to, inside, side_of, simple_outline

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy.typing as npt
    from scipy.spatial import cKDTree

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]
    Bools = npt.NDArray[np.bool_]

CIRCLES = 3000
"""So many of the largest circles are looked at for the emptiest place."""
MOST_CORNERS, WAYS = 40, 24
"""So many corners are joined two by two, and the ways between them looked at in so many places."""
FLAT = 1e-9
"""Points spread across by so little of what they spread along lie in a line [1]."""


class Tin(Struct, frozen=True, dict=True):
    """A surface.

    Attributes
    ----------
    xyz : float array (n, 3)
        Its points [m].
    triangles : int array (k, 3)
        Their corners by number, anticlockwise in plan.
    outline : float array (m, 2) or None
        Where it ends, anticlockwise [m]; None: where its points do.
    lines : Parted or None
        The lines that it keeps, with the points put on them: those stand last in `xyz`.
    holes : tuple of float array (m, 2)
        What is not ground, anticlockwise [m].
    """

    xyz: Floats
    triangles: Ints
    outline: Floats | None = None
    lines: Parted | None = None
    holes: tuple[Floats, ...] = ()

    @property
    def given(self) -> int:
        """How many of its points were measured."""
        return len(self.xyz) - (0 if self.lines is None else len(self.lines.share))

    @property
    def whole(self) -> bool:
        """Whether nothing of it is cut away."""
        return self.outline is None and not self.holes

    @cached_property
    def pieces(self) -> Floats:
        """Its triangles inside the outline and outside its holes, cut where those cross them (k, 3, 3) [m]."""
        out = self.xyz[self.triangles]
        if self.outline is not None:
            out = cut_to(out, self.outline)
        for hole in self.holes:
            out = cut_out(out, hole)
        return out

    @cached_property
    def nearest(self) -> Ints:
        """The point that is nearest to each corner of a piece, by number (m,): a corner that a cut made lies between points."""
        if self.whole:
            return self.triangles.reshape(-1)
        from scipy.spatial import cKDTree

        return np.asarray(cKDTree(self.xyz[:, :2]).query(self.pieces[:, :, :2].reshape(-1, 2))[1])

    @cached_property
    def middles(self) -> cKDTree:
        """Its triangles by their middles in plan."""
        from scipy.spatial import cKDTree

        return cKDTree(self.xyz[self.triangles, :2].mean(axis=1))

    @cached_property
    def usual_power(self) -> float:
        """What R² − |x − c|² is on the mean over its triangles [m²]: three quarters of their corners' mean square about their middle."""
        corners = self.xyz[self.triangles]
        plan = corners[:, :, :2]
        about = 0.75 * ((plan - plan.mean(axis=1, keepdims=True)) ** 2).sum(axis=2).mean(axis=1)
        wide = np.abs(side_of(*(plan[:, k] for k in range(3))))
        return float((about * wide).sum() / max(float(wide.sum()), 1e-12))

    @cached_property
    def within(self) -> Bools:
        """Which of its points lie inside the outline or on it (n,)."""
        if self.outline is None:
            return np.ones(len(self.xyz), dtype=bool)
        return inside(self.outline, self.xyz[:, :2])


def surface(
    xyz: Floats,
    outline: Sequence[int] | None = None,
    lines: Sequence[Sequence[int]] = (),
    holes: Sequence[Sequence[int]] = (),
) -> Tin:
    """Return the surface through points, along lines that it keeps.

    Parameters
    ----------
    xyz : float array (n, 3)
        Plan position and height [m].
    outline : sequence of int, optional
        Points, by number from 0, round which it ends.
    lines : sequence of sequences of int, optional
        From point to point: no triangle crosses them.
    holes : sequence of sequences of int, optional
        Points round what is not ground; a line, too.

    Raises
    ------
    KeelError
        `too-few-points`; `points-in-line`; `bad-value`: two points at one place in plan; `bad-outline`: of the whole, or of a hole;
        `bad-line`.
    """
    from scipy.spatial import Delaunay

    n = len(xyz)
    if n < 3:
        raise KeelError(
            "too-few-points",
            f"a surface goes through three points at least; there {'is' if n == 1 else 'are'} {n}",
        )
    order = np.lexsort(xyz[:, :2].T)
    same = np.flatnonzero((np.diff(xyz[order, :2], axis=0) == 0).all(axis=1))
    if len(same):
        a, b = sorted((int(order[same[0]]), int(order[same[0] + 1])))
        raise KeelError(
            "bad-value",
            f"points {a + 1} and {b + 1} are at one place in plan; one of them is a slip, or they stand on one another",
        )
    plan = xyz[:, :2] - xyz[:, :2].mean(axis=0)
    spread = np.linalg.svd(plan, compute_uv=False)
    if spread[1] <= FLAT * spread[0]:
        raise KeelError(
            "points-in-line", "the points lie in a line in plan, and no surface goes through a line"
        )
    rings = [[*ring, ring[0]] for ring in holes]
    kept = parted(xyz, [*lines, *rings]) if lines or rings else None
    every = xyz if kept is None else kept.xyz
    plan = every[:, :2] - xyz[:, :2].mean(axis=0)
    triangles = Delaunay(plan).simplices
    sides = side_of(*(plan[triangles[:, k]] for k in range(3)))
    triangles = np.where((sides < 0)[:, None], triangles[:, [0, 2, 1]], triangles)[sides != 0]
    ends = None if outline is None else simple_outline(xyz[list(outline), :2])
    return Tin(every, triangles, ends, kept, tuple(simple_outline(xyz[list(ring), :2]) for ring in holes))


def circles(corners: Floats) -> tuple[Floats, Floats]:
    """Return the middles (k, 2) [m] of the circles through the `corners` of triangles (k, 3, 2) [m], and their radii squared (k,) [m²]."""
    b, c = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    twice = 2 * (b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0])
    bb, cc = (b**2).sum(axis=1), (c**2).sum(axis=1)
    middle = np.column_stack([c[:, 1] * bb - b[:, 1] * cc, b[:, 0] * cc - c[:, 0] * bb]) / twice[:, None]
    return corners[:, 0] + middle, (middle**2).sum(axis=1)


def emptiest(tin: Tin, count: int) -> list[tuple[float, float, int]]:
    """Return the places inside a surface that lie farthest from any of its points: along, across [m], and the nearest point by number.

    Source: the emptiest place is the middle of a triangle's circle, or, where that lies outside, of a long side. Each place that was
    told counts as a point for the next.
    """
    from scipy.spatial import cKDTree

    plan, corners = tin.xyz[:, :2], tin.xyz[tin.triangles, :2]
    sides = np.roll(corners, -1, axis=1) - corners
    # A circle is as large as its triangle's sides are long over how tall it stands: only the largest can be emptiest.
    b, c = sides[:, 0], -sides[:, 2]
    twice = 2 * (b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0])
    size = np.hypot(*sides.transpose(2, 0, 1)).prod(axis=1) / np.abs(twice)
    large = np.argsort(-size)[:CIRCLES]
    corners = corners[large]
    halves = (corners + np.roll(corners, -1, axis=1)) / 2
    could = np.concatenate([circles(corners)[0], halves.reshape(-1, 2)])
    could = could[_held(tin, could)]
    far, nearest = cKDTree(plan).query(could)
    out: list[tuple[float, float, int]] = []
    for _ in range(min(count, len(could))):
        k = int(np.argmax(far))
        if far[k] <= 0:
            break
        out.append((float(could[k, 0]), float(could[k, 1]), int(nearest[k])))
        far = np.minimum(far, np.hypot(*(could - could[k]).T))
    return out


def blindest(tin: Tin, corners: Floats) -> tuple[int, int] | None:
    """Return the straight way over a surface along which least is known of it: between which two corners, by number.

    None where no way from one to another that is no neighbour stays inside.

    Parameters
    ----------
    tin : Tin
    corners : float array (m, 2)
        In order round it [m].

    Source: on that way the nearest point lies farthest off, on the mean over WAYS places along it.
    """
    from scipy.spatial import cKDTree

    m = len(corners)
    some = np.arange(0, m, max(1, -(-m // MOST_CORNERS)))
    pairs = np.array(
        [(a, b) for k, a in enumerate(some) for b in some[k + 2 :] if (b - a) % m != m - 1], dtype=np.int_
    )
    if not len(pairs):
        return None
    along = (np.arange(WAYS) + 0.5)[:, None] / WAYS
    places = corners[pairs[:, 0], None] + along * (corners[pairs[:, 1], None] - corners[pairs[:, 0], None])
    held = _held(tin, places.reshape(-1, 2)).reshape(-1, WAYS).all(axis=1)
    if not held.any():
        return None
    far = cKDTree(tin.xyz[:, :2]).query(places[held].reshape(-1, 2))[0].reshape(-1, WAYS).mean(axis=1)
    a, b = pairs[held][int(far.argmax())].tolist()
    return a, b


def _held(tin: Tin, places: Floats) -> Bools:
    """Which places (m, 2) lie well inside the outline, or the hull of the points, and in no hole."""
    if tin.outline is not None:
        held = inside(tin.outline, places)
    else:
        from scipy.spatial import ConvexHull

        hull = ConvexHull(tin.xyz[:, :2])
        held = inside(tin.xyz[hull.vertices, :2], places)
    for hole in tin.holes:
        held &= ~inside(hole, places)
    return held
