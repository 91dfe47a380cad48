"""How the ground rolls between its points: a covariance of the heights about their trend, and what it makes of a surface of triangles.

Source: a Gaussian process about a plane, its size and reach by restricted likelihood over points at all distances, several smoothnesses side by
side, averaged over and not picked. What is stated is the error of the triangles' own heights and volumes, which are no prediction
of the process: where they lie against the ground that the points let expect, and how that may still differ, drawn many times. A
hollow between its points is deeper than its triangles, so the first part counts; near the shore, where what is wet isn't linear,
the draws do.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.surface.against import Plane, areas
from vivid_keel.core.surface.between import corners_of, heights_at
from vivid_keel.core.surface.tin import Tin

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Ints = npt.NDArray[np.int_]

FEWEST = 6
"""So many points at least tell how the ground rolls [1]."""
FITTED = 200
"""Of more points than that so many are fitted to, drawn from a seed [1]."""
MANY = 600
"""Of more points than that only those near a place tell what to expect there [1]."""
NEAR = 24
"""So many points tell of a place then [1]."""
PLACES, DRAWS, SEED = 400, 500, 2026
"""Places that a volume is summed over, and how often the ground there is drawn [1]."""
SORTS = 12
"""So many sorts of ground at most are drawn from, the likeliest [1]."""
REACHES, SIZES = 9, 13
"""Steps of the reach and of the size that are averaged over [1]."""
LEAST = 0.004
"""What is less likely than that is left out of the average [1]."""
ROUNDING = 1e-8
"""What is added to a correlation of one, so that rounding leaves it positive [1]."""
WIDER = 1.1
"""What is fitted to a few points is itself not known for sure: so much wider U is drawn [1]. Measured: 93 of 100 without, 97 with it."""
SURE = 0.9545
"""How often U is to hold [1]: k = 2."""


class Rolls(Struct, frozen=True):
    """Grounds that the points may lie on, k of them: smoothness, reach [m], size [m] (k,) and how likely each is (k,) [1]."""

    smooth: list[int]
    reach: Floats
    size: Floats
    weight: Floats


def _shape(smooth: int, apart: Floats) -> Floats:
    """The correlation of heights `apart`, in reaches: Matérn of smoothness 1/2, 3/2, 5/2."""
    if smooth == 0:
        return np.asarray(np.exp(-apart))
    d = math.sqrt(2 * smooth + 1) * apart
    return np.asarray((1 + d + (d**2 / 3 if smooth == 2 else 0.0)) * np.exp(-d))


def _apart(a: Floats, b: Floats) -> Floats:
    from scipy.spatial.distance import cdist

    return np.asarray(cdist(a, b))


def rolls(xyz: Floats, u: float) -> Rolls:
    """Return how ground rolls that goes through points.

    Parameters
    ----------
    xyz : float array (n, 3)
        At least `FEWEST` [m].
    u : float
        Standard uncertainty of one height [m].
    """
    if len(xyz) > FITTED:
        xyz = xyz[_far_and_near(xyz[:, :2])]
    places = _places(np.ascontiguousarray(xyz[:, :2]).tobytes())
    left = places.basis.T @ xyz[:, 2]
    spread = max(float(np.sqrt((left**2).mean())), u)
    sizes = np.geomspace(max(spread / 10, u / 10), 10 * spread, SIZES)
    smooth, reach, size, log = [], [], [], []
    for (kind, far), (values, vectors) in places.modes.items():
        seen = (vectors.T @ left) ** 2
        variance = np.maximum(values, 0.0) * sizes[:, None] ** 2 + u**2
        smooth += [kind] * SIZES
        reach += [far] * SIZES
        size += sizes.tolist()
        log += (-0.5 * (np.log(variance) + seen / variance).sum(axis=1)).tolist()
    weight = np.exp(np.array(log) - max(log))
    weight /= weight.sum()
    keep = weight > LEAST * weight.max()
    kept = np.flatnonzero(keep)
    return Rolls(
        [smooth[k] for k in kept],
        np.array(reach)[kept],
        np.array(size)[kept],
        weight[kept] / weight[kept].sum(),
    )


class _Places(Struct, frozen=True):
    """What only hangs on where points lie, whatever was read there: a basis (n, n − 3) of all that is no plane, and by smoothness and reach
    [m] the variances (n − 3,) [1] and the shapes (n − 3, n − 3) of what rolls so."""

    basis: Floats
    modes: dict[tuple[int, float], tuple[Floats, Floats]]


@lru_cache(maxsize=2)
def _places(xy: bytes) -> _Places:
    """The places that these bytes are, each along and across [m]: a reading more at them is quickly told."""
    at = np.frombuffer(xy).reshape(-1, 2)
    n = len(at)
    design = np.column_stack([np.ones(n), at - at.mean(axis=0)])
    basis = np.linalg.qr(design, mode="complete")[0][:, np.linalg.matrix_rank(design) :]
    apart = _apart(at, at)
    wide = float(apart.max())
    close = float(np.sort(apart + np.where(np.eye(n, dtype=bool), np.inf, 0.0), axis=1)[:, 0].mean())
    modes = {}
    for kind in (0, 1, 2):
        for far in np.geomspace(min(close / 2, wide / 8), 1.5 * wide, REACHES).tolist():
            values, vectors = np.linalg.eigh(basis.T @ _shape(kind, apart / far) @ basis)
            modes[kind, far] = (np.asarray(values), np.asarray(vectors))
    return _Places(np.asarray(basis), modes)


def _far_and_near(xy: Floats) -> Ints:
    """Half of the points to fit to from everywhere, half in clumps: all distances are among them."""
    from scipy.spatial import cKDTree

    rng = np.random.default_rng(SEED)
    far = rng.choice(len(xy), FITTED // 2, replace=False)
    near = cKDTree(xy).query(xy[far[: FITTED // 20]], k=10)[1]
    return np.unique(np.concatenate([far, near.reshape(-1)]))


class Ground(Struct, frozen=True):
    """A surface with what its ground may do between the points.

    Attributes
    ----------
    area : float array (p,)
        What each place stands for [m²].
    xyz : float array (p, 3)
        Places spread evenly, at the height of the surface [m].
    off : float array (draws, p)
        How much higher the ground may lie there, in each draw [m].
    """

    tin: Tin
    u: float
    rolls: Rolls
    area: Floats
    xyz: Floats
    off: Floats

    def volume(self, plane: Plane, *, above: bool = False) -> float:
        """Return U of the volume below a plane, or above it [m³]."""
        d = plane.at(self.xyz[:, :2]) - self.xyz[:, 2]
        sign = -1.0 if above else 1.0
        told = float(self.area @ np.maximum(sign * d, 0.0))
        true = np.maximum(sign * (d - self.off), 0.0) @ self.area
        return WIDER * float(np.quantile(np.abs(true - told), SURE))

    def wet_area(self, plane: Plane) -> float:
        """Return U of the area below a plane [m²]."""
        d = plane.at(self.xyz[:, :2]) - self.xyz[:, 2]
        told = float(self.area @ (d > 0))
        return WIDER * float(np.quantile(np.abs((d - self.off > 0) @ self.area - told), SURE))

    def heights(self, xy: Floats) -> Floats:
        """Return U of the surface's height at places `xy` (m, 2) [m], nan outside (m,) [m]."""
        at, shares = corners_of(self.tin, xy)
        told = (shares * self.tin.xyz[self.tin.triangles[at], 2]).sum(axis=1)
        square = np.zeros(len(xy))
        for kind, far, big, weight in zip(
            self.rolls.smooth, self.rolls.reach, self.rolls.size, self.rolls.weight, strict=True
        ):
            mean, variance = _told_nearby(self.tin.xyz, self.u, (kind, far, big), xy)
            square += weight * ((mean - told) ** 2 + variance)
        return np.where(at < 0, np.nan, 2 * np.sqrt(square))


