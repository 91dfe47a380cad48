"""A table, slab or machine on feet: where they stand, and what a level laid between them showed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import ClassVar

from msgspec import Struct, field

from vivid_keel.core.body.facts import ITSELF, LEVEL_FACTS, LIVE_FACTS, TRUTH, fine_style, u_of_a_reading
from vivid_keel.core.facts import Fact, Stated, usual_facts, with_stated
from vivid_keel.core.moving.fold import begun_at, fold_limits, fold_plan, fold_watched
from vivid_keel.core.moving.means import SCREW, Means
from vivid_keel.core.moving.plan import FOUND, LEFT, MovingBook, Point, Round, TargetChoice
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.slab.surface import SURFACE_FACTS, Stepped, Surface, SurfaceRead

TABLE_FACTS = (
    Fact("tilt", "Tilt allowed", "mm/m", "0.2", "where it is to be true to gravity"),
    Fact("twist", "Twist allowed", "mm", "0.1", "of four feet: one against the plane of the others"),
    Fact(
        "feeler", "Feelers go in steps of", "mm", "0.05", "what passes under a straightedge, and what doesn't"
    ),
)
"""What is asked of a table."""
FACTS = (TRUTH, *TABLE_FACTS, *LEVEL_FACTS, *SURFACE_FACTS, *LIVE_FACTS)
"""What is asked of a table and of the level it is read with."""


class Laid(Struct, frozen=True):
    """A level laid from one foot to another, one way (1) or turned round (−1): tilt [rad], + where the second is high."""

    id: int
    start: int
    to: int
    way: int
    tilt: float
    step: float
    text: str


class Feelers(Struct, frozen=True):
    """The light under a straightedge from one foot to another: at the middle, or with `ends` at both ends together where it rocks
    on the middle; at least and at most [m]."""

    id: int
    start: int
    to: int
    ends: bool
    low: float
    high: float
    text: str


Place = tuple[int, int, int]
"""From which foot to which, by id, and which way round the level lies: 1, −1 turned round, or `AGAIN`."""
AGAIN = 2
"""As at first, and read once more when all else was: did anything move?"""


class Read(Struct, frozen=True):
    """What was read in a round, by phase: tilts by where the level lay, and what feelers told by diagonal."""

    laid: Mapping[str, Mapping[Place, Laid]]
    feelers: Mapping[str, Mapping[tuple[int, int], Feelers]]


class SlabBook(MovingBook, frozen=True):
    """A table as its entries stand; `laid` by phase and place, `earlier` what was read before and after each finished round."""

    thing: ClassVar[str] = "foot"
    called: ClassVar[tuple[str, str]] = ("foot", "feet")
    springy: ClassVar[bool] = True
    by_turns: ClassVar[bool] = True
    facts: Stated = field(default_factory=lambda: usual_facts(FACTS))
    laid: Mapping[str, Mapping[Place, Laid]] = field(default_factory=dict)
    feelers: Mapping[str, Mapping[tuple[int, int], Feelers]] = field(default_factory=dict)
    earlier: Sequence[Read] = ()
    surface: Surface | None = None

    @property
    def read(self) -> Read:
        """What was read in the round in hand."""
        return Read(self.laid, self.feelers)

    @property
    def only_itself(self) -> bool:
        """Whether it need only be true to itself."""
        return self.facts.texts["truth"] == ITSELF

    @property
    def by_straightedge(self) -> bool:
        """Whether a straightedge was laid on it at any time."""
        return any(any(read.feelers.values()) for read in (self.read, *self.earlier))

    @property
    def diagonals(self) -> list[tuple[int, int]]:
        """Where a straightedge lies, corner to corner, of a body on four feet."""
        order = [p.id for p in round_about(self.points)]
        return [(order[0], order[2]), (order[1], order[3])] if len(order) == 4 else []

    @property
    def division(self) -> float:
        """One division of the level [rad]."""
        return self.facts.values["division"]

    @property
    def u_tilt(self) -> float:
        """Standard uncertainty of one reading [rad]: the step it is read to, and laying it down anew."""
        return u_of_a_reading(self.facts.values)

    @property
    def sure(self) -> list[Place]:
        """What is read last, to be sure that nothing moved and nothing bends."""
        return to_be_sure(self.points)

    @property
    def places(self) -> list[Place]:
        """Where the level is laid, in the order of work: the longest side both ways round, then round about, then a diagonal."""
        return l_order(self.points)


def usual_limits(unit: str) -> list[Draft]:
    """Return what a new work in a unit books of itself: the tolerance of fine work, not that of a floor."""
    inches = unit in {"ft", "in", "ft-in"}
    length = parse_length("0.004 in" if inches else "0.1 mm", "in" if inches else "mm", ".")
    return [Draft(-1, "limits", {"tolerance": as_read(length)})]


def round_about(points: Sequence[Point]) -> list[Point]:
    """Return the feet in order round their middle."""
    x, y = (sum(getattr(p, a) for p in points) / max(len(points), 1) for a in ("x", "y"))
    return sorted(points, key=lambda p: math.atan2(p.y - y, p.x - x))


def l_order(points: Sequence[Point]) -> list[Place]:
    """Return where a level is laid on a body with these feet: a long side, turned round there, the next side from its end, and on
    to the first again; a diagonal last, which tells that they agree."""
    if len(points) < 3:
        return []
    about = round_about(points)
    n = len(about)
    sides = [(about[k], about[(k + 1) % n]) for k in range(n)]
    long = max(
        range(n),
        key=lambda k: math.hypot(sides[k][0].x - sides[k][1].x, sides[k][0].y - sides[k][1].y) + 1e-9 * -k,
    )
    sides = sides[long:] + sides[:long]
    out = [(sides[0][0].id, sides[0][1].id, 1), (sides[0][0].id, sides[0][1].id, -1)]
    out += [(a.id, b.id, 1) for a, b in sides[1:]]
    if n > 3:
        out.append((sides[0][0].id, sides[n // 2][0].id, 1))
    by_id = {p.id: p for p in points}
    return [place for place in out if apart(by_id[place[0]], by_id[place[1]]) > 0]


def to_be_sure(points: Sequence[Point]) -> list[Place]:
    """Return what is read last where somebody cares to: the first side once more, then across the middle and the other diagonals."""
    order = l_order(points)
    if not order:
        return []
    about = [place[0] for place in order if place[2] == 1][: len(points)]
    half = len(about) // 2
    return [
        (*order[0][:2], AGAIN),
        *((about[k], about[k + half], 1) for k in range(1, half if len(about) % 2 == 0 else 1)),
    ]


def sense(place: Place) -> int:
    """Return which way the level's own error counts at a place: 1, or −1 turned round."""
    return -1 if place[2] == -1 else 1


