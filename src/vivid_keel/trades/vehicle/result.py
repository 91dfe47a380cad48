"""What a vehicle wants: lifts, steps, the nose, the heading; and what the numbers say."""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.cautions import FIRST, Caution
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.screws import in_parts
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.quantities import (
    LengthStyle,
    is_missing,
    round_half_away,
    show_length,
    show_number,
    show_piece,
    show_thickness,
)
from vivid_keel.core.quantities.length import INCH, UNIT_IN_M
from vivid_keel.core.working import Working
from vivid_keel.trades.vehicle.book import Tilts, VehicleBook
from vivid_keel.trades.vehicle.wheels import NONE, at_jockey, board_side, trailer, turned, wheels

VEHICLE = Caution(
    "vehicle",
    "Before a wheel moves",
    (
        "Drive forwards on to a ramp; a trailer's overrun brake may be off after reversing.",
        "Handbrake on and wheels chocked before uncoupling or jacking. Firm ground, or a wide board.",
        "Corner steadies steady; they do not lift unless the maker says so.",
        "Nobody beneath it, nobody in its way. People out before it is lifted.",
        FIRST,
    ),
    must_acknowledge=True,
)
DEGREE = math.pi / 180
STEEPEST = 0.5
"""No vehicle is levelled from more than this [rad]; more is a unit forgotten."""
TAPED = 0.005
"""u of a track taped between tyres [m]."""
UNLOOKED = 0.3 * DEGREE
"""How far the offset of a level may lie where nobody looked for it, either way [rad]."""
EVERY = 15
"""Degrees between two headings looked at."""
JOCKEY = "jockey wheel"
WHEELS = ("front left", "front right", "rear left", "rear right")


class WheelStep(Struct, frozen=True):
    """One thing to do: where, how far up [m], which step (None: packed exactly), in words, and what shows that it is right.

    `shows` is the two-way level's reading once it is done, its own offset in it: side to side, nose to tail
    [rad]; None where only the next can tell.
    """

    where: str
    lift: float
    step: float | None
    text: str
    shows: tuple[float, float] | None = None


class Heading(Struct, frozen=True):
    """What it wants, standing turned clockwise by so many degrees: under a wheel, and at the jockey wheel up or down [m]."""

    degrees: int
    wheel: float
    nose: float

    @property
    def worst(self) -> float:
        """The greater of the two needs [m]."""
        return max(self.wheel, self.nose)

    @property
    def turn(self) -> int:
        """How far it is turned, either way [°]."""
        return min(self.degrees, 360 - self.degrees)

    @property
    def way(self) -> str:
        """Which way it is turned, in words."""
        return f"{self.degrees}° clockwise" if self.degrees <= 180 else f"{360 - self.degrees}° anticlockwise"


