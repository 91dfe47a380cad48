"""A body's feet as its readings have them, handed over to be brought level, and what every body says of its readings.

Source: what is judged are the feet against one another (`core/moving`); a round's change is taken against what was not moved, for
tilts tell no height of their own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.body.feet import bubble_after
from vivid_keel.core.body.model import Adjusted, Body, Observation
from vivid_keel.core.body.propose import most_telling
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import LEFT, MovingBook, Round
from vivid_keel.core.moving.response import SHARES, Response, unlikely
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.rounds import learn
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_OUT, Budget, BudgetLine
from vivid_keel.core.quantities import show_amount, show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

LEVEL = "the level"
"""As it is named where it is said."""
LEAST_ANSWER = 0.05
"""A level that a foot moves by less than so much of its turn tells nothing of the turn [1]."""
DISAGREE = 6.0
"""Readings whose spread is more than so many times what it should be disagree: something moved, or one was booked wrong [1]."""


class AsTheyAre(Struct, frozen=True):
    """Heights of the feet against one another: nothing is read at them but what the body says."""

    heights: Floats
    answer: Floats | None = None
    """What each foot's turn does to the height of every one (n, n) [1], learned from the rounds; None while there are none."""

    def at(self, place: int, height: float) -> float:
        """Return a `height` [m] as it is."""
        return height

    def nominal(self, place: int, height: float) -> float:
        """Return a `height` [m] as it is."""
        return height

    def read(self, place: int) -> float:
        """Return the height of a foot [m]."""
        return float(self.heights[place])

    def hangs(self, place: int) -> bool:
        """Whether more is higher: always."""
        return True

    def height_of(self, reading: float) -> float:
        """Return the height that a `reading` [m] means: itself."""
        return reading


class Stands(Struct, frozen=True):
    """Feet by their readings: heights (n,) [m] and their covariance (n, n) [m²]; `blind` (k, n) are sums of heights [1] that these
    readings don't tell, and that were taken for granted.
    """

    heights: Floats
    covariance: Floats
    blind: Floats | None = None

    def told(self, change: Floats, expected: Floats) -> Floats:
        """Return a change (n,) [m] with what the readings don't tell of it as expected."""
        if self.blind is None:
            return change
        return np.asarray(change + np.linalg.pinv(self.blind) @ self.blind @ (expected - change))

    @property
    def each(self) -> Floats:
        """The u of each foot's height (n,), as if it were read by itself, so that no pair is known worse than said [m]."""
        c = self.covariance
        pairs = np.diag(c)[:, None] + np.diag(c)[None, :] - 2 * c
        return np.asarray(np.sqrt(np.maximum(pairs.max(axis=1), 0.0) / 2))

    @property
    def u(self) -> float:
        """The u of the foot that is known worst [m]."""
        return float(self.each.max(initial=0.0))

    def against(self, away: Floats) -> Stands:
        """Return them against a plane of their own: `away` (n, n) takes it out [1]."""
        return Stands(away @ self.heights, away @ self.covariance @ away.T)


def of_feet(found: Adjusted | None, feet: Sequence[int], blind: Floats | None = None) -> Stands | None:
    """Return the feet of a body, by their nodes; `blind` (k, n) are the sums of their heights that were taken for granted [1]."""
    if found is None or not feet:
        return None
    at = np.array(feet)
    return Stands(found.heights[at], found.covariance[np.ix_(at, at)], blind)


Happened = tuple[Round, Stands | None, Stands | None]
"""A finished round, and the feet before and after it."""


