"""What is decided of everything that is brought level: points, target, limits, stock, finished rounds."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from datetime import date
from typing import ClassVar

from msgspec import Struct, field

from vivid_keel.core.moving.issued import IssuedPlan
from vivid_keel.core.moving.means import LEAVES, Means
from vivid_keel.core.moving.scale import HANGS
from vivid_keel.core.quantities import LengthStyle, show_thickness

FOUND, LEFT = "found", "left"
NAN = float("nan")


class Point(Struct, frozen=True):
    """A point that is moved: where it stands, and what packs it already.

    `travel` is what is left of its screw or jack upward [m], nan where it is like the others; `wanted` how
    high above the rest it is drawn [m]; `aside` is one that can't be read, or needn't be; `carries` whether it is one of the feet
    that carry, which others follow (None: nobody said).
    """

    id: int
    name: str
    row: str
    x: float
    y: float
    stack: float = 0.0
    travel: float = NAN
    wanted: float = 0.0
    aside: bool = False
    carries: bool | None = None


class Leaf(Struct, frozen=True):
    """Packing in stock: thickness [m], its text, how many are left, how many went in in finished rounds."""

    id: int
    thickness: float
    text: str
    count: int
    used: int = 0


class TargetChoice(Struct, frozen=True):
    """highest, lowest, mean, least-total, least-greatest, keep (with the point's id), height (with the reading wanted [m]),
    best-fit, minimum-zone, fall (height gained per metre along and across, through the highest above it and `lift`
    more [m]), or given (each point's own height above the rest, through the highest against it). The reading is one
    on the line of the round in hand. `id` is its entry (0: nobody chose)."""

    kind: str = "highest"
    point: int = 0
    reading: float = NAN
    gradient: tuple[float, float] = (0.0, 0.0)
    lift: float = 0.0
    id: int = 0

    @property
    def follows(self) -> bool:
        """Whether it goes through the point that the readings pick, until the first booking of a move fixes that."""
        return self.kind in {"highest", "lowest", "fall", "given"}

    @property
    def plane(self) -> bool:
        """Whether it is no level line."""
        return self.kind in {"best-fit", "minimum-zone", "fall", "given"}


class Watched(Struct, frozen=True):
    """A foot (point id) that was turned until the body had a tilt [rad] from one foot to another, + where the second is high."""

    point: int
    start: int
    to: int
    tilt: float


class Round(Struct, frozen=True):
    """A finished round: what was put in [m] and how many leaves, by point; `hung` is how much of it filled a gap [m]; `watched`
    the feet that were turned until a level showed what it was to, in that order.
    """

    id: int
    put: dict[int, float]
    leaves: dict[int, int]
    hung: dict[int, float] = field(default_factory=dict)
    watched: tuple[Watched, ...] = ()


class Put(Struct, frozen=True):
    """What was really put in at a point in the round in hand: thicker (thinner −) or wound up [m], how many leaves more,
    in words, the entries that say so, and how much of it only filled the gap that the point had hung by [m].

    `stage` is the stage up to which it is done, 0 where all of it is; `for_now` the leaves in it that come out again
    at the next stage, thick first [m], `used` all that
    it took out of the stock, by `leaf_key`; `plan` what was planned when the last
    of it was booked [m], `before` what was booked before that."""

    put: float
    leaves: int
    text: str
    ids: tuple[int, ...]
    hung: float = 0.0
    stage: int = 0
    for_now: tuple[float, ...] = ()
    used: dict[str, int] = field(default_factory=dict)
    plan: float = NAN
    before: Put | None = None

    @property
    def whole(self) -> bool:
        """Whether nothing more is to be done there in this round."""
        return self.stage == 0

    @property
    def lying(self) -> Counter[str]:
        """How many leaves went in to stay, by `leaf_key`."""
        stay = Counter(self.used)
        stay.subtract(leaf_key(leaf) for leaf in self.for_now)
        return stay


class Keeper(Struct, frozen=True):
    """The point that the target goes through from the first booking of a move on: its id, its name, and the entry that says so."""

    point: int
    name: str
    id: int


class Hanging(Struct, frozen=True):
    """Something that hangs on a row and rises with it."""

    id: int
    name: str
    row: str
    x: float


ALONE = "a frame standing alone"
NOT_KNOWN = "don't know"
BEAMS = {
    "": 0.0,
    "a light timber beam": 0.02,
    "a steel girder": 0.06,
    "a stone wall": 0.15,
    ALONE: 0.0,
    NOT_KNOWN: 0.0,
}
"""What stands on a row, in plain words, and how stiff it is against what carries it, to begin with (see `Response.beams`) [1]; what
nobody knows is taken to be as stiff as the readings allow."""
RAISE, LOWER, BOTH = "raise only", "lower only", "raise or lower"
WAYS = (BOTH, RAISE, LOWER)


class Limits(Struct, frozen=True):
    """Tolerance [m], leaves in one stack, closing per interface [m], usual sense of the scale.

    `neighbours` is how far neighbours may differ within a round [m] (None: by their spacing; 0: no such
    rule), `clearance` how far the jack goes above a leaf to slip it in [m] (None: what is usual). `ways` is one of WAYS, `most`
    the largest move [m], `share` how much of the way to the target is gone [1], `order` a key of ORDERS,
    `feet` how far a reading may move while the other feet take load [m], `leaf_size` what leaves are cut to,
    `beam` what stands on the posts of a row (a key of BEAMS; "": nobody was asked, each post for itself), `fits` whether what fits under
    each jacked reading goes in, rather than what is reckoned; `finest` whether leaves are chosen for the least gaps rather
    than for the fewest leaves that can be proved within tolerance.
    """

    tolerance: float = 0.0015
    most_leaves: int = 4
    interface: float = 0.00002
    sense: str = HANGS
    neighbours: float | None = None
    clearance: float | None = None
    ways: str = BOTH
    most: float = math.inf
    share: float = 1.0
    order: str = "need"
    feet: float = 0.0001
    leaf_size: str = ""
    beam: str = ""
    fits: bool = False
    finest: bool = False


class LookAgain(Struct, frozen=True):
    """A settle re-check that was put into the diary: its day and why."""

    id: int
    due: date
    note: str


class MovingBook(Struct, frozen=True):
    """A work that brings points level, as its entries stand: what every trade of that sort has.

    `booked` is what was really put in in the round in hand, by point id; `apart` the means of points that are not
    moved by what moves the others, by point id. `plan` is the plan of the round as it was issued last, `printed` as it was
    printed last. `thing` and `called` are what a point is called, as it is judged and in
    the hand.
    """

    thing: ClassVar[str] = "support"
    called: ClassVar[tuple[str, str]] = ("post", "posts")
    jacked: ClassVar[bool] = False
    """Whether a jack lifts it clear of its packing, so that leaves are slipped in with some clearance."""
    springy: ClassVar[bool] = False
    """Whether what stands on its feet may bend between them, so that one of them may hang."""
    by_turns: ClassVar[bool] = False
    """Whether a foot that it holds back is turned by so much, and the instrument only stops it sooner."""
    corners: ClassVar[bool] = False
    """Whether it is first set on its corners: a heavy bed, whose middle feet come last."""
    asks_which_carry: ClassVar[bool] = False
    """Whether a person says which of its feet carry it, and which follow."""
    work: int
    name: str
    unit: str
    style: LengthStyle
    points: Sequence[Point]
    stock: list[Leaf]
    target: TargetChoice
    target_chosen: bool
    limits: Limits
    lifting_acknowledged: bool = False
    passes: Sequence[Round] = ()
    hanging: list[Hanging] = field(default_factory=list)
    means: Means = field(default_factory=Means)
    looks: list[LookAgain] = field(default_factory=list)
    keeper: Keeper | None = None
    booked: dict[int, Put] = field(default_factory=dict)
    apart: dict[int, Means] = field(default_factory=dict)
    plan: IssuedPlan | None = None
    printed: IssuedPlan | None = None

    def means_at(self, point: int) -> Means:
        """Return what moves a point, by its id: its own means, or the work's."""
        return self.apart.get(point, self.means)

    def by_leaves(self, point: int) -> bool:
        """Whether a point, by its id, is packed with leaves from the stock."""
        return (self.means_at(point) if self.apart else self.means).kind == LEAVES

    def so_far(self, point: Point, lift: float, interface: float) -> float:
        """Return what is under a point in this round already [m], of a lift [m]; upward each interface closes by so much [m]."""
        put = self.booked.get(point.id)
        if put is None:
            return 0.0
        return put.put - put.hung - (interface * put.leaves if lift >= 0 else 0.0)

    @property
    def some_leaves(self) -> bool:
        """Whether anything is packed with leaves from the stock."""
        return any(means.kind == LEAVES for means in self.all_means)

    @property
    def all_means(self) -> list[Means]:
        """Every means in use, the work's own first where any point has it."""
        of_points = [self.means_at(point.id) for point in self.points]
        own = [self.means] if self.means in of_points or not of_points else []
        return list({means.kind: means for means in [*own, *of_points]}.values())

    @property
    def bodies(self) -> Sequence[Sequence[int]]:
        """The places among all of the points that carry one rigid body, for each body: all carry one."""
        return [range(len(self.points))]

    def walked(self, todo: Sequence[int], moves: Sequence[float]) -> list[int] | None:
        """Return the points to be moved in an order of its own, by their moves [m]; None where the limits' order serves."""
        return None

    @property
    def tolerance_words(self) -> str:
        """The tolerance with its unit, the work's own."""
        return f"{show_thickness(self.limits.tolerance, self.style)}"

    @property
    def rows(self) -> list[str]:
        """Names of the rows, in order."""
        return list(dict.fromkeys(point.row for point in self.points))


def leaf_key(thickness: float) -> str:
    """Return what a thickness [m] is called in a round's list of leaves used: micrometres."""
    return str(round(thickness * 1e6))