def ground_of(tin: Tin, u: float) -> Ground | None:
    """Return a surface with what its ground may do between the points; None where too few tell it, or where the ground breaks along
    lines.

    Parameters
    ----------
    tin : Tin
    u : float
        Standard uncertainty of one point's height [m].
    """
    n = len(tin.xyz)
    if n < FEWEST or tin.lines is not None or not len(tin.pieces):
        return None
    found, rng = rolls(tin.xyz, u), np.random.default_rng(SEED)
    places, area = _evenly(tin.pieces, PLACES)
    at, shares = corners_of(tin, places[:, :2])
    inside = at >= 0
    places, area, shares, corners = places[inside], area[inside], shares[inside], tin.triangles[at[inside]]
    off = np.empty((DRAWS, len(places)))
    among, first = _apart(places[:, :2], places[:, :2]), 0
    for one, many in _sorts(found, rng):
        noise = rng.normal(size=(many, len(places)))
        if n <= MANY:
            mean, covariance = _told_by_all(tin.xyz, u, one, places[:, :2], among)
        else:
            mean, covariance = (
                _told_nearby(tin.xyz, u, one, places[:, :2])[0],
                _missed(tin, u, one, places, corners, shares, among),
            )
        off[first : first + many] = mean - places[:, 2] + noise @ np.linalg.cholesky(covariance).T
        first += many
    return Ground(tin, u, found, area, places, off)


