"""One floor read from several stations: heights of the posts and the line of each, adjusted together, with what checks them.

Source: reading = line(station) − height(post), or height − line where the scale hangs; least squares with weights 1/u², residuals
judged by |v|/σ_v, ties by what stays connected without a post.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

KNOWN = "\0known"
"""The known heights count as one more station, whose name nobody types."""
CRITICAL = 3.0
"""A residual beyond so many times its own σ is suspect [1]."""
NO_SHARE, ALIKE = 1e-9, 1e-6
"""A share of redundancy below the first tells nothing; suspects are alike within the second [1]."""


class Sighted(Struct, frozen=True):
    """A post read from a station: the reading and its standard uncertainty [m], and whether the scale hangs."""

    station: str
    post: str
    reading: float
    u: float
    hanging: bool = False


class Tied(Struct, frozen=True):
    """What several stations come to.

    Attributes
    ----------
    posts, stations : tuple of str
        In order of first reading.
    heights, u : float array (n,)
        Of the posts, and their standard uncertainty, 0 where a height holds exactly [m].
    lines : float array (m,)
        Heights of the stations' lines [m].
    joint : float array (n + m, n + m)
        Covariance of the posts' heights and the stations' lines [m²].
    residuals : float array (k,)
        Adjusted reading − reading [m].
    standardised : float array (k,)
        |v|/σ_v; nan where nothing checks a reading [1].
    degrees_of_freedom : int
    variance_factor : float
        Σ(v/u)² by the degrees of freedom; nan without any [1].
    suspects : tuple of int
        Readings with the greatest `standardised`, where that is beyond what is critical.
    unchecked : tuple of str
        Posts that tie alone.
    """

    posts: tuple[str, ...]
    stations: tuple[str, ...]
    heights: Floats
    u: Floats
    lines: Floats
    joint: Floats
    residuals: Floats
    standardised: Floats
    degrees_of_freedom: int
    variance_factor: float
    suspects: tuple[int, ...]
    unchecked: tuple[str, ...]

    def against(self, reference: str) -> tuple[Floats, Floats]:
        """Return the heights against a post's own (n,) and their standard uncertainty (n,) [m], with the full covariance."""
        r = self.posts.index(reference)
        c = self.joint[: len(self.posts), : len(self.posts)]
        u = np.sqrt(np.maximum(np.diag(c) + c[r, r] - 2 * c[r], 0.0))
        u[r] = 0.0
        return self.heights - self.heights[r], np.asarray(u)


def groups(pairs: Iterable[tuple[str, str]]) -> list[list[str]]:
    """Return the stations in groups that posts connect, by pairs of (station, post), each in order of first reading."""
    of_post: dict[str, list[str]] = {}
    stations: dict[str, None] = {}
    for station, post in pairs:
        stations[station] = None
        of_post.setdefault(post, []).append(station)
    at = {station: k for k, station in enumerate(stations)}
    root = list(range(len(at)))

    def top(k: int) -> int:
        while root[k] != k:
            root[k] = root[root[k]]
            k = root[k]
        return k

    for some in of_post.values():
        for other in some[1:]:
            a, b = top(at[some[0]]), top(at[other])
            root[max(a, b)] = min(a, b)
    out: dict[int, list[str]] = {}
    for station, k in at.items():
        out.setdefault(top(k), []).append(station)
    return list(out.values())


