"""Whether the practice yard names a learner's habit, and accuses no good one: ./run measure yard [LEARNERS] [SEED].

Scripted learners do the exercises as a person would, with hands that are a little off; each has one habit, a mistake made three times in
ten where it can be made. They know nothing of how the yard judges. Writes docs/measured.md.
"""

from __future__ import annotations

import datetime
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial

import numpy as np

from tests.page import put
from vivid_keel.core.quantities import show_length
from vivid_keel.stands.heads import PITCH, RADIUS
from vivid_keel.yard.attempt import KINDS, Attempt
from vivid_keel.yard.learner import EXERCISES, habit, level_of, next_exercise, skills
from vivid_keel.yard.screws import LEVELLED, LOOK, SEEN, SET_UPS, ScrewsExercise
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
    pairs = ("far", "left-right") if exercise.count == 3 else ("along", "across")
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
            if exercise.count == 4 and slips("pair"):
                does(
                    {"along": "far", "across": "right"}[what],
                    2 * turn + math.copysign(0.7, turn),
                )
                continue
            does(what, turn)

    def shown() -> tuple[float, float]:
        """The bubble in the room's directions, away and right, as well as it is seen."""
        head = exercise.head(attempt)
        along, across = (a + rng.normal(0, SEEN / 4) for a in head.shown)
        s, c = math.sin(head.azimuth), math.cos(head.azimuth)
        return along * c - across * s, along * s + across * c

    for _ in range(SET_UPS):
        signs = _signs(exercise)
        head = exercise.head(attempt)
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

        if isinstance(exercise, StaffExercise):
            attempts.append(staff(exercise, attempt, slips, rng))
        else:
            attempts.append(screws(exercise, attempt, slips, rng))
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
