"""What was booked of a piece of ground: its points, and what it is for."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from functools import cached_property
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated, with_stated
from vivid_keel.core.quantities import LengthStyle, is_missing
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Works
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.core.record.readings import metres, style_of
from vivid_keel.core.surface.walks import HydroWalk, Look, StringWalk, walk_hydrostatic, walk_string
from vivid_keel.trades.ground.breaks import BEHIND, TOP, GroundLine, fold_at_walls, fold_lines
from vivid_keel.trades.ground.sides import WalkedSide, fold_sides

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

WATER, PAD = "water", "earth"
DOWN, HEIGHTS, HYDRO = "down from a line", "heights", "hydrostatic level"
RUNS = "the job's runs, by name"
ZERO, MOVED = "zero", "moved"
FACTS = (
    Fact(
        "for",
        "The plane is",
        "",
        WATER,
        "water that is to stand there, or earth cut and filled to it",
        choices=(WATER, PAD),
    ),
    Fact(
        "by",
        "Read as",
        "",
        DOWN,
        "staff, tape or rule down from string or beam; heights; a liquid level; or as runs found them",
        choices=(DOWN, HEIGHTS, HYDRO, RUNS),
    ),
    Fact(
        "line",
        "Height of the line, or of the benchmark",
        "m",
        "0",
        "string, beam or light plane; 0 as good as any; of a liquid level its benchmark",
        -1e4,
        1e4,
    ),
    Fact(
        "closing",
        "The string comes back higher by",
        "mm",
        "none",
        "round the edge to the first stake; − where lower",
        -2000,
        2000,
        may_lack=True,
    ),
    Fact(
        "allowed",
        "The string may come back off by",
        "mm",
        "10",
        "that much is spread over its length",
        0,
        200,
    ),
    Fact(
        "good",
        "A point's height is good to ±",
        "mm",
        "5",
        "where the rule is held, and how rough the ground is there",
    ),
    Fact(
        "plane",
        "Height of the plane",
        "m",
        "none",
        "of the water, or of the pad at along = across = 0",
        -1e4,
        1e4,
        may_lack=True,
    ),
    Fact("fall", "It falls by, %", "", "0", "earth only; water lies level", 0, 50),
    Fact("towards", "It falls towards, °", "", "0", "0 along, 90 across", 0, 360),
    Fact("above", "Boards stand above the water", "mm", "50", "so that wind doesn't carry it over", 0, 2000),
    Fact("stock", "Boards are as long as", "m", "3.9", "as they are sold", 0.3, 20),
    Fact("flow", "A hose gives, litres a minute", "", "12", "a bucket and a watch tell", 0.1, 10_000),
    Fact(
        "fills",
        "A cubic metre of cut fills, m³",
        "",
        "0.9",
        "below 1: it is stamped firmer than it lay",
        0.3,
        2,
    ),
    Fact("loose", "A cubic metre of cut is loose, m³", "", "1.25", "for barrows and lorries", 1, 2),
    Fact("barrow", "A barrow holds, litres", "", "70", "level", 10, 500),
    Fact("lorry", "A lorry carries, m³", "", "6", "loose", 0.5, 40),
    Fact("paced", "A side is good to, %", "", "1", "paced; taped it is better", 0.01, 20),
    Fact("turned", "A turn is good to, °", "", "5", "by eye; square corners are square", 0.1, 45),
    Fact("lines", "Contours every", "mm", "100", "", 1, 10_000),
)


class GroundPoint(Struct, frozen=True):
    """A point: its entry, name, place in plan [m], whether the outline goes through it, what was read there [m] (nan: nothing), when [s],
    and the run that its height follows."""

    id: int
    name: str
    x: float
    y: float
    edge: bool
    text: str
    read: float
    time: float = 0.0
    source: str = ""


class GroundBook(Struct, frozen=True, dict=True):
    """A piece of ground as it was booked."""

    work: int
    name: str
    unit: str
    style: LengthStyle
    facts: Stated
    points: Sequence[GroundPoint]
    cautions_read: bool = False
    looks: Sequence[tuple[int, str, Look]] = ()
    cloud: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    """Points that were brought in as heights, along, across and up (m, 3) [m]; they have no names."""
    clouds: Sequence[tuple[int, str, int]] = ()
    """Where they came from: the entry, the file's name, how many points."""
    lines: Sequence[GroundLine] = ()
    sides: Mapping[int, WalkedSide] = field(default_factory=dict)
    """How long the edge's sides are and how it turns, by the point from which each goes."""
    tops: Mapping[int, tuple[int, str, float]] = field(default_factory=dict)
    """What was read on top of a wall, by the point at its foot: the entry, its text, the reading [m]."""
    behind: Mapping[int, tuple[int, str, float]] = field(default_factory=dict)
    """What was read at the foot of a wall on its other side, likewise."""
    clashes: Sequence[str] = ()
    """Points that two runs give two heights."""
    earlier: Sequence[GroundBook] = ()
    """As it was read at the visits before, oldest first."""
    file: str = ""
    """The file that an earlier surface came from; "" where it was read."""

    @cached_property
    def xy(self) -> Floats:
        """Places in plan (n, 2) [m]."""
        return np.array([(p.x, p.y) for p in self.points], dtype=np.float64).reshape(-1, 2)

    @cached_property
    def legs(self) -> list[float]:
        """Lengths from each point of the edge to the next, the last back to the first [m]."""
        at = self.xy[self.edge]
        return [float(far) for far in np.hypot(*(np.roll(at, -1, axis=0) - at).T)] if len(at) else []

    @cached_property
    def string(self) -> StringWalk | None:
        """The string walked round the edge; None where heights aren't read down from one, or nobody said how it came back."""
        closing, stakes = self.facts.values["closing"], [self.points[k] for k in self.edge]
        if self.facts.texts["by"] != DOWN or is_missing(closing) or len(stakes) < 3 or min(self.legs) <= 0:
            return None
        down = [(p.name, p.read) for p in stakes]
        line, allowed = self.facts.values["line"], self.facts.values["allowed"]
        try:
            return walk_string(line, down, self.legs, closing=closing, allowed=allowed)
        except KeelError:  # two stakes of one name, as only another program books them
            return None

    @cached_property
    def hydro(self) -> HydroWalk | None:
        """The liquid level's walk; None where heights are read otherwise, or nobody looked at the benchmark yet."""
        zeros = [look for _, what, look in self.looks if what == ZERO]
        if self.facts.texts["by"] != HYDRO or not zeros:
            return None
        moved = [look.time for _, what, look in self.looks if what == MOVED]
        points = [Look(p.time, p.read, p.name) for p in self.points if not is_missing(p.read)]
        try:
            return walk_hydrostatic(self.facts.values["line"], zeros, points, moved)
        except KeelError:  # two points of one name, as only another program books them
            return None

    @cached_property
    def heights(self) -> Floats:
        """Heights (n,) [m], nan where nothing was read."""
        read = np.array([p.read for p in self.points], dtype=np.float64)
        if self.facts.texts["by"] == HYDRO:
            walk = self.hydro
            found = {} if walk is None else walk.heights
            return np.array([found.get(p.name, math.nan) for p in self.points], dtype=np.float64)
        if self.facts.texts["by"] != DOWN:
            return read
        line = np.full(len(read), self.facts.values["line"])
        if self.string is not None:
            line[self.edge] = [self.string.string[self.points[k].name] for k in self.edge]
        return np.asarray(line - read)

    @cached_property
    def stands_up(self) -> dict[int, float]:
        """How high a wall stands above its foot, by the point there [m]; nan where the foot wasn't read."""
        down = -1.0 if self.facts.texts["by"] == DOWN else 1.0
        return {k: down * (read - self.points[k].read) for k, (_, _, read) in self.tops.items()}

    @cached_property
    def rises_behind(self) -> dict[int, float]:
        """How much higher the ground is behind a wall that stands free, by the point at its foot [m]."""
        down = -1.0 if self.facts.texts["by"] == DOWN else 1.0
        return {k: down * (read - self.points[k].read) for k, (_, _, read) in self.behind.items()}

    @property
    def edge(self) -> list[int]:
        """The points of the outline, in order."""
        return [k for k, p in enumerate(self.points) if p.edge]

    @property
    def water(self) -> bool:
        """Whether the plane is water."""
        return self.facts.texts["for"] == WATER

    @property
    def gradient(self) -> tuple[float, float]:
        """What the plane rises along and across [1]."""
        if self.water:
            return 0.0, 0.0
        fall, towards = self.facts.values["fall"] / 100, math.radians(self.facts.values["towards"])
        return -fall * math.cos(towards), -fall * math.sin(towards)

    @property
    def began(self) -> datetime:
        """When the first of its points was read."""
        read = [p.time for p in self.points if not is_missing(p.read) and not p.source]
        return datetime.fromtimestamp(min(read, default=0.0), UTC)

    @property
    def was_read(self) -> bool:
        """Whether anything is known of its heights."""
        return len(self.cloud) > 0 or not bool(np.isnan(self.heights).all())

    @property
    def missing(self) -> list[str]:
        """The points where nothing was read yet."""
        return [p.name for p in self.points if is_missing(p.read)]


