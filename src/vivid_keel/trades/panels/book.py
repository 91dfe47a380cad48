"""A top made of panels: what they are, where they are fixed, and what level and finger told of them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.body.facts import LEVEL_FACTS, LIVE_FACTS, fine_style, u_of_a_reading
from vivid_keel.core.facts import Fact, Stated, usual_facts, with_stated
from vivid_keel.core.moving.fold import begun_at, fold_limits, fold_plan, fold_watched
from vivid_keel.core.moving.means import KIND, SCREWED, WEDGE, Means
from vivid_keel.core.moving.plan import FOUND, LEFT, MovingBook, Point, Round
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import style_of
from vivid_keel.trades.panels.frame import FRAME_FACTS, Frame, FrameRead

ALONG, ACROSS, SEAM, OVER, ROCKS = "along", "across", "seam", "over", "rocks"
PANEL_FACTS = (
    Fact("tilt", "Fall allowed", "mm/m", "0.2", "what will roll, run or stand on it decides"),
    Fact(
        "nail",
        "A fingernail just feels a step of",
        "mm",
        "0.05",
        "give or take as much; try yours on feelers",
    ),
    Fact("feeler", "Feelers go in steps of", "mm", "0.05", "where a step is measured and not felt"),
    Fact("inset", "Fixing points stand in from the edge", "m", "0.1", "wedge and screw together", 0.0, 5.0),
)
"""What is asked of a top."""
FACTS = (*PANEL_FACTS, *LEVEL_FACTS, *FRAME_FACTS, *LIVE_FACTS)
MANY = 1000
"""No panel has so many fixing points: its number times that, and its own, make a point's [1]."""
GRID = 12
"""No panel is fixed at more than so many points along, or across [1]."""


class Panel(Struct, frozen=True):
    """A panel: its entry, name, length along and width [m], fixing points along and across [1]; it begins at `start` along [m]."""

    id: int
    name: str
    long: float
    wide: float
    along: int
    across: int
    start: float

    @property
    def middle(self) -> tuple[float, float]:
        """Its middle in plan [m]."""
        return self.start + self.long / 2, self.wide / 2


Place = tuple[str, int, int]
"""What is read, at which panel, and which way round or at which end (see `entries`)."""


class Seen(Struct, frozen=True):
    """What was read at a place: a tilt [rad] or a step [m], its standard uncertainty in the same; its text and entry."""

    id: int
    value: float
    u: float
    text: str


Read = Mapping[str, Mapping[Place, Seen]]


class PanelsBook(MovingBook, frozen=True):
    """A top as its entries stand; `read` by phase and place, `earlier` what was read before and after each finished round, `before` what
    was read last at the visit before this.
    """

    thing: ClassVar[str] = "fixing point"
    called: ClassVar[tuple[str, str]] = ("point", "points")
    facts: Stated = field(default_factory=lambda: usual_facts(FACTS))
    panels: Sequence[Panel] = ()
    read: Read = field(default_factory=dict)
    earlier: Sequence[Read] = ()
    before: Mapping[Place, Seen] = field(default_factory=dict)
    frame: Frame | None = None

    @property
    def division(self) -> float:
        """One division of the level [rad]."""
        return self.facts.values["division"]

    @property
    def u_tilt(self) -> float:
        """Standard uncertainty of one reading [rad]: the step it is read to, and laying it down anew."""
        return u_of_a_reading(self.facts.values)

    @property
    def nail(self) -> float:
        """What a fingernail just feels [m]."""
        return self.facts.values["nail"]

    @property
    def bodies(self) -> Sequence[Sequence[int]]:
        return [[k for k, p in enumerate(self.points) if p.row == one.name] for one in self.panels]

    @property
    def rocking(self) -> list[Panel]:
        """Panels that were found to rock, and aren't read since."""
        now = {**self.read[FOUND], **self.read[LEFT]}
        return [
            one
            for one in self.panels
            if (said := now.get((ROCKS, one.id, 0))) is not None
            and all(
                seen.id < said.id for place, seen in now.items() if place[1] == one.id and place[0] != ROCKS
            )
        ]

    @property
    def places(self) -> list[Place]:
        """Where it is read, in the order of work: the first panel along, turned round, across; over each seam and along it by touch, and
        so on from panel to panel."""
        out: list[Place] = []
        for k, one in enumerate(self.panels):
            if k:
                was = self.panels[k - 1].id
                out += [(SEAM, was, 0), (SEAM, was, 1)]
            out += [(ALONG, one.id, 1), *([(ALONG, one.id, -1)] if not k else []), (ACROSS, one.id, 1)]
            if k:
                out.append((OVER, self.panels[k - 1].id, 1))  # the look back, over the seam
        return out

    def walked(self, todo: Sequence[int], moves: Sequence[float]) -> list[int] | None:
        """From the end that stays: its panel along, then across, then each next panel at the seam first and its far end after."""
        known = [k for k, move in enumerate(moves) if not math.isnan(move)]
        if not known or not todo:
            return list(todo)
        stays = min(known, key=lambda k: moves[k])
        middle = max((one.start + one.long for one in self.panels), default=0.0) / 2
        right = self.points[stays].x > middle
        corner = self.points[stays]
        rank = {one.name: k for k, one in enumerate(self.panels)}
        first = max(rank.values()) if right else 0

        def key(k: int) -> tuple[float, ...]:
            p = self.points[k]
            panels_on, far = abs(rank[p.row] - first), abs(p.x - corner.x)
            other_edge = float(abs(p.y - corner.y) > 1e-9)
            if panels_on == 0:
                return (0.0, other_edge, far)
            return (float(panels_on), far, other_edge)

        return sorted(todo, key=key)


