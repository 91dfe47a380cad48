"""Where to stand: the band of collimation heights that reads all marks, or how many set-ups it takes."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing

LOWEST = 0.2
"""The lowest reading worth planning on: below it grass and the staff's foot are in the way [m]."""
PARTS = 20
"""Places looked at between two marks."""


class Reach(Struct, frozen=True):
    """What there is to level with.

    Attributes
    ----------
    staff : float
        Length of the staff [m].
    eye : float
        Eye height of the shortest person who will read: the highest line over the ground [m].
    crouch : float
        The lowest line over the ground that is still read with ease [m].
    longest : float
        Longest sight wanted [m].
    """

    staff: float = 4.0
    eye: float = 1.5
    crouch: float = 1.0
    longest: float = 40.0


class Waypoint(Struct, frozen=True):
    """A mark to be read, in order of walking: its rough height and how far along the way [m] (nan: not known)."""

    name: str
    height: float
    along: float = math.nan


class PlannedSetUp(Struct, frozen=True):
    """One set-up.

    Attributes
    ----------
    first, last : str
        What is looked back and forward to: a mark's name, or "change point".
    reads : tuple of str
        Marks between them.
    low, high : float
        Band of collimation heights that reads all of it, from where to stand if that is known [m].
    stand : float
        Where to stand along the way [m], nan where lengths are not known.
    ground : tuple of float
        Heights of the ground between which to stand [m].
    back, fore : float
        Lengths of the two sights [m], nan where not known.
    start, end : (float, float)
        Place along the way and rough height of its two ends [m].
    """

    first: str
    last: str
    reads: tuple[str, ...]
    low: float
    high: float
    stand: float
    ground: tuple[float, float]
    back: float
    fore: float
    start: tuple[float, float]
    end: tuple[float, float]

    @property
    def unbalanced(self) -> bool:
        """Whether the two sights differ by more than a third of the longer one."""
        return abs(self.back - self.fore) > max(self.back, self.fore) / 3


class StandingPlan(Struct, frozen=True):
    """The set-ups in order; `steep` names legs where even the shortest step is too steep for the means."""

    setups: list[PlannedSetUp]
    steep: list[str]


MOST = 200
"""Set-ups that are planned at once."""


def plan_standing(way: list[Waypoint], means: Reach | None = None) -> StandingPlan:
    """Return where to stand to read marks in order.

    One set-up reads from its first mark to its last, and all between, when one height of collimation
    lies above each by at least `LOWEST` and below the top of a staff on each, over ground that the
    eye height reaches, with sights no longer than wanted. Each set-up goes on as far as it can;
    going on farthest takes the fewest.

    Parameters
    ----------
    way : list of Waypoint
        At least two.
    means : Reach, optional

    Raises
    ------
    KeelError
        `too-few-points`; `bad-value` where the way runs backwards, is longer than `MOST` set-ups, or the staff is
        shorter than the eye height.

    References
    ----------
    max H + lowest ≤ HC ≤ min H + staff; HC = ground + line over the ground.
    """
    m = means or Reach()
    if len(way) < 2:
        raise KeelError("too-few-points", "list the benchmark and at least one mark with their rough heights")
    if m.staff <= m.crouch + LOWEST:
        raise KeelError("bad-value", "the staff is shorter than the line stands over the ground")
    known = all(not is_missing(place.along) for place in way)
    at = [place.along for place in way] if known else [float(i) for i in range(len(way))]
    if any(b < a for a, b in zip(at, at[1:], strict=False)):
        raise KeelError(
            "bad-value", "the distances along the way go back; list the marks in order of walking"
        )
    if known and at[-1] - at[0] > MOST * 2 * m.longest:
        raise KeelError(
            "bad-value",
            f"with sights of {m.longest:.10g} m a way of {at[-1] - at[0]:.10g} m takes more than {MOST} set-ups; "
            "look at the longest sight, or plan it in parts",
        )
    places = _places(way, at)
    setups: list[PlannedSetUp] = []
    steep: list[str] = []
    here = 0
    while here < len(places) - 1:
        if known:
            _reach(places, here, 2 * m.longest)
        found = next(
            (
                p
                for j in range(_farthest(places, here, m, known), here, -1)
                if (p := _set_up(places, here, j, m, known))
            ),
            None,
        )
        if found is None:
            steep.append(_leg(places, here))
            here += 1
            continue
        end, setup = found
        setups.append(setup)
        here = end
    return StandingPlan(setups, list(dict.fromkeys(steep)))