class VehicleResult(Struct, frozen=True):
    """A vehicle worked out from its as-found tilts.

    Attributes
    ----------
    instructions : list of WheelStep
        In the order of work.
    roll_left, pitch_left : float
        What stays when they are done [rad].
    headings : list of Heading
        What standing another way would take.
    board : float
        Side of a square board a wheel wants on this ground [m].
    odds : float
        How far the diagonals of four wheels are at odds once that is done [m].
    """

    book: VehicleBook
    instructions: list[WheelStep]
    roll_left: float
    pitch_left: float
    headings: list[Heading]
    board: float
    odds: float = 0.0

    @property
    def rocks(self) -> bool:
        """Whether its diagonals are further at odds than its springs take up."""
        return self.odds > self.book.values["springs"] + 1e-9

    def budget(self) -> Budget:
        """What the lift of the low wheel owes to each source [m]: W = T·tan|roll|.

        The level is read to the last digit typed in degrees, a tenth where another unit was typed (half a step either
        way, rectangular); its offset by turning about is the mean of two such readings, else anything within UNLOOKED.
        """
        book = self.book
        if book.found is None:
            return Budget(())
        track, roll = book.values["track"], book.found.roll
        typed = book.found.text.split("/")[0].strip().rstrip("°")
        digits = (
            len(typed.partition(".")[2])
            if typed.replace("-", "").replace("−", "").replace(".", "").isdigit()
            else 1
        )
        step = 10.0 ** -max(digits, 0) * DEGREE
        read = track * step / math.sqrt(12)
        looked = "zero-roll" in book.ids
        return Budget(
            (
                BudgetLine("reading the level", read, "a level read to a finer part of a degree"),
                BudgetLine(
                    "its own offset, found by turning about"
                    if looked
                    else "its own offset, never looked for",
                    read / math.sqrt(2) if looked else track * UNLOOKED / math.sqrt(3),
                    "a level read to a finer part of a degree"
                    if looked
                    else "turn the vehicle about once, and type both readings",
                ),
                BudgetLine(
                    "track, by tape",
                    math.tan(abs(roll)) * TAPED,
                    "tape the track again, from middle to middle of the tyres",
                ),
            )
        )

    @staticmethod
    def level_shows(instruction: WheelStep) -> str:
        """What the two-way level shows once an instruction is done, as it is read; "" where only the next can tell."""
        if instruction.shows is None:
            return ""
        across, along = (show_number(show / DEGREE, 1, signed=True) for show in instruction.shows)
        return f"{across}° / {along}°"

    @property
    def within(self) -> bool:
        v = self.book.values
        return (
            abs(self.roll_left) <= v["roll-limit"] + 1e-9 and abs(self.pitch_left) <= v["pitch-limit"] + 1e-9
        )

    @property
    def at_rest(self) -> bool:
        """Whether it was read again and stands within its limits."""
        left, v = self.book.left, self.book.values
        return left is not None and abs(left.roll) <= v["roll-limit"] and abs(left.pitch) <= v["pitch-limit"]

    @property
    def best_heading(self) -> Heading:
        """The heading whose worst need, of the wheels or of the nose, is least."""
        return min(self.headings, key=lambda one: (round(one.worst, 4), one.turn))

    @property
    def nearest_heading(self) -> Heading | None:
        """The least turn from how it stands at which the ramp and the jockey wheel can do it; None where none can."""
        return min((one for one in self.headings if self.fits(one)), key=lambda one: one.turn, default=None)

    def fits(self, one: Heading) -> bool:
        """Whether the ramp and the jockey wheel can do what a heading wants."""
        return one.wheel <= self.reach + 1e-9 and one.nose <= self.book.values["travel"] + 1e-9

    @property
    def reach(self) -> float:
        """The highest step of the ramp, or stack of its blocks [m]; inf where it is packed exactly."""
        return max(self.book.heights) if self.book.heights else math.inf

    def why(self) -> Working | None:
        """Return the working of the instructions."""
        book = self.book
        if book.found is None:
            return None
        r, p, v = book.found.roll, book.found.pitch, book.values
        if book.sort == "four":
            return Working(
                "Wheels of a four-wheeler",
                "h = x·tan(pitch) + y·tan(roll) at each wheel;  lift = highest − h",
                f"tan(pitch) = {math.tan(p):.4f}, tan(roll) = {math.tan(r):.4f};  "
                + ";  ".join(f"{i.where} {show_piece(i.lift, book.style)}" for i in self.instructions),
                (f"two-way level {book.found.text}",),
                "Raise only: the highest wheel stays.",
            )
        w = v["track"] * math.tan(abs(r))
        put = next(
            (i.step if i.step is not None else i.lift for i in self.instructions if "wheel" in i.where), 0.0
        )
        return Working(
            "Wheel and nose of a trailer",
            "W = T·tan|roll| under the low wheel;  nose = raised/2 − L·tan(pitch)",
            f"W = {show_length(v['track'], book.style)}·tan {abs(r) / DEGREE:.2f}° = {show_piece(w, book.style)};  "
            f"nose = {show_piece(put / 2, book.style)} − {show_length(v['length'], book.style)}·tan({p / DEGREE:.2f}°) = "
            f"{show_piece(put / 2 - v['length'] * math.tan(p), book.style)}",
            (f"two-way level {book.found.text}",),
            "The axle's middle goes up by half of what is put under; the nose does not.",
        )


def work_out_vehicle(book: VehicleBook) -> VehicleResult:
    """Compute a vehicle work; nothing to do while it isn't read."""
    board = board_side(book.values["load"], book.values["ground"])
    if book.found is None:
        return VehicleResult(book, [], math.nan, math.nan, [], board)
    todo, roll, pitch, odds = _instructions(book, book.found)
    headings = [_heading(book, book.found, h) for h in range(0, 360, EVERY)]
    return VehicleResult(book, todo, roll, pitch, headings, board, odds)