def happened(
    book: MovingBook, rounds: Sequence[Happened], u: float
) -> tuple[list[tuple[Floats, Floats, Floats]], float]:
    """Return what the finished rounds did: put in (n,) [m], leaves (n,), change (n,) [m], those not read at both ends tell nothing;
    and how much of a turn tips the whole by what was watched [1], nan where nothing was.

    `u` [m] is what one height is worth against another: how all lie to gravity may be known far worse, and doesn't matter here.
    """
    out, n = [], len(book.points)
    told = [
        (one, before, after)
        for one, before, after in rounds
        if before is not None and after is not None and len(before.heights) == len(after.heights) == n
    ]
    if not told:
        return [], math.nan
    tips = tips_of(book)
    watched = tips is not None and any(one.watched for one, _, _ in told)

    def worth(share: float) -> float:
        return unlikely(sum(_misfit(book, one, tips, share) for one in told), u, share)

    best = min(SHARES, key=worth) if watched else 0.0
    for one, before, after in told:
        made = _made(book, one, before, tips, best)
        leaves = np.array([one.leaves.get(p.id, 0) for p in book.points], dtype=np.float64)
        answer = _answer(tips, best, n)
        out.append((made, leaves, _went(before, after, answer @ (made - book.limits.interface * leaves))))
    return out, best if watched else math.nan


def _answer(tips: Floats | None, share: float, n: int) -> Floats:
    return np.eye(n) if tips is None else Response.tipping(tips, share).matrix


def _went(before: Stands, after: Stands, expected: Floats) -> Floats:
    """How far each foot went (n,) [m]: tilts tell no height, so that all together went as far as was expected (n,) [m]."""
    went = after.told(after.heights - before.heights, expected)
    return np.asarray(went + float(np.mean(expected - went)))


def _made(book: MovingBook, one: Round, before: Stands, tips: Floats | None, share: float) -> Floats:
    """How far each foot was turned in a round (n,) [m]: as booked; one turned until a level showed what it was to, as far as it
    took for that, by the answer with a `share` [1] (see `Response.tipping`)."""
    made = np.array([one.put.get(p.id, 0.0) for p in book.points])
    if tips is None or not one.watched:
        return made
    at = {p.id: k for k, p in enumerate(book.points)}
    answer = Response.tipping(tips, share).matrix
    watched = [w for w in one.watched if {w.point, w.start, w.to} <= set(at)]
    booked = made.copy()
    for w in watched:
        made[at[w.point]] = 0.0
    h = before.heights + answer @ made
    for w in watched:
        i, a, b = at[w.point], at[w.start], at[w.to]
        far = math.hypot(book.points[b].x - book.points[a].x, book.points[b].y - book.points[a].y)
        by = float(answer[b, i] - answer[a, i])
        more = (w.tilt * far - float(h[b] - h[a])) / by if abs(by) > LEAST_ANSWER else booked[i]
        made[i] += more
        h = h + answer[:, i] * more
    return made


def _misfit(book: MovingBook, told: tuple[Round, Stands, Stands], tips: Floats | None, share: float) -> float:
    """How far a round's end is from where such a share would have it: Σ of squares [m²]."""
    one, before, after = told
    assert tips is not None or share == 0.0
    made = _made(book, one, before, tips, share)
    expected = _answer(tips, share, len(made)) @ made
    return float(((_went(before, after, expected) - expected) ** 2).sum())


def tips_of(book: MovingBook) -> Floats | None:
    """Return what each foot does to the rigid bodies that they carry (n, n) [1]; None where they tell none."""
    xy = np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2)
    out = np.zeros((len(xy), len(xy)))
    for carried in book.bodies:
        at = list(carried)
        plane = np.column_stack([np.ones(len(at)), xy[at]])
        if len(at) < 3 or np.linalg.matrix_rank(plane) < 3:
            return None
        out[np.ix_(at, at)] = plane @ np.linalg.pinv(plane)
    return out


def task_of(
    book: MovingBook,
    found: Stands | None,
    left: Stands | None,
    rounds: Sequence[Happened] = (),
    away: Floats | None = None,
) -> Task:
    """Return a body's feet as what is to be brought level, each moved where it is judged.

    Parameters
    ----------
    book : MovingBook
    found, left : Stands or None
        As it is to be judged.
    rounds : sequence of Happened
        Finished ones, with the feet as they stood.
    away : float array (n, n), optional
        What takes the body's own plane out of heights [1], where they are judged against that.
    """
    n = len(book.points)
    none = np.full(n, np.nan)
    read = [s if s is not None and len(s.heights) == n else None for s in (found, left)]
    now, then = (none if s is None else s.heights - s.heights.mean() for s in read)
    u, again = (np.zeros(n) if s is None else s.each for s in read)
    level = np.eye(n) - 1 / max(n, 1)
    covariances = [None if s is None else level @ s.covariance @ level for s in read]
    has = ~np.isnan(now)
    xy = np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2)
    noise = float(max(u.max(initial=0.0), 1e-7))
    did, watched = happened(book, rounds, noise)
    learned = learn(book, did, noise, tips=tips_of(book), watched=watched)
    answer = None if learned.response is None else learned.response.matrix
    if away is not None:
        did = [(made, leaves, away @ change) for made, leaves, change in did]
        learned = replace(learned, response=None if answer is None else Response(away @ answer))
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
        learned,
        did,
        AsTheyAre(now, answer),
        together=covariances[0],
        together_again=covariances[1],
        one_line=False,
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
    by_feet = by_feet @ answer_of(result)
    order = [i for i in result.to_move if i not in result.broken]
    after = bubble_after(now, by_feet, made_of(result), order)
    return dict(zip(order, after, strict=True))


