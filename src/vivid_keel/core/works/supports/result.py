"""Everything computed from the supports: heights, moves, packing, order, proof."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.proof import PROVEN_IN, Budget, BudgetLine, judge
from vivid_keel.core.levelling.scale import STANDS, reading_at, signs
from vivid_keel.core.levelling.stacks import Packing, choose_leaves
from vivid_keel.core.levelling.targets import Moves, Target, weight_rows, work_out
from vivid_keel.core.quantities import show_length, show_number
from vivid_keel.core.working import Working
from vivid_keel.core.works.common import Instrument
from vivid_keel.core.works.supports.book import FOUND, LEFT, PointRow, SupportsBook, TargetChoice
from vivid_keel.core.works.supports.passes import Learned, learn, stages

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class SupportsResult:
    """The supports computed; arrays run over `book.points`, nan where a point has no reading.

    Attributes
    ----------
    heights, left : float array (n,)
        As found and as left, on the line of the as-found readings [m].
    target : float
        Height of the target on the same line [m], of a plane its mean; nan without readings.
    targets : float array (n,)
        At each point [m].
    moves : float array (n,)
        Target − height, + raise [m].
    u_deviation, u_left : float array (n,)
        Standard uncertainty of height − target, as found and as left [m].
    verdicts, left_verdicts : list of str
        Three-valued per point, "" without a reading.
    to_move : list of int
        Points to be moved, in the order of work.
    packing : Packing or None
        For `to_move`, once chosen.
    trouble : KeelError or None
        Why there is no target.
    line_error : float array (n,)
        How much higher the line of sight is at each point than at the instrument, where it is taken out [m].
    learned : Learned
        What the finished rounds taught.
    lifts : float array (n,)
        What is put under each point so that it makes its move [m]: the move itself until a round was seen.
    """

    book: SupportsBook
    heights: Floats
    left: Floats
    line_shift: float
    target: float
    moves: Floats
    u_deviation: Floats
    u_left: Floats
    verdicts: list[str]
    left_verdicts: list[str]
    to_move: list[int]
    wanted: Floats
    packing: Packing | None
    trouble: KeelError | None
    target_points: npt.NDArray[np.float64]
    line_error: npt.NDArray[np.float64]
    targets: npt.NDArray[np.float64]
    learned: Learned
    lifts: npt.NDArray[np.float64]

    @property
    def read(self) -> int:
        return int((~np.isnan(self.heights)).sum())

    @property
    def read_left(self) -> int:
        return sum(p.left is not None for p in self.book.points)

    @property
    def keepers(self) -> list[int]:
        """Points that are their own target."""
        return [i for i in range(len(self.moves)) if self.target_points[i] > 0.5]

    def stack(self, i: int) -> tuple[float, ...] | None:
        """Leaves to put in at a point, thick first [m]; None when not chosen or not moved."""
        if self.packing is None or i not in self.to_move:
            return None
        return self.packing.stacks[self.to_move.index(i)]

    def left_over(self, i: int) -> float:
        """What the packing leaves undone at a point: achieved − wanted [m]; nan when not chosen."""
        if self.packing is None or i not in self.to_move:
            return float("nan")
        return float(self.packing.residuals[self.to_move.index(i)])

    def stages(self) -> list[Floats]:
        """How far each point has gone after each stage of the lift [m], neighbours kept together."""
        moves = np.where(np.isin(np.arange(len(self.moves)), self.to_move), self.moves, 0.0)
        return stages(self.book, moves)

    def put_in(self) -> tuple[dict[int, float], dict[int, int]]:
        """What the round's packing puts in, by point id: thickness more (thinner −) [m], and leaves."""
        put, leaves = {}, {}
        for k, i in enumerate(self.to_move):
            stack = self.packing.stacks[k] if self.packing is not None else ()
            p = self.book.points[i]
            up = self.lifts[i] >= 0
            put[p.id] = sum(stack) - (0.0 if up else p.stack)
            leaves[p.id] = len(stack) if up else 0
        return put, leaves

    def stop_at(self, i: int) -> float:
        """The reading the scale shows when a point is right, let down on its packing [m]."""
        over = self.left_over(i)
        height = float(self.targets[i]) + (0.0 if np.isnan(over) else over)
        if i not in self.to_move:
            height = float(self.heights[i])
        return float(reading_at(np.array([height - self.line_error[i]]), [self.book.points[i].sense])[0])

    def target_reading(self, sense: str) -> float:
        """What a scale of this sense shows at the target [m]."""
        return float(reading_at(np.array([self.target]), [sense])[0])

    def deviation_left(self, i: int) -> float:
        """As-left height − target [m]."""
        return float(self.left[i] - self.targets[i])

    def budget(self) -> Budget:
        """The budget of one as-found deviation: the point's reading and the target's."""
        u = _u_reading(self.book)
        rest = 0.0
        if self.read and not np.isnan(self.u_deviation).all() and u > 0:
            # What of the dearest deviation is not its own reading.
            worst = float(np.nanmax(self.u_deviation))
            rest = float(np.sqrt(max(worst**2 - u**2 - collimation_left(self.book) ** 2, 0.0)))
        lines = [BudgetLine("this reading", u), BudgetLine("the target's readings", rest)]
        left = collimation_left(self.book)
        if left > 0:
            lines.append(BudgetLine("collimation left, unequal sights of the posts", left))
        return Budget(tuple(lines))

    def why_move(self, i: int) -> Working | None:
        """Return the working of a point's move."""
        if np.isnan(self.moves[i]):
            return None
        p, style = self.book.points[i], self.book.style
        assert p.found is not None
        move, h = float(self.moves[i]), float(self.heights[i])
        sense = "line − reading" if p.sense == STANDS else "line + reading"
        U = 2 * float(self.u_deviation[i])
        c = float(self.line_error[i])
        bent = f" {show_number(c * 1000, 2, signed=True)} mm for the line's own slope" if c else ""
        return Working(
            f"Move of {p.name}",
            f"h = {sense} (scale {p.sense});  move = target − h",
            f"h = 0 {'−' if p.sense == STANDS else '+'} {show_length(p.found.value, style)}{bent} = {show_length(h, style)};  "
            f"move = {show_length(float(self.targets[i]), style)} − ({show_length(h, style)}) = {show_number(move * 1000, 2, signed=True)} mm",
            (f"{p.name}, as found {p.found.text}", f"target: {target_words(self.book, self)}"),
            f"Heights count from the line of sight. U = {U * 1000:.2f} mm (k = 2), tolerance {self.book.limits.tolerance * 1000:g} mm.",
        )  # fmt: skip

    def why_stack(self, i: int) -> Working | None:
        """Return the working of a point's packing and stop reading."""
        stack = self.stack(i)
        if stack is None:
            return None
        p, style, gap = self.book.points[i], self.book.style, self.learned.interface
        k = self.to_move.index(i)
        wanted, over = float(self.wanted[k]), float(self.left_over(i))
        leaves = " + ".join(f"{t * 1000:g}" for t in stack) or "nothing"
        return Working(
            f"Packing of {p.name}",
            "achieved = Σ leaves − n·δ;  left over = achieved − wanted;  stop = reading at (target + left over)",
            f"{leaves} − {len(stack)} × {gap * 1000:g} = {sum(stack) * 1000 - len(stack) * gap * 1000:.2f} mm;  "
            f"− {wanted * 1000:.2f} = {show_number(over * 1000, 2, signed=True)} mm;  stop at {show_length(self.stop_at(i), style)}",
            (f"wanted {wanted * 1000:.2f} mm", f"stock of {sum(leaf.count for leaf in self.book.stock)} leaves, at most "
             f"{self.book.limits.most_leaves} in a stack"),
            "Thick below, thin above it and never outermost. δ is what each interface closes under load.",
        )  # fmt: skip

    def why_left(self, i: int) -> Working | None:
        """Return the working of a point's as-left deviation."""
        p, style = self.book.points[i], self.book.style
        if p.left is None or np.isnan(self.left[i]):
            return None
        shift = (
            ""
            if not self.line_shift
            else f" (line {show_number(self.line_shift * 1000, 1, signed=True)} mm by the watch mark)"
        )
        return Working(
            f"{p.name} as left", "deviation = h(left) − target;  in: |d| + U ≤ t;  out: |d| − U > t",
            f"d = {show_length(float(self.left[i]), style)} − ({show_length(float(self.targets[i]), style)}) = "
            f"{show_number(self.deviation_left(i) * 1000, 2, signed=True)} mm{shift};  "
            f"U = {2 * float(self.u_left[i]) * 1000:.2f} mm;  t = {self.book.limits.tolerance * 1000:g} mm",
            (f"{p.name}, as left {p.left.text}", f"target: {target_words(self.book, self)}"),
        )  # fmt: skip