def _places(book: VehicleBook) -> list[tuple[float, float]]:
    half, side = book.values["length"] / 2, book.values["track"] / 2
    return [(half, -side), (half, side), (-half, -side), (-half, side)]


def _instructions(book: VehicleBook, at: Tilts) -> tuple[list[WheelStep], float, float, float]:
    v, steps = book.values, book.heights
    out = []
    if book.sort == "four":
        w = wheels(at.roll, at.pitch, _places(book), steps, v["springs"])
        for name, lift, step in zip(WHEELS, w.lifts, w.steps, strict=True):
            if (step if steps is not None else lift) > 0.0005:
                taken = step if steps is not None else None
                out.append(WheelStep(name, lift, taken, _onto(book, lift, taken)))
        out.sort(key=lambda i: -i.lift)
        if out:
            out[-1] = replace(out[-1], shows=(w.roll_left + v["zero-roll"], w.pitch_left + v["zero-pitch"]))
        return out, w.roll_left, w.pitch_left, w.odds
    t = trailer(at.roll, at.pitch, v["track"], v["length"], steps)
    wheel = f"{t.wheel} wheel{'s, both axles' if book.sort == 'twin' else ''}"
    raised = t.wheel_raise if t.step is None else t.step
    if t.wheel != NONE and raised > 0:
        # The axle's middle comes up by half of it and the nose stays.
        tipped = math.atan(math.tan(at.pitch) - raised / 2 / v["length"])
        shows = (t.roll_left + v["zero-roll"], tipped + v["zero-pitch"])
        out.append(WheelStep(wheel, t.wheel_raise, t.step, _onto(book, t.wheel_raise, t.step), shows))
    nose = at_jockey(t.nose_raise, v["length"], v["jockey"])
    if abs(nose) > 0.0005:
        word = "wind up" if nose > 0 else "wind down"
        out.append(
            WheelStep(
                JOCKEY,
                nose,
                None,
                f"{word}{_turns(v['turn'], nose)}; {show_piece(abs(t.nose_raise), book.style)} at the coupling",
                (t.roll_left + v["zero-roll"], v["zero-pitch"]),
            )
        )
    return out, t.roll_left, 0.0, 0.0


def _onto(book: VehicleBook, lift: float, step: float | None) -> str:
    """How a wheel comes up: on to which step, or how far up the ramp, or what is packed under it."""
    slope, style = book.values["slope"], book.style
    way = (step or lift) * slope
    far = "" if is_missing(slope) else f"{show_number(way / UNIT_IN_M[style.far], 2)} {style.far} up the ramp"
    if step is not None and book.steps is not None:
        return f"drive on to the {show_thickness(step, style)} step" + (f", {far}" if far else "")
    if step is not None:
        blocks = " + ".join(style.thickness(block) for block in book.stacks.get(step, ()))
        return f"pack {blocks} {style.small}" if blocks else "leave it"
    if far:
        return f"drive {far}, {show_piece(lift, style)} high"
    return f"pack {show_piece(lift, style)} under it"


def _turns(rise: float, lift: float) -> str:
    """How many turns of the jockey wheel's handle [m] lift it, to the half; "" where nobody knows what one does."""
    if is_missing(rise):
        return ""
    halves = round_half_away(abs(lift) / rise * 2)
    return f" {in_parts(halves, 2)} turn{'s' if halves > 2 else ''}"


def _heading(book: VehicleBook, at: Tilts, degrees: int) -> Heading:
    """What it wants, standing turned clockwise by so many degrees."""
    roll, pitch = turned(at.roll, at.pitch, degrees * DEGREE)
    v = book.values
    if book.sort == "four":
        return Heading(degrees, max(wheels(roll, pitch, _places(book)).lifts), 0.0)
    t = trailer(roll, pitch, v["track"], v["length"])
    return Heading(degrees, t.wheel_raise, abs(at_jockey(t.nose_raise, v["length"], v["jockey"])))


def vehicle_state(result: VehicleResult) -> State:
    """Return (verdict, words) for the job list."""
    book = result.book
    if book.found is None:
        return State("todo", "not read yet")
    if book.left is not None:
        return State("in", "at rest") if result.at_rest else State("out", "still leans")
    return State("open", f"{len(result.instructions)} to do" if result.instructions else "level as it stands")