def made_of(result: Moved) -> Floats:
    """Return how far each foot goes in this round (n,) [m]: by what was booked, what closes between leaves taken off, else as planned."""
    made = np.zeros(len(result.book.points))
    for i in result.to_move:
        done = result.booked(i)
        closes = 0.0 if done is None else done.hung + result.learned.interface * done.leaves
        made[i] = result.lifts[i] if done is None else done.put - closes
    return np.nan_to_num(made)


def rises_of(result: Moved, upto: int = -1) -> Floats:
    """Return what each foot rises by what is made of all of them (n,) [m], or of those up to one in the order of work (its place)."""
    made = made_of(result)
    if upto in result.to_move:
        later = result.to_move[result.to_move.index(upto) + 1 :]
        made[later] = 0.0
    return answer_of(result) @ made


def answer_of(result: Moved) -> Floats:
    """Return what each foot's turn does to the height of every one (n, n) [1], as far as is known now."""
    shows = result.task.shows
    known = shows.answer if isinstance(shows, AsTheyAre) else None
    return np.eye(len(result.book.points)) if known is None else known


LESSENS = 0.1
"""Readings that take so much off the deciding U are worth making [1]."""


Place = TypeVar("Place")


def worth_reading(
    result: Moved,
    phase: str,
    body: Body,
    found: Adjusted,
    feet: Sequence[int],
    could: Sequence[tuple[Place, Observation, str]],
) -> tuple[list[Place], list[Finding]]:
    """Return the one or two places whose readings would lessen the deciding U most, where a foot isn't told for certain, and what is said.

    `feet` are the nodes of the feet in order, `could` what may be read, each with its words. What decides is how an uncertain foot stands
    against the one that stays, against the middle of all where none does.
    """
    verdicts = result.left_verdicts if phase == LEFT else result.verdicts
    unsure = [i for i, verdict in enumerate(verdicts) if verdict == NOT_PROVEN]
    rows = np.zeros((len(unsure), len(found.heights)))
    stays = [feet[i] for i in result.keepers[:1]] or list(feet)
    for k, i in enumerate(unsure):
        rows[k, feet[i]] += 1.0
        rows[k, stays] -= 1.0 / len(stays)
    told = most_telling(body, found, [one for _, one, _ in could], rows)
    if not told or told[-1].u_with > told[0].u_without * (1 - LESSENS):
        return [], []
    style = result.book.style
    amounts = [show_amount(2 * u, style, 2) for u in (told[0].u_without, *(one.u_with for one in told))]
    places, words = [could[one.which][0] for one in told], [could[one.which][2] for one in told]
    more = f"; with {words[1]} as well, to {amounts[2]}" if len(told) > 1 else ""
    said = Finding(
        "note",
        f"One reading more would tell most: {words[0]}",
        f"It takes the U that decides from {amounts[0]} to {amounts[1]}{more}. It has its line on the sheet.",
        action="read",
        action_label="Go to the readings",
    )
    return places, [said]


MIRRORED = 60.0
"""A level and its reading turned round that are so many u apart, and minus one another, were likely read by the level's own end [1]."""
ROBS = 0.15
"""Feet that share so much of their turns take load from one another, and that is said [1]."""


