"""Means: turning a move into what a hand does, and saying what the means cannot do.

Source: a screw's pitch, a wedge's taper, a jack's stroke, a measure's worth: rise per unit of the hand's work.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Typed, parse_fact
from vivid_keel.core.moving.screws import in_parts, turns
from vivid_keel.core.quantities import (
    EQUAL,
    LengthStyle,
    parse_length,
    round_half_away,
    show_amount,
    show_piece,
    show_thickness,
)
from vivid_keel.core.quantities.length import INCH
from vivid_keel.core.quantities.number import parse_number

METRIC = LengthStyle()
LEAVES, SCREW, WEDGE, JACK, FILL, TRIM = "leaves", "screw", "wedge", "jack", "fill", "trim"
BELOW, HIGH = "from below", "a hair high"
COUNTED, WATCHED = "by so many parts of a turn", "until it shows what it is to"
FINELY = 0.5
"""Under so much of a turn a screw that is watched is told in degrees, too [1]."""
RAISES, LOWERS = "clockwise raises", "clockwise lowers"
WEIGHT, SCREWED = "its own weight", "a screw"


class MeansKind(Struct, frozen=True):
    """A kind of means: its key, name, and what it asks."""

    key: str
    label: str
    asked: tuple[Fact, ...]


TPI = re.compile(r"(\d+(?:[.,]\d+)?)\s*(?:tpi|threads?(?: per inch)?)", re.IGNORECASE)

PART_OF_INCH = re.compile(r"(\d+)\s*/\s*(\d+)\s*(?:in|inch|\"|″)", re.IGNORECASE)


def parse_pitch(text: str, decimal_mark: str | None = None) -> Typed:
    """Return a screw's pitch [m] as typed: 2, 1/12 in, or threads per inch as 12 tpi.

    Raises
    ------
    KeelError
        What the parser of lengths says; `bad-value` for no threads at all.
    """
    part = PART_OF_INCH.fullmatch(text.strip())
    if part is not None and int(part[2]) > 0:
        return Typed(text, INCH * int(part[1]) / int(part[2]))
    found = TPI.fullmatch(text.strip())
    if found is None:
        length = parse_length(text, "mm", decimal_mark)
        return Typed(text, length.value, length.resolution)
    threads = parse_number(found[1], decimal_mark)[0]
    if threads <= 0:
        raise KeelError("bad-value", f"“{text}”: there is no screw without threads; type them as 12 tpi")
    return Typed(text, INCH / threads)


def parse_turn(text: str, decimal_mark: str | None = None) -> Typed:
    """Return what a jack's screw rises in one turn [m] as typed, as a pitch is; 0 where nobody says.

    Raises
    ------
    KeelError
        As of a pitch.
    """
    return Typed(text, 0.0) if text.strip() in {"0", "none"} else parse_pitch(text, decimal_mark)


_TRAVEL = Fact("travel", "Travel left, up", "mm", "25", "less at one: say it under Set-up", 0, 2000)
_BACK = Fact("back", "Travel left, down", "mm", "25", "how far it can still be wound back", 0, 2000)
KINDS = (
    MeansKind(LEAVES, "packing leaves", ()),
    MeansKind(
        SCREW,
        "screws or levelling feet",
        (
            Fact(
                "pitch",
                "Pitch",
                "mm",
                "2",
                "rise in one turn: 2, 12 tpi, or 1/12 in",
                0.05,
                25,
                parse=parse_pitch,
            ),
            Fact(
                "parts",
                "Parts of a turn a hand can do",
                "",
                "8",
                "8: eighths; 6: flats of the nut",
                1,
                96,
                whole=True,
            ),
            Fact(
                "sense", "Sense", "", RAISES, "seen from above, or as you turn it", choices=(RAISES, LOWERS)
            ),
            _TRAVEL,
            _BACK,
            Fact("lock", "The lock nut lifts it by", "mm", "0", "taken off beforehand; try one", 0, 2),
            Fact(
                "school",
                "Come to the mark",
                "",
                BELOW,
                "from below, or high and drawn down",
                choices=(BELOW, HIGH),
            ),
            Fact("hair", "A hair is", "mm", "0.2", "how far past the mark it goes first", 0.01, 5),
            Fact(
                "until",
                "Turned",
                "",
                COUNTED,
                "by what is counted, or watching bubble or reading",
                choices=(COUNTED, WATCHED),
            ),
        ),
    ),
    MeansKind(
        WEDGE,
        "folding wedges",
        (
            Fact("taper", "Taper, 1 in", "", "20", "rise = how far driven, divided by this", 2, 200),
            Fact("length", "Length left to drive", "mm", "100", "beyond it they bear on too little", 1, 2000),
            Fact("back", "Can be drawn back", "mm", "0", "only once the load is off", 0, 2000),
            Fact(
                "hold",
                "What lies on them is held by",
                "",
                WEIGHT,
                "a screw beside them draws it down to the mark",
                choices=(WEIGHT, SCREWED),
            ),
            Fact("hair", "A hair is", "mm", "0.1", "how far past the mark the screw draws down", 0.01, 5),
        ),
    ),
    MeansKind(
        JACK,
        "jacks that stay under it",
        (
            _TRAVEL,
            _BACK,
            Fact("rating", "Rating of one jack", "kN", "0", "0: not said", 0, 100000),
            Fact("load", "Load on the heaviest", "kN", "0", "0: not said", 0, 100000),
            Fact(
                "turn",
                "Rises a turn",
                "mm",
                "0",
                "a screw jack: 4, 6 tpi; 0: not said",
                0,
                50,
                parse=parse_turn,
            ),
        ),
    ),
    MeansKind(
        FILL,
        "fill or chips",
        (
            Fact("area", "Area under each", "m²", "1", "the bed that is made up", 0.001, 100000),
            Fact("factor", "Loose to packed", "", "1.25", "how much more loose fill; try a patch", 1, 3),
            Fact("measure", "One measure holds", "l", "10", "bucket, shovel or barrow", 0.01, 10000),
        ),
    ),
    MeansKind(
        TRIM,
        "trim or plane off",
        (Fact("depth", "Greatest depth", "mm", "3", "what the piece can spare", 0.01, 500),),
    ),
)
KIND = {k.key: k for k in KINDS}


@dataclass(frozen=True)
class Means:
    """What moves the points, and its numbers in the units asked for."""

    kind: str = LEAVES
    values: Mapping[str, float] | None = None
    style: LengthStyle = field(default=METRIC, compare=False)
    """How the work that it serves shows lengths."""

    @property
    def has_travel(self) -> bool:
        """Whether every post may have its own travel left."""
        return any(a.key == "travel" for a in KIND[self.kind].asked)

    def value(self, key: str) -> float:
        """Return a number in SI units [SI]: what was said, or what is usual."""
        asked = next(a for a in KIND[self.kind].asked if a.key == key)
        return self.shown(asked) * asked.scale

    def shown(self, asked: Fact) -> float:
        """Return a number in the unit it is asked in [that unit]: what was said, or what is usual; of choices, the index."""
        said = (self.values or {}).get(asked.key)
        return float(said) if said is not None else parse_fact(asked, asked.usual, ".").value / asked.scale

    @property
    def watched(self) -> bool:
        """Whether it is moved until the instrument shows what it is to, as finely as that tells: a screw, or wedges that a screw draws
        down on."""
        if self.kind == WEDGE:
            return self.choice("hold") == SCREWED
        return self.kind == SCREW and self.choice("until") == WATCHED

    @staticmethod
    def of(kind: str, values: Mapping[str, float], style: LengthStyle = METRIC) -> Means:
        """Return a means as it was recorded, `values` [the units asked in], without what no such means can have."""
        if kind not in KIND:
            return Means(style=style)
        known = {a.key: a for a in KIND[kind].asked}
        return Means(
            kind, {k: float(v) for k, v in values.items() if k in known and known[k].allows(float(v))}, style
        )

    def choice(self, key: str) -> str:
        """Return a choice in words."""
        asked = next(a for a in KIND[self.kind].asked if a.key == key)
        return asked.choices[int(self.shown(asked))]


class Instruction(Struct, frozen=True):
    """What a hand does at a point.

    Attributes
    ----------
    words : str
        The instruction, short.
    then : str
        What follows it, or "".
    done : float
        What that makes of the move, in steps a hand can do [m].
    first : float
        How far the point stands from where it was when it is first brought past its mark [m]; nan where it isn't.
    refused : str
        Why this means cannot do it, "" where it can. `done` is then what it can.
    """

    words: str
    done: float
    first: float = math.nan
    refused: str = ""
    then: str = ""

    @property
    def whole(self) -> str:
        """The instruction and what follows it."""
        return f"{self.words}, {self.then}" if self.then else self.words


def instruct(means: Means, move: float, travel: float = math.nan) -> Instruction:
    """Return what a hand does to make a move.

    Parameters
    ----------
    means : Means
        Anything but leaves: those are chosen for all points together (`choose_leaves`).
    move : float
        Raise +, lower − [m].
    travel : float
        Travel left upward at this very point [m]; nan: what the means says.

    Returns
    -------
    Instruction
        Screw: move/pitch turns to 1/parts of a turn, or all of it where it is watched. Wedge: drive = move × taper. Fill: measures =
        move × area × factor/measure, to half a measure. Trim: a downward move up to its depth.

    Raises
    ------
    KeelError
        `bad-value` for leaves.
    """
    if means.kind == SCREW:
        return _screw(means, move, travel)
    if means.kind == WEDGE:
        return _wedge(means, move)
    if means.kind == JACK:
        done, refused = _within(move, *_room(means, travel), means.style)
        word = "jack up" if move >= 0 else "let down"
        rating, load = means.value("rating"), means.value("load")
        if load > rating > 0:
            refused = f"the jack is rated for {rating / 1000:g} kN and {load / 1000:g} kN stand on it"
        turn = means.value("turn")
        if turn > 0:
            halves = round_half_away(abs(done) / turn * 2)
            word = f"{word} {in_parts(halves, 2)} turn{'s' if halves > 2 else ''},"
        return Instruction(f"{word} to the reading", done, math.nan, refused, "pack behind it")
    if means.kind == FILL:
        per = means.value("measure") / (means.value("area") * means.value("factor"))
        halves = round_half_away(move / per * 2)
        count = in_parts(abs(halves), 2)
        one = "measure" if abs(halves) <= 2 else "measures"
        words = f"{count} {one} {'in' if halves >= 0 else 'out'}"
        return Instruction(
            words if halves else "less than half a measure",
            halves * per / 2,
            then="tamp it" if halves > 0 else "",
        )
    if means.kind == TRIM:
        if move > EQUAL:
            return Instruction(
                "trimming raises nothing",
                0.0,
                math.nan,
                "it would have to come up, and trimming only takes off",
            )
        done, refused = _within(move, 0.0, means.value("depth"), means.style)
        return Instruction(f"take off {show_piece(-done, means.style, 1)}", done, math.nan, refused)
    raise KeelError("bad-value", "leaves are chosen for all points together")


def _room(means: Means, travel: float) -> tuple[float, float]:
    return (means.value("travel") if math.isnan(travel) else max(travel, 0.0)), means.value("back")


def _within(move: float, up: float, down: float, style: LengthStyle) -> tuple[float, str]:
    """Return as much of a move as its room allows [m], and what is said where that isn't all."""
    if move > up + EQUAL:
        return up, f"it would have to go up {show_amount(move, style)} and {show_amount(up, style)} are left"
    if -move > down + EQUAL:
        return (
            -down,
            f"it would have to come down {show_amount(-move, style)} and {show_amount(down, style)} are left",
        )
    return move, ""


