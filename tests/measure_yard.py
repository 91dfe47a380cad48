"""Whether the practice yard names a learner's habit, and accuses no good one: ./run measure yard [LEARNERS] [SEED].

Scripted learners do the exercises as a person would, with hands that are a little off; each has one habit, a mistake made three times in
ten where it can be made. They know nothing of how the yard judges. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np
from msgspec.structs import replace

from tests.page import put
from vivid_keel.core.quantities import show_length
from vivid_keel.stands.heads import PITCH, RADIUS
from vivid_keel.yard.attempt import KINDS, Attempt
from vivid_keel.yard.learner import EXERCISES, habit, level_of, next_exercise, skills
from vivid_keel.yard.screws import LEVELLED, LOOK, SEEN, ScrewsExercise
from vivid_keel.yard.staff import METRIC, StaffExercise, mirrored

HEAD = "## The practice yard"
OFTEN = 0.3
STRAY = 0.005
"""Anybody slips so often at anything."""
MOST = 12


def reads(exercise: StaffExercise, seen, slips, rng) -> str:
    """What a learner types for what is seen."""
    sign = rng.choice([-1, 1])
    inch = 0.0254
    off = {
        "ten": 0.01 * sign,
        "fifty": 0.05 * sign,
        "tenth": (0.1 if seen.unit == METRIC else inch) * sign,
        "metre": (1.0 if seen.unit == METRIC else 12 * inch) * sign,
        "hair": seen.half * sign,
        "inch": inch / 8 * sign,
    }
    for kind in rng.permutation(list(exercise.shows)).tolist():
        if not slips(kind):
            continue
        if kind == "upside":
            return show_length(mirrored(seen), seen.style).replace("−", "-")
        if kind == "swap":
            text = show_length(seen.hair, seen.style)
            k = len(text) - 2
            if text[k] != text[k + 1]:
                return text[:k] + text[k + 1] + text[k]
            continue
        return show_length(seen.hair + off[kind], seen.style).replace("−", "-")
    noise = rng.normal(0, 0.0007) if seen.unit == METRIC else 0.0
    return show_length(seen.hair + noise, seen.style)


def staff(exercise: StaffExercise, attempt: Attempt, slips, rng) -> Attempt:
    """Do all readings of a staff."""
    while not exercise.over(attempt):
        text = reads(exercise, exercise.view(attempt, len(attempt.acts)), slips, rng)
        attempt = attempt.with_act("read", text, exercise.parse("read", text))
    return replace(attempt, ended=True)


def screws(exercise: ScrewsExercise, attempt: Attempt, slips, rng) -> Attempt:
    """Level up as one is taught: into the ring, round by half a circle, half of it out, said to be level."""
    pairs = ("far", "left-right") if exercise.screws == 3 else ("along", "across")
    tips = {
        "far": PITCH * 2 / (3 * RADIUS),
        "left-right": PITCH * 2 * math.sin(math.pi / 3) / (1.5 * RADIUS) / 1.0,
        "along": PITCH / RADIUS,
        "across": PITCH / RADIUS,
    }

    def does(what: str, value: float) -> None:
        nonlocal attempt
        attempt = attempt.with_act(what, f"{value:.3f}", value)

    def tip(away: float, right: float) -> None:
        """Bring what the bubble shows down by so much, away and to the right."""
        for what, by in zip(pairs, (away, right), strict=True):
            if abs(by) < SEEN / 2:
                continue
            sign = signs[what]
            turn = sign * by / tips[what] * (1 + rng.normal(0, 0.03))
            if slips("way"):
                turn = -turn
            if exercise.screws == 4 and slips("pair"):
                does(
                    {"along": "far", "across": "right"}[what],
                    2 * turn + math.copysign(0.7, turn),
                )
                continue
            does(what, turn)

    def shown() -> tuple[float, float]:
        """The bubble in the room's directions, away and right, as well as it is seen."""
        head = exercise.thing(attempt)
        along, across = (a + rng.normal(0, SEEN / 4) for a in head.shown)
        s, c = math.sin(head.azimuth), math.cos(head.azimuth)
        return along * c - across * s, along * s + across * c

    for _ in range(exercise.count):
        signs = _signs(exercise)
        head = exercise.thing(attempt)
        for k, pair in enumerate(head.snug):  # firm first: by feel
            if pair < -0.15 or pair > 0.5:
                for one in (("right", "left"), ("near", "far"))[k]:
                    does(one, -pair / 2)
        for _ in range(6):
            away, right = shown()
            if math.hypot(away, right) < 2 * SEEN:
                break
            tip(away, right)
        if not slips("reversal"):
            before = shown()
            does(LOOK, 180)
            after = shown()
            # In the room the bubble's own error goes round with the head: what stays is the axis.
            axis = [(a + b) / 2 for a, b in zip(before, after, strict=True)]
            if math.hypot(*(b - a for a, b in zip(before, after, strict=True))) > 4 * SEEN:
                whole = slips("half")
                tip(*(after if whole else axis))
            elif math.hypot(*axis) > SEEN:
                tip(*axis)
        does(LEVELLED, 0.0)
    return replace(attempt, ended=True)


