"""The two ways of a bed by their nodes, and what was read on them as one adjustment.

Source: heights at the stations fitted to tilts (`core/body`, each station for itself); a plumb frame is a level whose own zero nobody
knows (tilt = shift/string), a test bar tells the twist between its ends, (d_tail − d_head)/(2·h), taken over the bed's length.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.body.model import FREE, Adjusted, Body, Gap, Observation, Step, Tilt, adjust
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.errors import KeelError
from vivid_keel.trades.bed.book import ACROSS, AGAIN, ALONG, BAR, REAR, BedBook, Read, Spot

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BOB, TEST_BAR = "the plumb frame", "the test bar"
TIED = 1e-8
"""How closely a foot's height is that of the way over it [m]."""
ANY = 0.01
"""A level's own error of which nothing is known [rad]: far more than any has."""
SAME = 1e-3
"""Two places along nearer than this are one [m]."""
OUT_OF_LINE = 3.5
"""A way of reading that stands off the others by so many times its u tells something else [1]."""


class Ways(Struct, frozen=True):
    """The two ways by their nodes: front and rear at each station, then the places between where the level was stepped along.

    Attributes
    ----------
    body : Body
    along : list of int
        Nodes on the front way where the level was stepped, from head to tail; empty where it wasn't.
    """

    body: Body
    along: list[int]


def ways_of(book: BedBook, read: Read) -> Ways:
    """Return the nodes that a phase's readings are about."""
    stations = book.stations
    names = [f"{s.name} {side}" for s in stations for side in ("front", "rear")]
    xy = [(s.x, y) for s in stations for y in (0.0, book.feet_apart)]
    along: list[int] = []
    if book.steps and any(spot.sort == ALONG for spot in read):
        for k in range(book.steps + 1):
            x = stations[0].x + book.long * k / book.steps
            at = next((2 * j for j, s in enumerate(stations) if abs(s.x - x) < SAME), None)
            if at is None:
                at = len(names)
                names.append(f"the front way at {x:.2f} m")
                xy.append((x, 0.0))
            along.append(at)
    return Ways(Body(names, np.array(xy, dtype=np.float64).reshape(-1, 2), FREE), along)


def observed(book: BedBook, read: Read, ways: Ways) -> list[Observation]:
    """Return what was read as observations, and what is taken for granted: the front way straight where nothing was read along it."""
    at = {s.id: k for k, s in enumerate(book.stations)}
    v, out = book.facts.values, list[Observation]()
    for spot, one in read.items():
        if spot.sort == ALONG:
            if spot.at < len(ways.along) - 1:
                a, b = ways.along[spot.at : spot.at + 2]
                out.append(Tilt(LEVEL, a, b, spot.way, one.value, book.u_tilt))
        elif spot.sort == BAR or spot.at not in at:
            continue
        elif spot.sort in {ACROSS, AGAIN}:
            j = 2 * at[spot.at]
            out.append(Tilt(LEVEL, j, j + 1, spot.way, one.value - book.blocks, book.u_tilt))
        else:
            j = 2 * at[spot.at]
            out.append(Tilt(BOB, j, j + 1, 1, math.atan(one.value / v["string"]), book.u_frame))
    bar = [read.get(Spot(BAR, end)) for end in (0, 1)]
    if bar[0] is not None and bar[1] is not None and len(book.stations) > 1:
        over = book.long / v["bar"]
        leans = (bar[1].value - bar[0].value) / (2 * v["tool"]) * over
        u = max(v["dial"], bar[0].step, bar[1].step) / math.sqrt(12) / (2 * v["tool"]) * over
        last = 2 * (len(book.stations) - 1)
        out += [Tilt(TEST_BAR, 0, 1, 1, 0.0, u), Tilt(TEST_BAR, last, last + 1, 1, leans, u)]
    for j, s in enumerate(book.stations):
        if not ways.along:
            if j:
                out.append(Step(0, 2 * j, 0.0, TIED))
        elif 2 * j not in ways.along:
            k = min(int(np.searchsorted([ways.body.xy[n][0] for n in ways.along], s.x)), len(ways.along) - 1)
            out.append(Gap(ways.along[k - 1], ways.along[k], 2 * j, 0.0, TIED))
    return out


def fitted(book: BedBook, read: Read) -> tuple[Adjusted | None, KeelError | None]:
    """Return the ways as these readings have them; None and why where they can't tell it, None and None where nothing is read."""
    if not read or len(book.stations) < 2:
        return None, None
    ways = ways_of(book, read)
    zeros = {LEVEL: (0.0, book.u_tilt)} if book.facts.values["zero"] > 0.5 else {}
    if book.only_itself:  # twist asks for no true level: how it stands to gravity may stay as good as unknown
        zeros = dict.fromkeys((LEVEL, BOB, TEST_BAR), (0.0, ANY)) | zeros
    try:
        return adjust(ways.body, observed(book, read, ways), zeros), None
    except KeelError as error:
        return None, error


def as_it_stands(book: BedBook, phase: str) -> tuple[Adjusted | None, KeelError | None]:
    """Return `fitted` of what a phase of a book reads, worked out once."""
    if phase not in book.fits:
        book.fits[phase] = fitted(book, book.read[phase])
    return book.fits[phase]


def follows(book: BedBook, xy: Floats) -> Floats:
    """What every node rises with each foot (k, n) [1]: linear between the pairs, on its own side."""
    out = np.zeros((len(xy), len(book.points)))
    pairs = sorted({p.x for p in book.points})
    for k, (x, y) in enumerate(xy):
        side = REAR if y > book.feet_apart / 2 else "front"
        for i, p in enumerate(book.points):
            if p.row == side:
                out[k, i] = float(np.interp(x, pairs, [1.0 if p.x == at else 0.0 for at in pairs]))
    return out


def feet_of(book: BedBook) -> list[int]:
    """The node of each foot."""
    return [2 * k + side for k, s in enumerate(book.stations) if s.feet for side in (0, 1)]
