"""A body's feet as its readings have them, handed over to be brought level, and what every body says of its readings.

Source: what is judged are the feet against one another (`core/moving`); a round's change is taken against what was not moved, for
tilts tell no height of their own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.body.feet import bubble_after
from vivid_keel.core.body.model import Adjusted
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import MovingBook
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import learn
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.quantities import show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

LEVEL = "the level"
"""As it is named where it is said."""
DISAGREE = 6.0
"""Readings whose spread is more than so many times what it should be disagree: something moved, or one was booked wrong [1]."""


@dataclass(frozen=True)
class AsTheyAre:
    """Heights of the feet against one another: nothing is read at them but what the body says."""

    heights: Floats

    def at(self, place: int, height: float) -> float:
        return height

    def nominal(self, place: int, height: float) -> float:
        return height

    def read(self, place: int) -> float:
        return float(self.heights[place])

    def hangs(self, place: int) -> bool:
        return True

    def height_of(self, reading: float) -> float:
        return reading


@dataclass(frozen=True)
class Stands:
    """Feet by their readings: heights (n,) [m] and their covariance (n, n) [m²]."""

    heights: Floats
    covariance: Floats

    @property
    def u(self) -> float:
        """The u of one foot's height, as if each were read by itself, so that no pair is known worse than said [m]."""
        c = self.covariance
        pairs = np.diag(c)[:, None] + np.diag(c)[None, :] - 2 * c
        return float(np.sqrt(max(pairs.max(), 0.0) / 2)) if len(c) else 0.0

    def against(self, away: Floats) -> Stands:
        """Return them against a plane of their own: `away` (n, n) takes it out [1]."""
        return Stands(away @ self.heights, away @ self.covariance @ away.T)


def of_feet(found: Adjusted | None, feet: Sequence[int]) -> Stands | None:
    """Return the feet of a body, by their nodes."""
    if found is None or not feet:
        return None
    at = np.array(feet)
    return Stands(found.heights[at], found.covariance[np.ix_(at, at)])


Turned = tuple[dict[int, float], dict[int, int]]
"""What was put in at a foot [m] and how many leaves, by the foot's id."""


def happened(
    book: MovingBook, rounds: Sequence[tuple[Turned, Stands | None, Stands | None]]
) -> list[tuple[Floats, Floats, Floats]]:
    """Return what the finished rounds did: put in (n,) [m], leaves (n,), change (n,) [m]; rounds not read at both ends tell nothing.

    `rounds` are what was turned, and the feet before and after it.
    """
    out = []
    for (put, leaves), before, after in rounds:
        made = np.array([put.get(p.id, 0.0) for p in book.points])
        count = np.array([leaves.get(p.id, 0) for p in book.points], dtype=np.float64)
        change = np.full(len(made), np.nan)
        if (
            before is not None
            and after is not None
            and len(before.heights) == len(made) == len(after.heights)
        ):
            went = after.heights - before.heights
            change = went + float(np.mean(made - book.limits.interface * count - went))
        out.append((made, count, change))
    return out


def task_of(
    book: MovingBook,
    found: Stands | None,
    left: Stands | None,
    rounds: Sequence[tuple[Turned, Stands | None, Stands | None]] = (),
) -> Task:
    """Return a body's feet as what is to be brought level, each moved where it is judged."""
    n = len(book.points)
    none = np.full(n, np.nan)
    read = [s if s is not None and len(s.heights) == n else None for s in (found, left)]
    now, then = (none if s is None else s.heights - s.heights.mean() for s in read)
    u, again = (np.full(n, 0.0 if s is None else s.u) for s in read)
    has = ~np.isnan(now)
    xy = np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2)
    did = [one for one in happened(book, rounds) if not np.isnan(one[2]).any()]
    return Task(
        [p.name for p, h in zip(book.points, has, strict=True) if h],
        xy[has],
        np.arange(n),
        has,
        now,
        then,
        now,
        u,
        again,
        0.0,
        0.0,
        0.0,
        0.0,
        learn(book, did, float(max(u.max(initial=0.0), 1e-7))),
        did,
        AsTheyAre(now),
    )


def bubbles_after(result: Moved, now: Floats, by_feet: Floats) -> dict[int, Floats]:
    """Return what each level shows once a foot was turned, and those before it (m,) [rad], by the foot's place among all.

    Parameters
    ----------
    result : Moved
    now : float array (m,)
        What they show as found [rad].
    by_feet : float array (m, n)
        What they show more for each foot's own rise [rad/m]; what one foot does to the others is learned from the rounds.
    """
    learned = result.learned.response
    if learned is not None:
        by_feet = by_feet @ learned.matrix
    made = np.zeros(len(result.book.points))
    for i in result.to_move:
        done = result.booked(i)
        made[i] = result.lifts[i] if done is None else done.put
    order = [i for i in result.to_move if i not in result.broken]
    after = bubble_after(now, by_feet, np.nan_to_num(made), order)
    return dict(zip(order, after, strict=True))


def body_budget(found: Stands | None) -> Budget:
    """Return what one deviation owes."""
    each = 0.0 if found is None else found.u
    return Budget(
        (BudgetLine("this foot, by the level", each), BudgetLine("the other's, by the level", each))
    )


def reading_findings(body: Adjusted | None, unread: KeelError | None) -> list[Finding]:
    """Return what there is to say of the readings of a body: what they can't tell, that they disagree, the level's own error."""
    out = []
    if unread is not None:
        out.append(
            Finding(
                "open",
                "Not told yet",
                f"{unread.message[:1].upper()}{unread.message[1:]}.",
                action="read",
                action_label="Go on reading",
            )
        )
    if body is None:
        return out
    factor = body.variance_factor
    if factor is not None and factor > DISAGREE:
        out.append(
            Finding(
                "open",
                "The readings disagree",
                f"They scatter {show_number(math.sqrt(factor), 1)} times more than this level should. Did something move, or was one laid the other way round? Read the side again that fits least.",
                action="read",
                action_label="Go to the readings",
            )
        )
    if LEVEL in body.zeros:
        zero, u = body.zeros[LEVEL] * 1000, 2 * body.u_zeros[LEVEL] * 1000
        if abs(zero) > u:
            out.append(
                Finding(
                    "note",
                    f"The level is out by {show_number(zero, 3, signed=True)} mm/m",
                    f"± {show_number(u, 3)} mm/m, found by turning it round; it is out of every height here.",
                )
            )
    return out