def _screw(means: Means, move: float, travel: float) -> Instruction:
    parts, pitch, hair = int(means.value("parts")), means.value("pitch"), means.value("hair")
    possible, refused = _within(move, *_room(means, travel), means.style)
    lock = means.value("lock")
    steps = round_half_away(turns(possible - lock, pitch) * parts)
    while refused and abs(steps) * pitch / parts > abs(possible) + EQUAL:
        steps -= 1 if steps > 0 else -1  # never past the end of its travel
    done = possible if means.watched else steps * pitch / parts + lock
    up_is = "clockwise" if means.choice("sense") == RAISES else "anticlockwise"
    down_is = "anticlockwise" if up_is == "clockwise" else "clockwise"
    way = up_is if (possible - lock if means.watched else steps) >= 0 else down_is
    words = f"{_count(steps, parts)} {way}" if steps else "leave the screw"
    if means.watched and abs(possible) > EQUAL:
        degrees = f"{max(round(abs(turns(possible - lock, pitch)) * 360), 1)}°"
        if abs(turns(possible - lock, pitch)) < FINELY:
            words = f"{_count(steps, parts)} ({degrees}) {way}" if steps else f"{degrees} {way}"
        words = f"about {words}"
    first, then = math.nan, []
    if means.watched:
        steps = round(math.copysign(1, possible - lock)) if words != "leave the screw" else 0
    if steps and means.choice("school") == HIGH:
        first = done - lock + hair
        then.append("a hair high, then draw it down")
    elif steps < 0:
        first = done - lock - hair
        then.append("a hair past, then up to the mark")
    if lock:
        then.append("then lock it")
    return Instruction(words, done, first, refused, ", ".join(then))


def _count(steps: int, parts: int) -> str:
    if parts == 6 and steps % 6:
        return f"{abs(steps)} flat{'s' if abs(steps) != 1 else ''}"
    return f"{in_parts(abs(steps), parts)} turn{'s' if abs(steps) > parts else ''}"


def _wedge(means: Means, move: float) -> Instruction:
    taper = means.value("taper")
    up, down = means.value("length") / taper, means.value("back") / taper
    possible, refused = _within(move, up, down, means.style)
    step = 0.001 if means.style.small == "mm" else INCH / 8  # whole parts along the wedge that a hand can see
    drive = round_half_away(possible * taper, step) * step
    word = "drive them" if drive >= 0 else "draw them back"
    words = f"{word} {show_thickness(abs(drive), means.style)}"
    if not means.watched:
        return Instruction(words, drive / taper, math.nan, refused)
    hair = means.value("hair")
    over = round_half_away((possible + hair) * taper, step) * step
    words = f"drive {show_thickness(over, means.style)}" if over > 0 else words
    return Instruction(words, possible, possible + hair, refused, "draw it down")
