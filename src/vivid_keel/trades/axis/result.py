"""What a level on the turning part says of an axis and its feet, and what it shows once they are moved.

Source: y(φ) = z + A·cos φ + B·sin φ (+ the second harmonic): `core/body/axis`; a foot at (x, y) stands A·x + B·y high.
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.body.axis import WOBBLE_FROM, Axis, read_round
from vivid_keel.core.body.facts import in_divisions
from vivid_keel.core.body.standing import (
    LESSENS,
    Stands,
    answer_findings,
    body_budget,
    bubbles_after,
    task_of,
)
from vivid_keel.core.bounds import Bounds, length_of
from vivid_keel.core.cautions import LIFTING, MACHINES, TABLE, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.engine import bring
from vivid_keel.core.moving.findings import moving_cautions, moving_findings, moving_state, no_target
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import NOT_PROVEN, VERDICT_WORDS, Budget, judge
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.working import Working
from vivid_keel.trades.axis.book import BACK, AxisBook, Read, Turned

if TYPE_CHECKING:
    from collections.abc import Mapping

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

MOVED = 3.5
"""A level that shows so many u otherwise, back where it began, moved on the turning part [1]."""
DEGREE = math.pi / 180


def fitted(read: Mapping[float, Turned]) -> tuple[Axis | None, KeelError | None]:
    """Return the axis as its readings of a phase have it; None and why where they can't tell it, None and None where nothing is read."""
    if not read:
        return None, None
    try:
        return read_round([a * DEGREE for a in read], [one.tilt for one in read.values()]), None
    except KeelError as error:
        return None, error


