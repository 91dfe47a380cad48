"""What a level laid about on a table says of its feet, and what each bubble shows once they are turned.

Source: a body with an even twist fitted to tilts (`core/body`); moves as everywhere (`core/moving`).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.body.facts import ITSELF, in_divisions
from vivid_keel.core.body.feet import tilts_by_feet
from vivid_keel.core.body.model import FREE, RIGID, TWIST, Adjusted, Body, Tilt, adjust
from vivid_keel.core.body.propose import next_reading
from vivid_keel.core.body.standing import (
    LEVEL,
    Stands,
    answer_findings,
    body_budget,
    bubbles_after,
    of_feet,
    reading_findings,
    task_of,
)
from vivid_keel.core.cautions import LIFTING, MACHINES, TABLE, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.findings import moving_cautions, moving_findings, no_target
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import Budget
from vivid_keel.core.quantities import show_amount, show_number
from vivid_keel.core.working import Working
from vivid_keel.trades.slab.book import Laid, Place, SlabBook, apart

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


_SHAPES = {3: RIGID, 4: TWIST}
"""A body on more feet may bend between them: each foot is then for itself."""


def fitted(
    book: SlabBook, phase: str, laid: Mapping[str, Mapping[Place, Laid]] | None = None
) -> tuple[Adjusted | None, KeelError | None]:
    """Return the body as its readings of a phase have it; None and why where they can't tell it, None and None where nothing is read.

    `laid` are the readings of an earlier round, in place of those of the one in hand.
    """
    tilts = _tilts(book, (laid or book.laid)[phase])
    if not tilts:
        return None, None
    try:
        return adjust(_body(book), tilts, _zeros(book)), None
    except KeelError as error:
        return None, error


def _body(book: SlabBook) -> Body:
    xy = np.array([(p.x, p.y) for p in book.points], dtype=np.float64).reshape(-1, 2)
    return Body([p.name for p in book.points], xy, _SHAPES.get(len(book.points), FREE))


def _tilts(book: SlabBook, laid: Mapping[Place, Laid]) -> list[Tilt]:
    at = {p.id: k for k, p in enumerate(book.points)}
    return [
        Tilt(LEVEL, at[one.start], at[one.to], one.way, one.tilt, book.u_tilt)
        for one in laid.values()
        if one.start in at and one.to in at and apart(book.points[at[one.start]], book.points[at[one.to]]) > 0
    ]


def _zeros(book: SlabBook) -> dict[str, tuple[float, float]]:
    known = book.facts.values["zero"] > 0.5
    return {LEVEL: (0.0, book.u_tilt)} if known else {}


def shown_by(book: SlabBook, body: Adjusted, place: Place) -> float:
    """What the level shows at a place of a body, its own error in it [rad]; nan where no level can be laid any more."""
    at = {p.id: k for k, p in enumerate(book.points)}
    if place[0] not in at or place[1] not in at:
        return math.nan  # a foot was struck since
    a, b = at[place[0]], at[place[1]]
    if apart(book.points[a], book.points[b]) == 0:
        return math.nan
    rise = float(body.heights[b] - body.heights[a])
    return rise / apart(book.points[a], book.points[b]) + place[2] * body.zeros[LEVEL]


class SlabResult(Moved):
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
        return body_budget(_feet(self.book, self.body))

    @cached_property
    def shown_after(self) -> dict[int, dict[Place, float]]:
        """What the level shows at every place once a foot was turned, and those before it [rad], by the foot's place among all."""
        if self.body is None or not self.to_move:
            return {}
        at = {p.id: k for k, p in enumerate(self.book.points)}
        places = self.book.places
        xy = _body(self.book).xy
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
        return None if shown is None or place is None else (place, shown[place])

    def stop_words(self, i: int) -> str:
        """What the level shows once a foot was turned, and where it lies for that; "" where nothing tells."""
        told = self.told_at(i)
        return "" if told is None else f"{self.side(told[0])}: {in_divisions(told[1], self.book.division)}"

    def side(self, place: Place) -> str:
        """A place where the level is laid, in words."""
        names = {p.id: p.name for p in self.book.points}
        return f"{names.get(place[0], '?')} → {names.get(place[1], '?')}{'' if place[2] == 1 else ', turned round'}"

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


def _feet(book: SlabBook, body: Adjusted | None) -> Stands | None:
    return of_feet(body, range(len(book.points)))


def measure(book: SlabBook) -> Task:
    """Return the feet as the level has them."""

    def stands(phase: str, laid: Mapping[str, Mapping[Place, Laid]]) -> Stands | None:
        return _feet(book, fitted(book, phase, laid)[0])

    rounds = [
        (one, stands(FOUND, laid), stands(LEFT, laid))
        for one, laid in zip(book.passes, book.earlier, strict=True)
    ]
    return task_of(book, stands(FOUND, book.laid), stands(LEFT, book.laid), rounds)


def work_out_slab(
    book: SlabBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> SlabResult:
    """Compute a table."""
    return bring(SlabResult, book, measure(book), packing, target)


def slab_findings(result: SlabResult, stage: str) -> list[Finding]:
    """Return what there is to say of a table."""
    out = [*no_target(result), *_readings(result), *answer_findings(result)]
    return out + moving_findings(result, stage, result.budget(), "a level", [])


def slab_cautions(result: SlabResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a foot is moved."""
    given = moving_cautions(result, stage)
    kept = tuple(caution for caution in given if caution not in (LIFTING, MACHINES))
    return (TABLE, *kept) if LIFTING in given else given


def _readings(result: SlabResult) -> list[Finding]:
    book = result.book
    body = result.body_left or result.body  # as it stands now
    out = reading_findings(body, result.unread)
    if body is None:
        return out
    if body.twist is not None and len(book.points) == 4:
        corners = _corners(book, body)
        warp = corners[0] + corners[2] - corners[1] - corners[3]
        text = "One foot takes it out, or two opposite ones half each."
        if book.facts.texts["truth"] == ITSELF:
            text += (
                " It need be true only to itself: choose the flattest plane under Target, and the tilt stays."
            )
        out.append(Finding("note", f"Twist {show_amount(abs(warp), book.style)}", text))
    return out


def _corners(book: SlabBook, body: Adjusted) -> Floats:
    """Heights of four feet in order round about [m]."""
    xy = _body(book).xy
    centre = xy.mean(axis=0)
    order = np.argsort(np.arctan2(xy[:, 1] - centre[1], xy[:, 0] - centre[0]))
    return np.asarray(body.heights[order])


def wanted_next(result: SlabResult, phase: str) -> Place | None:
    """Return where the level is to be laid next: in the order of work, or where it tells most once the order is done but not enough."""
    book = result.book
    for place in book.places:
        if place not in book.laid[phase]:
            return place
    body, error = fitted(book, phase)
    if body is not None or error is None or error.code != "not-observable":
        return None
    at = {p.id: k for k, p in enumerate(book.points)}
    could = [(a, b, -way) for a, b, way in book.places]
    found = next_reading(
        _body(book),
        _tilts(book, book.laid[phase]),
        [Tilt(LEVEL, at[a], at[b], way, 0.0, book.u_tilt) for a, b, way in could],
        _zeros(book),
    )
    return None if found is None else could[found.which]
