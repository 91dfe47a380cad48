"""A vehicle and its two-way level, folded from the entries."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import combinations_with_replacement
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated, Typed, usual_facts, with_stated
from vivid_keel.core.moving.live import TWO_WAY_FACTS, fold_live
from vivid_keel.core.quantities import LengthStyle, parse_length, parse_tilt
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.core.record.readings import style_of
from vivid_keel.trades.vehicle.wheels import GROUND

SORTS = {"trailer": "trailer, one axle", "twin": "trailer, twin axle", "four": "four wheels"}
METRIC = LengthStyle()
MOST_BLOCKS = 4
"""Blocks under one wheel [1]: more wobble."""
LONGEST = 30.0
"""No vehicle here is longer than this [m]; more is a unit forgotten."""


def _length(text: str, decimal_mark: str | None) -> Typed:
    length = parse_length(text, "m", decimal_mark)
    if length.value > LONGEST:
        raise KeelError(
            "bad-value", f"{length.value:g} m is longer than any vehicle here; were millimetres meant?"
        )
    return Typed(text, length.value, length.resolution)


def _slope(text: str, decimal_mark: str | None) -> Typed:
    slope = parse_number(text.lower().removeprefix("1 in").strip(), decimal_mark)[0]
    if not 1 <= slope <= 50:
        raise KeelError(
            "bad-value", f"a ramp of 1 in {slope:g} is none to drive on; such as 5 for 1 in 5, or none"
        )
    return Typed(text, slope)


def _zero(text: str, decimal_mark: str | None) -> Typed:
    # Turned about on the same spot the ground's part turns round with it and the level's own does not.
    tilts = [parse_tilt(t, "°", decimal_mark).value for t in text.split("/", 1)]
    return Typed(text, sum(tilts) / len(tilts))


def _steps(text: str, decimal_mark: str | None) -> Typed:
    return Typed(", ".join(f"{s * 1000:g}" for s in parse_steps(text, decimal_mark)), math.nan)


def _length_in_feet(text: str, decimal_mark: str | None) -> Typed:
    length = parse_length(text, "ft", decimal_mark)
    if length.value > LONGEST:
        raise KeelError("bad-value", f"“{text}” is longer than any vehicle here; were inches meant?")
    return Typed(text, length.value, length.resolution)


def _steps_in_inches(text: str, decimal_mark: str | None) -> Typed:
    found = parse_steps(text, decimal_mark, "in")
    style = LengthStyle("ft-in")
    return Typed(", ".join(style.thickness(s) for s in found), math.nan)


def _inches(text: str, decimal_mark: str | None) -> Typed:
    length = parse_length(text, "in", decimal_mark)
    return Typed(text, length.value, length.resolution)


FACTS = (
    Fact("sort", "What it is", "", "trailer", "trailer, twin (axle) or four (wheels)", choices=tuple(SORTS)),
    Fact("track", "Track", "m", "2.0", "from tyre to tyre, middle to middle", parse=_length),
    Fact(
        "length",
        "Axle to coupling, or wheelbase",
        "m",
        "4.0",
        "of a twin axle: from its middle",
        parse=_length,
    ),
    Fact("jockey", "Axle to jockey wheel", "m", "3.8", "trailers only", parse=_length),
    Fact(
        "steps",
        "Steps of the ramp",
        "mm",
        "40, 80, 120",
        "in millimetres with commas; none: packed exactly",
        may_lack=True,
        parse=_steps,
    ),
    Fact(
        "slope",
        "Slope of the ramp, 1 in",
        "1 in",
        "none",
        "tells how far to drive on; none where it isn't known",
        may_lack=True,
        parse=_slope,
    ),
    Fact("roll-limit", "May lean by", "°", "1", "side to side: doors, drains, sleep", least=0),
    Fact("pitch-limit", "May tip by", "°", "1", "nose to tail: fridge, drains", least=0),
    Fact("load", "Load of a wheel", "kN", "5", "10 kN is about a tonne", least=0),
    Fact("ground", "Ground", "", "dry turf", ", ".join(GROUND), choices=tuple(GROUND)),
    Fact(
        "zero-roll",
        "Level reads, on level ground, side to side",
        "°",
        "0",
        "its own offset: type both readings, 0.6 / -0.2, the vehicle turned about in between",
        least=-90,
        parse=_zero,
    ),
    Fact(
        "zero-pitch",
        "Level reads, on level ground, nose to tail",
        "°",
        "0",
        "the same; half the sum of the two is what it reads on the level",
        least=-90,
        parse=_zero,
    ),
    Fact(
        "springs", "Springs take up", "mm", "10", "four wheels: how far the diagonals may be at odds", least=0
    ),
    Fact(
        "travel", "Jockey wheel's travel", "mm", "250", "trailers only: up and down from where it is", least=0
    ),
    Fact(
        "blocks",
        "Packing blocks",
        "mm",
        "none",
        "thicknesses at hand, such as 18, 40: packed from these where there is no ramp; none: packed exactly",
        may_lack=True,
        parse=_steps,
    ),
    Fact(
        "turn",
        "Jockey wheel rises a turn",
        "mm",
        "none",
        "of its handle; none where it isn't known",
        may_lack=True,
    ),
)
IN_FEET = {
    "track": {"unit": "ft", "usual": "6' 6\"", "parse": _length_in_feet},
    "length": {"unit": "ft", "usual": "13'", "parse": _length_in_feet},
    "jockey": {"unit": "ft", "usual": "12' 6\"", "parse": _length_in_feet},
    "steps": {
        "unit": "in",
        "usual": "1 1/2, 3, 4 1/2",
        "note": "in inches with commas; none: packed exactly",
        "parse": _steps_in_inches,
    },
    "blocks": {
        "unit": "in",
        "note": "thicknesses at hand, such as 3/4, 1 1/2: packed from these where there is no ramp; none: packed exactly",
        "parse": _steps_in_inches,
    },
    "springs": {"unit": "in", "usual": "3/8", "parse": _inches},
    "travel": {"unit": "in", "usual": "10", "parse": _inches},
    "turn": {"unit": "in", "parse": _inches},
}
"""What is asked otherwise in a work in feet and inches."""
FEET_FACTS = tuple(replace(fact, **IN_FEET.get(fact.key, {})) for fact in FACTS)


def facts_in(unit: str) -> tuple[Fact, ...]:
    """Return what is asked in a work in a unit."""
    return FEET_FACTS if unit in {"ft", "ft-in", "in"} else FACTS


WORDS = {"sort", "steps", "blocks", "slope", "ground", "turn"}
"""Facts that may stand without a number."""


class Tilts(Struct, frozen=True):
    """A reading of the two-way level, its offset taken off [rad]; the text as typed."""

    id: int
    roll: float
    pitch: float
    text: str
    time: str = ""


class VehicleBook(Struct, frozen=True):
    """A vehicle work as its entries stand; `values` in SI by trait (steps apart), `texts` as typed, `ids` of what was stated.

    `found` and `left` are of the visit in hand; `occasions` are all visits at which something was read, oldest first.
    """

    work: int
    name: str
    values: dict[str, float]
    texts: dict[str, str]
    ids: dict[str, int]
    steps: tuple[float, ...] | None
    found: Tilts | None
    left: Tilts | None
    struck: tuple[str, ...] = field(default=())
    cautions_read: bool = False
    style: LengthStyle = METRIC
    blocks: tuple[float, ...] = ()
    occasions: Sequence[Mapping[str, Tilts]] = ()
    live: Stated = field(default_factory=lambda: usual_facts(TWO_WAY_FACTS))

    @property
    def facts(self) -> tuple[Fact, ...]:
        """What is asked of it, in the work's own unit."""
        return facts_in(self.style.unit)

    @property
    def stacks(self) -> dict[float, tuple[float, ...]]:
        """Heights that its blocks pack up to [m], ascending, and the fewest of them that do, the thickest first."""
        out: dict[float, tuple[float, ...]] = {}
        for n in range(1, MOST_BLOCKS + 1):
            for some in combinations_with_replacement(sorted(self.blocks, reverse=True), n):
                out.setdefault(round(sum(some), 6), some)
        return dict(sorted(out.items()))

    @property
    def heights(self) -> tuple[float, ...] | None:
        """Heights that a wheel can be brought up by: the ramp's steps, else what the blocks pack up to; None: any [m]."""
        return self.steps or (tuple(self.stacks) or None)

    @property
    def stated(self) -> Stated:
        """The facts as they stand."""
        return Stated(self.values, self.texts, self.ids)

    @property
    def sort(self) -> str:
        return self.texts["sort"]