def apart(a: Point, b: Point) -> float:
    """Return how far two feet stand from one another [m]; 0 where they stand at one place, and nothing can be laid between."""
    far = math.hypot(a.x - b.x, a.y - b.y)
    return far if far > 1e-6 else 0.0


def fold_slab(journal: Journal, work: int) -> SlabBook:
    """Return a table from its entries; a finished round makes what was left what is found."""
    laid: dict[str, dict[Place, Laid]] = {FOUND: {}, LEFT: {}}
    rounds: list[Round] = []
    feelers: dict[str, dict[tuple[int, int], Feelers]] = {FOUND: {}, LEFT: {}}
    earlier: list[Read] = []
    visit = begun_at(journal, work)
    for entry in journal.standing(work, "laid", "feelers", "pass"):
        if entry.id < visit:
            continue
        b = entry.body
        if entry.kind == "laid":
            place = (b["from"], b["to"], b["way"])
            laid[b["phase"]][place] = Laid(
                entry.id, *place, float(b["tilt_rad"]), float(b["step_rad"]), b["text"]
            )
            continue
        if entry.kind == "feelers":
            ends = (int(b["from"]), int(b["to"]))
            feelers.setdefault(b["phase"], {})[ends] = Feelers(
                entry.id, *ends, bool(b["ends"]), float(b["low_m"]), float(b["high_m"]), str(b["text"])
            )
            continue
        put = {int(k): float(v) for k, v in b["put"].items()}
        leaves = {int(k): int(v) for k, v in b["leaves"].items()}
        since = rounds[-1].id if rounds else visit
        rounds.append(Round(entry.id, put, leaves, watched=fold_watched(journal, work, since, entry.id)))
        earlier.append(Read(laid, feelers))
        if laid[LEFT] or feelers[LEFT]:
            feelers = {FOUND: feelers[LEFT], LEFT: {}}
        laid = {FOUND: laid[LEFT] or laid[FOUND], LEFT: {}}
    every = journal.standing(work, "pass")
    points = []
    for entry in journal.standing(work, "foot"):
        b, first = entry.body, journal.first_of(entry.id)
        more = sum(float(r.body["put"].get(str(first), 0.0)) for r in every)
        points.append(
            Point(
                first,
                b["name"],
                "feet",
                float(b["x_m"]),
                float(b["y_m"]),
                float(b.get("stack_m", 0.0)) + more,
                carries=b.get("carries"),
            )
        )
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "body-fact")
    ]
    facts = with_stated(FACTS, said)
    plan = fold_plan(journal, work, [(r.id, 0.0) for r in rounds], fold_limits(journal, work))
    if journal.latest(work, "mover") is None and not plan["stock"]:
        plan["means"] = Means(
            SCREW, {"until": 1.0}
        )  # a table stands on feet until somebody says, or lays leaves by
    if not plan["target_chosen"] and facts.texts["truth"] == ITSELF and points:
        plan["target"] = TargetChoice(
            "keep", points[0].id
        )  # three stay as they are; the others come to their plane
    return SlabBook(
        **plan,
        style=fine_style(plan["unit"], plan["limits"].tolerance),
        points=points,
        passes=rounds,
        facts=facts,
        laid=laid,
        feelers=feelers,
        earlier=earlier,
        surface=Surface(
            facts,
            {
                Stepped(int(e.body["line"]), int(e.body["step"]), int(e.body["way"])): SurfaceRead(
                    e.id, float(e.body["tilt_rad"]), str(e.body["text"])
                )
                for e in journal.standing(work, "surface")
                if e.id >= visit
            },
            fine_style(plan["unit"], plan["limits"].tolerance),
        ),
    )