class AxisResult(Moved, frozen=True):
    """An axis worked out."""

    book: AxisBook

    @cached_property
    def _as_found(self) -> tuple[Axis | None, KeelError | None]:
        return fitted(self.book.read[FOUND])

    @property
    def axis(self) -> Axis | None:
        """As found."""
        return self._as_found[0]

    @cached_property
    def axis_left(self) -> Axis | None:
        """As left."""
        return fitted(self.book.read[LEFT])[0]

    @property
    def unread(self) -> KeelError | None:
        """Why the readings as found tell nothing yet, where some were made."""
        return self._as_found[1]

    def of(self, phase: str) -> Axis | None:
        """The axis of a phase."""
        return self.axis if phase == FOUND else self.axis_left

    def budget(self) -> Budget:
        """What one deviation owes."""
        return body_budget(_stands(self.book, self.book.read[FOUND], FOUND))

    def row_of(self, azimuth: float) -> Floats:
        """What the level shows at an azimuth [°] more for each foot's rise (n,) [rad/m]."""
        phi = azimuth * DEGREE
        return np.asarray(np.array([math.cos(phi), math.sin(phi)]) @ _gradient(self.book))

    def would_show(self, azimuth: float, phase: str = FOUND) -> float:
        """What the level shows at an azimuth [°] as the axis stands, its bearing's wobble in it [rad]; nan where nothing tells."""
        axis, phi = self.of(phase), azimuth * DEGREE
        if axis is None:
            return math.nan
        wobble = axis.wobbles_at(phi, self.book.u_tilt)
        return axis.zero + axis.x * math.cos(phi) + axis.y * math.sin(phi) + wobble

    def more(self, phase: str) -> tuple[list[float], list[Finding]]:
        """Which azimuths more would lessen the U of the lean most, where that decides, and what is said of them."""
        axis, book = self.of(phase), self.book
        if axis is None or not is_missing(axis.line) or wanted_azimuths(book, phase):
            return [], []
        cov = axis.covariance * book.u_tilt**2
        U = 2 * math.sqrt(float(np.linalg.eigvalsh(cov[1:3, 1:3]).max()))
        if judge(axis.tilt, U, book.facts.values["tilt"]) != NOT_PROVEN:
            return [], []
        could = [22.5 * k for k in range(16) if 22.5 * k not in book.read[phase]]
        rows = {a: _design(a * DEGREE, len(cov)) for a in could}
        told: list[float] = []
        said = [U]
        for _ in range(2):
            left = {
                a: cov - np.outer(cov @ r, cov @ r) / (book.u_tilt**2 + r @ cov @ r)
                for a, r in rows.items()
                if a not in told
            }
            if not left:
                break
            best = min(left, key=lambda a: float(np.linalg.eigvalsh(left[a][1:3, 1:3]).max()))
            cov = left[best]
            told.append(best)
            said.append(2 * math.sqrt(float(np.linalg.eigvalsh(cov[1:3, 1:3]).max())))
        if len(told) < 2 or said[-1] > said[0] * (1 - LESSENS):
            return [], []
        first, last = (show_number(u * 1000, 3) for u in (said[0], said[-1]))
        return told, [
            Finding(
                "note",
                f"Two readings more would tell most: {told[0]:g}° and {told[1]:g}°",
                f"They take the U of the lean from {first} to {last} mm/m. They have their lines on the sheet.",
                action="read",
                action_label="Go to the readings",
            )
        ]

    def outrigger(self, i: int) -> bool:
        """Whether a foot comes after the three that carry it."""
        return bool(self.feet) and i not in self.feet

    def towards(self, i: int) -> float:
        """The azimuth at which a foot stands from the middle of all [°]."""
        points = self.book.points
        x, y = (sum(getattr(p, a) for p in points) / len(points) for a in ("x", "y"))
        return math.degrees(math.atan2(points[i].y - y, points[i].x - x)) % 360

    @cached_property
    def shown_after(self) -> dict[int, dict[float, float]]:
        """What the level shows towards every foot once one was turned, and those before it [rad], by the foot's place among all."""
        if self.axis is None or not self.to_move:
            return {}
        at = [self.towards(i) for i in range(len(self.book.points))]
        now = np.array([self.would_show(a) for a in at])
        rows = np.array([self.row_of(a) for a in at])
        return {
            i: dict(zip(at, row.tolist(), strict=True)) for i, row in bubbles_after(self, now, rows).items()
        }

    def told_at(self, i: int) -> tuple[float, float] | None:
        """Towards which azimuth [°] the level points while a foot is turned, and what it then shows [rad]."""
        shown, at = self.shown_after.get(i), self.towards(i)
        return None if shown is None else (at, shown[at])

    def where(self, azimuth: float) -> str:
        """An azimuth in words."""
        return "back at 0°" if azimuth == BACK else f"at {azimuth:.0f}°"

    def stop_words(self, i: int) -> str:
        """What the level shows once a foot was turned, and where it points for that; "" where nothing tells."""
        told = self.told_at(i)
        if told is None:
            return ""
        to, division = told[1], self.book.division
        if not self.outrigger(i):
            return f"towards it: {in_divisions(to, division)}"
        bites = to + self.book.facts.values["bites"] * division
        return (
            f"towards it: up to {in_divisions(bites, division)}, pulled down to {in_divisions(to, division)}"
        )

    def why_move(self, i: int, phase: str = FOUND) -> Working | None:
        """Return how a foot's height comes about."""
        axis = self.of(phase)
        if axis is None:
            return None
        p, a, b = self.book.points[i], axis.x * 1000, axis.y * 1000
        return Working(
            f"Height of {p.name}",
            "y(φ) = z + A·cos φ + B·sin φ, Σv² least;  h = A·x + B·y",
            f"z = {show_number(axis.zero * 1000, 3, signed=True)} mm/m, A = {show_number(a, 3, signed=True)}, B = {show_number(b, 3, signed=True)} mm/m;  "
            f"h = {show_number(a * p.x + b * p.y, 3, signed=True)} mm",
            tuple(one.text for one in self.book.read[phase].values()),
            "z is the level's own zero and the lean of what it lies on: it turns along, and is harmless.",
        )


def _design(phi: float, count: int) -> Floats:
    """What a reading at an azimuth [rad] is of the first `count` unknowns of an axis [1]."""
    return np.array([1.0, math.cos(phi), math.sin(phi), math.cos(2 * phi), math.sin(2 * phi)])[:count]