def answer_findings(result: Moved) -> list[Finding]:
    """Return what the rounds taught of how the body answers its feet."""
    turned = turned_round(result)
    if turned:
        return turned
    tips, n = tips_of(result.book), len(result.book.points)
    held = 3 * len(result.book.bodies)
    if result.learned.response is None or tips is None or n <= held:
        return []
    share = (n - float(np.trace(answer_of(result)))) / (n - held)
    if share < ROBS:
        return []
    return [
        Finding(
            "note",
            f"About {share * 100:.0f} % of a turn tips the whole",
            "Its feet take load from one another: what one raises, the others give. The moves and the bubble's places reckon with it from here on.",
        )
    ]


def less_for_the_feet(result: Moved, verdict: str) -> tuple[str, str]:
    """Return the action and its label where a whole shape is out though every foot by itself is within its tolerance: allow them less."""
    if verdict != PROVEN_OUT or result.to_move or not result.read:
        return "", ""
    return "target", "Allow the feet less"


TURNED_ROUND = -0.5
"""Feet that answer by less than so much of what was booked went the other way [1]."""


def turned_round(result: Moved) -> list[Finding]:
    """Return what is said where everything answered the other way round: by the round in hand once it is read, else by the last."""
    book, told = result.book, list(result.task.happened)
    booked = [book.booked.get(p.id) for p in book.points]
    made = np.array([0.0 if put is None else put.put for put in booked])
    went = result.task.left - result.task.found
    if not np.isnan(went).any() and np.abs(made).max(initial=0.0) > 0:
        told.append((made, np.zeros(len(made)), went))
    if not told:
        return []
    put_in, _, change = told[-1]
    put_in, change = put_in - put_in.mean(), change - np.nanmean(change)
    size = float(put_in @ put_in)
    u = float(np.nanmax(result.task.u)) if len(result.task.u) else 0.0
    if np.isnan(change).any() or math.sqrt(size) < MIRRORED_FROM * max(u, 1e-7):
        return []
    if float(put_in @ change) / size > TURNED_ROUND:
        return []
    return [
        Finding(
            "open",
            "Everything answered the other way round",
            "What was raised reads lower. Is the sign of this level turned round (+ must be its far end high), or was every foot turned the wrong way? Try one foot, and see which way the number goes.",
            action="read",
            action_label="Go to the readings",
        )
    ]


MIRRORED_FROM = 6.0
"""A round that moved its feet by fewer u tells nothing of which way they went [1]."""


def body_budget(found: Stands | None) -> Budget:
    """Return what one deviation owes."""
    each = 0.0 if found is None else found.u
    return Budget(
        (BudgetLine("this foot, by the level", each), BudgetLine("the other's, by the level", each))
    )


def mirrored(pairs: Sequence[tuple[str, float, float]], u: float) -> list[Finding]:
    """Return what is to be asked where a level turned round reads as minus the first: `pairs` are (where, tilt, turned round [rad]),
    each known to `u` [rad]. Turned round, + is still where the same end of the place is high."""
    return [
        Finding(
            "open",
            f"Turned round reads as minus the first: {where}",
            "Is + still where the arrow's end is high, not the level's own? If so, this level is far out; set it first.",
            action="read",
            action_label="Go to the readings",
        )
        for where, first, turned in pairs
        if abs(first + turned) < 2 * u and abs(first - turned) > MIRRORED * u
    ]


def came_back(where: str, first: float, again: float, u: float, division: float) -> list[Finding]:
    """Return what a place says that was read first [rad] and again last [rad], each known to `u` [rad]; `division` [rad] is the level's.

    Source: two readings of one place differ by √2·u; three times that is no chance.
    """
    off = again - first
    if abs(off) > 3 * math.sqrt(2) * u:
        return [
            Finding(
                "out",
                f"Something moved: {where} reads {show_number(off / division, 1, signed=True)} divisions otherwise now",
                "Between the first look and the last the level was knocked, it was warmed, or what stands there gave way. Read all of it again.",
                action="read",
                action_label="Go to the readings",
            )
        ]
    return [
        Finding(
            "in",
            f"Come back to {where}: nothing moved",
            f"{show_number(off / division, 1, signed=True)} divisions between the first look and the last.",
        )
    ]


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
