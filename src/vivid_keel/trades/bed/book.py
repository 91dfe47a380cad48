"""A bed on pairs of feet: its stations, and what was read across it, along it, by a plumb frame and off a test bar."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.body.facts import ITSELF, LEVEL_FACTS, LIVE_FACTS, TRUTH, fine_style, u_of_a_reading
from vivid_keel.core.body.model import Adjusted
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated, usual_facts, with_stated
from vivid_keel.core.moving.fold import begun_at, fold_limits, fold_plan, fold_watched
from vivid_keel.core.moving.live import TAKES
from vivid_keel.core.moving.means import SCREW, Means
from vivid_keel.core.moving.plan import FOUND, LEFT, Limits, MovingBook, Point, Round, TargetChoice
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal

BED_FACTS = (
    Fact("feet_apart", "Feet, front to rear", "m", "0.42", "a cross tilt lifts a foot by tilt × this"),
    Fact(
        "twist",
        "Twist allowed",
        "mm/m",
        "0.04",
        "between any two stations; the maker's sheet or the work decides",
    ),
    Fact(
        "tilt",
        "Tilt allowed",
        "mm/m",
        "0.2",
        "where it is to be true to gravity; often looser than the twist",
    ),
    Fact("bow", "Bow allowed along", "mm", "0.05", "of the front way, from end to end"),
    Fact("base", "Base of the level", "m", "0.2", "stepped along by so much"),
    Fact(
        "middle",
        "Middle feet may move the bubble by",
        "",
        "0.2",
        "divisions: they come last, until they just take load",
        0.01,
        5,
    ),
)
"""What is asked of a bed."""
BLOCK_FACTS = (
    Fact("ways_apart", "Ways, middle to middle", "m", "0.3", "only where blocks lie under the level"),
    Fact("block_front", "Block on the front way", "mm", "0", "where the ways lie at two heights", 0.0),
    Fact("block_rear", "Block on the rear way", "mm", "0", "equal blocks say nothing", 0.0),
)
"""Where the ways are at two heights."""
OTHER_FACTS = (
    Fact("string", "String of the plumb frame", "m", "1.6", "from the frame's nail to the mark"),
    Fact("bob", "Bob's mark read to", "mm", "0.2", "it never hangs quite still"),
    Fact("bar", "Length of the test bar", "m", "0.3", "between the two places where it is measured"),
    Fact("tool", "Tool above the ways", "m", "0.25", "the tool leans out by twist × this"),
    Fact("dial", "Diameters read to", "mm", "0.005", ""),
)
"""Of what reads it beside the level."""
FINE_LEVEL = (replace(LEVEL_FACTS[0], usual="0.02"), *LEVEL_FACTS[1:])
"""A bed is read with a finer level than a table."""
FACTS = (TRUTH, *BED_FACTS, *FINE_LEVEL, *BLOCK_FACTS, *OTHER_FACTS, *LIVE_FACTS)
ACROSS, ALONG, FRAME, BAR = "across", "along", "frame", "bar"
AGAIN = "again"
"""Across at the head once more, when all else is read."""
FRONT, REAR = "front", "rear"


class Station(Struct, frozen=True):
    """A place along the bed [m] where the level lies across; with `feet` there is a pair of them under it, packed by so much [m]."""

    id: int
    name: str
    x: float
    feet: bool
    front: float = 0.0
    rear: float = 0.0


class Spot(Struct, frozen=True):
    """What is read where: `across`, `again` and `frame` at a station (`at`, its id), `along` at a step (`at`, its number), `bar` at its
    head end (0) and its tail end (1); `way` −1 with the level turned round."""

    sort: str
    at: int
    way: int = 1


class Seen(Struct, frozen=True):
    """What was read: a tilt [rad], + the rear or the tail end high; or a length [m]; its last digit's step, its text, its entry."""

    id: int
    value: float
    step: float
    text: str


Read = Mapping[Spot, Seen]


