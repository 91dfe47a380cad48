"""The supports of a work: points, readings, stock, limits, finished rounds."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import date

from vivid_keel.core.instruments.used import Instrument, Staff
from vivid_keel.core.moving.means import Means
from vivid_keel.core.moving.scale import HANGS
from vivid_keel.core.quantities import LengthStyle

FOUND, LEFT = "found", "left"
NAN = float("nan")


@dataclass(frozen=True, slots=True)
class Read:
    """A reading of a point: its entry, value [m], text, step [m], which of the book's instruments took it, and what its scale adds [m]."""

    id: int
    value: float
    text: str
    step: float
    instrument: int = 0
    own: float = 0.0


@dataclass(frozen=True, slots=True)
class PointRow:
    """A support: where it stands, what packs it already, how its scale is read, and its readings.

    `found` and `left` are of the round in hand, `first` is what was read before any round. `travel` is
    what is left of its screw or jack upward [m], nan where it is like the others; `wanted` how high above
    the rest it is drawn [m].
    """

    id: int
    name: str
    row: str
    x: float
    y: float
    stack: float
    sense: str
    found: Read | None
    left: Read | None
    struck: tuple[str, ...] = ()
    first: Read | None = None
    travel: float = NAN
    wanted: float = 0.0

    def read(self, phase: str) -> Read | None:
        return self.found if phase == FOUND else self.left


@dataclass(frozen=True, slots=True)
class Leaf:
    """Packing in stock: thickness [m], its text, how many are left, how many went in in finished rounds."""

    id: int
    thickness: float
    text: str
    count: int
    used: int = 0


@dataclass(frozen=True, slots=True)
class TargetChoice:
    """highest, lowest, mean, least-total, least-greatest, keep (with the point's id), height (with the reading wanted [m]),
    best-fit, minimum-zone, fall (height gained per metre along and across, through the highest above it and `lift`
    more [m]), or given (each point's own height above the rest, through the highest against it). The reading is one
    on the line of the round in hand."""

    kind: str = "highest"
    point: int = 0
    reading: float = NAN
    gradient: tuple[float, float] = (0.0, 0.0)
    lift: float = 0.0

    @property
    def plane(self) -> bool:
        """Whether it is no level line."""
        return self.kind in {"best-fit", "minimum-zone", "fall", "given"}


@dataclass(frozen=True, slots=True)
class Pass:
    """A finished round: readings before and after by point id, what was put in [m] and how many leaves, the line's shift [m]."""

    id: int
    before: dict[int, Read]
    after: dict[int, Read]
    put: dict[int, float]
    leaves: dict[int, int]
    shift: float


@dataclass(frozen=True, slots=True)
class Hanging:
    """Something that hangs on a row and rises with it."""

    id: int
    name: str
    row: str
    x: float


RAISE, LOWER, BOTH = "raise only", "lower only", "raise or lower"
WAYS = (BOTH, RAISE, LOWER)


@dataclass(frozen=True, slots=True)
class Limits:
    """Tolerance [m], leaves in one stack, closing per interface [m], usual sense of the scale.

    `neighbours` is how far neighbours may differ within a round [m] (None: by their spacing; 0: no such
    rule), `clearance` how far the jack goes above a leaf to slip it in [m]. `ways` is one of WAYS, `most`
    the largest move [m], `share` how much of the way to the target is gone [1], `order` a key of ORDERS,
    `feet` how far a reading may move while the other feet take load [m], `leaf_size` what leaves are cut to.
    """

    tolerance: float = 0.0015
    tolerance_text: str = "1.5 mm"
    most_leaves: int = 4
    interface: float = 0.00002
    sense: str = HANGS
    neighbours: float | None = None
    clearance: float = 0.0
    ways: str = BOTH
    most: float = math.inf
    share: float = 1.0
    order: str = "need"
    feet: float = 0.0001
    leaf_size: str = ""


@dataclass(frozen=True, slots=True)
class LookAgain:
    """A settle re-check that was put into the diary: its day and why."""

    id: int
    due: date
    note: str


@dataclass(frozen=True)
class SupportsBook:
    """A supports work as its entries stand.

    `instrument` is in hand now, `instruments` are all that read here, in the state they were in. `station` is where the instrument stands in plan [m], None while nobody has said; `use_collimation`
    whether its known collimation error is taken out of every reading, `use_staff` whether the scale's own
    foot is (`staffs` are all that were read on). `by_eye` is the point that looks
    high (0: nobody said).
    """

    work: int
    name: str
    unit: str
    style: LengthStyle
    points: list[PointRow]
    stock: list[Leaf]
    target: TargetChoice
    target_chosen: bool
    limits: Limits
    reference: dict[str, Read] = field(default_factory=dict)
    reference_name: str = "Watch mark"
    instrument: Instrument | None = None
    lifting_acknowledged: bool = False
    station: tuple[float, float] | None = None
    use_collimation: bool = False
    instruments: list[Instrument] = field(default_factory=list)
    passes: list[Pass] = field(default_factory=list)
    hanging: list[Hanging] = field(default_factory=list)
    means: Means = field(default_factory=Means)
    by_eye: int = 0
    looks: list[LookAgain] = field(default_factory=list)
    staffs: list[Staff] = field(default_factory=list)
    use_staff: bool = False

    @property
    def scale_foot(self) -> float:
        """What the foot of the scale in hand adds to every reading, where that is taken out [m]."""
        return self.staffs[-1].foot if self.use_staff and self.staffs else 0.0

    @property
    def line_moved(self) -> float:
        """How much higher the line of the round in hand is than that of the first readings [m]."""
        return sum(p.shift for p in self.passes)

    @property
    def rows(self) -> list[str]:
        """Names of the rows, in order."""
        return list(dict.fromkeys(p.row for p in self.points))


def leaf_key(thickness: float) -> str:
    """Return what a thickness [m] is called in a round's list of leaves used: micrometres."""
    return str(round(thickness * 1e6))