def tie(
    readings: Sequence[Sighted],
    known: Mapping[str, tuple[float, float]] | None = None,
    reference: str | None = None,
    critical: float = CRITICAL,
) -> Tied:
    """Adjust readings of posts from several stations.

    Parameters
    ----------
    readings : sequence of Sighted
        At least one.
    known : mapping of str to (height, u), optional
        Known heights [m] and their standard uncertainty [m]; with 0 they hold exactly.
    reference : str, optional
        The post that stands at 0 where no height is known; that of the first reading where nothing is given.
    critical : float
        See `CRITICAL` [1].

    Raises
    ------
    KeelError
        `unknown-name`: a reference or a known post without a reading; `untied`: stations that nothing connects, in groups.
    """
    known = known or {}
    posts = list(dict.fromkeys(one.post for one in readings))
    stations = list(dict.fromkeys(one.station for one in readings))
    for name in [*known, *([reference] if reference is not None else [])]:
        if name not in posts:
            raise KeelError(
                "unknown-name", f"nobody read “{name}”; read it from a station, or name another post"
            )
    pairs = [(one.station, one.post) for one in readings] + [(KNOWN, post) for post in known]
    apart = groups(pairs)
    if len(apart) > 1:
        said = "; ".join(
            " and ".join("the known heights" if name == KNOWN else name for name in group) for group in apart
        )
        raise KeelError(
            "untied",
            f"nothing ties these stations to one another: {said}. Read one post, or the watch mark, from both",
        )
    exact = {post: height for post, (height, u) in known.items() if u == 0}
    if not known:
        exact = {reference or posts[0]: 0.0}
    free = [post for post in posts if post not in exact]
    column = {("post", post): k for k, post in enumerate(free)}
    column |= {("line", station): len(free) + k for k, station in enumerate(stations)}
    soft = {post: pair for post, pair in known.items() if pair[1] > 0}
    n, m = len(readings) + len(soft), len(column)
    a, y, u = np.zeros((n, m)), np.zeros(n), np.ones(n)
    for row, one in enumerate(readings):
        sign = -1.0 if one.hanging else 1.0  # the reading grows with the line, or against it
        a[row, column["line", one.station]] = sign
        if one.post in exact:
            y[row] = one.reading + sign * exact[one.post]
        else:
            a[row, column["post", one.post]] = -sign
            y[row] = one.reading
        u[row] = one.u
    for row, (post, (height, its_u)) in enumerate(soft.items(), len(readings)):
        a[row, column["post", post]] = 1.0
        y[row], u[row] = height, its_u
    weighted = a / u[:, None]
    q, r = np.linalg.qr(weighted)
    x = np.linalg.solve(r, q.T @ (y / u))
    inverse = np.linalg.inv(r)
    cov = inverse @ inverse.T
    v = a @ x - y
    # Var(v) = U² − A·C·Aᵀ; what a reading alone decides has none.
    share = 1.0 - (q**2).sum(axis=1)
    standardised = np.where(share < NO_SHARE, np.nan, np.abs(v) / (u * np.sqrt(np.maximum(share, NO_SHARE))))
    degrees = n - m
    k = len(readings)
    at = np.array(
        [column.get(("post", post), -1) for post in posts] + [column["line", name] for name in stations]
    )
    joint = np.zeros((len(at), len(at)))
    inside = np.flatnonzero(at >= 0)
    joint[np.ix_(inside, inside)] = cov[np.ix_(at[inside], at[inside])]
    heights = np.array([exact[p] if p in exact else x[column["post", p]] for p in posts])
    return Tied(
        tuple(posts),
        tuple(stations),
        heights,
        np.sqrt(np.diag(joint)[: len(posts)]),
        x[len(free) :],
        joint,
        v[:k],
        standardised[:k],
        degrees,
        float(((v / u) ** 2).sum()) / degrees if degrees > 0 else math.nan,
        _suspects(standardised[:k], critical),
        _unchecked(pairs, posts),
    )


def _suspects(standardised: Floats, critical: float) -> tuple[int, ...]:
    """Readings with the greatest |v|/σ_v, where that is beyond what is critical."""
    told = np.nan_to_num(standardised)
    greatest = float(told.max(initial=0.0))
    if greatest <= critical:
        return ()
    return tuple(np.flatnonzero(told >= greatest - ALIKE).tolist())


def _unchecked(pairs: Sequence[tuple[str, str]], posts: Sequence[str]) -> tuple[str, ...]:
    """Posts without which some two of the stations are no longer connected."""
    stations = list(dict.fromkeys(station for station, _ in pairs))
    if len(stations) < 2:
        return ()
    out = []
    for post in posts:
        if sum(1 for _, other in dict.fromkeys(pairs) if other == post) < 2:
            continue  # read from one station only: it ties nothing
        left = [(station, other) for station, other in pairs if other != post]
        apart = groups(left)
        if len(apart) > 1 or {s for group in apart for s in group} != set(stations):
            out.append(post)
    return tuple(out)