class BedBook(MovingBook, frozen=True):
    """A bed as its entries stand; `read` by phase and spot, `earlier` what was read before and after each finished round,
    `fits` how the ways stand by what a phase reads, once that was worked out."""

    thing: ClassVar[str] = "foot"
    called: ClassVar[tuple[str, str]] = ("foot", "feet")
    springy: ClassVar[bool] = True
    corners: ClassVar[bool] = True
    facts: Stated = field(default_factory=lambda: usual_facts(FACTS))
    stations: Sequence[Station] = ()
    read: Mapping[str, Read] = field(default_factory=dict)
    earlier: Sequence[Mapping[str, Read]] = ()
    fits: dict[str, tuple[Adjusted | None, KeelError | None]] = field(default_factory=dict)

    @property
    def division(self) -> float:
        """One division of the level [rad]."""
        return self.facts.values["division"]

    @property
    def u_tilt(self) -> float:
        """Standard uncertainty of one reading of the level [rad]."""
        return u_of_a_reading(self.facts.values)

    @property
    def u_frame(self) -> float:
        """Standard uncertainty of a tilt by the plumb frame [rad]: a whole step either way, for the bob swings."""
        return self.facts.values["bob"] / math.sqrt(3) / self.facts.values["string"]

    @property
    def feet_apart(self) -> float:
        """The feet, front to rear [m]."""
        return self.facts.values["feet_apart"]

    @property
    def blocks(self) -> float:
        """The tilt that blocks of two thicknesses give the level [rad], + the rear high."""
        v = self.facts.values
        return math.atan((v["block_rear"] - v["block_front"]) / v["ways_apart"])

    @property
    def only_itself(self) -> bool:
        """Whether it need only be true to itself."""
        return self.facts.texts["truth"] == ITSELF

    @property
    def long(self) -> float:
        """From the first station to the last [m]."""
        return self.stations[-1].x - self.stations[0].x if self.stations else 0.0

    @property
    def steps(self) -> int:
        """How many times the level is stepped along; 0 where its base is longer than the ways."""
        return round(self.long / self.facts.values["base"]) if self.long else 0

    def wants(self, phase: str) -> list[Spot]:
        """Return what is read, in the order of work: across at the head, turned round there, across to the tail; then along.

        What need only be true to itself is neither turned round nor read along: twist asks for no true level. As left, what was read as found is read again.
        """
        found = self.read[FOUND]
        turned = [] if self.only_itself else [Spot(ACROSS, s.id, -1) for s in self.stations[:1]]
        ways = [Spot(ACROSS, s.id) for s in self.stations]
        across = [*ways[:1], *turned, *ways[1:]]
        along = [Spot(ALONG, k) for k in range(self.steps)]
        if phase == LEFT:
            by_level = any(spot.sort == ACROSS for spot in found)
            return [
                *(across if by_level else [spot for spot in found if spot.sort in {FRAME, BAR}]),
                *(along if any(spot.sort == ALONG for spot in found) else []),
            ]
        if any(spot.sort in {FRAME, BAR} for spot in found) and not any(
            spot.sort == ACROSS for spot in found
        ):
            return (
                [Spot(FRAME, s.id) for s in self.stations]
                if any(s.sort == FRAME for s in found)
                else [Spot(BAR, 0), Spot(BAR, 1)]
            )
        return [*across, *([] if self.only_itself else along)]

    def comes_back(self, phase: str) -> list[Spot]:
        """Return what is read last where somebody cares to: across at the head once more, for every twist is against that reading."""
        read = self.read[phase]
        across = [Spot(ACROSS, s.id) for s in self.stations]
        return (
            [Spot(AGAIN, self.stations[0].id)] if len(across) > 1 and all(s in read for s in across) else []
        )


def usual_limits(unit: str) -> list[Draft]:
    """Return what a new work in a unit books of itself: the order of feet, corners first and the middle last."""
    return [Draft(-1, "limits", {"order": "three"})]


