"""Standing a tripod: a leg towards the work, feet held as the ground wants it, the head level by eye from two sides."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import show_number
from vivid_keel.stands.tripods import NARROW, SMOOTH, SOFT, Tripod
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import CENTIMETRES, DEGREES, Hand, Rounds, Tally

CLEAR = math.radians(30)
"""A leg nearer to the observer's direction than this is in the way [rad]."""
BY_EYE = math.radians(1.5)
"""A head that leans less is level by eye [rad]."""
STEADY = 0.45
"""Feet nearer to the middle than this stand narrow [m]."""
TURN, SPREAD, TREAD, STOP, ROUND, STANDS = "turn", "spread", "tread", "stop", "round", "stands"
LEGS = ("a", "b", "c")


class Standing(Struct, frozen=True):
    """A tripod as it is being stood, looked at from the front or from the side, and whether it was looked at from each."""

    tripod: Tripod
    aside: bool = False
    both: bool = False


class TripodExercise(Rounds[Standing]):
    """Ten tripods on soft ground, slopes and smooth floors."""

    key, title = "tripod", "Stand a tripod"
    goal = "ten: legs clear, feet held, level from two sides"
    shows = ("under", "creep", "side")
    last = STANDS
    hands = (
        Hand(TURN, "Set it down turned, to the right", DEGREES, "you stand below; the work is above"),
        Hand(SPREAD, "Feet further out", CENTIMETRES, "out +, in −"),
        Hand("a", "Leg A longer", CENTIMETRES, "longer +, shorter −: its side of the head comes up"),
        Hand("b", "Leg B longer", CENTIMETRES),
        Hand("c", "Leg C longer", CENTIMETRES),
        Hand(TREAD, "Tread the feet in", "", "Enter does it"),
        Hand(STOP, "Stop the feet with a spreader", "", "Enter does it"),
        Hand(ROUND, "Go round by a quarter and look", "", "Enter: from the front, from the side"),
        Hand(STANDS, "It stands", "", "Enter says so, and brings the next one"),
    )

    def begins(self, attempt: Attempt, k: int) -> Standing:
        """The tripod as somebody dropped it: a leg points at you, the ground falls more at harder ones."""
        rng = np.random.default_rng([attempt.seed, 31, k])
        ground = (SOFT, SMOOTH)[int(rng.integers(2))]
        steep = 0.0 if ground == SMOOTH else float(rng.uniform(0.02, 0.03 + 0.05 * attempt.level))
        to = float(rng.uniform(0, 2 * math.pi))
        legs = [float(one) for one in 1.35 + rng.uniform(-0.05, 0.05, 3)]
        turned = math.radians(60 + 120 * int(rng.integers(3)) + float(rng.uniform(-12, 12)))
        spread = float(rng.uniform(NARROW, 0.7))
        slope = (steep * math.cos(to), steep * math.sin(to))
        return Standing(Tripod((legs[0], legs[1], legs[2]), turned, spread, slope, ground))

    def does(self, thing: Standing, act: Act) -> Standing:
        tripod = thing.tripod
        if act.what == ROUND:
            return replace(thing, aside=not thing.aside, both=True)
        if act.what == TURN:
            return replace(thing, tripod=tripod.turned_by(math.radians(act.value)))
        if act.what == SPREAD:
            return replace(thing, tripod=tripod.spread_by(act.value / 100))
        if act.what in LEGS:
            return replace(thing, tripod=tripod.longer(LEGS.index(act.what), act.value / 100))
        if act.what == TREAD:
            return replace(thing, tripod=replace(tripod, trodden=True))
        return replace(thing, tripod=replace(tripod, stopped=True)) if act.what == STOP else thing

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Standing], tally: Tally) -> Iterator[Step]:
        for k, act in enumerate(acts):
            hand = self.hand(act.what)
            assert hand is not None
            if act.what != STANDS:
                typed = f", {act.text}" if hand.asks else ""
                yield Step(f"{n}: {hand.name[:1].lower()}{hand.name[1:]}{typed}", good=True)
                continue
            thing = things[k + 1]
            said = []
            if tally.count("under", under(thing.tripod)):
                said.append("a leg stands where you stand")
            if tally.count("creep", not thing.tripod.holds):
                said.append(
                    f"the feet creep: {show_number(thing.tripod.creeps * 1000, 1)} mm on {thing.tripod.ground}"
                )
            if tally.count("side", not thing.both):
                said.append("the head was looked at from one side only")
            if thing.tripod.spread < STEADY:
                said.append("it stands narrow: a knock topples it")
            if leans(thing.tripod):
                lean = math.degrees(math.hypot(*thing.tripod.tilt))
                said.append(f"the head leans by {show_number(lean, 1)}°: the screws have to make that good")
            yield Step(f"{n}: said it stands", not said, "; ".join(said))

    def costs(self, thing: Standing) -> float:
        return thing.tripod.creeps

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Standing]]]) -> str:
        ends = [things[-1].tripod for _, things in done]
        good = sum(one.holds and not under(one) and not leans(one) for one in ends)
        return f"{good} of {len(done)} stand with feet held, legs clear and the head level by eye"

    def hint(self, attempt: Attempt) -> str:
        thing = self.rounds(attempt)[-1][1][-1]
        if under(thing.tripod):
            return "A leg points at you: turn it by 60, so that one leg goes towards the work and you stand between two."
        if thing.tripod.spread < STEADY:
            return "It stands narrow: set the feet further out."
        if not thing.tripod.holds:
            soft = thing.tripod.ground == SOFT
            return (
                "Soft ground: tread the feet in." if soft else "A smooth floor: stop the feet from going out."
            )
        if leans(thing.tripod):
            return "Lengthen the leg on the low side, then go round by a quarter and look again."
        if not thing.both:
            return "From here it is level. Go round by a quarter before you believe it."
        return "It stands: say so."


def under(tripod: Tripod) -> bool:
    """Whether a leg stands where the observer does, opposite the work."""
    return any(math.cos(bearing - math.pi) > math.cos(CLEAR) for bearing in tripod.bearings)


def leans(tripod: Tripod) -> bool:
    """Whether an eye sees the head lean."""
    return max(map(abs, tripod.tilt)) > BY_EYE