def _to_do(result: VehicleResult) -> list[Finding]:
    """What is to be done, what it leaves, and whether standing another way would be flatter."""
    v, style, out = result.book.values, result.book.style, []
    if not result.instructions:
        out.append(
            Finding("in", "It stands as level as you can bring it", "Nothing to put under.", result.why())
        )
    else:
        said = "; ".join(
            f"{i.where} {show_piece(abs(i.lift), style)} {'up' if i.lift >= 0 else 'down'}"
            for i in result.instructions
        )
        out.append(
            Finding(
                "open", said[:1].upper() + said[1:], "In this order.", result.why(), "moves", "See the moves"
            )
        )
    left = f"lean {abs(result.roll_left) / DEGREE:.2f}°, tip {abs(result.pitch_left) / DEGREE:.2f}°"
    if result.within:
        out.append(
            Finding(
                "in",
                f"That leaves {left}",
                f"May be {v['roll-limit'] / DEGREE:g}° and {v['pitch-limit'] / DEGREE:g}°.",
            )
        )
    else:
        out.append(
            Finding(
                "out",
                f"That leaves {left}",
                f"More than {v['roll-limit'] / DEGREE:g}° or {v['pitch-limit'] / DEGREE:g}°: the steps don't reach. Turn it, or pack beside the ramp.",
            )
        )
    if result.rocks:
        out.append(
            Finding(
                "out",
                f"It would rock: the diagonals are {show_piece(result.odds, style)} at odds",
                f"Its springs take up {show_piece(v['springs'], style)}. Pack one wheel of the lower diagonal by as much.",
            )
        )
    out += _turn(result)
    return out


def _turn(result: VehicleResult) -> list[Finding]:
    """Whether it had better stand another way: the least turn that the means can do, or the flattest."""
    style = result.book.style
    now, best, near = result.headings[0], result.best_heading, result.nearest_heading
    if result.fits(now) and not (best.degrees and best.worst < 0.6 * now.worst and now.worst > 0.02):
        return []
    goes = best if result.fits(now) or near is None else near
    if not goes.degrees:
        return [
            Finding(
                "out",
                "No heading is flatter",
                f"{_needs(now, style)} as it stands.",
                action="headings",
                action_label="See the headings",
            )
        ]
    text = f"It wants {_needs(now, style)} as it stands, {_needs(goes, style)} turned {goes.way}."
    if near is not None and goes is near and best.degrees != near.degrees:
        text += f" Flattest turned {best.way}: {_needs(best, style)}."
    if near is None:
        text += " No heading suits the ramp and the jockey wheel."
    return [
        Finding(
            "note" if result.fits(now) else "open",
            f"Turn it {goes.way}",
            text,
            action="headings",
            action_label="See the headings",
        )
    ]


def _needs(one: Heading, style: LengthStyle) -> str:
    wheel = f"{show_piece(one.wheel, style)} under a wheel"
    return f"{wheel} and {show_piece(one.nose, style)} at the jockey wheel" if one.nose > 0.0005 else wheel


def _side(result: VehicleResult) -> str:
    """The side of the board, rounded up as boards are cut."""
    if result.book.style.small == "in":
        return f"{math.ceil(result.board / INCH / 2) * 2} in"
    return f"{math.ceil(result.board * 20) * 5} cm"


def vehicle_findings(result: VehicleResult, stage: str = "") -> list[Finding]:
    """Return what there is to say about a vehicle."""
    b, v = result.book, result.book.values
    out = []
    if b.found is None:
        return [
            Finding(
                "todo",
                "Read its two-way level",
                "Side to side, then nose to tail, at its own place in the vehicle.",
                action="read",
                action_label="Enter it",
            )
        ]
    if not result.at_rest:
        out += _to_do(result)
    out.append(
        Finding(
            "note",
            f"A board {_side(result)} square",
            f"Under each wheel on {b.texts['ground']}, for {v['load'] / 1000:g} kN: about; your own knowledge of the ground comes first.",
        )
    )
    if b.left is not None:
        out.append(
            Finding(
                "in" if result.at_rest else "out",
                f"Read again: lean {show_number(b.left.roll / DEGREE, 2)}°, tip {show_number(b.left.pitch / DEGREE, 2)}°",
                f"{b.left.text}, as typed.",
            )
        )
    return out


def vehicle_cautions(result: VehicleResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a wheel moves."""
    return (VEHICLE,) if stage == "Moves" and result.instructions else ()