def _sorts(found: Rolls, rng: np.random.Generator) -> Iterator[tuple[tuple[int, float, float], int]]:
    """The likeliest sorts of ground (smoothness, reach, size), and how many of the draws are of each."""
    likely = np.where(found.weight >= np.sort(found.weight)[-SORTS:][0], found.weight, 0.0)
    for k, many in enumerate(rng.multinomial(DRAWS, likely / likely.sum()).tolist()):
        if many:
            yield (found.smooth[k], float(found.reach[k]), float(found.size[k])), many


def _missed(
    tin: Tin,
    u: float,
    one: tuple[int, float, float],
    places: Floats,
    corners: Ints,
    shares: Floats,
    among: Floats,
) -> Floats:
    """Covariance (p, p) of what the triangles miss at places, `among` (p, p) [m] apart, whatever the points say [m²]."""
    kind, far, big = one
    used, where = np.unique(corners, return_inverse=True)
    hang = np.zeros((len(places), len(used)))
    np.put_along_axis(hang, where.reshape(corners.shape), shares, axis=1)
    points = tin.xyz[used, :2]
    mixed = hang @ _shape(kind, _apart(places[:, :2], points) / far).T
    own = _shape(kind, among / far) - mixed - mixed.T
    own += hang @ _shape(kind, _apart(points, points) / far) @ hang.T
    own[np.diag_indices(len(own))] += ROUNDING
    return np.asarray(big**2 * own + u**2 * hang @ hang.T)


def _told_by_all(
    xyz: Floats, u: float, one: tuple[int, float, float], xy: Floats, among: Floats
) -> tuple[Floats, Floats]:
    """What points (n, 3) each good to u let expect at places (p, 2), `among` (p, p) apart, of ground that rolls so: means (p,) [m],
    covariance (p, p) [m²]."""
    from scipy.linalg import solve_triangular

    kind, far, big = one
    middle = xyz[:, :2].mean(axis=0)
    root = np.linalg.cholesky(
        big**2 * _shape(kind, _apart(xyz[:, :2], xyz[:, :2]) / far) + u**2 * np.eye(len(xyz))
    )
    design, there = (np.column_stack([np.ones(len(p)), p - middle]) for p in (xyz[:, :2], xy))
    mixed = big**2 * _shape(kind, _apart(xyz[:, :2], xy) / far)
    solved = solve_triangular(
        root, np.column_stack([design, xyz[:, 2], mixed]), lower=True, check_finite=False
    )
    plain, z, mixed = solved[:, :3], solved[:, 3], solved[:, 4:]
    trend = np.linalg.pinv(plain)
    beta, rest = trend @ z, there - mixed.T @ plain
    covariance = big**2 * _shape(kind, among / far) - mixed.T @ mixed + rest @ (trend @ trend.T) @ rest.T
    covariance[np.diag_indices(len(xy))] += ROUNDING * big**2
    return there @ beta + mixed.T @ (z - plain @ beta), np.asarray(covariance)


def _told_nearby(xyz: Floats, u: float, one: tuple[int, float, float], xy: Floats) -> tuple[Floats, Floats]:
    """The same by the nearest points alone, each place by itself: means (p,) [m], variances (p,) [m²]."""
    from scipy.spatial import cKDTree

    kind, far, big = one
    near = cKDTree(xyz[:, :2]).query(xy, k=min(NEAR, len(xyz)))[1].reshape(len(xy), -1)
    points, z = xyz[near, :2] - xy[:, None, :], xyz[near, 2]
    apart = np.sqrt(((points[:, :, None, :] - points[:, None, :, :]) ** 2).sum(axis=3))
    own = big**2 * _shape(kind, apart / far) + u**2 * np.eye(near.shape[1])
    design = np.concatenate([np.ones((*near.shape, 1)), points], axis=2)
    mixed = big**2 * _shape(kind, np.sqrt((points**2).sum(axis=2)) / far)
    solved = np.linalg.solve(own, np.concatenate([design, z[:, :, None], mixed[:, :, None]], axis=2))
    plain = np.swapaxes(design, 1, 2) @ solved  # (p, 3, 5)
    turned = np.linalg.pinv(plain[:, :, :3], hermitian=True)
    beta = (turned @ plain[:, :, 3:4])[:, :, 0]
    rest = np.array([1.0, 0.0, 0.0]) - plain[:, :, 4]
    weights = solved[:, :, 4]
    mean = beta[:, 0] + (weights * (z - (design @ beta[:, :, None])[:, :, 0])).sum(axis=1)
    variance = big**2 - (weights * mixed).sum(axis=1) + np.einsum("pa,pab,pb->p", rest, turned, rest)
    return mean, np.maximum(variance, 0.0)