def parse_steps(text: str, decimal_mark: str | None = None, unit: str = "mm") -> tuple[float, ...]:
    """Return the heights of a ramp's steps [m], ascending; none for "none"."""
    if text.strip().lower() in {"", "none", "no"}:
        return ()
    out = []
    # With a comma as the decimal mark semicolons part the steps; without one in sight commas do, as ever.
    parted = decimal_mark == "," and ";" in text
    for part in text.split(";") if parted else text.replace(";", ",").split(","):
        value = parse_length(part.strip(), unit, decimal_mark if parted or decimal_mark != "," else ".").value
        if not 0 < value < 0.5:
            such = "inches, such as 1 1/2, 3" if unit == "in" else "millimetres, such as 40, 80, 120"
            raise KeelError(
                "bad-value", f"“{part.strip()}” is no step of a ramp, and no block; heights in {such}"
            )
        out.append(value)
    return tuple(sorted(out))


def fold_vehicle(journal: Journal, work: int) -> VehicleBook:
    """Return the vehicle of a work from its entries."""
    unit = journal.unit_of(work)
    facts = facts_in(unit)
    said = [
        (str(e.body["what"]), _with_unit(e.body, facts), e.body.get("value"), e.id)
        for e in journal.standing(work, "vehicle")
    ]
    # Of measures only what was read with its number counts; a word needs none.
    stated = with_stated(facts, [one for one in said if one[2] is not None or one[0] in WORDS])
    texts, values, ids = stated.texts, stated.values, stated.ids
    values["ground"] = GROUND[texts["ground"]]
    tilts: dict[str, Tilts] = {}
    occasions = []
    begins = [entry.id for entry in journal.standing(work, "visit")]
    for entry in journal.standing(work, "tilts"):
        body = entry.body
        while begins and entry.id > begins[0]:
            begins.pop(0)
            if tilts:
                occasions.append(tilts)
            tilts = {}
        tilts[str(body["phase"])] = Tilts(
            entry.id,
            float(body["roll_rad"]) - values["zero-roll"],
            float(body["pitch_rad"]) - values["zero-pitch"],
            str(body["text"]),
            entry.time,
        )
    if tilts:
        occasions.append(tilts)
    if begins:
        tilts = {}  # a visit was begun, and nothing is read at it yet
    struck = tuple(
        str(journal.entries[i].body["text"])
        for i in journal.order[work]
        if journal.entries[i].kind == "tilts" and not journal.stands(i) and not journal.undone(i)
    )
    small = "in" if facts is FEET_FACTS else "mm"
    steps = parse_steps(texts["steps"], ".", small) or None
    return VehicleBook(
        work,
        journal.name_of(work),
        values,
        texts,
        ids,
        steps,
        tilts.get("found"),
        tilts.get("left"),
        struck,
        acknowledged(journal, work, "vehicle") is not None,
        style_of(unit, []),
        parse_steps(texts["blocks"], ".", small),
        occasions,
        fold_live(journal, work, TWO_WAY_FACTS),
    )


def _with_unit(body: Mapping[str, Any], facts: Sequence[Fact]) -> str:
    """A fact's text; with its unit where an older program took a bare number in a work in feet for metres or millimetres."""
    text, value = str(body["text"]), body.get("value")
    fact = next((f for f in facts if f.key == body["what"]), None)
    if fact is None or fact.unit not in {"ft", "in"}:
        return text
    old = next(f for f in FACTS if f.key == fact.key)
    if fact.key in {"steps", "blocks"}:
        # Recorded in figures: inches of a ramp never reach what millimetres do.
        parts = [part.strip() for part in text.split(",")]
        bare = all(part.replace(".", "", 1).isdigit() for part in parts) and max(map(float, parts)) > 20
        return ", ".join(f"{part} mm" for part in parts) if bare else text
    try:
        same = value is not None and abs(float(text) * old.scale - float(value)) < 1e-9
    except ValueError:
        return text
    return f"{text} {old.unit}" if same else text
