"""What a level laid about on a table says of its feet, and what each bubble shows once they are turned.

Source: a body with an even twist fitted to tilts (`core/body`); moves as everywhere (`core/moving`).
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.body.facts import in_divisions
from vivid_keel.core.body.feet import tilts_by_feet
from vivid_keel.core.body.model import (
    FREE,
    RIGID,
    TWIST,
    Adjusted,
    Body,
    Gap,
    Observation,
    Step,
    Tilt,
    adjust,
)
from vivid_keel.core.body.propose import next_reading
from vivid_keel.core.body.shapes import warp
from vivid_keel.core.body.standing import (
    LEVEL,
    Stands,
    answer_findings,
    body_budget,
    bubbles_after,
    came_back,
    less_for_the_feet,
    mirrored,
    of_feet,
    reading_findings,
    task_of,
    worth_reading,
)
from vivid_keel.core.cautions import LIFTING, MACHINES, TABLE, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.findings import moving_cautions, moving_findings, no_target
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.stages import three_feet
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import VERDICT_WORDS, Budget, judge
from vivid_keel.core.quantities import show_amount, show_number
from vivid_keel.core.working import Working
from vivid_keel.trades.slab.book import AGAIN, Place, Read, SlabBook, apart, round_about, sense
from vivid_keel.trades.slab.surface import surface_findings

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


_WAYS = {1: "", -1: ", turned round", AGAIN: ", once more"}
ANY = 0.01
"""A level's own error, or a tilt, of which nothing is known [rad]: far more than any is."""
LEAST_FEELER = 1e-5
"""No feelers tell finer than this [m]."""
_SHAPES = {3: RIGID, 4: TWIST}
"""A body on more feet may bend between them: each foot is then for itself."""


def fitted(book: SlabBook, phase: str, read: Read | None = None) -> tuple[Adjusted | None, KeelError | None]:
    """Return the body as its readings of a phase have it; None and why where they can't tell it, None and None where nothing is read.

    `read` is what was read in an earlier round, in place of the one in hand.
    """
    seen = _observed(book, phase, read or book.read)
    if not seen:
        return None, None
    try:
        return adjust(_body(book), [*seen, *_any_plane(book)], _zeros(book)), None
    except KeelError as error:
        return None, error


def _body(book: SlabBook) -> Body:
    """Its feet, and the middle between four of them, where a straightedge crosses."""
    names, xy = [p.name for p in book.points], [(p.x, p.y) for p in book.points]
    if len(xy) == 4 and book.by_straightedge:
        names.append("the middle")
        xy.append((sum(x for x, _ in xy) / 4, sum(y for _, y in xy) / 4))
    places = np.array(xy, dtype=np.float64).reshape(-1, 2)
    return Body(names, places, _SHAPES.get(len(book.points), FREE))


def _observed(book: SlabBook, phase: str, read: Read) -> list[Observation]:
    at = {p.id: k for k, p in enumerate(book.points)}
    seen: list[Observation] = [
        Tilt(LEVEL, at[one.start], at[one.to], sense(place), one.tilt, book.u_tilt)
        for place, one in read.laid[phase].items()
        if one.start in at and one.to in at and apart(book.points[at[one.start]], book.points[at[one.to]]) > 0
    ]
    if len(book.points) != 4:
        return seen
    for one in read.feelers[phase].values():
        if one.start in at and one.to in at:
            # It rocks where the middle stands higher than the chord: half of both gaps at the ends.
            scale = -0.5 if one.ends else 1.0
            u = max(one.high - one.low, LEAST_FEELER) / math.sqrt(12) * abs(scale)
            seen.append(Gap(at[one.start], at[one.to], 4, scale * (one.low + one.high) / 2, u))
    return seen


def _any_plane(book: SlabBook) -> list[Observation]:
    """Of what need only be true to itself the plane may stay as good as unknown: nothing that tells it need be read."""
    first = book.points[:1]
    return [
        Step(0, k, 0.0, ANY * apart(first[0], p))
        for k, p in enumerate(book.points)
        if book.only_itself and k and apart(first[0], p) > 0
    ]