_Place = tuple[float, float, str]


def _places(way: list[Waypoint], at: list[float]) -> list[_Place]:
    """The marks, and places between them where a change point may go: (along, height, name or "")."""
    out: list[_Place] = [(at[0], way[0].height, way[0].name)]
    for (a, b), (p, q) in zip(zip(at, at[1:], strict=False), zip(way, way[1:], strict=False), strict=True):
        for k in range(1, PARTS):
            f = k / PARTS
            out.append((a + (b - a) * f, p.height + (q.height - p.height) * f, ""))
        out.append((b, q.height, q.name))
    return out


def _reach(places: list[_Place], here: int, far: float) -> None:
    """Put in the place just as far as two longest sights reach, so that none of their length is given away."""
    at = places[here][0] + far
    for i in range(here, len(places) - 1):
        (a, h, _), (b, k, _) = places[i], places[i + 1]
        if a + 1e-9 < at < b - 1e-9:
            places.insert(i + 1, (at, h + (k - h) * (at - a) / (b - a), ""))
            return


def _farthest(places: list[_Place], here: int, m: Reach, known: bool) -> int:
    """The last place that a set-up from `here` could end at, by its sights and by the marks that it would have to read on the way."""
    low = high = places[here][1]
    for j in range(here + 1, len(places)):
        along, height, name = places[j]
        if known and along - places[here][0] > 2 * m.longest + 1e-9:
            return j - 1
        if name:
            low, high = min(low, height), max(high, height)
            if high + LOWEST > low + m.staff:
                return j - 1
    return len(places) - 1


def _ground(places: list[_Place], at: float) -> float:
    """Height of the ground [m] at a place along some that are in order."""
    return float(np.interp(at, [place[0] for place in places], [place[1] for place in places]))


def _set_up(places: list[_Place], i: int, j: int, m: Reach, known: bool) -> tuple[int, PlannedSetUp] | None:
    a, b = places[i], places[j]
    if known and b[0] - a[0] > 2 * m.longest + 1e-9:
        return None
    read = [a, *(place for place in places[i + 1 : j] if place[2]), b]
    low, high = max(p[1] for p in read) + LOWEST, min(p[1] for p in read) + m.staff
    middle = (a[0] + b[0]) / 2
    best: tuple[float, _Place] | None = None
    could = places[i : j + 1]
    if known:  # exactly between them, wherever the marks part the way
        could.append((middle, _ground(could, middle), ""))
    for place in could:
        if low - m.eye > place[1] + 1e-9 or high - m.crouch < place[1] - 1e-9 or low > high:
            continue
        if known and max(place[0] - a[0], b[0] - place[0]) > m.longest + 1e-9:
            continue
        off = abs(place[0] - middle)
        if best is None or off < best[0]:
            best = (off, place)
    if best is None:
        return None
    stand = best[1]
    nan = math.nan
    ground = low - m.eye, high - m.crouch
    if known:  # standing there, the line is no higher over the ground than the eye
        low, high = max(low, stand[1] + m.crouch), min(high, stand[1] + m.eye)
    return j, PlannedSetUp(
        a[2] or "change point",
        b[2] or "change point",
        tuple(p[2] for p in read[1:-1]),
        low,
        high,
        stand[0] if known else nan,
        ground,
        stand[0] - a[0] if known else nan,
        b[0] - stand[0] if known else nan,
        (a[0], a[1]),
        (b[0], b[1]),
    )


def _leg(places: list[_Place], i: int) -> str:
    before = next(place[2] for place in reversed(places[: i + 1]) if place[2])
    after = next(place[2] for place in places[i + 1 :] if place[2])
    return f"{before} to {after}"