def _signs(exercise: ScrewsExercise) -> dict[str, int]:
    """Which way each control brings the bubble down: learned once, by trying."""
    plain = exercise.begins(Attempt(0, exercise.key, 1, 0), 0)
    out = {}
    for control in exercise.controls:
        tilt = plain.turned(control.by).tilt
        by = (tilt[0] - plain.tilt[0], tilt[1] - plain.tilt[1])
        main = by[0] if abs(by[0]) > abs(by[1]) else by[1]
        out[control.key] = -1 if main > 0 else 1
    return out


class Hands:
    """What a learner does at an exercise of rounds, and the thing as it stands."""

    def __init__(self, exercise, attempt: Attempt) -> None:
        self.exercise, self.attempt = exercise, attempt

    @property
    def thing(self):
        return self.exercise.thing(self.attempt)

    def does(self, what: str, value: float = 0.0, text: str = "") -> None:
        self.attempt = self.attempt.with_act(what, text or f"{value:.3f}", value)

    def ended(self) -> Attempt:
        return replace(self.attempt, ended=True)


def tripod(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Legs clear, feet wide and held, the head by eye from the front and from the side."""
    hands = Hands(exercise, attempt)
    for _ in range(exercise.count):
        if not slips("under"):
            hands.does("turn", 60 + rng.normal(0, 4))
        if hands.thing.tripod.spread < 0.5:
            hands.does("spread", 30)
        one_side = slips("side")
        for _side in range(1 if one_side else 2):
            for _try in range(4):
                tripod, aside = hands.thing.tripod, hands.thing.aside
                seen = tripod.tilt[1 if aside else 0] + rng.normal(0, math.radians(0.3))
                if abs(seen) < math.radians(0.8):
                    break
                # Pull out the leg that stands furthest to the low side of what is seen.
                reach = [(foot[1 if aside else 0], k) for k, foot in enumerate(tripod.feet)]
                far, leg = min(reach) if seen > 0 else max(reach)
                out = tripod.spread - 0.06
                up = math.sqrt(tripod.legs[leg] ** 2 - out**2)
                hands.does("abc"[leg], 100 * abs(seen) * 1.5 * abs(far) * up / tripod.legs[leg])
            if not one_side:
                hands.does("round")
        if not one_side:  # a last look from both
            for _try in range(6):
                tripod = hands.thing.tripod
                lean = np.array(tripod.tilt) + rng.normal(0, math.radians(0.2), 2)
                if max(abs(lean)) < math.radians(1.0):
                    break
                low = [float(-lean @ np.array(foot)) for foot in tripod.feet]
                leg = int(np.argmax(low))
                out = tripod.spread - 0.06
                up = math.sqrt(tripod.legs[leg] ** 2 - out**2)
                hands.does("abc"[leg], 100 * low[leg] * up / tripod.legs[leg])
        if not slips("creep"):
            hands.does("stop" if hands.thing.tripod.ground == "a smooth floor" else "tread")
        hands.does("stands")
    return hands.ended()


def telescope(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Cap off, the staff in, hairs, staff, the eye moved, tapped, read."""
    hands = Hands(exercise, attempt)
    for _ in range(exercise.count):
        if hands.thing.telescope.capped:
            hands.does("cap")
        hands.does("tangent", hands.thing.telescope.aside / 0.5 + rng.normal(0, 0.1))
        if slips("parallax"):  # the staff alone is made sharp, whatever the hairs are
            hands.does(
                "focus", hands.thing.telescope.eyepiece - hands.thing.telescope.image + rng.normal(0, 0.05)
            )
        else:
            hands.does("eyepiece", -hands.thing.telescope.eyepiece + rng.normal(0, 0.05))
            hands.does("focus", -hands.thing.telescope.image + rng.normal(0, 0.06))
            hands.does("eye")
        if not slips("tap"):
            hands.does("tap")
        seen = hands.thing.seen
        text = next(
            (
                show_length(seen.hair + size * rng.choice([-1, 1]), seen.style)
                for kind, size in (("ten", 0.01), ("tenth", 0.1))
                if slips(kind)
            ),
            show_length(seen.hair + rng.normal(0, 0.0007), seen.style),
        )
        hands.does("read", exercise.parse("read", text), text)
    return hands.ended()


def vial(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Let go, wait till it stands, both ends."""
    hands = Hands(exercise, attempt)
    for _ in range(exercise.count):
        left_on, early = slips("hand"), slips("ran")
        if not left_on:
            hands.does("off")
        if early:
            # Too soon for the bubble: the warmth of a hand is long gone only where it was waited for.
            hands.does("wait", 1.0)
        else:
            # Two looks that agree: creeping and cooling may cancel for one of them.
            still = 0
            for _look in range(16):
                before = hands.thing.shows
                hands.does("wait", 12)
                still = still + 1 if abs(hands.thing.shows - before) < 0.06 else 0
                if still == 2:
                    break
        wrong = slips("ends")
        for end, key in enumerate(("left", "right")):
            shown = hands.thing.ends[end] + rng.normal(0, 0.05)
            hands.does(key, -shown if wrong and end == 0 else shown)
    return hands.ended()


def lines(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Wait till it stands where it stood, then the lower edge."""
    hands = Hands(exercise, attempt)
    for _ in range(exercise.count):
        if not slips("ran"):
            for _look in range(15):
                hands.does("wait", 8)
                if hands.thing.widest < 0.0006:
                    break
        low, high = hands.thing.edges
        hands.does("read", 1000 * ((high if slips("edge") else low) + rng.normal(0, 0.0002)))
    return hands.ended()


def _reaches(slope, peg: int) -> float:
    """Where the line passes the last peg and as many of those before it as it can, as equally far as can be."""

    def worth(stand: float) -> tuple[int, float]:
        far = peg
        while far + 1 < len(slope.along) and not math.isnan(slope.reads(stand, far + 1)):
            far += 1
        unequal = abs((stand - slope.along[peg]) - (slope.along[far] - stand))
        return (far if not math.isnan(slope.reads(stand, peg)) else -1, -unequal)

    begin = slope.along[peg]
    return max((begin + 1 + 0.5 * k for k in range(80)), key=worth)


def whole(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Down the slope: stand half way to where the line still reaches, read on; then every set-up again, and name the one that differs."""
    hands = Hands(exercise, attempt)
    while not hands.thing.closed:
        walk = hands.thing
        hands.does("stand", _reaches(walk.slope, walk.peg))
        while hands.thing.seen is not None and not hands.thing.closed:
            seen = hands.thing.seen
            size = next(
                (
                    s
                    for kind, s in (("ten", 0.01), ("tenth", 0.1), ("metre", 1.0), ("hair", seen.half))
                    if slips(kind)
                ),
                0.0,
            )
            text = show_length(
                seen.hair + size * rng.choice([-1, 1]) + rng.normal(0, 0.0007), seen.style
            ).replace("−", "-")
            hands.does("read", exercise.parse("read", text), text)
            if not hands.thing.closed:
                walk = hands.thing
                last = walk.peg
                if walk.fresh or math.isnan(walk.true(walk.setup, last + 1, spoiled=False)):
                    break
                hands.does("on")
    off = []
    for n in range(1, hands.thing.setup + 1):
        hands.does("again", n)
        off.append(abs(hands.thing.read_again(n) - hands.thing.rises[n - 1]))
    hands.does("found", int(np.nanargmax(off)) + 1)
    return hands.ended()


def held(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Look past the telescope, call what is wrong, have it rocked, the lowest."""
    hands = Hands(exercise, attempt)
    calls = {"it leaned to a side": "plumb", "its joint gaped": "home", "it stood on a nail": "clear"}
    for _ in range(exercise.count):
        if not slips("held"):
            hands.does("eye")
            if hands.thing.staff.fault in calls:
                hands.does(calls[hands.thing.staff.fault])
            hands.does("eye")
        if slips("rock"):
            low = hands.thing.staff.shows
        else:
            seen = []
            for _rock in range(5):
                hands.does("rock")
                seen.append(hands.thing.staff.shows)
            low = min(seen)
        off = 0.1 * rng.choice([-1, 1]) if slips("tenth") else rng.normal(0, 0.0006)
        text = show_length(low + off, hands.thing.seen.style)
        hands.does("read", exercise.parse("read", text), text)
    return hands.ended()


def signals(exercise, attempt: Attempt, slips, rng) -> Attempt:
    """Do what is signalled."""
    hands = Hands(exercise, attempt)
    keys = [hand.key for hand in exercise.hands]
    for _ in range(exercise.count):
        meant = hands.thing.what
        hands.does(str(rng.choice([key for key in keys if key != meant])) if slips("signal") else meant)
    return hands.ended()


DOES = {
    "held": held,
    "signals": signals,
    "tripod": tripod,
    "three": screws,
    "four": screws,
    "telescope": telescope,
    "staff": staff,
    "upside": staff,
    "eighths": staff,
    "vial": vial,
    "lines": lines,
    "whole": whole,
}


def learner(kind: str, seed: list[int], *, by_record: bool) -> int:
    """How many exercises it takes until a habit is named; 0 where none was, − where another was named first."""
    rng = np.random.default_rng(seed)
    attempts: list[Attempt] = []
    for n in range(1, MOST + 1):
        key = next_exercise(attempts) if by_record else list(EXERCISES)[int(rng.integers(len(EXERCISES)))]
        exercise = EXERCISES[key]
        attempt = Attempt(n, key, level_of(attempts, key), int(rng.integers(1 << 30)))

        def slips(which: str) -> bool:
            return bool(rng.random() < (OFTEN if which == kind else STRAY))

        attempts.append(DOES[key](exercise, attempt, slips, rng))
        named = habit(skills(attempts))
        if named:
            return n if named == kind else -n
    return 0


def row(count: int, seed: int, kind: str) -> tuple[list[int], list[int]]:
    key = list(KINDS).index(kind) if kind else 99
    return tuple(
        [learner(kind, [seed, key, k], by_record=way) for k in range(count)] for way in (True, False)
    )


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 100, int(words[1]) if len(words) > 1 else 1
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(row, count, seed), [*KINDS, ""]))
    lines = [
        HEAD,
        "",
        f"{count} scripted learners a habit, `./run measure yard {count} {seed}`, {datetime.date.today()}: the habit's mistake made three times in ten where it can be, any other once in two hundred. How often the habit is the first that is named within {MOST} exercises, how often another is, and the exercises that took, chosen by the record and at random:",
        "",
        "| habit | named | another named | exercises | chosen at random: named | exercises |",
        "|---|---|---|---|---|---|",
    ]
    for kind, (by_record, random) in zip([*KINDS, ""], found, strict=True):
        told = [f"{np.mean([n > 0 for n in ns]):.0%}" for ns in (by_record, random)]
        took = [
            f"{np.median([n for n in ns if n > 0]):g}" if any(n > 0 for n in ns) else "–"
            for ns in (by_record, random)
        ]
        other = f"{np.mean([n < 0 for n in by_record]):.0%}"
        name = KINDS[kind][0] if kind else "none: a good learner"
        lines.append(f"| {name} | {told[0]} | {other} | {took[0]} | {told[1]} | {took[1]} |")
    put(HEAD, lines)
    print("\n".join(lines))
    return 0
