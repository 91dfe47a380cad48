"""An axis of rotation on feet: where they stand, and what a level on the turning part showed as it was turned."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.body.facts import LEVEL_FACTS, LIVE_FACTS, fine_style
from vivid_keel.core.facts import Fact, Stated, usual_facts, with_stated
from vivid_keel.core.moving.fold import begun_at, fold_limits, fold_plan, fold_watched
from vivid_keel.core.moving.means import SCREW, Means
from vivid_keel.core.moving.plan import FOUND, LEFT, MovingBook, Point, Round
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal

TIGHT, TRUE = "tight first", "true first"
AXIS_FACTS = (
    Fact("tilt", "Lean of the axis allowed", "mm/m", "0.05", "the maker's sheet or the work decides"),
    Fact(
        "round",
        "Read at so many azimuths",
        "",
        "4",
        "4: the quarters; 8 tell the bearing's wobble too",
        2,
        24,
        whole=True,
    ),
    Fact(
        "tight",
        "Feet are",
        "",
        TIGHT,
        "equal tightness and a true axis can't both be had",
        choices=(TIGHT, TRUE),
    ),
    Fact(
        "bites",
        "An outrigger bites once the number moves by, divisions",
        "",
        "0.5",
        "then it is pulled down again",
        0.05,
        5,
    ),
)
"""What is asked of an axis."""
FACTS = (*AXIS_FACTS, *LEVEL_FACTS, *LIVE_FACTS)
RESTS = 0.05
"""How well a bubble comes to rest at the same place, of a division: the level itself isn't laid anew [1]."""
BACK = 360.0
"""The level is read once more where it began [°]: that it didn't move on the turning part is told by that."""


class Turned(Struct, frozen=True):
    """What the level showed at an azimuth [°]: a tilt [rad], + its far end high; its text and entry."""

    id: int
    azimuth: float
    tilt: float
    text: str


Read = Mapping[str, Mapping[float, Turned]]


class AxisBook(MovingBook, frozen=True):
    """An axis as its entries stand; `read` by phase and azimuth, `earlier` what was read before and after each finished round."""

    thing: ClassVar[str] = "foot"
    called: ClassVar[tuple[str, str]] = ("foot", "feet")
    asks_which_carry: ClassVar[bool] = True
    facts: Stated = field(default_factory=lambda: usual_facts(FACTS))
    read: Read = field(default_factory=dict)
    earlier: Sequence[Read] = ()

    @property
    def division(self) -> float:
        """One division of the level [rad]."""
        return self.facts.values["division"]

    @property
    def u_tilt(self) -> float:
        """Standard uncertainty of one reading [rad]: the level stays as it lies, so that only reading it counts."""
        v = self.facts.values
        return v["division"] * math.hypot(v["read"] / math.sqrt(12), RESTS)

    @property
    def azimuths(self) -> list[float]:
        """Where it is read [°], in order: the opposite one after each, then those between; and back where it began."""
        n = int(self.facts.values["round"])
        if n % 2:
            return [*(360.0 * k / n for k in range(n)), BACK]
        half = n // 2
        order = sorted(range(half), key=lambda k: (k * 2 % half if half > 1 else 0, k))
        pairs = [(360.0 * k / n, 360.0 * (k + half) / n) for k in order]
        return [*(a for pair in pairs for a in pair), BACK]


def usual_limits(unit: str) -> list[Draft]:
    """Return what a new work in a unit books of itself: three feet first, then the outriggers."""
    return [Draft(-1, "limits", {"order": "three"})]


def fold_axis(journal: Journal, work: int) -> AxisBook:
    """Return an axis from its entries; a finished round makes what was left what is found."""
    read: dict[str, dict[float, Turned]] = {FOUND: {}, LEFT: {}}
    rounds: list[Round] = []
    earlier: list[Read] = []
    visit = begun_at(journal, work)
    for entry in journal.standing(work, "turned", "pass"):
        if entry.id < visit:
            continue
        b = entry.body
        if entry.kind == "turned":
            at = float(b["azimuth"])
            read.setdefault(str(b["phase"]), {})[at] = Turned(
                entry.id, at, float(b["tilt_rad"]), str(b["text"])
            )
            continue
        put = {int(k): float(v) for k, v in b["put"].items()}
        leaves = {int(k): int(v) for k, v in b["leaves"].items()}
        since = rounds[-1].id if rounds else visit
        rounds.append(Round(entry.id, put, leaves, watched=fold_watched(journal, work, since, entry.id)))
        earlier.append(read)
        read = {FOUND: read[LEFT] or read[FOUND], LEFT: {}}
    every = journal.standing(work, "pass")
    points = []
    for entry in journal.standing(work, "foot"):
        first = journal.first_of(entry.id)
        more = sum(float(r.body["put"].get(str(first), 0.0)) for r in every)
        b = entry.body
        stack = float(b.get("stack_m", 0.0)) + more
        points.append(
            Point(
                first,
                str(b["name"]),
                "feet",
                float(b["x_m"]),
                float(b["y_m"]),
                stack,
                carries=b.get("carries"),
            )
        )
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "body-fact")
    ]
    facts = with_stated(FACTS, said)
    limits, entry_ = fold_limits(journal, work), journal.latest(work, "limits")
    if points and (entry_ is None or "tolerance" not in entry_.body):
        # What the lean allows the outermost foot, against the middle of all.
        x, y = (sum(getattr(p, a) for p in points) / len(points) for a in ("x", "y"))
        far = max(math.hypot(p.x - x, p.y - y) for p in points)
        if far > 0:
            limits = replace(limits, tolerance=float(f"{facts.values['tilt'] * far:.3g}"))
    plan = fold_plan(journal, work, [(r.id, 0.0) for r in rounds], limits)
    if journal.latest(work, "mover") is None and not plan["stock"]:
        plan["means"] = Means(SCREW, {"until": 1.0})
    return AxisBook(
        **plan,
        style=fine_style(plan["unit"], limits.tolerance),
        points=points,
        passes=rounds,
        facts=facts,
        read=read,
        earlier=earlier,
    )