def fold_panels(journal: Journal, work: int) -> PanelsBook:
    """Return a top from its entries; a finished round makes what was left what is found."""
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "body-fact")
    ]
    facts = with_stated(FACTS, said)
    read: dict[str, dict[Place, Seen]] = {FOUND: {}, LEFT: {}}
    before: dict[Place, Seen] = {}
    rounds: list[Round] = []
    earlier: list[Read] = []
    visit = begun_at(journal, work)
    for entry in journal.standing(work, "panel-reading", "pass"):
        b = entry.body
        if entry.kind == "panel-reading":
            place = (str(b["what"]), int(b["panel"]), int(b["which"]))
            seen = Seen(entry.id, float(b["value"]), float(b["u"]), str(b["text"]))
            if entry.id < visit:
                before[place] = seen
            else:
                read.setdefault(str(b["phase"]), {})[place] = seen
            continue
        if entry.id < visit:
            continue
        put = {int(k): float(v) for k, v in b["put"].items()}
        leaves = {int(k): int(v) for k, v in b["leaves"].items()}
        since = rounds[-1].id if rounds else visit
        rounds.append(Round(entry.id, put, leaves, watched=fold_watched(journal, work, since, entry.id)))
        earlier.append(read)
        read = {FOUND: read[LEFT] or read[FOUND], LEFT: {}}
    panels = _panels(journal, work)
    limits, said_limits = fold_limits(journal, work), journal.latest(work, "limits")
    if said_limits is None or "tolerance" not in said_limits.body:
        limits = replace(limits, tolerance=facts.values["nail"])  # no step that a finger feels
    plan = fold_plan(journal, work, [(r.id, 0.0) for r in rounds], limits)
    if journal.latest(work, "mover") is None and not plan["stock"]:
        hold = next(fact for fact in KIND[WEDGE].asked if fact.key == "hold")
        plan["means"] = Means(WEDGE, {"hold": float(hold.choices.index(SCREWED))})
    style = fine_style(plan["unit"], limits.tolerance)
    return PanelsBook(
        **plan,
        style=style,
        points=_points(panels, facts.values["inset"]),
        passes=rounds,
        facts=facts,
        panels=panels,
        read=read,
        earlier=earlier,
        before=before,
        frame=Frame(facts, _frame_reads(journal, work, visit), style_of(plan["unit"], [0.0001])),
    )


def _panels(journal: Journal, work: int) -> list[Panel]:
    out, start = [], 0.0
    for entry in journal.standing(work, "panel"):
        b = entry.body
        one = Panel(
            journal.first_of(entry.id),
            str(b["name"]),
            float(b["long_m"]),
            float(b["wide_m"]),
            min(max(int(b["along"]), 2), GRID),
            min(max(int(b["across"]), 2), GRID),
            start,
        )
        start += one.long
        out.append(one)
    return out


def _points(panels: Sequence[Panel], inset: float) -> list[Point]:
    """The fixing points: near row first, each along."""
    out = []
    for one in panels:
        in_x, in_y = min(inset, one.long / 4), min(inset, one.wide / 4)
        for k in range(one.along * one.across):
            row, column = divmod(k, one.along)
            x = one.start + in_x + (one.long - 2 * in_x) * column / (one.along - 1)
            y = in_y + (one.wide - 2 * in_y) * row / (one.across - 1)
            out.append(Point(one.id * MANY + k + 1, f"{one.name} {k + 1}", one.name, x, y))
    return out


def _frame_reads(journal: Journal, work: int, visit: int) -> dict[str, dict[tuple[str, int], FrameRead]]:
    out: dict[str, dict[tuple[str, int], FrameRead]] = {FOUND: {}, LEFT: {}}
    for entry in journal.standing(work, "frame-reading"):
        if entry.id >= visit:
            b = entry.body
            seen = FrameRead(entry.id, float(b["tilt_rad"]), str(b["text"]))
            out.setdefault(str(b["phase"]), {})[str(b["what"]), int(b["at"])] = seen
    return out