def change_known(then: Tin, now: Tin, rise: Floats, u: float) -> float | None:
    """Return U of what came and of what went between two surfaces [m³], the larger; None where too few points tell how the ground rolls,
    where there are very many, or where it breaks along lines.

    What lies between the points is drawn twice: the ground as it was, which both surfaces missed at places of their own, and what
    came or went, which the later one missed.

    Parameters
    ----------
    then, now : Tin
    rise : float array (k, 3, 3)
        As `rise_between` has it [m].
    u : float
        Standard uncertainty of one point's height [m].
    """
    tins = (then, now)
    if any(not FEWEST <= len(tin.xyz) <= MANY or tin.lines is not None for tin in tins):
        return None
    places, area = _evenly(rise, PLACES)
    told, hangs = [corners_of(tin, places[:, :2]) for tin in tins], []
    inside = (told[0][0] >= 0) & (told[1][0] >= 0)
    places, area = places[inside], area[inside]
    if not len(places):
        return None
    points = np.concatenate([tin.xyz[:, :2] for tin in tins])
    first = 0
    for tin, (at, shares) in zip(tins, told, strict=True):
        hang = np.zeros((len(places), len(points)))
        np.put_along_axis(hang, first + tin.triangles[at[inside]], shares[inside], axis=1)
        hangs.append(hang)
        first += len(tin.xyz)
    rng, both = np.random.default_rng(SEED), hangs[1] - hangs[0]
    among = _apart(points, points)

    def as_it_was(kind: int, far: float) -> Floats:
        return np.asarray(both @ _shape(kind, among / far) @ both.T)

    later = _apart(places[:, :2], points), _apart(places[:, :2], places[:, :2])

    def what_came(kind: int, far: float) -> Floats:
        mixed = hangs[1] @ _shape(kind, later[0] / far).T
        return np.asarray(
            _shape(kind, later[1] / far) - mixed - mixed.T + hangs[1] @ _shape(kind, among / far) @ hangs[1].T
        )

    fuller = max(tins, key=lambda tin: len(tin.xyz))
    went = np.column_stack([now.xyz[:, :2], now.xyz[:, 2] - heights_at(then, now.xyz[:, :2])])
    went = went[~np.isnan(went[:, 2])]
    off = _draw(rolls(fuller.xyz, u), as_it_was, len(places), rng)
    if len(went) >= FEWEST:
        off = _draw(rolls(went, u * math.sqrt(2)), what_came, len(places), rng) - off
    off -= u * rng.normal(size=(DRAWS, len(points))) @ both.T
    d = places[:, 2]
    return max(
        float(
            np.quantile(
                np.abs(np.maximum(sign * (d + off), 0.0) @ area - area @ np.maximum(sign * d, 0.0)), SURE
            )
        )
        for sign in (1.0, -1.0)
    )


def _draw(
    found: Rolls, covariance: Callable[[int, float], Floats], places: int, rng: np.random.Generator
) -> Floats:
    """Draws (DRAWS, places) of what a process does at places [m]: its `covariance` there by smoothness and reach, of size one."""
    out = np.empty((DRAWS, places))
    first = 0
    roots: dict[tuple[int, float], Floats] = {}
    many_of = rng.multinomial(DRAWS, found.weight)
    for kind, far, big, many in zip(found.smooth, found.reach, found.size, many_of.tolist(), strict=True):
        if not many:
            continue
        root = roots.get((kind, float(far)))
        if root is None:
            own = covariance(kind, far)
            own[np.diag_indices(len(own))] += ROUNDING
            root = np.asarray(np.linalg.cholesky(own))
            roots[kind, float(far)] = root
        out[first : first + many] = big * rng.normal(size=(many, root.shape[1])) @ root.T
        first += many
    return out


def _evenly(pieces: Floats, many: int) -> tuple[Floats, Floats]:
    """So many places spread evenly over triangles (k, 3, 3): (p, 3) [m], and what each stands for (p,) [m²]."""
    part = areas(pieces)
    whole, turn = float(part.sum()), np.arange(many) + 0.5
    at = np.minimum(np.searchsorted(np.cumsum(part), turn * whole / many), len(pieces) - 1)
    # Even in a triangle: a low-discrepancy pair folded back at its long side.
    a, b = turn * 0.7548776662466927 % 1, turn * 0.5698402909980532 % 1
    fold = a + b > 1
    a, b = np.where(fold, 1 - a, a)[:, None], np.where(fold, 1 - b, b)[:, None]
    p = pieces[at]
    return np.asarray(p[:, 0] + a * (p[:, 1] - p[:, 0]) + b * (p[:, 2] - p[:, 0])), np.full(
        many, whole / many
    )