def ground_needs(book: GroundBook, works: Works) -> list[int]:
    """Return the works whose heights its points follow."""
    return works.lenders() if book.facts.texts["by"] == RUNS else []


def take_heights(book: GroundBook, works: Works) -> GroundBook:
    """Return it with its points, where nothing was typed, at the heights that the job's runs found for marks of their names."""
    found: dict[str, tuple[float, str]] = {}
    clashes = []
    for id in works.lenders():
        lent = works.lent(id)
        assert lent is not None
        for mark in lent.heights.values():
            before = found.setdefault(mark.name, (mark.height, lent.name))
            if abs(before[0] - mark.height) > book.facts.values["good"]:
                clashes.append(mark.name)
    points = [
        replace(p, read=found[p.name][0], source=found[p.name][1])
        if is_missing(p.read) and p.name in found
        else p
        for p in book.points
    ]
    names = {p.name for p in points if p.source}
    return replace(book, points=points, clashes=[name for name in dict.fromkeys(clashes) if name in names])


def fold_ground(journal: Journal, work: int) -> GroundBook:
    """Return a piece of ground from its entries: as it is read at the visit in hand, and as it was at those before."""
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "ground-fact")
    ]
    begins = [0, *(e.id for e in journal.standing(work, "visit")), math.inf]
    told = [
        _visit(journal, work, with_stated(FACTS, said), after, before)
        for after, before in zip(begins, begins[1:], strict=False)
    ]
    files = [_from_file(journal, told[0], e) for e in journal.standing(work, "ground-before")]
    return replace(told[-1], earlier=[*files, *(one for one in told[:-1] if one.was_read)])