def _zeros(book: SlabBook) -> dict[str, tuple[float, float]]:
    if book.facts.values["zero"] > 0.5:
        return {LEVEL: (0.0, book.u_tilt)}
    return {LEVEL: (0.0, ANY)} if book.only_itself else {}


def shown_by(book: SlabBook, body: Adjusted, place: Place) -> float:
    """What the level shows at a place of a body, its own error in it [rad]; nan where no level can be laid any more."""
    at = {p.id: k for k, p in enumerate(book.points)}
    if place[0] not in at or place[1] not in at:
        return math.nan  # a foot was struck since
    a, b = at[place[0]], at[place[1]]
    if apart(book.points[a], book.points[b]) == 0:
        return math.nan
    rise = float(body.heights[b] - body.heights[a])
    return rise / apart(book.points[a], book.points[b]) + sense(place) * body.zeros.get(LEVEL, math.nan)


class SlabResult(Moved, frozen=True):
    """A table worked out."""

    book: SlabBook

    @cached_property
    def _as_found(self) -> tuple[Adjusted | None, KeelError | None]:
        return fitted(self.book, FOUND)

    @property
    def body(self) -> Adjusted | None:
        """As found."""
        return self._as_found[0]

    @cached_property
    def body_left(self) -> Adjusted | None:
        """As left."""
        return fitted(self.book, LEFT)[0]

    @property
    def unread(self) -> KeelError | None:
        """Why the readings as found tell no heights yet, where some were made."""
        return self._as_found[1]

    def budget(self) -> Budget:
        """What one deviation owes."""
        return body_budget(_feet(self.book, self.body, *_away(self.book, self.body)))

    @cached_property
    def shown_after(self) -> dict[int, dict[Place, float]]:
        """What the level shows at every place once a foot was turned, and those before it [rad], by the foot's place among all."""
        if self.body is None or not self.to_move:
            return {}
        at = {p.id: k for k, p in enumerate(self.book.points)}
        places = self.book.places
        xy = _body(self.book).xy[: len(self.book.points)]
        by_feet = tilts_by_feet(np.eye(len(xy)), xy, [(at[a], at[b]) for a, b, _ in places])
        now = np.array([self.would_show(place) for place in places])
        return {
            i: dict(zip(places, row.tolist(), strict=True))
            for i, row in bubbles_after(self, now, by_feet).items()
        }

    def told_at(self, i: int) -> tuple[Place, float] | None:
        """On which side the level is watched while a foot is turned, and what it then shows, its own error in it [rad]."""
        shown, point = self.shown_after.get(i), self.book.points[i].id
        place = next((p for p in self.book.places if point in p[:2] and p[2] == 1), None)
        return None if shown is None or place is None or math.isnan(shown[place]) else (place, shown[place])

    def stop_words(self, i: int) -> str:
        """What the level shows once a foot was turned, and where it lies for that; "" where nothing tells."""
        told = self.told_at(i)
        if told is None and self.book.by_straightedge:
            return "straightedge: no light"
        return "" if told is None else f"{self.side(told[0])}: {in_divisions(told[1], self.book.division)}"

    def more(self, phase: str) -> tuple[list[Place], list[Finding]]:
        """What would tell more, once all that is wanted is read: the places, and what is said of them."""
        book, body = self.book, self.body if phase == FOUND else self.body_left
        if body is None or wanted_places(book, phase):
            return [], []
        at = {p.id: k for k, p in enumerate(book.points)}
        turned = [(a, b, -way) for a, b, way in book.places if (a, b, -way) not in book.laid[phase]]
        could = [
            (place, Tilt(LEVEL, at[place[0]], at[place[1]], place[2], 0.0, book.u_tilt), self.side(place))
            for place in turned
        ]
        return worth_reading(self, phase, _body(book), body, range(len(at)), could)

    def side(self, place: Place) -> str:
        """A place where the level is laid, in words."""
        names = {p.id: p.name for p in self.book.points}
        return f"{names.get(place[0], '?')} → {names.get(place[1], '?')}{_WAYS[place[2]]}"

    def would_show(self, place: Place) -> float:
        """What the level shows at a place as the body stands, its own error in it [rad]."""
        return math.nan if self.body is None else shown_by(self.book, self.body, place)

    def why_move(self, i: int, phase: str = FOUND) -> Working | None:
        """Return how a foot's height comes about, as found or as left."""
        body = self.body if phase == FOUND else self.body_left
        if body is None:
            return None
        style, name = self.book.style, self.book.points[i].name
        first = self.book.points[0].name
        h = float(body.heights[i])
        return Working(
            f"Height of {name}",
            "v = (h_to − h_from)/d + way·zero − tilt;  Σ(v/u)² least, the body a plane with an even twist",
            f"{name} stands {show_amount(h, style, 2, signed=True)} against {first};  ± {show_amount(2 * float(body.u[i]), style, 2)};  "
            f"the level's own error {show_number(body.zeros[LEVEL] * 1000, 3, signed=True)} mm/m",
            tuple(one.text for one in self.book.laid[phase].values()),
        )


