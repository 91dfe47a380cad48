"""What was read on a bed says of its feet: twist at each station, the profile along, and what the level shows once feet are turned.

Source: heights of the ways at the stations fitted to tilts (`core/body`, each station for itself); a plumb frame is a level whose own
zero nobody knows (tilt = shift/string), a test bar tells the twist between its ends, (d_tail − d_head)/(2·h), taken over the bed's length.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.body.facts import in_divisions
from vivid_keel.core.body.model import Adjusted, Observation, Tilt
from vivid_keel.core.body.shapes import straightness
from vivid_keel.core.body.standing import (
    LEVEL,
    Stands,
    body_budget,
    bubbles_after,
    of_feet,
    rises_of,
    task_of,
    worth_reading,
)
from vivid_keel.core.bounds import Bounds, greatest_apart
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
from vivid_keel.trades.bed.book import (
    ACROSS,
    AGAIN,
    ALONG,
    BAR,
    FRAME,
    BedBook,
    Read,
    Spot,
)
from vivid_keel.trades.bed.ways import BOB, Ways, as_it_stands, feet_of, fitted, follows, ways_of

if TYPE_CHECKING:
    from collections.abc import Callable

    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Shape(Struct, frozen=True):
    """A number of a bed's shape, between what it lies, what is allowed and the verdict; `where` it is. Tilts [rad], the bow [m].

    The greatest of several (twist, bow) has `bounds` of its size; any other has its U.
    """

    value: float
    U: float
    allowed: float
    where: str
    bounds: Bounds | None = None

    @property
    def verdict(self) -> str:
        """PROVEN_IN, PROVEN_OUT or NOT_PROVEN."""
        if self.bounds is not None:
            return self.bounds.verdict(self.allowed)
        return judge(self.value, self.U, self.allowed)

    def show(self, told: Callable[[float], str]) -> str:
        """Its U or its bounds in words, each amount as `told` shows it."""
        return f"± {told(self.U)}" if self.bounds is None else self.bounds.show(told)


class BedResult(Moved, frozen=True):
    """A bed worked out."""

    book: BedBook

    @cached_property
    def _as_found(self) -> tuple[Adjusted | None, KeelError | None]:
        return as_it_stands(self.book, FOUND)

    @property
    def body(self) -> Adjusted | None:
        """As found."""
        return self._as_found[0]

    @cached_property
    def body_left(self) -> Adjusted | None:
        """As left."""
        return as_it_stands(self.book, LEFT)[0]

    @property
    def unread(self) -> KeelError | None:
        """Why the readings as found tell nothing yet, where some were made."""
        return self._as_found[1]

    def of(self, phase: str) -> Adjusted | None:
        """The ways of a phase."""
        return self.body if phase == FOUND else self.body_left

    def budget(self) -> Budget:
        """What one deviation owes."""
        return body_budget(_stands(self.book, self.body, *_away(self.book, self.body)))

    def cross(self, body: Adjusted) -> tuple[Floats, Floats]:
        """Cross tilts at the stations, + the rear high (n,) [rad], and their covariance (n, n)."""
        n = len(self.book.stations)
        rows = np.zeros((n, len(body.heights)))
        for j in range(n):
            rows[j, 2 * j + 1], rows[j, 2 * j] = 1 / self.book.feet_apart, -1 / self.book.feet_apart
        return rows @ body.heights, rows @ body.covariance @ rows.T

    def twist(self, body: Adjusted) -> Shape:
        """The greatest twist between two stations."""
        t, c = self.cross(body)
        i, j = divmod(int(np.argmax(np.abs(t[:, None] - t[None, :]))), len(t))
        i, j = sorted((i, j))
        names = [s.name for s in self.book.stations]
        return Shape(
            float(t[j] - t[i]),
            math.nan,
            self.book.facts.values["twist"],
            f"from {names[i]} to {names[j]}",
            greatest_apart(t, c),
        )

    def tilt(self, body: Adjusted) -> list[Shape]:
        """The tilt across, and along where that was read."""
        t, c = self.cross(body)
        n, allowed = len(t), self.book.facts.values["tilt"]
        out = [
            Shape(
                float(t.mean()),
                2 * math.sqrt(max(float(c.sum()) / n**2, 0.0)),
                allowed,
                "across, + the rear high",
            )
        ]
        ends = [0, 2 * (n - 1)]
        if ways_of(self.book, self.book.read[FOUND]).along:
            row = np.zeros(len(body.heights))
            row[ends[1]], row[ends[0]] = 1 / self.book.long, -1 / self.book.long
            u = math.sqrt(max(float(row @ body.covariance @ row), 0.0))
            out.append(Shape(float(row @ body.heights), 2 * u, allowed, "along, + the tail high"))
        return out

    def profile(self, phase: str) -> tuple[Floats, Floats]:
        """The front way from head to tail: places along (k,) [m] and heights off its chord (k,) [m]; empty where it wasn't read."""
        body, ways = self.of(phase), ways_of(self.book, self.book.read[phase])
        if body is None or not ways.along:
            return np.zeros(0), np.zeros(0)
        xs = ways.body.xy[ways.along][:, 0]
        h = body.heights[ways.along]
        return xs, h - np.interp(xs, xs[[0, -1]], h[[0, -1]])

    def bow(self, phase: str) -> Shape | None:
        """The straightness of the front way; None where it wasn't read."""
        body, ways = self.of(phase), ways_of(self.book, self.book.read[phase])
        if body is None or not ways.along:
            return None
        xs, off = self.profile(phase)
        chord = np.array([np.interp(xs, xs[[0, -1]], end) for end in np.eye(2)])
        rows = np.eye(len(xs))
        rows[:, 0] -= chord[0]
        rows[:, -1] -= chord[1]
        c = rows @ body.covariance[np.ix_(ways.along, ways.along)] @ rows.T
        i, j = int(off.argmax()), int(off.argmin())
        style = self.book.style
        return Shape(
            straightness(body.heights[ways.along]),
            math.nan,
            self.book.facts.values["bow"],
            f"{style.place(xs[i])} to {style.place(xs[j])} {style.far}",
            greatest_apart(off, c),
        )

    @cached_property
    def shown_after(self) -> dict[int, dict[Spot, float]]:
        """What is shown at every spot once a foot was turned, and those before it [rad], by the foot's place among all."""
        body, book = self.body, self.book
        if body is None or not self.to_move:
            return {}
        spots = self.spots
        now = np.array([self.would_show(spot) for spot in spots])
        ways = ways_of(book, book.read[FOUND])
        follow = follows(book, ways.body.xy)
        rows = np.zeros((len(spots), len(book.points)))
        for k, spot in enumerate(spots):
            a, b = self.nodes_at(spot, ways)
            rows[k] = (follow[b] - follow[a]) / float(np.hypot(*(ways.body.xy[b] - ways.body.xy[a])))
        return {
            i: dict(zip(spots, row.tolist(), strict=True))
            for i, row in bubbles_after(self, now, rows).items()
        }

    def off_target(self, phase: str, *, moved: bool = False, upto: int = -1) -> Floats:
        """How far each way stands off the target at every station, front and rear (2n,) [m]; `moved` once all feet are turned, or those up to one in the order of work."""
        body, book = self.of(phase), self.book
        n, feet = 2 * len(book.stations), feet_of(book)
        if body is None or not feet:
            return np.full(n, np.nan)
        off = -self.moves if phase == FOUND else np.array([self.deviation_left(i) for i in range(len(feet))])
        if np.isnan(off).any():
            return np.full(n, np.nan)
        xy = ways_of(book, book.read[phase]).body.xy[:n]
        design = np.column_stack([np.ones(n), xy])
        plane = np.linalg.lstsq(design[feet], body.heights[feet] - off, rcond=None)[0]
        more = follows(book, xy) @ rises_of(self, upto) if moved else 0.0
        return np.asarray(body.heights[:n] + more - design @ plane)

    @property
    def spots(self) -> list[Spot]:
        """What is looked at while feet are turned: the level across where it was read so, else the plumb frame; and along."""
        read = self.book.read[FOUND]
        sort = ACROSS if any(s.sort == ACROSS for s in read) else FRAME
        across = [Spot(sort, s.id) for s in self.book.stations] if any(s.sort == sort for s in read) else []
        # A base told anew may leave steps that no longer lie on the ways.
        return [*across, *[s for s in read if s.sort == ALONG and s.way == 1 and s.at < self.book.steps]]

    def more(self, phase: str) -> tuple[list[Spot], list[Finding]]:
        """What would tell more, once all that is wanted is read: the spots, and what is said of them."""
        book, body = self.book, self.of(phase)
        read = book.read[phase]
        if body is None or any(spot not in read for spot in book.wants(phase)):
            return [], []
        ways = ways_of(book, read)
        could: list[tuple[Spot, Observation, str]] = []
        for spot in book.wants(phase):
            turned = replace(spot, way=-spot.way)
            if spot.sort in {ACROSS, ALONG} and turned not in read:
                seen = Tilt(LEVEL, *self.nodes_at(spot, ways), turned.way, 0.0, book.u_tilt)
                could.append((turned, seen, self.where(turned)))
        return worth_reading(self, phase, ways.body, body, feet_of(book), could)

    def nodes_at(self, spot: Spot, ways: Ways) -> tuple[int, int]:
        """From which node to which the level lies at a spot, or the bob hangs."""
        if spot.sort == ALONG:
            return ways.along[spot.at], ways.along[spot.at + 1]
        j = 2 * next(k for k, s in enumerate(self.book.stations) if s.id == spot.at)
        return j, j + 1

    def told_at(self, i: int) -> tuple[Spot, float] | None:
        """Where the level or the bob is watched while a foot is turned, and what it then shows [rad], its own error in it."""
        station, shown = abs(self.book.points[i].id), self.shown_after.get(i, {})
        spot = next((s for s in shown if s.at == station and s.sort in {ACROSS, FRAME}), None)
        return None if spot is None else (spot, shown[spot])

    def stop_words(self, i: int) -> str:
        """What is seen once a foot was turned, and where; "" where nothing tells."""
        told = self.told_at(i)
        return "" if told is None else f"{self.where(told[0])}: {self.shows(*told)}"

    def shows(self, spot: Spot, tilt: float) -> str:
        """What is seen at a spot for a tilt [rad]: the bubble's place, or the bob's."""
        if spot.sort != FRAME or math.isnan(tilt):
            return in_divisions(tilt, self.book.division)
        shift = math.tan(tilt) * self.book.facts.values["string"]
        return f"bob at {self.book.style.amount(shift, 0, signed=True)} {self.book.style.small}"

    def where(self, spot: Spot) -> str:
        """A spot in words."""
        names = {s.id: s.name for s in self.book.stations}
        if spot.sort == ALONG:
            base = self.book.long / self.book.steps if self.book.steps else 0.0
            far, first = self.book.style, self.book.stations[0].x
            return f"along, {far.place(first + base * spot.at)} to {far.place(first + base * (spot.at + 1))}"
        if spot.sort == BAR:
            return "at the tail" if spot.at else "at the head"
        if spot.sort == AGAIN:
            return f"once more across at {names.get(spot.at, '?')}"
        return f"{'across' if spot.sort == ACROSS else 'frame'} at {names.get(spot.at, '?')}"

    def row_of(self, spot: Spot) -> Floats:
        """What is shown at a spot more for each foot's rise (n,) [rad/m]: the ways are straight between their pairs."""
        book = self.book
        if spot.sort == ALONG:
            one = book.long / max(book.steps, 1)
            ends = [(book.stations[0].x + one * k, 0.0) for k in (spot.at, spot.at + 1)]
        else:
            x = next(s.x for s in book.stations if s.id == spot.at)
            ends = [(x, 0.0), (x, book.feet_apart)]
        a, b = follows(book, np.array(ends))
        return np.asarray((b - a) / math.dist(*ends))

    def would_show(self, spot: Spot, phase: str = FOUND) -> float:
        """What is shown at a spot as the bed stands, the instrument's own error in it [rad]; nan where nothing tells."""
        body, ways = self.of(phase), ways_of(self.book, self.book.read[phase])
        level = BOB if spot.sort == FRAME else LEVEL
        if body is None or level not in body.zeros:
            return math.nan
        if spot.sort == ALONG and spot.at >= len(ways.along) - 1:
            return math.nan
        a, b = self.nodes_at(spot, ways)
        far = float(np.hypot(*(ways.body.xy[b] - ways.body.xy[a])))
        blocks = self.book.blocks if spot.sort in {ACROSS, AGAIN} else 0.0
        return float(body.heights[b] - body.heights[a]) / far + spot.way * body.zeros[level] + blocks

    def why_move(self, i: int, phase: str = FOUND) -> Working | None:
        """Return how a foot's height comes about."""
        body = self.of(phase)
        if body is None:
            return None
        book, point = self.book, self.book.points[i]
        t, _ = self.cross(body)
        j = next(k for k, s in enumerate(book.stations) if s.id == abs(point.id))
        here, head = (show_number(math.tan(x) * 1000, 3, signed=True) for x in (float(t[j]), float(t[0])))
        told = [one.text for spot, one in book.read[phase].items() if spot.at == abs(point.id)]
        return Working(
            f"Twist at {book.stations[j].name}",
            "twist = (t − t_head) × feet apart;  each t freed of the level's own error, Σ(v/u)² least",
            f"({here} − {head}) mm/m × {show_number(book.feet_apart, 3)} m = "
            f"{show_amount(float(t[j] - t[0]) * book.feet_apart, book.style, 1, signed=True)} against the head; + the front is low",
            tuple(told),
        )


