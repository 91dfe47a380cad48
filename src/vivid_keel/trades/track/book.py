"""What was booked of a stretch of track."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated, with_stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import LengthStyle, parse_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.core.record.readings import style_of

SIGHT, CROSS, VOID_LEFT, VOID_RIGHT = "sight", "cross", "void left", "void right"
STAFF, WIRE = "staff", "wire"
BOARDS, BY_STAFF, BY_WIRE = "sighting boards", "a staff on the rail", "a rule down from a wire"
RAIL_TOP = {BOARDS: SIGHT, BY_STAFF: STAFF, BY_WIRE: WIRE}
"""What a reading of the rail top is called, by how it was read: in measures, or down from a line of sight or a wire [m]."""
STRAIGHT, LEFT_HAND, RIGHT_HAND = "straight", "curve to the left", "curve to the right"
STONE, ROUND = "broken stone", "round gravel or sand"
BY_CROSS, RIGHT_RAIL, LEFT_RAIL = "as it lies", "right", "left"
FACTS = (
    Fact(
        "sleepers",
        "Sleepers in this stretch",
        "",
        "24",
        "numbered from 1, between two high spots",
        3,
        5000,
        whole=True,
    ),
    Fact("every", "Sighted at every", "", "4", "the first and the last too", 1, 50, whole=True),
    Fact("measure", "One measure lifts", "mm", "3", "the dip that one can of chips cures", 0.2, 30),
    Fact(
        "lies",
        "It lies",
        "",
        STRAIGHT,
        "on a curve the low rail is the datum",
        choices=(STRAIGHT, LEFT_HAND, RIGHT_HAND),
    ),
    Fact("cant", "Cross level wanted", "mm", "0", "of a curve: how much its outer rail is higher", 0, 200),
    Fact(
        "datum",
        "Sighted along the rail",
        "",
        BY_CROSS,
        "the higher one on straight track",
        choices=(BY_CROSS, RIGHT_RAIL, LEFT_RAIL),
    ),
    Fact("ballast", "It lies in", "", STONE, "chips hold between stones only", choices=(STONE, ROUND)),
    Fact("split", "More is lifted in two rounds, measures", "", "4", "with traffic between", 0.25, 40),
    Fact(
        "tight",
        "Fastenings walked over and tight",
        "",
        "no",
        "first of all, every one",
        choices=("no", "yes"),
    ),
    Fact(
        "by",
        "The rail top is read by",
        "",
        BOARDS,
        "boards in measures; a level's staff; a taut wire",
        choices=tuple(RAIL_TOP),
    ),
    Fact("spacing", "Sleepers lie every", "m", "0.70", "middle to middle", 0.2, 3),
    Fact("weight", "A metre of the wire weighs, N", "", "0.0154", "half a millimetre of steel", 0, 5),
    Fact(
        "pull", "The wire is pulled with, N", "", "100", "a spring balance tells; it sags the less", 1, 2000
    ),
)


class Seen(Struct, frozen=True):
    """A reading: its entry, text and value (measures, or of a cross level [m]), and of a cross level the step it was read to [m]."""

    id: int
    text: str
    value: float
    step: float = 0.0


class TrackBook(Struct, frozen=True):
    """A stretch as it was booked: readings by phase, what was read, and sleeper from 1; `packed` which rounds of cans are said to be
    in, by their number, with the entry that says so."""

    work: int
    name: str
    unit: str
    style: LengthStyle
    facts: Stated
    read: Mapping[str, Mapping[tuple[str, int], Seen]]
    cautions_read: bool = False
    packed: Mapping[int, int] = field(default_factory=dict)

    @property
    def sleepers(self) -> int:
        """How many there are."""
        return round(self.facts.values["sleepers"])

    @property
    def sighted(self) -> list[int]:
        """The sleepers that are sighted, from 1: every so many, the first and the last."""
        n, every = self.sleepers, round(self.facts.values["every"])
        return sorted({*range(1, n + 1, every), n})

    def of(self, phase: str, what: str) -> dict[int, float]:
        """What was read of one sort, by sleeper from 0; one beyond the end counts nowhere."""
        return {
            k - 1: one.value
            for (sort, k), one in self.read[phase].items()
            if sort == what and k <= self.sleepers
        }

    @property
    def rail_top(self) -> str:
        """What a reading of the rail top is called here."""
        return RAIL_TOP[self.facts.texts["by"]]

    def sag(self, k: float, first: int, last: int) -> float:
        """How far the wire hangs below its straight line at sleeper k between two, from 0 [m]: w·x·(L − x)/(2T)."""
        v = self.facts.values
        x, length = (k - first) * v["spacing"], (last - first) * v["spacing"]
        return v["weight"] * x * (length - x) / (2 * v["pull"]) if self.rail_top == WIRE else 0.0

    def below_line(self, phase: str) -> dict[int, float]:
        """How far the rail lies below the line from the first to the last reading, by sleeper from 0 [measures]; − above it."""
        read = self.of(phase, self.rail_top)
        if self.rail_top == SIGHT or len(read) < 2:
            return read if self.rail_top == SIGHT else {}
        first, last = min(read), max(read)
        fall = (read[last] - read[first]) / (last - first)
        return {
            k: (down + self.sag(k, first, last) - read[first] - fall * (k - first))
            / self.facts.values["measure"]
            for k, down in read.items()
        }

    def dips(self, phase: str) -> dict[int, float]:
        """What the rail is to be lifted by to lie on the line [measures]; nothing where it stands above it."""
        return {k: max(below, 0.0) for k, below in self.below_line(phase).items()}

    @property
    def beyond(self) -> list[int]:
        """Sleepers that something was read at and that aren't there."""
        return sorted({k for phase in (FOUND, LEFT) for _, k in self.read[phase] if k > self.sleepers})


def fold_track(journal: Journal, work: int) -> TrackBook:
    """Return a stretch of track from its entries."""
    unit = journal.unit_of(work)
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "track-fact")
    ]
    read: dict[str, dict[tuple[str, int], Seen]] = {FOUND: {}, LEFT: {}}
    begins = [entry.id for entry in journal.standing(work, "visit")]
    for e in journal.standing(work, "track-reading"):
        while begins and e.id > begins[0]:
            begins.pop(0)
            read = _another_round(read)
        body = e.body
        place = (str(body["what"]), int(body["sleeper"]))
        read.setdefault(str(body["phase"]), {})[place] = Seen(
            e.id,
            str(body["text"]),
            float(body["value"]),
            _step(str(body["text"])) if place[0] == CROSS else 0.0,
        )
    for _ in begins:
        read = _another_round(read)
    return TrackBook(
        work,
        journal.name_of(work),
        unit,
        style_of(unit, []),
        with_stated(FACTS, said),
        read,
        acknowledged(journal, work, "track") is not None,
        {
            int(e.body["round"]): e.id
            for e in journal.standing(work, "cans-in")
            if e.id > max((visit.id for visit in journal.standing(work, "visit")), default=0)
        },
    )


MILLIMETRE = 0.001


def _step(text: str) -> float:
    """To what a cross level was read [m], as typed; the millimetre where that doesn't say."""
    try:
        return parse_length(text, "mm", None).resolution
    except KeelError:
        return MILLIMETRE


def _another_round(read: dict[str, dict[tuple[str, int], Seen]]) -> dict[str, dict[tuple[str, int], Seen]]:
    """What was sighted after traffic is how it lies now; cross level and hollows are read anew."""
    return {
        FOUND: {place: one for place, one in read[LEFT].items() if place[0] in RAIL_TOP.values()},
        LEFT: {},
    }