def target_words(book: SupportsBook, result: SupportsResult | None = None) -> str:
    """Return the target in words."""
    names = {p.id: p.name for p in book.points}
    keeper = ""
    if result is not None and result.keepers:
        keeper = f", {book.points[result.keepers[0]].name}"
    return {
        "highest": f"the highest{keeper}", "lowest": f"the lowest{keeper}", "mean": "the mean",
        "least-total": "the least total move", "least-greatest": "the least greatest move", "best-fit": "the best-fit plane",
        "minimum-zone": "the flattest band", "fall": f"a fall of {show_number(book.target.gradient[0] * 100, 2)} % along, {show_number(book.target.gradient[1] * 100, 2)} % across",
        "keep": f"keep {names.get(book.target.point, '?')}", "height": "a reading set by hand",
    }[book.target.kind]  # fmt: skip


def work_out_supports(
    book: SupportsBook, packing: Packing | None = None, target: TargetChoice | None = None
) -> SupportsResult:
    """Compute a supports work.

    Parameters
    ----------
    book : SupportsBook
    packing : Packing, optional
        Chosen for the same `to_move` (see `pack`).
    target : TargetChoice, optional
        In place of the recorded one, while the line is being dragged.
    """
    if target is not None:
        book = replace(book, target=target)
    points = book.points
    n = len(points)
    sign = signs([p.sense for p in points])
    found = np.array([p.found.value if p.found else np.nan for p in points], dtype=np.float64)
    left = np.array([p.left.value if p.left else np.nan for p in points], dtype=np.float64)
    shift = _line_shift(book)
    bent, bent_left = line_error(book), line_error(book, LEFT)
    heights, left_heights = sign * found + bent, shift + sign * left + bent_left
    has = ~np.isnan(heights)
    u, u_again = _u_of(book, FOUND), _u_of(book, LEFT)
    u_one = float(u.max()) if n else 0.0
    moves, u_dev, u_left, own = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan), np.zeros(n)
    level, trouble = float("nan"), None
    targets = np.full(n, np.nan)
    names = [p.name for p, h in zip(points, has, strict=True) if h]
    try:
        engine = _engine_target(book)
        xy = np.array([(p.x, p.y) for p, h in zip(points, has, strict=True) if h], dtype=np.float64)
        worked: Moves = work_out(names, heights[has], engine, xy)
        moves[has], targets[has] = worked.moves, worked.target
        level = float(worked.target.mean()) if target_is_plane(book) else float(worked.target[0])
        w = weight_rows(names, heights[has], engine, xy)
        if not target_is_plane(book):
            own[has] = w[0]
            targets[:] = level  # a level line stands under a point that wasn't read, too
        # u² of (e_i − w_i)·h: u_i²·(1 − 2·w_ii) + Σ w_ij²·u_j².
        carried = (w**2) @ (u[has] ** 2)
        u_dev[has] = np.sqrt(np.maximum(u[has] ** 2 * (1 - 2 * np.diag(w)) + carried, 0.0))
        whole = np.full(n, float(carried.max()))
        whole[has] = carried
        if (own_error := collimation_left(book)) > 0:
            u_dev[has] = np.where(u_dev[has] > 0, np.hypot(u_dev[has], own_error), 0.0)
        both = BOTH_LINES if {FOUND, LEFT} <= book.reference.keys() else 0.0
        u_left[:] = np.sqrt(u_again**2 * (1.0 + both) + whole)
    except KeelError as error:
        trouble = error
    tolerance = book.limits.tolerance
    verdicts = [
        judge(m, 2 * s, tolerance) if m == m else "" for m, s in zip(moves.tolist(), u_dev.tolist(), strict=True)
    ]
    deviations = (left_heights - targets).tolist()
    left_verdicts = [
        judge(d, 2 * s, tolerance) if d == d else "" for d, s in zip(deviations, u_left.tolist(), strict=True)
    ]
    to_move = order_of_work(points, moves, verdicts)
    learned = learn(book, u_one)
    lifts = moves.copy()
    if learned.response is not None and to_move:
        asked = np.where(np.isin(np.arange(n), to_move), moves, np.where(np.isnan(moves), np.nan, 0.0))
        there = np.array([p.stack for p in points])
        lifts = np.where(np.isnan(moves), np.nan, learned.response.moves_for(asked, raise_only=False, most=there))
        lifts[[i for i in range(n) if i not in to_move and not np.isnan(moves[i])]] = 0.0
    wanted = np.array([wanted_thickness(points[i], float(lifts[i])) for i in to_move], dtype=np.float64)
    if packing is not None and len(packing.stacks) != len(to_move):
        packing = None
    return SupportsResult(
        book, heights, left_heights, shift, level, moves, u_dev, u_left, verdicts, left_verdicts, to_move, wanted,
        packing, trouble, own, bent, targets, learned, lifts,
    )  # fmt: skip


