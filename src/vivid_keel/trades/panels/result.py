"""What level and finger say of a top made of panels: each panel a plane of its own, its seams steps between them.

Source: one adjustment of all panels (`core/body`, planes by parts); a fixing point is a place on its panel's plane, and a panel goes as
the best plane through what its fixing points were moved.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.body.facts import in_divisions
from vivid_keel.core.body.feet import where_to_watch
from vivid_keel.core.body.model import Adjusted, Body, Observation, Step, Tilt, adjust
from vivid_keel.core.body.standing import (
    LEVEL,
    Stands,
    body_budget,
    bubbles_after,
    of_feet,
    task_of,
    worth_reading,
)
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import Budget, judge
from vivid_keel.core.quantities import show_amount, show_number
from vivid_keel.core.working import Working
from vivid_keel.trades.panels.book import ACROSS, ALONG, OVER, ROCKS, SEAM, Panel, PanelsBook, Place, Seen

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

NL, NR, FL, FR, MID, FIRST = range(6)
"""Nodes of a panel: its corners (near left, near right, far left, far right), its middle, and the first fixing point."""
AT_END = {(SEAM, 0): (NR, NL), (SEAM, 1): (FR, FL)}
"""Which corners of two neighbours meet at the near and at the far end of a seam."""


class Top(Struct, frozen=True):
    """The nodes of a top: where each panel's begin, and those of the fixing points in order."""

    body: Body
    begins: Mapping[int, int]
    feet: list[int]


def top_of(book: PanelsBook) -> Top:
    """Return the nodes of a top."""
    names: list[str] = []
    xy: list[tuple[float, float]] = []
    begins: dict[int, int] = {}
    feet: list[int] = []
    parts: dict[str, range] = {}
    for one, at in zip(book.panels, book.bodies, strict=True):
        begins[one.id] = len(names)
        x, y = (one.start, one.start + one.long), (0.0, one.wide)
        corners = [(x[0], y[0]), (x[1], y[0]), (x[0], y[1]), (x[1], y[1]), one.middle]
        own = [book.points[i] for i in at]
        names += [
            f"{one.name}, {word}" for word in ("near left", "near right", "far left", "far right", "middle")
        ]
        names += [p.name for p in own]
        feet += range(begins[one.id] + FIRST, begins[one.id] + FIRST + len(own))
        xy += [*corners, *((p.x, p.y) for p in own)]
        parts[one.name] = range(begins[one.id], len(names))
    return Top(Body(names, np.array(xy, dtype=np.float64).reshape(-1, 2), parts=parts), begins, feet)


def ends_of(book: PanelsBook, top: Top, place: Place) -> tuple[int, int] | None:
    """Return from which node to which a place is read; None where there is no such panel, or none behind it, any more."""
    what, panel, which = place
    if panel not in top.begins or what == ROCKS:
        return None
    at = top.begins[panel]
    if what in {ALONG, ACROSS}:
        return at + NL, at + (NR if what == ALONG else FL)
    ids = [one.id for one in book.panels]
    k = ids.index(panel)
    if k + 1 >= len(ids):
        return None
    then = top.begins[ids[k + 1]]
    if what == OVER:
        return at + MID, then + MID
    here, there = AT_END[SEAM, 1 if which else 0]
    return at + here, then + there


def observed(book: PanelsBook, top: Top, read: Mapping[Place, Seen]) -> list[tuple[Place, Observation]]:
    """Return what was read as observations, each with its place."""
    out: list[tuple[Place, Observation]] = []
    for place, seen in read.items():
        ends = ends_of(book, top, place)
        if ends is None:
            continue
        if place[0] == SEAM:
            out.append((place, Step(*ends, seen.value, seen.u)))
        else:
            out.append((place, Tilt(LEVEL, *ends, -1 if place[2] < 0 else 1, seen.value, seen.u)))
    return out


def zeros_of(book: PanelsBook) -> dict[str, tuple[float, float]]:
    """Return what is known of the level's own error."""
    return {LEVEL: (0.0, book.u_tilt)} if book.facts.values["zero"] > 0.5 else {}


def fitted(book: PanelsBook, read: Mapping[Place, Seen]) -> tuple[Adjusted | None, KeelError | None]:
    """Return the top as it was read; None and why where that can't tell it, None and None where nothing is read."""
    top = top_of(book)
    seen = [one for _, one in observed(book, top, read)]
    if not seen:
        return None, None
    try:
        return adjust(top.body, seen, zeros_of(book)), None
    except KeelError as error:
        return None, error


def shown_by(book: PanelsBook, top: Top, body: Adjusted, place: Place) -> float:
    """What is seen at a place of a top: a tilt with the level's own error in it [rad], or a step [m]; nan where there is none."""
    ends = ends_of(book, top, place)
    if ends is None:
        return math.nan
    rise = float(body.heights[ends[1]] - body.heights[ends[0]])
    if place[0] == SEAM:
        return rise
    far = math.dist(top.body.xy[ends[0]], top.body.xy[ends[1]])
    return rise / far + (-1 if place[2] < 0 else 1) * body.zeros.get(LEVEL, math.nan)


