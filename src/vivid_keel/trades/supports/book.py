"""The supports of a work: points with their readings, and what they were read with."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from msgspec import Struct, field

from vivid_keel.core.facts import Stated, usual_facts
from vivid_keel.core.instruments.used import Instrument, Staff
from vivid_keel.core.moving.live import HYDRO_FACTS
from vivid_keel.core.moving.plan import FOUND, MovingBook, Point, Round
from vivid_keel.core.moving.scale import HANGS
from vivid_keel.core.plumb import Lean
from vivid_keel.trades.supports.reads import Read
from vivid_keel.trades.supports.ties import Ties


class PointRow(Point, frozen=True):
    """A support: a point with the way its scale is read, and its readings.

    `found` and `left` are of the round in hand, `first` is what was read before any round, `since` before the first
    round since the target was chosen.
    """

    sense: str = HANGS
    found: Read | None = None
    left: Read | None = None
    struck: tuple[str, ...] = ()
    first: Read | None = None
    since: Read | None = None

    def read(self, phase: str) -> Read | None:
        return self.found if phase == FOUND else self.left


class Pass(Round, frozen=True):
    """A finished round: readings before and after by point id, and the line's shift [m]."""

    before: dict[int, Read] = field(default_factory=dict)
    after: dict[int, Read] = field(default_factory=dict)
    shift: float = 0.0


class Occasion(Struct, frozen=True):
    """A visit: what was read first and last, by point id, the watch mark with either, and when (ISO, "" while nothing was)."""

    id: int
    found: dict[int, Read]
    left: dict[int, Read]
    marks: dict[str, Read]
    began: str
    ended: str


class LeanRow(Struct, frozen=True):
    """How a post was found to lean: its entry, the point's id, "along" or "across", what read it, the readings' texts, the
    lean, the same as it was first read, and how long the bob's string was [m]."""

    id: int
    point: int
    way: str
    read_with: str
    texts: tuple[str, str]
    lean: Lean
    found: Lean
    string: float


class Upright(Struct, frozen=True):
    """What posts have to be plumb within (a tangent), how wide they stand [m], where a brace meets them and how far it
    reaches out [m]; nan where there is none."""

    within: float = 1 / 500
    base: float = 0.2
    brace: float = float("nan")
    reach: float = float("nan")


class SupportsBook(MovingBook, frozen=True):
    """A supports work as its entries stand.

    `instrument` is in hand now, `instruments` are all that read here, in the state they were in. `station` is where
    the instrument stands in plan [m], None while nobody has said; `use_collimation` whether its known collimation
    error is taken out of every reading, `use_staff` whether the scale's own foot is (`staffs` are all that were read
    on). `live` is what is known of a level that sends a height. `by_eye` is the point that looks high (0: nobody said). `line_since` is how much higher the line in hand is than
    that of the readings when the target was chosen [m]. `occasions` are all visits, the one in hand last. `ties` is what
    several stations come to, by phase.
    """

    jacked: ClassVar[bool] = True
    points: Sequence[PointRow]
    passes: Sequence[Pass] = ()
    reference: dict[str, Read] = field(default_factory=dict)
    reference_name: str = "Watch mark"
    instrument: Instrument | None = None
    station: tuple[float, float] | None = None
    use_collimation: bool = False
    instruments: list[Instrument] = field(default_factory=list)
    by_eye: int = 0
    staffs: list[Staff] = field(default_factory=list)
    use_staff: bool = False
    line_since: float = 0.0
    occasions: list[Occasion] = field(default_factory=list)
    leans: list[LeanRow] = field(default_factory=list)
    upright: Upright = field(default_factory=Upright)
    live: Stated = field(default_factory=lambda: usual_facts(HYDRO_FACTS))
    ties: dict[str, Ties] = field(default_factory=dict)

    @property
    def scale_foot(self) -> float:
        """What the foot of the scale in hand adds to every reading, where that is taken out [m]."""
        return self.staffs[-1].foot if self.use_staff and self.staffs else 0.0

    @property
    def line_moved(self) -> float:
        """How much higher the line of the round in hand is than that of the first readings [m]."""
        return sum(done.shift for done in self.passes)
