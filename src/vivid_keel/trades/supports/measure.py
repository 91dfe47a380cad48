"""From the readings of supports to what is judged: heights on one line, and what they are worth."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.rounds import learn
from vivid_keel.core.moving.scale import HANGS, reading_at, signs
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.trades.supports.book import SupportsBook
from vivid_keel.trades.supports.line import collimation_left, left_bound, line_error, u_of
from vivid_keel.trades.supports.result import SupportsResult

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

BOTH_LINES = 2.0
"""The watch mark read twice ties two lines together: two more readings in an as-left deviation."""


class ScaleShows(Struct, frozen=True):
    """What the scale shows at every support; `bent` is how much higher the line of sight is there [m]."""

    book: SupportsBook
    bent: Floats
    lines: Floats
    """How much higher the line is that each support is read against than the first station's (n,) [m]."""

    def at(self, place: int, height: float) -> float:
        """Return what the scale at a support shows when it is at a height on the line, its own errors in it [m]."""
        at = np.array([height - float(self.bent[place]) - float(self.lines[place])])
        return float(reading_at(at, [self.book.points[place].sense])[0]) + self.book.scale_foot

    def nominal(self, place: int, height: float) -> float:
        """Return the reading there were the line without a slope of its own [m]."""
        return (
            float(reading_at(np.array([height]), [self.book.points[place].sense])[0]) + self.book.scale_foot
        )

    def read(self, place: int) -> float:
        """Return what was read there as found [m]; nan where nothing was."""
        found = self.book.points[place].found
        return math.nan if found is None else found.as_read

    def hangs(self, place: int) -> bool:
        """Whether the scale hangs from the support down to the line."""
        return self.book.points[place].sense == HANGS

    def height_of(self, reading: float) -> float:
        """Return the height on the line that a reading of the usual scale means [m]."""
        return float(signs([self.book.limits.sense])[0]) * (reading - self.book.scale_foot)


def changes(book: SupportsBook) -> list[tuple[Floats, Floats, Floats]]:
    """Return put in, leaves, and change of height of every finished round (n,) each [m]; nan where not read."""
    sign = signs([point.sense for point in book.points])
    out = []
    for done in book.passes:
        # What only filled the gap that a post hung by raised nothing.
        put = np.array([done.put.get(point.id, 0.0) - done.hung.get(point.id, 0.0) for point in book.points])
        leaves = np.array([done.leaves.get(point.id, 0) for point in book.points], dtype=float)
        change = np.full(len(book.points), np.nan)
        for i, point in enumerate(book.points):
            if point.id in done.before and point.id in done.after:
                worn = done.after[point.id].own - done.before[point.id].own if book.use_staff else 0.0
                change[i] = done.shift + sign[i] * (
                    done.after[point.id].value - done.before[point.id].value - worn
                )
        out.append((put, leaves, change))
    return out


def measure(book: SupportsBook) -> Task:
    """Return what the readings of a book say, whatever its target is."""
    points = book.points
    sign = signs([point.sense for point in points])
    on = float(book.use_staff)  # the scale's own foot makes every reading too long, hung or stood

    def read(phase: str) -> Floats:
        earlier = {"first": lambda point: point.first, "since": lambda point: point.since}
        reads = [earlier.get(phase, lambda point: point.read(phase))(point) for point in points]
        return np.array(
            [reading.value - on * reading.own if reading else np.nan for reading in reads], dtype=np.float64
        )

    shift = _line_shift(book)
    bent, bent_left = line_error(book), line_error(book, LEFT)
    heights, together = _tied(book, FOUND, sign * read(FOUND) + bent)
    left, together_again = _tied(book, LEFT, sign * read(LEFT) + bent_left)
    has = ~np.isnan(heights)
    u, u_again = u_of(book, FOUND), u_of(book, LEFT)
    if together is not None:
        u = np.maximum(u, np.sqrt(np.diag(together)))
    if together_again is not None:
        u_again = np.maximum(u_again, np.sqrt(np.diag(together_again)))
    rank = np.empty(len(points), dtype=int)
    rank[sorted(range(len(points)), key=lambda i: points[i].name)] = np.arange(len(points))
    happened = changes(book)
    first = np.asarray(sign * read("first") + bent - book.line_moved)
    return Task(
        [point.name for point, h in zip(points, has, strict=True) if h],
        np.array(
            [(point.x, point.y) for point, h in zip(points, has, strict=True) if h], dtype=np.float64
        ).reshape(-1, 2),
        rank,
        has,
        heights,
        shift + left,
        first,
        u,
        u_again,
        shift,
        collimation_left(book),
        BOTH_LINES if {FOUND, LEFT} <= book.reference.keys() else 0.0,
        BOTH_LINES if FOUND in book.reference else 0.0,
        learn(book, happened, float(u.max()) if len(points) else 0.0, first=first),
        happened,
        ScaleShows(book, bent, _lines(book)),
        since=np.asarray(sign * read("since") + bent - book.line_since),
        found_at=[point.found.id if point.found is not None else 0 for point in points],
        rounds_left=_rounds_left(book, sign, bent),
        wanted=np.array([point.wanted for point in points], dtype=np.float64),
        bound=left_bound(book),
        together=together,
        together_again=together_again,
    )


def _tied(book: SupportsBook, phase: str, heights: Floats) -> tuple[Floats, Floats | None]:
    """Return the heights of a phase (n,) [m] as several stations have them together, and their covariance (n, n) [m²]; as they are
    read from one (`heights`), and None, where there is no other."""
    ties = book.ties.get(phase)
    if ties is None or ties.tied is None:
        return heights, None
    u = float(u_of(book, phase).max())
    found, together = ties.heights([point.id for point in book.points], u)
    # The line's own slope is known for what was read from the first station only.
    from_here = np.array([(read := p.read(phase)) is not None and not read.station for p in book.points])
    bent = np.where(from_here, line_error(book, phase), 0.0)
    return np.where(np.isnan(found), heights, found + bent), together


def _lines(book: SupportsBook) -> Floats:
    """How much higher the line that each support is read against is than the first station's (n,) [m]."""
    ties = book.ties.get(FOUND)
    out = np.zeros(len(book.points))
    for i, point in enumerate(book.points):
        if ties is not None and point.found is not None and point.found.station:
            out[i] = np.nan_to_num(ties.line_over(point.found.station))
    return out


def _rounds_left(book: SupportsBook, sign: Floats, bent: Floats) -> list[Floats]:
    """Heights at the end of every finished round since the target was chosen (n,) [m], nan where not read."""
    on = float(book.use_staff)
    out = []
    for done in book.passes:
        if done.id <= book.target.id:
            continue
        after = [done.after.get(point.id) for point in book.points]
        values = np.array(
            [read.value - on * read.own if read else np.nan for read in after], dtype=np.float64
        )
        out.append(np.asarray(sign * values + bent))
    return out


def work_out_supports(
    book: SupportsBook,
    packing: Packing | None = None,
    target: TargetChoice | None = None,
    task: Task | None = None,
) -> SupportsResult:
    """Compute a supports work; see `core.moving.engine.bring`. `task` is of this very book, where it is known already."""
    return bring(SupportsResult, book, task or measure(book), packing, target)


def _line_shift(book: SupportsBook) -> float:
    """How much higher the as-left line is than the as-found one, by the scale standing on the watch mark [m]."""
    if {FOUND, LEFT} <= book.reference.keys():
        found, left = book.reference[FOUND], book.reference[LEFT]
        return left.value - found.value - (left.own - found.own if book.use_staff else 0.0)
    return 0.0