def _away(book: BedBook, found: Adjusted | None) -> tuple[Floats, ...]:
    """What takes the bed's own plane out of its feet (n, n), where it need only be true to itself; nothing else.

    The plane goes through both feet of the head and that of the tail which stands high: the other one is raised to it.
    """
    feet = feet_of(book)
    if not book.only_itself or found is None or len(feet) < 4:
        return ()
    h = found.heights[feet]
    tail = -1 if (h[-1] - h[-2]) - (h[1] - h[0]) >= 0 else -2
    xy = np.array([(p.x, p.y) for p in book.points])
    plane = np.column_stack([np.ones(len(xy)), xy])
    held = [0, 1, len(feet) + tail]
    away = np.eye(len(feet))
    away[:, held] -= plane @ np.linalg.pinv(plane[held])
    return (away,)


def _middles(n: int) -> Floats:
    """The middle of each pair (n/2, n) [1]: what readings across don't tell."""
    out = np.zeros((n // 2, n))
    out[np.arange(n) // 2, np.arange(n)] = 1.0
    return out


def _stands(
    book: BedBook, body: Adjusted | None, away: Floats | None = None, *, along: bool = True
) -> Stands | None:
    feet = feet_of(book)
    stands = of_feet(body, feet, None if along else _middles(len(feet)))
    return stands if stands is None or away is None else stands.against(away)


def measure(book: BedBook) -> Task:
    """Return the feet as the readings have them."""
    found = as_it_stands(book, FOUND)[0]
    away = _away(book, found)

    def stands(read: Read) -> Stands | None:
        return _stands(book, fitted(book, read)[0], along=any(spot.sort == ALONG for spot in read))

    rounds = [
        (one, stands(read[FOUND]), stands(read[LEFT]))
        for one, read in zip(book.passes, book.earlier, strict=True)
    ]
    left = _stands(book, as_it_stands(book, LEFT)[0], *away)
    return task_of(book, _stands(book, found, *away), left, rounds, *away)


def work_out_bed(
    book: BedBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> BedResult:
    """Compute a bed."""
    return bring(BedResult, book, measure(book), packing, target)


def wanted_next(result: BedResult, phase: str) -> Spot | None:
    """Return what is read next; None where all that is wanted is read."""
    read: Sequence[Spot] = list(result.book.read[phase])
    return next((spot for spot in result.book.wants(phase) if spot not in read), None)