class Seam(Struct, frozen=True):
    """A seam: its panels, its step at the near and the far end, + the right one higher [m], U [m], and its verdict."""

    left: Panel
    right: Panel
    steps: tuple[float, float]
    U: tuple[float, float]
    verdict: str

    @property
    def name(self) -> str:
        """Between which panels."""
        return f"{self.left.name} – {self.right.name}"

    @property
    def worst(self) -> int:
        """At which end it steps most: 0 near, 1 far."""
        return int(abs(self.steps[1]) > abs(self.steps[0]))


class PanelsResult(Moved, frozen=True):
    """A top worked out."""

    book: PanelsBook

    @cached_property
    def top(self) -> Top:
        """Its nodes."""
        return top_of(self.book)

    @cached_property
    def _as_found(self) -> tuple[Adjusted | None, KeelError | None]:
        return fitted(self.book, self.book.read[FOUND])

    @property
    def body(self) -> Adjusted | None:
        """As found."""
        return self._as_found[0]

    @cached_property
    def body_left(self) -> Adjusted | None:
        """As left."""
        return fitted(self.book, self.book.read[LEFT])[0]

    @property
    def unread(self) -> KeelError | None:
        """Why the readings as found tell no heights yet, where some were made."""
        return self._as_found[1]

    def of(self, phase: str) -> Adjusted | None:
        """The top as it was read in a phase."""
        return self.body if phase == FOUND else self.body_left

    def budget(self) -> Budget:
        """What one deviation owes."""
        return body_budget(of_feet(self.body, self.top.feet))

    def seams(self, phase: str) -> list[Seam]:
        """Return its seams as they were read in a phase."""
        body, out = self.of(phase), []
        if body is None:
            return []
        for left, right in zip(self.book.panels, self.book.panels[1:], strict=False):
            ends = [ends_of(self.book, self.top, (SEAM, left.id, end)) for end in (0, 1)]
            step = [float(body.heights[e[1]] - body.heights[e[0]]) for e in ends if e is not None]
            c = body.covariance
            U = [
                2 * math.sqrt(max(float(c[b, b] + c[a, a] - 2 * c[a, b]), 0.0))
                for a, b in (e for e in ends if e is not None)
            ]
            said = [judge(s, u, self.seam_allowed) for s, u in zip(step, U, strict=True)]
            verdict = next((v for v in ("out", "open") if v in said), "in")
            out.append(Seam(left, right, (step[0], step[1]), (U[0], U[1]), verdict))
        return out

    @property
    def seam_allowed(self) -> float:
        """The step that nobody feels for certain [m]: what a fingernail just feels, and as much again."""
        return 2 * self.book.nail

    def more(self, phase: str) -> tuple[list[Place], list[Finding]]:
        """What would tell more, once all that is wanted is read: the places, and what is said of them."""
        book, body = self.book, self.of(phase)
        if body is None or wanted_places(book, phase):
            return [], []
        could: list[tuple[Place, Observation, str]] = []
        for what, panel, way in book.places:
            turned = (what, panel, -way)
            ends = ends_of(book, self.top, turned)
            if what != SEAM and ends is not None and turned not in book.read[phase]:
                could.append((turned, Tilt(LEVEL, *ends, -way, 0.0, book.u_tilt), self.where(turned)))
        return worth_reading(self, phase, self.top.body, body, self.top.feet, could)

    def gradient(self, panel: Panel, phase: str) -> tuple[float, float] | None:
        """How a panel falls, along and across [1]: + rising."""
        body = self.of(phase)
        if body is None:
            return None
        h, at = body.heights, self.top.begins[panel.id]
        return float(h[at + NR] - h[at + NL]) / panel.long, float(h[at + FL] - h[at + NL]) / panel.wide

    def _rise(self, k: int) -> Floats:
        """What the nodes of a panel rise where a fixing point of it is moved (nodes, points) [1]."""
        at, nodes = self.book.bodies[k], self.top.body.parts[self.book.panels[k].name]
        feet = np.array([(1.0, self.book.points[i].x, self.book.points[i].y) for i in at])
        return np.column_stack([np.ones(len(nodes)), self.top.body.xy[list(nodes)]]) @ np.linalg.pinv(feet)

    def row_of(self, place: Place) -> Floats:
        """What is seen at a place more for each fixing point's own rise (n,): of a tilt [rad/m], of a step [1]."""
        ends, row = ends_of(self.book, self.top, place), np.zeros(len(self.book.points))
        if ends is None:
            return row
        for node, sign in zip(ends, (-1.0, 1.0), strict=True):
            k, nodes = next((k, at) for k, at in enumerate(self.top.body.parts.values()) if node in at)
            row[list(self.book.bodies[k])] += sign * self._rise(k)[nodes.index(node)]
        far = math.dist(self.top.body.xy[ends[0]], self.top.body.xy[ends[1]])
        return row if place[0] == SEAM else row / far

    def would_show(self, place: Place, phase: str = FOUND) -> float:
        """What is seen at a place as the top stands: a tilt, the level's own error in it [rad], or a step [m]."""
        body = self.of(phase)
        return math.nan if body is None else shown_by(self.book, self.top, body, place)

    @cached_property
    def watched_at(self) -> dict[int, Place]:
        """Where the level lies while each fixing point is moved, along its panel or across: what the bubble can't tell is carried from
        point to point, and these places let least of it add up at the panel's corners."""
        out: dict[int, Place] = {}
        for k, (panel, at) in enumerate(zip(self.book.panels, self.book.bodies, strict=True)):
            order = [i for i in self.to_move if i in at and i not in self.broken]
            places: list[Place] = [(what, panel.id, 1) for what in (ALONG, ACROSS)]
            corners = self._rise(k)[:MID, [list(at).index(i) for i in order]]
            chosen = where_to_watch(np.array([self.row_of(place)[order] for place in places]), corners)
            out.update((i, places[best]) for i, best in zip(order, chosen, strict=True))
        return out

    @cached_property
    def shown_after(self) -> dict[int, tuple[float, float]]:
        """What the level shows where it is watched once a fixing point was moved, and those before it: a hair high, and drawn down [rad]."""
        if self.body is None or not self.watched_at:
            return {}  # nothing is moved, or nothing that is can be told how
        now = np.array([self.would_show(place) for place in self.watched_at.values()])
        rows = np.array([self.row_of(place) for place in self.watched_at.values()])
        after = bubbles_after(self, now, rows)
        return {
            i: (float(after[i][k]) + self._hair(i) * float(rows[k, i]), float(after[i][k]))
            for k, i in enumerate(self.watched_at)
        }

    def _hair(self, i: int) -> float:
        told = self.instructions.get(i)
        return 0.0 if told is None or math.isnan(told.first) else told.first - told.done

    def told_at(self, i: int) -> tuple[Place, float] | None:
        """Where the level is watched while a fixing point is moved, and what it shows once it is drawn down [rad]."""
        shown = self.shown_after.get(i)
        return None if shown is None or math.isnan(shown[1]) else (self.watched_at[i], shown[1])

    def where(self, place: Place) -> str:
        """A place in words."""
        what, panel, which = place
        names = [(one.id, one.name) for one in self.book.panels]
        k = next((k for k, (id, _) in enumerate(names) if id == panel), None)
        if k is None:
            return "?"
        name, then = names[k][1], names[k + 1][1] if k + 1 < len(names) else "?"
        if what == SEAM:
            return f"seam {name} – {then}, {'far' if which else 'near'} end"
        if what == OVER:
            return f"over {name} → {then}{', turned round' if which < 0 else ''}"
        return f"{name} {what}{', turned round' if which < 0 else ''}"

    def stop_words(self, i: int) -> str:
        """What the level shows a hair high and drawn down, and where it lies for that; "" where nothing tells."""
        shown = self.shown_after.get(i)
        if shown is None or math.isnan(shown[1]):
            return ""
        high, down = (in_divisions(tilt, self.book.division) for tilt in shown)
        where = self.where(self.watched_at[i])
        return f"{where}: {down}" if self._hair(i) == 0.0 else f"{where}: {high}, then {down}"

    def why_move(self, i: int, phase: str = FOUND) -> Working | None:
        """Return how a fixing point's height comes about, as found or as left."""
        body = self.of(phase)
        if body is None:
            return None
        style, node = self.book.style, self.top.feet[i]
        first = self.top.feet[0]
        h = float(body.heights[node] - body.heights[first])
        return Working(
            f"Height of {self.book.points[i].name}",
            "tilt = (h_to − h_from)/d + way·zero,  step = h_right − h_left;  Σ(v/u)² least, each panel a plane of its own",
            f"{self.book.points[i].name} stands {show_amount(h, style, 2, signed=True)} against {self.book.points[0].name};  "
            f"the level's own error {show_number(body.zeros.get(LEVEL, 0.0) * 1000, 3, signed=True)} mm/m",
            tuple(one.text for one in self.book.read[phase].values()),
        )


def _stands(book: PanelsBook, read: Mapping[Place, Seen]) -> Stands | None:
    return of_feet(fitted(book, read)[0], top_of(book).feet)


def measure(book: PanelsBook) -> Task:
    """Return the fixing points as level and finger have them."""
    rounds = [
        (one, _stands(book, read[FOUND]), _stands(book, read[LEFT]))
        for one, read in zip(book.passes, book.earlier, strict=True)
    ]
    return task_of(book, _stands(book, book.read[FOUND]), _stands(book, book.read[LEFT]), rounds)


def work_out_panels(
    book: PanelsBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> PanelsResult:
    """Compute a top."""
    return bring(PanelsResult, book, measure(book), packing, target)


def wanted_places(book: PanelsBook, phase: str) -> list[Place]:
    """Return where it is still to be read, in the order of work; a level whose own error is known isn't turned round."""
    known = book.facts.values["zero"] > 0.5
    return [p for p in book.places if p not in book.read[phase] and not (known and p[2] < 0)]
