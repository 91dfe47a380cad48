"""The visits of a body on feet: how its feet stood against one another each time it was looked at."""

from __future__ import annotations

import math
from datetime import datetime
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from vivid_keel.core.moving.result import Moved
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Follows
from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.desk.visits import VisitView

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Body(Protocol):
    """A desk with a body on feet."""

    work: int

    @property
    def file(self) -> Any: ...
    @property
    def trade(self) -> Follows: ...
    @property
    def result(self) -> Moved: ...


def occasions(journal: Journal, work: int) -> list[tuple[list[int], float]]:
    """Return the visits at which something was read, oldest first: the entries that read, and the entry at which the next begins (inf: none)."""
    begins = [0, *(entry.id for entry in journal.standing(work, "visit")), math.inf]
    out = []
    for begin, end in zip(begins, begins[1:], strict=False):
        read = [
            id
            for id in journal.order[work]
            if begin <= id < end and journal.stands(id) and "phase" in journal.entries[id].body
        ]
        if read:
            out.append((sorted(read), end))
    return out


def _label(journal: Journal, read: list[int]) -> str:
    return f"{datetime.fromisoformat(journal.entries[read[0]].time):%b %Y}"


def body_view(desk: Body) -> VisitView:
    """Return what is shown of a body's visits."""
    journal, style = desk.file.journal, desk.result.book.style
    there = occasions(journal, desk.work)
    here = journal.latest(desk.work, "visit")
    return VisitView(
        "Foot",
        [point.name for point in desk.result.book.points],
        [_label(journal, read) for read, _ in there],
        style.small,
        lambda value, decimals, signed: style.amount(value, decimals, signed=signed),
        lambda: body_visits(desk),
        bool(there) and (here is None or there[-1][0][-1] > here.id),
        "read it as found",
    )


def body_visits(desk: Body) -> tuple[list[Visit], dict[str, Drift], str]:
    """Return the visits, what every foot did between them, and what its heights count from, in words."""
    journal, work = desk.file.journal, desk.work
    visits = []
    for read, end in occasions(journal, work):
        begun = next((e.id for e in journal.standing(work, "pass") if read[0] < e.id < end), None)
        last = desk.result if math.isinf(end) else _as_it_was(desk, int(end))
        first = last if begun is None else _as_it_was(desk, begun)
        found = _heights(first, first.heights)
        left = _heights(last, last.left) or ({} if begun is None else _heights(last, last.heights))
        times = [datetime.fromisoformat(journal.entries[id].time) for id in (read[0], read[-1])]
        visits.append(Visit(_label(journal, read), times[0], times[1], found, left, _worth(first)))
    result, now = desk.result, {}
    for i, point in enumerate(result.book.points):
        left_now = result.deviation_left(i)
        now[point.name] = -float(result.moves[i]) if math.isnan(left_now) else left_now
    words = "No mark outside ties the visits: told is how the feet went against their mean."
    return visits, drifts(visits, now, result.book.limits.tolerance) if len(visits) > 1 else {}, words


def _as_it_was(desk: Body, before: int) -> Moved:
    was: Moved = desk.trade.work_out(desk.trade.fold(desk.file.journal.until(before), desk.work))
    return was


def _heights(result: Moved, heights: Floats) -> dict[str, float]:
    return {
        point.name: float(height)
        for point, height in zip(result.book.points, heights, strict=True)
        if not math.isnan(height)
    }


def _worth(result: Moved) -> float:
    """What one foot's height is worth against the mean [m]."""
    together = result.task.together
    u = result.task.u if together is None else np.sqrt(np.maximum(np.diag(together), 0.0))
    return float(np.nanmax(u)) if len(u) else 0.0