def _limits(journal: Journal, work: int, facts: Stated) -> Limits:
    """The limits; where no tolerance was said, two feet of a pair may each be off by half of what the twist allows them."""
    limits, entry = fold_limits(journal, work), journal.latest(work, "limits")
    if entry is not None and "tolerance" in entry.body:
        return limits
    half = facts.values["twist"] * facts.values["feet_apart"] / 2
    return replace(limits, tolerance=float(f"{half:.3g}"))


def foot(station: int, side: str) -> int:
    """Return what a foot is called in moves: by the station's entry, the rear one with a minus."""
    return station if side == FRONT else -station


def _key_of(entry: Entry) -> str:
    """Return which fact an entry states. Older files call two of them `takes`: how a number is taken, and what middle feet may do."""
    key = str(entry.body["fact"])
    return "middle" if key == "takes" and entry.body["text"] not in TAKES.choices else key


def fold_bed(journal: Journal, work: int) -> BedBook:
    """Return a bed from its entries; a finished round makes what was left what is found."""
    read: dict[str, dict[Spot, Seen]] = {FOUND: {}, LEFT: {}}
    rounds: list[Round] = []
    earlier: list[dict[str, dict[Spot, Seen]]] = []
    visit = begun_at(journal, work)
    for entry in journal.standing(work, "bed-reading", "pass"):
        if entry.id < visit:
            continue
        b = entry.body
        if entry.kind == "bed-reading":
            spot = Spot(str(b["sort"]), int(b["at"]), int(b["way"]))
            read.setdefault(str(b["phase"]), {})[spot] = Seen(
                entry.id, float(b["value"]), float(b["step"]), str(b["text"])
            )
            continue
        put = {int(k): float(v) for k, v in b["put"].items()}
        leaves = {int(k): int(v) for k, v in b["leaves"].items()}
        since = rounds[-1].id if rounds else visit
        rounds.append(Round(entry.id, put, leaves, watched=fold_watched(journal, work, since, entry.id)))
        earlier.append(read)
        read = {FOUND: read[LEFT] or read[FOUND], LEFT: {}}
    every = journal.standing(work, "pass")
    stations = sorted(
        (_station(journal, e) for e in journal.standing(work, "bed-station")), key=lambda s: (s.x, s.id)
    )
    said = [
        (_key_of(e), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "body-fact")
    ]
    facts = with_stated(FACTS, said)
    points = [
        Point(
            id,
            f"{s.name} {side}",
            side,
            s.x,
            y,
            stack + sum(float(r.body["put"].get(str(id), 0.0)) for r in every),
        )
        for s in stations
        if s.feet
        for side, y, stack in ((FRONT, 0.0, s.front), (REAR, facts.values["feet_apart"], s.rear))
        for id in (foot(s.id, side),)
    ]
    plan = fold_plan(journal, work, [(r.id, 0.0) for r in rounds], _limits(journal, work, facts))
    if journal.latest(work, "mover") is None and not plan["stock"]:
        plan["means"] = Means(
            SCREW, {"until": 1.0}
        )  # a bed stands on screws until somebody says, or lays leaves by
    if not plan["target_chosen"] and facts.texts["truth"] == ITSELF and points:
        plan["target"] = TargetChoice(
            "keep", points[0].id
        )  # the head stays as it is; the rest is untwisted to it
    return BedBook(
        **plan,
        style=fine_style(plan["unit"], plan["limits"].tolerance),
        points=points,
        passes=rounds,
        facts=facts,
        stations=stations,
        read=read,
        earlier=earlier,
    )


def _station(journal: Journal, entry: Entry) -> Station:
    """A station, by the entry it was first booked by: corrections take its place, not its number."""
    b = entry.body
    return Station(
        journal.first_of(entry.id),
        str(b["name"]),
        float(b["x_m"]),
        bool(b["feet"]),
        float(b.get("stack_front_m", 0.0)),
        float(b.get("stack_rear_m", 0.0)),
    )