def _from_file(journal: Journal, book: GroundBook, entry: Entry) -> GroundBook:
    """The ground as a file of points has it: it has no names, and nothing else is known of it."""
    name, points = str(entry.body["name"]), int(entry.body["points"])
    return GroundBook(
        book.work,
        book.name,
        book.unit,
        book.style,
        book.facts,
        [],
        cloud=_kept_apart(journal, (entry.id,)),
        clouds=[(entry.id, name, points)],
        file=name,
    )


def _visit(journal: Journal, work: int, facts: Stated, after: float, before: float) -> GroundBook:
    """What was read between two entries; where the points lie is as it is known now."""
    points, steps = [], []
    for e in journal.standing(work, "ground-point"):
        body, read = e.body, _read_between(journal, e, after, before)
        reading = None if read is None else read.body["reading"]
        if reading is not None:
            steps.append(float(reading["step_m"]))
        points.append(
            GroundPoint(
                e.id,
                str(body["name"]),
                float(body["x_m"]),
                float(body["y_m"]),
                bool(body["edge"]),
                "" if reading is None else str(reading["text"]),
                math.nan if reading is None else metres(reading),
                0.0 if read is None else _when(journal, read, after),
            )
        )
    looks = []
    for e in journal.standing(work, "ground-look"):
        if after < e.id < before:
            reading = e.body.get("reading")
            look = Look(_seconds(e), 0.0 if reading is None else metres(reading))
            looks.append((e.id, str(e.body["what"]), look))
    numbers = {journal.first_of(p.id): k for k, p in enumerate(points)}
    return GroundBook(
        work,
        journal.name_of(work),
        journal.unit_of(work),
        style_of(journal.unit_of(work), steps),
        facts,
        points,
        acknowledged(journal, work, "ground") is not None,
        looks,
        *_clouds(journal, work, after, before),
        lines=fold_lines(journal, work, numbers),
        sides=fold_sides(journal, work, numbers),
        tops=fold_at_walls(journal, work, numbers, TOP),
        behind=fold_at_walls(journal, work, numbers, BEHIND),
    )