def _feet(book: SlabBook, body: Adjusted | None, away: Floats | None = None) -> Stands | None:
    stands = of_feet(body, range(len(book.points)))
    return stands if stands is None or away is None else stands.against(away)


def _away(book: SlabBook, body: Adjusted | None) -> tuple[Floats, ...]:
    """What takes the plane of three feet out of all (n, n), where it need only be true to itself; nothing else.

    Of four, the one that is raised to the plane of the others is one that stands low; of more, the three that carry it best stay.
    """
    n = len(book.points)
    if not book.only_itself or body is None or n < 3:
        return ()
    xy = np.array([(p.x, p.y) for p in book.points])
    held: tuple[int, ...] | None = three_feet(xy)
    if n == 4:
        at = {p.id: k for k, p in enumerate(book.points)}
        order = [at[p.id] for p in round_about(book.points)]
        low = order[3] if warp([float(body.heights[k]) for k in order]) >= 0 else order[2]
        held = tuple(k for k in range(4) if k != low)
    if held is None:
        return ()
    plane = np.column_stack([np.ones(n), xy])
    away = np.eye(n)
    away[:, held] -= plane @ np.linalg.pinv(plane[list(held)])
    return (away,)


def measure(book: SlabBook) -> Task:
    """Return the feet as the level has them."""
    found = fitted(book, FOUND)[0]
    away = _away(book, found)
    rounds = [
        (one, _feet(book, fitted(book, FOUND, read)[0]), _feet(book, fitted(book, LEFT, read)[0]))
        for one, read in zip(book.passes, book.earlier, strict=True)
    ]
    left = _feet(book, fitted(book, LEFT)[0], *away)
    return task_of(book, _feet(book, found, *away), left, rounds, *away)


