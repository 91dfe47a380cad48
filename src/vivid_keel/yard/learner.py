"""What a learner slips at: how often each kind of mistake is made, how well that is known, and which exercise is next.

Source: a beta-binomial model. Before anything was seen a kind of mistake is made once in twenty times, as well known as from six; each
opening that was used or not moves that. A habit is named where it is made oftener than once in eight with odds of seven to three.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.record.journal import Journal
from vivid_keel.yard.attempt import Act, Attempt, Debrief
from vivid_keel.yard.holder import HeldExercise, SignalsExercise
from vivid_keel.yard.resting import LinesExercise, VialExercise
from vivid_keel.yard.rounds import Rounds
from vivid_keel.yard.screws import ScrewsExercise
from vivid_keel.yard.staff import EIGHTHS, METRIC, StaffExercise
from vivid_keel.yard.telescope import TelescopeExercise
from vivid_keel.yard.tripod import TripodExercise
from vivid_keel.yard.whole import WholeExercise

STAVES = (
    StaffExercise("staff", "Read a metric staff", METRIC, ("ten", "fifty", "tenth", "metre", "hair", "swap")),
    StaffExercise(
        "upside",
        "Read a staff upside down",
        METRIC,
        ("upside", "ten", "tenth", "metre", "hair"),
        upside_down=True,
    ),
    StaffExercise("eighths", "Read feet and inches", EIGHTHS, ("inch", "tenth", "metre", "hair")),
)
Exercise = StaffExercise | Rounds[Any]
EXERCISES: dict[str, Exercise] = {
    one.key: one
    for one in (
        TripodExercise(),
        ScrewsExercise(3),
        ScrewsExercise(4),
        TelescopeExercise(),
        *STAVES,
        HeldExercise(),
        SignalsExercise(),
        VialExercise(),
        LinesExercise(),
        WholeExercise(),
    )
}
"""By their key, in the order of the work."""
PRIOR = (0.3, 5.7)
OFTEN, SURE = 1 / 8, 0.7
"""A kind that is made oftener than the one with so much certainty is a habit."""
UNSEEN = 0.3
"""A kind that no exercise offered yet is looked at before one that is a habit with less likelihood."""
LEVELS = 3
PAUSE = 300.0
"""Between two acts a longer pause counts as so much: it was left, and taken up again [s]."""
FADES = 0.92
"""What was done an attempt earlier counts so much less [1]: who learns gets rid of a habit."""
WELL = 0.9
"""So much of the openings without a slip, and the next attempt is harder."""


class Skill(Struct, frozen=True):
    """A kind of mistake: openings and slips as they count now, its rate with a lower and an upper bound (90 %), and how likely it is
    that it is made oftener than once in eight."""

    openings: float
    slips: float
    rate: float
    low: float
    high: float
    likely: float

    @property
    def habit(self) -> bool:
        """Whether it is one."""
        return self.slips >= 2 and self.likely > SURE


def skill(openings: float, slips: float) -> Skill:
    """Return what so many openings and slips say.

    Parameters
    ----------
    openings, slips : float
        As they count [1].
    """
    from scipy.special import betainc, betaincinv

    a, b = PRIOR[0] + slips, PRIOR[1] + max(openings - slips, 0.0)
    low, high = (float(betaincinv(a, b, q)) for q in (0.05, 0.95))
    return Skill(openings, slips, a / (a + b), low, high, 1 - float(betainc(a, b, OFTEN)))


def fold_attempts(journal: Journal, learner: int) -> list[Attempt]:
    """Return what a learner did, oldest first."""
    out: list[Attempt] = []
    acts: list[Act] = []
    times: list[datetime] = []

    def close(*, ended: bool) -> None:
        if out and not out[-1].ended:
            took = sum(min((b - a).total_seconds(), PAUSE) for a, b in zip(times, times[1:], strict=False))
            out[-1] = replace(out[-1], acts=tuple(acts), ended=ended, took=max(took, 0.0))

    for entry in journal.standing(learner, "yard-begin", "yard-act", "yard-end"):
        b = entry.body
        if entry.kind == "yard-begin":
            close(ended=False)
            acts, times = [], [_when(entry.time)]
            level = max(1, min(LEVELS, int(b["level"])))
            out.append(Attempt(entry.id, str(b["exercise"]), level, abs(int(b["seed"])), day=entry.time[:10]))
        elif entry.kind == "yard-act":
            acts.append(Act(str(b["what"]), str(b["text"]), float(b["value"])))
            times.append(_when(entry.time))
        else:
            close(ended=True)
    close(ended=False)
    return [one for one in out if one.exercise in EXERCISES]


def _when(time: str) -> datetime:
    """When an entry was made; one whose time can't be read was made at once."""
    try:
        return datetime.fromisoformat(time).astimezone(UTC)
    except (ValueError, OverflowError):
        return datetime(2000, 1, 1, tzinfo=UTC)


@lru_cache(maxsize=4096)
def debrief(attempt: Attempt) -> Debrief:
    """Return what came of an attempt, worked out once."""
    return EXERCISES[attempt.exercise].debrief(attempt)


def skills(attempts: Sequence[Attempt]) -> dict[str, Skill]:
    """Return every kind of mistake with what was seen of it; of one that no exercise offered yet nothing."""
    openings: dict[str, float] = {}
    slips: dict[str, float] = {}
    for one in attempts:
        told = debrief(one).slips
        for kind, (could, made) in told.items():
            if could:
                openings[kind] = openings.get(kind, 0.0) * FADES + could
                slips[kind] = slips.get(kind, 0.0) * FADES + made
    return {kind: skill(openings[kind], slips[kind]) for kind in openings}


def habit(found: Mapping[str, Skill]) -> str:
    """Return the kind that is made most often of those that are habits; "" where none is."""
    named = [kind for kind, one in found.items() if one.habit]
    return max(named, key=lambda kind: found[kind].rate) if named else ""


def level_of(attempts: Sequence[Attempt], exercise: str) -> int:
    """Return how hard the next attempt at an exercise is: one harder after a good one, the same after another."""
    mine = [one for one in attempts if one.exercise == exercise and one.ended]
    if not mine:
        return 1
    told = debrief(mine[-1])
    could = sum(n for n, _ in told.slips.values())
    clean = could > 0 and 1 - sum(made for _, made in told.slips.values()) / could >= WELL
    good = bool(told.steps) and all(step.good for step in told.steps[-1:])
    return min(LEVELS, mine[-1].level + (clean and good))


def next_exercise(attempts: Sequence[Attempt]) -> str:
    """Return which exercise is next: the one that shows what is likeliest a habit, what nobody looked at yet, and what wasn't done for long."""
    found = skills(attempts)
    worth: dict[str, float] = {}
    for key, one in EXERCISES.items():
        ago = next(
            (k for k, past in enumerate(reversed(attempts)) if past.exercise == key), len(attempts) + 3
        )
        weak = max(found[kind].likely if kind in found else UNSEEN for kind in one.shows)
        unseen = sum(kind not in found for kind in one.shows)
        worth[key] = weak + 0.02 * math.log1p(ago) + 0.01 * unseen
    return max(worth, key=lambda key: worth[key])