def distances(book: SupportsBook) -> Floats:
    """Return how far each point is from the instrument in plan [m]; nan while its station isn't known."""
    if book.station is None:
        return np.full(len(book.points), np.nan)
    x, y = book.station
    return np.array([np.hypot(p.x - x, p.y - y) for p in book.points], dtype=np.float64)


def line_error(book: SupportsBook, phase: str = FOUND) -> Floats:
    """Return c·D at each point [m]: how much higher the line of sight is there, 0 where it is left in."""
    if not book.use_collimation or book.station is None:
        return np.zeros(len(book.points))
    c = np.array([_taken_with(book, p, phase).collimation or 0.0 for p in book.points])
    return np.asarray(c * distances(book))


def _taken_with(book: SupportsBook, point: PointRow, phase: str) -> Instrument:
    """The instrument that took a point's reading; the one in hand where it isn't read yet."""
    read = point.read(phase)
    return book.instruments[read.instrument if read is not None else -1]


def _u_of(book: SupportsBook, phase: str) -> Floats:
    """Standard uncertainty of every point's reading in a phase [m]."""
    each = [_u_one(i) for i in book.instruments]
    reads = [p.read(phase) for p in book.points]
    return np.array([each[r.instrument if r is not None else -1] for r in reads], dtype=np.float64)


