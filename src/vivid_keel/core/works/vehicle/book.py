"""A vehicle and its two-way level, folded from the entries."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.wheels import GROUND
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.works.common import acknowledged

SORTS = {"trailer": "trailer, one axle", "twin": "trailer, twin axle", "four": "four wheels"}


@dataclass(frozen=True, slots=True)
class Trait:
    """A fact of the vehicle: its key, label, unit of a bare number, what is usual, and what it means."""

    key: str
    label: str
    unit: str
    usual: str
    note: str


TRAITS = (
    Trait("sort", "What it is", "word", "trailer", "trailer, twin (axle) or four (wheels)"),
    Trait("track", "Track", "m", "2.0", "from tyre to tyre, middle to middle"),
    Trait("length", "Axle to coupling, or wheelbase", "m", "4.0", "of a twin axle: from its middle"),
    Trait("jockey", "Axle to jockey wheel", "m", "3.8", "trailers only"),
    Trait("steps", "Steps of the ramp", "steps", "40, 80, 120", "in millimetres with commas; none: packed exactly"),
    Trait("slope", "Slope of the ramp, 1 in", "1 in", "none", "tells how far to drive on; none where it isn't known"),
    Trait("roll-limit", "May lean by", "°", "1", "side to side: doors, drains, sleep"),
    Trait("pitch-limit", "May tip by", "°", "1", "nose to tail: fridge, drains"),
    Trait("load", "Load of a wheel", "kN", "5", "10 kN is about a tonne"),
    Trait("ground", "Ground", "word", "dry turf", ", ".join(GROUND)),
    Trait(
        "zero-roll",
        "Level reads, on level ground, side to side",
        "°",
        "0",
        "its own offset: type both readings, 0.6 / -0.2, the vehicle turned about in between",
    ),
    Trait("zero-pitch", "Level reads, on level ground, nose to tail", "°", "0", "the same; half the sum of the two is what it reads on the level"),
)
TRAIT = {t.key: t for t in TRAITS}


@dataclass(frozen=True, slots=True)
class Tilts:
    """A reading of the two-way level, its offset taken off [rad]; the text as typed."""

    id: int
    roll: float
    pitch: float
    text: str


@dataclass(frozen=True)
class VehicleBook:
    """A vehicle work as its entries stand; `values` in SI by trait (steps apart), `texts` as typed, `ids` of what was stated."""

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

    @property
    def sort(self) -> str:
        return self.texts["sort"]


def parse_fact(trait: Trait, typed: str, decimal_mark: str | None = None) -> tuple[str, float]:
    """Return a fact as typed and in SI (m, rad, N; nan for words and steps).

    Raises
    ------
    KeelError
        `bad-value` and what the parsers say.
    """
    text = typed.strip()
    if trait.key == "sort":
        found = [k for k in SORTS if text and k.startswith(text.lower())]
        if not found:
            raise KeelError("bad-value", f"“{text}”: expected {', '.join(SORTS)}")
        return found[0], math.nan
    if trait.key == "ground":
        found = [k for k in GROUND if text and k.startswith(text.lower())]
        if not found:
            raise KeelError("bad-value", f"“{text}”: expected {', '.join(GROUND)}")
        return found[0], GROUND[found[0]]
    if trait.unit == "1 in":
        if text.lower() in {"none", "no", ""}:
            return "none", math.nan
        slope = parse_number(text.lower().removeprefix("1 in").strip(), decimal_mark)[0]
        if not 1 <= slope <= 50:
            raise KeelError("bad-value", f"a ramp of 1 in {slope:g} is none to drive on; such as 5 for 1 in 5, or none")
        return text, slope
    if trait.key.startswith("zero") and "/" in text:
        # Turned about on the same spot the ground's part turns round with it and the level's own does not.
        pair = [parse_tilt(t, "°", decimal_mark).value for t in text.split("/", 1)]
        return text, (pair[0] + pair[1]) / 2
    if trait.unit == "steps":
        steps = parse_steps(text, decimal_mark)
        return ", ".join(f"{s * 1000:g}" for s in steps) if steps else "none", math.nan
    if trait.unit == "m":
        value = parse_length(text, "m", decimal_mark).value
    elif trait.unit == "°":
        value = parse_tilt(text, "°", decimal_mark).value
    else:
        value = parse_number(text.lower().removesuffix("kn").strip(), decimal_mark)[0] * 1000
    if value < 0 and not trait.key.startswith("zero"):
        raise KeelError("bad-value", f"{trait.label.lower()} is above 0")
    if value == 0 and trait.key in {"track", "length", "jockey"}:
        raise KeelError("bad-value", f"{trait.label.lower()} is above 0")
    if trait.key in {"track", "length", "jockey"} and value > 30:
        raise KeelError("bad-value", f"{value:g} m is longer than any vehicle here; were millimetres meant?")
    return text, value


def parse_steps(text: str, decimal_mark: str | None = None) -> tuple[float, ...]:
    """Return the heights of a ramp's steps [m], ascending; none for "none"."""
    if text.strip().lower() in {"", "none", "no"}:
        return ()
    out = []
    # With a comma as the decimal mark semicolons part the steps; without one in sight commas do, as ever.
    parted = decimal_mark == "," and ";" in text
    for part in text.split(";") if parted else text.replace(";", ",").split(","):
        value = parse_length(part.strip(), "mm", decimal_mark if parted or decimal_mark != "," else ".").value
        if not 0 < value < 0.5:
            raise KeelError(
                "bad-value", f"“{part.strip()}” is no step of a ramp; heights in millimetres, such as 40, 80, 120"
            )
        out.append(value)
    return tuple(sorted(out))


def fold_vehicle(journal: Journal, work: int) -> VehicleBook:
    """Return the vehicle of a work from its entries."""
    texts, values, ids = {t.key: t.usual for t in TRAITS}, {}, {}
    for entry in journal.standing(work, "vehicle"):
        key = str(entry.body["what"])
        if key in TRAIT:
            texts[key], ids[key] = str(entry.body["text"]), entry.id
    for t in TRAITS:
        # What was typed was read with the job's own decimal mark: the number stands beside it, and only that is used.
        stated = journal.entries[ids[t.key]].body if t.key in ids else None
        if stated is None or ("value" not in stated and t.unit not in {"word", "steps", "1 in"}):
            texts[t.key] = t.usual
            values[t.key] = parse_fact(t, t.usual, ".")[1]
        else:
            values[t.key] = float(stated.get("value", math.nan))
    tilts: dict[str, Tilts] = {}
    for entry in journal.standing(work, "tilts"):
        b = entry.body
        tilts[str(b["phase"])] = Tilts(
            entry.id,
            float(b["roll_rad"]) - values["zero-roll"],
            float(b["pitch_rad"]) - values["zero-pitch"],
            str(b["text"]),
        )
    struck = tuple(
        str(journal.entries[i].body["text"]) for i in journal.order[work]
        if journal.entries[i].kind == "tilts" and not journal.stands(i) and not journal.undone(i)
    )  # fmt: skip
    steps = parse_steps(texts["steps"], ".") or None
    return VehicleBook(
        work, journal.name_of(work), values, texts, ids, steps, tilts.get("found"), tilts.get("left"), struck,
        acknowledged(journal, work, "vehicle") is not None,
    )  # fmt: skip