def _read_between(journal: Journal, entry: Entry, after: float, before: float) -> Entry | None:
    """The youngest entry of a point, between two, that holds a reading."""
    one: Entry | None = entry
    while one is not None and one.id > after:
        if one.id < before and "reading" in one.body:
            return one
        one = None if one.strikes is None else journal.entries[one.strikes]
    return None


def _clouds(
    journal: Journal, work: int, after: float, before: float
) -> tuple[Floats, list[tuple[int, str, int]]]:
    """What was brought in from files; of several points at one place the mean."""
    entries = [e for e in journal.standing(work, "ground-cloud") if after < e.id < before]
    said = [(e.id, str(e.body["name"]), int(e.body["points"])) for e in entries]
    return _kept_apart(journal, tuple(e.id for e in entries)), said


def _kept_apart(journal: Journal, ids: tuple[int, ...]) -> Floats:
    kept = _told_apart.setdefault(journal, {})
    if ids not in kept:
        kept[ids] = _apart(journal, ids)
    return kept[ids]


_told_apart: WeakKeyDictionary[Journal, dict[tuple[int, ...], Floats]] = WeakKeyDictionary()
"""Points brought in, by the entries that did: files never change, and folding anew need not sort them anew."""


def _apart(journal: Journal, ids: tuple[int, ...]) -> Floats:
    parts = [np.zeros((0, 3))]
    for id in ids:
        try:
            columns = journal.columns_of(id, "source")
        except KeelError:
            if id in journal.lost_sources:
                continue  # said in the findings of the work
            raise
        parts.append(np.column_stack([columns[key] for key in "xyz"]))
    every = np.concatenate(parts)
    # Two places nearer than anybody measures are one.
    near = np.round(every[:, :2], 6)
    order = np.lexsort((near[:, 1], near[:, 0]))
    another = np.ones(len(order), dtype=bool)
    another[1:] = (np.diff(near[order], axis=0) != 0).any(axis=1)
    places, at = every[order[another], :2], np.empty(len(order), dtype=np.intp)
    at[order] = np.cumsum(another) - 1
    many = np.bincount(at, minlength=len(places))
    heights = np.bincount(at, every[:, 2], minlength=len(places)) / np.maximum(many, 1)
    return np.column_stack([places, heights])


def _seconds(entry: Entry) -> float:
    """When an entry was made [s]; of several in a second the later one is a little later, so that no two fall together."""
    return datetime.fromisoformat(entry.time).timestamp() + entry.id * 1e-6


def _when(journal: Journal, entry: Entry, after: float) -> float:
    """When a point was first read at a visit [s]: a reading that was only corrected stays where it was among the looks."""
    while (
        entry.strikes is not None
        and entry.strikes > after
        and "reading" in (old := journal.entries[entry.strikes]).body
    ):
        entry = old
    return _seconds(entry)