def moved_between(read: Mapping[float, Turned], u: float) -> tuple[float, float, float] | None:
    """Return between which two readings, by azimuth [°] in the order they were made, the level moved on the turning part, and by how
    much [rad]; None where it didn't, as far as these tell. Before the wobble is told (six azimuths) only the last, back where it
    began, tells. `u` [rad] is one reading's.

    A step in the level's zero behind each reading in turn is fitted beside the rest; it is believed where it takes MOVED² off Σ(v/u)².
    """
    first, back = read.get(0.0), read.get(BACK)
    if len({a % 360 for a in read}) < WOBBLE_FROM:
        by = 0.0 if first is None or back is None else back.tilt - first.tilt
        return (0.0, BACK, by) if abs(by) > MOVED * math.sqrt(2) * u else None
    order = sorted(read.values(), key=lambda one: one.id)
    y = np.array([one.tilt for one in order]) / u
    design = np.array([_design(one.azimuth * DEGREE, 5) for one in order])
    whole = float(np.linalg.lstsq(design, y, rcond=None)[1].sum())
    best: tuple[float, int, float] | None = None
    for k in range(1, len(order)):
        step = np.column_stack([design, (np.arange(len(order)) >= k).astype(float)])
        found, rest, rank, _ = np.linalg.lstsq(step, y, rcond=None)
        if rank == 6 and (best is None or whole - float(rest.sum()) > best[0]):
            best = (whole - float(rest.sum()), k, float(found[5]) * u)
    if best is None or best[0] <= MOVED**2:
        return None
    return order[best[1] - 1].azimuth, order[best[1]].azimuth, best[2]


def _gradient(book: AxisBook) -> Floats:
    """What the plane through the feet leans along x and y for each foot's rise (2, n) [1/m]."""
    xy = np.array([(p.x, p.y) for p in book.points]).reshape(-1, 2)
    return np.asarray(np.linalg.pinv(xy - xy.mean(axis=0)))


def _stands(book: AxisBook, read: Mapping[float, Turned], phase: str) -> Stands | None:
    axis = fitted(read)[0]
    if axis is None or len(book.points) < 3:
        return None
    if phase == LEFT and not is_missing(axis.line):
        return None  # what was only read along a line is proven nowhere
    xy = np.array([(p.x, p.y) for p in book.points])
    xy = xy - xy.mean(axis=0)
    cov = axis.covariance[1:3, 1:3] * book.u_tilt**2
    return Stands(xy @ np.array([axis.x, axis.y]), xy @ cov @ xy.T)


def measure(book: AxisBook) -> Task:
    """Return the feet as the axis has them."""

    def stands(read: Read, phase: str) -> Stands | None:
        return _stands(book, read[phase], phase)

    rounds = [
        (one, stands(read, FOUND), stands(read, LEFT))
        for one, read in zip(book.passes, book.earlier, strict=True)
    ]
    return task_of(book, stands(book.read, FOUND), stands(book.read, LEFT), rounds)