def work_out_slab(
    book: SlabBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> SlabResult:
    """Compute a table."""
    return bring(SlabResult, book, measure(book), packing, target)


def slab_findings(result: SlabResult, stage: str) -> list[Finding]:
    """Return what there is to say of a table."""
    surface = [] if result.book.surface is None else surface_findings(result.book.surface)
    out = [*no_target(result), *_readings(result), *surface, *answer_findings(result)]
    return out + moving_findings(result, stage, result.budget(), "a level", [])


def slab_cautions(result: SlabResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a foot is moved."""
    given = moving_cautions(result, stage)
    kept = tuple(caution for caution in given if caution not in (LIFTING, MACHINES))
    return (TABLE, *kept) if LIFTING in given else given


def _readings(result: SlabResult) -> list[Finding]:
    body = result.body_left or result.body  # as it stands now
    laid = result.book.laid[FOUND]
    pairs = [
        (result.side(place), one.tilt, turned.tilt)
        for place, one in laid.items()
        if place[2] == 1 and (turned := laid.get((place[0], place[1], -1))) is not None
    ]
    out = [
        *([] if result.book.passes else mirrored(pairs, result.book.u_tilt)),
        *reading_findings(body, result.unread),
    ]
    now = result.book.laid[LEFT if result.body_left is not None else FOUND]
    for place, again in now.items():
        first = now.get((*place[:2], 1))
        if place[2] == AGAIN and first is not None:
            out += came_back(
                result.side((*place[:2], 1)), first.tilt, again.tilt, result.book.u_tilt, result.book.division
            )
    if body is None:
        return out
    return [*_shape(result, body), *out, *result.more(LEFT if result.body_left is not None else FOUND)[1]]


def _shape(result: SlabResult, body: Adjusted) -> list[Finding]:
    """Tilt and twist, each against what is allowed of it."""
    book, v, out = result.book, result.book.facts.values, []
    when = "as left" if result.body_left is not None else "as found"
    if not book.only_itself and body.gradient is not None and body.u_gradient is not None:
        for name, tilt, u in zip(("along", "across"), body.gradient, body.u_gradient, strict=True):
            verdict = judge(tilt, 2 * u, v["tilt"])
            out.append(
                Finding(
                    verdict,
                    f"Tilt {name} {show_number(tilt * 1000, 3, signed=True)} mm/m",
                    f"± {show_number(2000 * u, 3)} mm/m, {when}; {show_number(v['tilt'] * 1000, 3)} mm/m allowed: {VERDICT_WORDS[verdict]}.",
                )
            )
    if len(book.points) != 4:
        return out
    value, U = twist_of(book, body)
    verdict = judge(value, U, v["twist"])
    text = "One foot takes it out, or two opposite ones half each."
    if book.only_itself:
        text = "It need be true only to itself: one foot is brought to the plane of the others."
    out.append(
        Finding(
            verdict,
            f"Twist {show_amount(abs(value), book.style)}",
            f"± {show_amount(U, book.style, up=True)}, {when}; {show_amount(v['twist'], book.style)} allowed: {VERDICT_WORDS[verdict]}. {text}",
            None,
            *less_for_the_feet(result, verdict),
        )
    )
    return out


def twist_of(book: SlabBook, body: Adjusted) -> tuple[float, float]:
    """Return how far one of four feet stands off the plane of the others [m], and U [m]."""
    at = {p.id: k for k, p in enumerate(book.points)}
    row = np.zeros(len(body.heights))
    row[[at[p.id] for p in round_about(book.points)]] = [1.0, -1.0, 1.0, -1.0]
    return float(row @ body.heights), 2 * math.sqrt(max(float(row @ body.covariance @ row), 0.0))


def wanted_places(book: SlabBook, phase: str) -> list[Place]:
    """Return where the level is still to be laid, in the order of work; what need only be true to itself asks for none turned round."""
    return [
        place
        for place in book.places
        if place not in book.laid[phase] and not (book.only_itself and place[2] < 0)
    ]


def wanted_next(result: SlabResult, phase: str) -> Place | None:
    """Return where the level is to be laid next: in the order of work, or where it tells most once the order is done but not enough."""
    book = result.book
    if book.only_itself and book.feelers[FOUND] and not book.laid[FOUND]:
        return None  # read by a straightedge alone
    wanted = wanted_places(book, phase)
    if wanted:
        return wanted[0]
    body, error = fitted(book, phase)
    if body is not None or error is None or error.code != "not-observable":
        return None
    at = {p.id: k for k, p in enumerate(book.points)}
    could = [(a, b, -way) for a, b, way in book.places]
    found = next_reading(
        _body(book),
        _observed(book, phase, book.read),
        [Tilt(LEVEL, at[a], at[b], way, 0.0, book.u_tilt) for a, b, way in could],
        _zeros(book),
    )
    return None if found is None else could[found.which]