def collimation_left(book: SupportsBook) -> float:
    """Return u of what the collimation error leaves between the nearest and the furthest point [m]; 0 where nobody knows it."""
    i, d = book.instrument, distances(book)
    if i is None or i.u_collimation is None or not len(d) or np.isnan(d).any():
        return 0.0
    u = i.u_collimation if book.use_collimation else float(np.hypot(i.u_collimation, (i.collimation or 0.0) / 3**0.5))
    return u * float(d.max() - d.min())


BOTH_LINES = 2.0
"""The watch mark read twice ties two lines together: two more readings in an as-left deviation."""


def order_of_work(points: list[PointRow], moves: Floats, verdicts: list[str]) -> list[int]:
    """Return the points to move, from the highest need to the lowest; what is proven in stays untouched."""
    need = [i for i, v in enumerate(verdicts) if v and v != PROVEN_IN]
    return sorted(need, key=lambda i: (-abs(float(moves[i])), points[i].name))


def wanted_thickness(point: PointRow, move: float) -> float:
    """Return the packing wanted at a point [m].

    Upward it comes on top of what is there. Downward the old stack comes out and a thinner one goes
    in; where there is none, nothing can be taken out (the result is below 0: no leaf cures that).
    """
    return move if move >= 0 else point.stack + move


def pack(result: SupportsResult, seconds_left: Callable[[], float] = lambda: 20.0) -> Packing | None:
    """Choose leaves for every point to be moved, or None where there is nothing to choose from."""
    book = result.book
    if not len(result.to_move) or not book.stock:
        return None
    return choose_leaves(
        result.wanted, [leaf.thickness for leaf in book.stock], [leaf.count for leaf in book.stock],
        result.learned.interface, book.limits.most_leaves, seconds_left,
    )  # fmt: skip


def target_is_plane(book: SupportsBook) -> bool:
    """Whether the supports are brought to a plane rather than a level line."""
    return book.target.plane


def _engine_target(book: SupportsBook) -> Target:
    choice = book.target
    if choice.kind == "keep":
        name = next((p.name for p in book.points if p.id == choice.point), "")
        return Target("keep", name=name)
    if choice.kind == "height":
        sense = book.limits.sense
        return Target("height", height=float(signs([sense])[0]) * choice.reading)
    if choice.kind == "fall":
        return Target("fall", gradient=choice.gradient)
    return Target(choice.kind)


def _line_shift(book: SupportsBook) -> float:
    """How much higher the as-left line is than the as-found one, by the scale standing on the watch mark [m]."""
    if {FOUND, LEFT} <= book.reference.keys():
        return book.reference[LEFT].value - book.reference[FOUND].value
    return 0.0


def _u_reading(book: SupportsBook) -> float:
    return _u_one(book.instruments[-1]) if book.instruments else 0.0


def _u_one(i: Instrument) -> float:
    return i.base + i.per_metre * max(i.reach - i.from_distance, 0.0)
