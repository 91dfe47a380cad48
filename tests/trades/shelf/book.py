"""A shelf: how high its two brackets stand, as found and as left."""

from __future__ import annotations

from msgspec import field

from vivid_keel.core.moving.fold import fold_limits, fold_plan
from vivid_keel.core.moving.plan import FOUND, MovingBook, Point, Round
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import metres, style_of

SIDES = ("left", "right")
APART = 1.2
"""From bracket to bracket [m]."""


class ShelfBook(MovingBook, frozen=True):
    """A shelf as its entries stand; `reads` by phase and side."""

    reads: dict[tuple[str, str], Entry] = field(default_factory=dict)

    def height(self, phase: str, side: str) -> float:
        """Return a height as measured [m]; nan where it wasn't."""
        entry = self.reads.get((phase, side))
        return metres(entry.body["height"]) if entry is not None else float("nan")


def fold_shelf(journal: Journal, work: int) -> ShelfBook:
    """Return a shelf from its entries; a finished round makes what was left what is found."""
    reads: dict[tuple[str, str], Entry] = {}
    rounds = []
    for entry in journal.standing(work, "bracket", "pass"):
        if entry.kind == "bracket":
            reads[(entry.body["phase"], entry.body["side"])] = entry
            continue
        put = {int(k): float(v) for k, v in entry.body["put"].items()}
        rounds.append(Round(entry.id, put, {}))
        reads = {(FOUND, side): e for (_, side), e in sorted(reads.items(), key=lambda pair: pair[0])}
    points = [Point(i + 1, side, "shelf", i * APART, 0.0) for i, side in enumerate(SIDES)]
    limits = fold_limits(journal, work)
    steps = [float(e.body["height"]["step_m"]) for e in reads.values()]
    plan = fold_plan(journal, work, [(r.id, 0.0) for r in rounds], limits)
    return ShelfBook(**plan, style=style_of(plan["unit"], steps), points=points, passes=rounds, reads=reads)