def work_out_axis(
    book: AxisBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> AxisResult:
    """Compute an axis."""
    return bring(AxisResult, book, measure(book), packing, target)


def axis_cautions(result: AxisResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a foot is moved."""
    given = moving_cautions(result, stage)
    kept = tuple(caution for caution in given if caution not in (LIFTING, MACHINES))
    return (TABLE, *kept) if LIFTING in given else given


def wanted_azimuths(book: AxisBook, phase: str) -> list[float]:
    """Return where it is still to be read [°], in the order of work."""
    return [a for a in book.azimuths if a not in book.read[phase]]


def axis_findings(result: AxisResult, stage: str) -> list[Finding]:
    """Return what there is to say of an axis."""
    out = [*no_target(result), *_of_the_axis(result), *answer_findings(result)]
    moving = moving_findings(result, stage, result.budget(), "a level on the turning part", [])
    return out + [found for found in moving if found.verdict != "in" or not along_a_line(result)]


def along_a_line(result: AxisResult) -> bool:
    """Whether it was read, last, along one line only."""
    axis = result.axis if result.axis_left is None else result.axis_left
    return axis is not None and not is_missing(axis.line)


def axis_state(result: AxisResult) -> State:
    """Return how an axis stands: nothing that was only read along a line is proven in."""
    state = moving_state(result, "feet")
    return (
        State(NOT_PROVEN, "read along one line only")
        if state.verdict == "in" and along_a_line(result)
        else state
    )


def lean_of(axis: Axis, u: float) -> Bounds:
    """Return between what an axis' lean lies [rad], readings of `u` [rad]."""
    return length_of(np.array([axis.x, axis.y]), axis.covariance[1:3, 1:3] * u**2)


def _sloping(tilt: float) -> str:
    return f"{show_number(tilt * 1000, 3)} mm/m"


def _of_the_axis(result: AxisResult) -> list[Finding]:
    book, out = result.book, []
    phase = FOUND if result.axis_left is None else LEFT
    if result.unread is not None:
        said = result.unread.message
        out.append(
            Finding(
                "open",
                "Not told yet",
                f"{said[:1].upper()}{said[1:]}.",
                action="read",
                action_label="Go on reading",
            )
        )
    axis = result.of(phase)
    if axis is None:
        return out
    when, allowed = ("as left" if phase == LEFT else "as found"), book.facts.values["tilt"]
    bounds = lean_of(axis, book.u_tilt)
    verdict = bounds.verdict(allowed)
    if verdict == "in" and not is_missing(axis.line):
        verdict = NOT_PROVEN
    out.append(
        Finding(
            verdict,
            f"The axis leans {show_number(axis.tilt * 1000, 3)} mm/m",
            f"{bounds.show(_sloping)}, {when}, its high side at {math.degrees(axis.direction):.0f}°; {show_number(allowed * 1000, 3)} mm/m allowed: {VERDICT_WORDS[verdict]}.",
        )
    )
    if not is_missing(axis.line):
        out.append(
            Finding(
                "open",
                "Along one line only",
                f"Two opposite readings tell its lean along {math.degrees(axis.line):.0f}° and prove nothing across it; turn it by a quarter for the rest.",
                action="read",
                action_label="Go to the readings",
            )
        )
    elif axis.wobble is not None:
        twice = show_number(2 * axis.wobble * 1000, 3)
        out.append(
            Finding(
                "note",
                f"The bearing wobbles by {show_number(axis.wobble * 1000, 3)} mm/m",
                f"Twice in a turn: no foot cures that. It is not in the lean above; the best that feet can reach is a number that goes up and down by it, {twice} mm/m from least to most. What a foot is turned to holds the bearing's part towards it.",
            )
        )
    elif float((axis.residuals**2).sum()) > (MOVED * book.u_tilt) ** 2:
        out.append(
            Finding(
                "open",
                "Opposite readings disagree about the number",
                "Their means differ from pair to pair by more than reading explains: the bearing wobbles, or the level moved. Say eight azimuths (Instrument) and read on: then the two are told apart, and each foot gets the number towards it.",
                action="read",
                action_label="Go to the readings",
            )
        )
    out.append(
        Finding(
            "note",
            f"One number everywhere: {in_divisions(axis.zero, book.division)}",
            "The level's own zero and the lean of what it lies on turn along and are harmless. Brought to this number all round, but for the bearing's wobble, the axis is true.",
        )
    )
    moved = moved_between(book.read[phase], book.u_tilt)
    if moved is not None:
        before, then, by = moved
        out.append(
            Finding(
                "open",
                "The level moved on the turning part",
                f"Between {result.where(before)} and {result.where(then)} its number jumped by {in_divisions(by, book.division)}. Lay it firmly, leave it alone, and read the round again.",
                action="read",
                action_label="Go to the readings",
            )
        )
    return out + result.more(phase)[1]
