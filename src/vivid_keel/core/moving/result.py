"""Everything computed of points that are brought level: moves, packing, order, proof.

Source: the sums of one round, each named with its working.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.aim import Aim
from vivid_keel.core.moving.means import FILL, TRIM, Instruction
from vivid_keel.core.moving.plan import BOTH, MovingBook, Put, leaf_key
from vivid_keel.core.moving.rounds import Learned, stages
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import PROVEN_IN
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_number, show_thickness
from vivid_keel.core.working import Working

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Planned:
    """What is to be put in at a point: thicker (thinner −) or wound up [m], leaves more, leaves out of the stock by `leaf_key`,
    and the words for it."""

    put: float
    leaves: int
    used: dict[str, int]
    words: str


@dataclass(frozen=True)
class Moved:
    """Points brought to their target; arrays run over what is judged, nan where it has no reading.

    Attributes
    ----------
    book, task
        What was decided, and what was read.
    aim : Aim
        Where everything is to come to, and what that is worth.
    verdicts, left_verdicts : list of str
        Three-valued per point, "" without a reading.
    to_move : list of int
        Points to be moved, in the order of work, those of this round that are booked already too.
    to_pack : list of int
        Those of them that are not booked yet; `wanted` is theirs [m].
    packing : Packing or None
        For `to_pack`, once chosen.
    lifts : float array (n,)
        What is put under each point so that it makes its move [m]: the move itself until a round was seen.
    broken : list of int
        Points whose move the limits rule out.
    instructions : dict of int to Instruction
        What a hand does at each point to be moved; empty where leaves are chosen.
    feet : tuple of int
        The three feet to set it on first, where that is the order.
    """

    book: MovingBook
    task: Task
    aim: Aim
    verdicts: list[str]
    left_verdicts: list[str]
    to_move: list[int]
    to_pack: list[int]
    wanted: Floats
    packing: Packing | None
    lifts: Floats
    broken: list[int]
    instructions: dict[int, Instruction]
    feet: tuple[int, ...]

    @property
    def target(self) -> float:
        """Height of the target on the same line, of a plane its mean; nan without readings [m]."""
        return self.aim.level

    @property
    def targets(self) -> Floats:
        """Height of the target at each point (n,) [m]."""
        return self.aim.targets

    @property
    def moves(self) -> Floats:
        """Target − height, + raise (n,) [m]."""
        return self.aim.moves

    @property
    def u_deviation(self) -> Floats:
        """Standard uncertainty of height − target as found (n,) [m]."""
        return self.aim.u_deviation

    @property
    def u_left(self) -> Floats:
        """Standard uncertainty of height − target as left (n,) [m]."""
        return self.aim.u_left

    @property
    def trouble(self) -> KeelError | None:
        """Why there is no target."""
        return self.aim.trouble

    @property
    def heights(self) -> Floats:
        """Heights as found, on the line of the as-found readings (n,) [m]."""
        return self.task.found

    @property
    def left(self) -> Floats:
        """Heights as left, on the same line (n,) [m]."""
        return self.task.left

    @property
    def line_shift(self) -> float:
        """How much higher the as-left line is [m]."""
        return self.task.shift

    @property
    def learned(self) -> Learned:
        """What the finished rounds taught."""
        return self.task.learned

    @property
    def read(self) -> int:
        return int((~np.isnan(self.heights)).sum())

    @property
    def asked(self) -> int:
        """How many there are to be read: all but those set aside."""
        if self.task.influence is not None:
            return len(self.heights)
        return sum(not point.aside for point in self.book.points)

    @property
    def read_left(self) -> int:
        return int((~np.isnan(self.task.left)).sum())

    @cached_property
    def places(self) -> dict[int, int]:
        """Where each point to be moved stands in the order of work."""
        return {i: k for k, i in enumerate(self.to_move)}

    @cached_property
    def _packs(self) -> dict[int, int]:
        """Where each point that is not booked yet stands in the packing."""
        return {i: k for k, i in enumerate(self.to_pack)}

    def does(self, i: int) -> float:
        """How far a point is brought, as it is said to the hand: + raise [m].

        Its move; what is put under it may be more or less, as neighbours come along. Where that goes the other way,
        the other way is said.
        """
        move, lift = float(self.moves[i]), float(self.lifts[i])
        return move if self.booked(i) is not None or move * lift > 0 else lift

    def booked(self, i: int) -> Put | None:
        """Return what was really put in at a point in this round; None while nothing is booked."""
        if self.task.influence is not None and i >= len(self.book.points):
            return None
        return self.book.booked.get(self.book.points[i].id)

    @cached_property
    def line_in_doubt(self) -> float:
        """How far everything, what was not touched too, seems to have gone at once since it was found [m]; 0 where it hasn't.

        Then the line may have moved, or the work: only the watch mark, read again, can tell. 0 where it ties them.
        """
        if self.task.both or self.task.influence is not None:
            return 0.0
        n = len(self.heights)
        made = np.zeros(n)
        for i in self.to_move:
            done = self.booked(i)
            made[i] = (
                self.lifts[i] if done is None else done.put - done.hung - self.learned.interface * done.leaves
            )
        went = self.left - self.heights - (self.predicted(np.nan_to_num(made)) - self.heights)
        read = ~np.isnan(went)
        still = read & ~np.isin(np.arange(n), self.to_move)
        if read.sum() < 3 or not still.any():
            return 0.0
        sure = 3 * 2**0.5 * float(self.task.u_again[read].max())
        whole, quiet = float(np.median(went[read])), float(np.median(went[still]))
        alike = float(np.mean(np.abs(went[read] - whole) < sure))
        if abs(whole) <= sure or abs(quiet) <= sure or abs(whole - quiet) > sure or alike < 0.6:
            return 0.0
        return whole

    @property
    def lifts_something(self) -> bool:
        """Whether something that stands is to be raised; fill and trimming lift nothing."""
        return self.book.means.kind not in {FILL, TRIM} and any(self.moves[i] > 0 for i in self.to_move)

    @property
    def all_proven(self) -> bool:
        """Whether every support is read, read again and proven in."""
        return 0 < self.read == self.read_left == self.asked and all(
            v == PROVEN_IN for v, h in zip(self.left_verdicts, self.heights, strict=True) if not is_missing(h)
        )

    @property
    def keepers(self) -> list[int]:
        """Points that are their own target."""
        return [i for i in range(len(self.moves)) if self.aim.own[i] > 0.5]

    def stack(self, i: int) -> tuple[float, ...] | None:
        """Leaves to put in at a point, thick first [m]; None when not chosen, not moved, or booked already."""
        if self.packing is None or i not in self._packs:
            return None
        return self.packing.stacks[self._packs[i]]

    def left_over(self, i: int) -> float:
        """What the means leave undone at a point: achieved − wanted [m]; nan when not chosen."""
        done = self.booked(i)
        if done is not None:
            return done.put - done.hung - self.learned.interface * done.leaves - float(self.lifts[i])
        if i in self.instructions:
            return self.instructions[i].done - float(self.lifts[i])
        if self.packing is None or i not in self._packs:
            return float("nan")
        return float(self.packing.residuals[self._packs[i]])

    def stages(self) -> list[Floats]:
        """How far each point has gone after each stage of the lift [m], neighbours kept together."""
        moves = np.where(np.isin(np.arange(len(self.moves)), self.to_move), self.moves, 0.0)
        return stages(self.book, moves)

    def in_words(self, i: int) -> str:
        """What is done at a point to be moved, in words: leaves thick first, or what the hand does; "" while not chosen."""
        done = self.booked(i)
        if done is not None:
            return done.text
        if i in self.broken:
            return "ruled out by the limits"
        if i in self.instructions:
            told = self.instructions[i]
            return f"can't: {told.words}" if told.refused else told.whole
        stack = self.stack(i)
        if stack is None:
            return ""
        leaves = " + ".join(f"{self.book.style.thickness(t)}" for t in stack) or "nothing"
        if self.lifts[i] >= 0:
            return leaves
        return f"change for {leaves}" if self.book.points[i].stack else "trim; none to take out"

    def planned(self, i: int) -> Planned | None:
        """Return what the plan has for a point that is not booked yet; None where nothing is chosen."""
        if i in self.instructions:
            told = self.instructions[i]
            return Planned(told.done, 0, {}, told.words)
        stack = self.stack(i)
        if stack is None or i in self.broken:
            return None
        up = self.lifts[i] >= 0
        used = {leaf_key(t): n for t, n in Counter(stack).items()}
        thicker = sum(stack) - (0.0 if up else self.book.points[i].stack)
        return Planned(thicker, len(stack) if up else 0, used, self.in_words(i))

    def put_in(self) -> tuple[dict[int, float], dict[int, int]]:
        """What the round does, by point id: thicker (thinner −) or wound up [m], and leaves put in.

        What is booked as it was booked; the rest as planned.
        """
        put = {id: done.put for id, done in self.book.booked.items()}
        leaves = {id: done.leaves for id, done in self.book.booked.items()}
        for i in self.to_move:
            id, plan = self.book.points[i].id, self.planned(i)
            if id not in self.book.booked:
                put[id], leaves[id] = (plan.put, plan.leaves) if plan is not None else (0.0, 0)
        return put, leaves

    def used(self) -> dict[str, int]:
        """How many leaves of each thickness the plan takes out of the stock, by `leaf_key`; what is booked took its own."""
        out: Counter[str] = Counter()
        for i in self.to_pack:
            plan = self.planned(i)
            out.update(plan.used if plan is not None else {})
        return dict(out)

    def first_to(self, i: int) -> float:
        """What the scale shows when a point is first brought past its mark: the jack's own reading [m]; nan where it isn't."""
        if i not in self.places or i in self.broken or self.booked(i) is not None:
            return float("nan")
        if i in self.instructions:
            over = self.instructions[i].first
        else:
            stack = self.stack(i)
            if stack is None:
                return float("nan")
            # Leaves slip in while they are not pressed yet; to change an old stack the beam only comes off it.
            over = (sum(stack) if self.lifts[i] >= 0 else 0.0) + self.book.limits.clearance
        if np.isnan(over):
            return float("nan")
        return self.shown(i, float(self.heights[i]) + over)

    def shown(self, i: int, height: float) -> float:
        """What is read at a place when it is at a height on the line, its instrument's own errors in it [m]."""
        return self.task.shows.at(i, height)

    def predicted(self, lifts: Floats) -> Floats:
        """Heights of what is judged once the points are moved by lifts (n,) [m], as far as is known now."""
        if self.learned.response is not None:
            answer = self.learned.response.matrix @ lifts
        else:
            answer = lifts if self.task.influence is None else self.task.influence @ lifts
        return np.asarray(self.heights + answer)

    @property
    def can_not(self) -> list[tuple[int, str]]:
        """Points that the means in hand cannot bring there, and why."""
        return [(i, x.refused) for i, x in self.instructions.items() if x.refused]

    @property
    def limits_said(self) -> str:
        """Which points the limits rule out, and by how much; "" where they hold."""
        if not self.broken:
            return ""
        rule = self.book.limits
        words = [
            w
            for w in (
                rule.ways if rule.ways != BOTH else "",
                f"at most {show_thickness(rule.most, self.book.style)}" if np.isfinite(rule.most) else "",
            )
            if w
        ]
        said = [
            f"{self.book.points[i].name} by {show_amount(abs(self.moves[i]), self.book.style)} {'down' if self.moves[i] < 0 else 'up'}"
            for i in self.broken[:6]
        ]
        more = f" and {len(self.broken) - 6} more" if len(self.broken) > 6 else ""
        return f"it would move {', '.join(said)}{more}; the limits say {' and '.join(words)}"

    def stop_at(self, i: int) -> float:
        """The reading the scale shows when a point is right, let down on its packing [m]."""
        over = self.left_over(i)
        height = float(self.targets[i]) + (0.0 if np.isnan(over) else over)
        if i not in self.places:
            height = float(self.heights[i])
        return self.shown(i, height)

    def deviation_left(self, i: int) -> float:
        """As-left height − target [m]."""
        return float(self.left[i] - self.aim.left_targets[i])

    def why_move(self, i: int) -> Working | None:
        """Return the working of a point's move, where the trade knows how it was read."""
        return None

    def why_stack(self, i: int) -> Working | None:
        """Return the working of a point's packing and stop reading."""
        stack = self.stack(i)
        if stack is None:
            return None
        point, style, gap = self.book.points[i], self.book.style, self.learned.interface
        wanted, over = float(self.wanted[self._packs[i]]), float(self.left_over(i))
        leaves = " + ".join(f"{self.book.style.thickness(t)}" for t in stack) or "nothing"
        return Working(
            f"Packing of {point.name}",
            "achieved = Σ leaves − n·δ;  left over = achieved − wanted;  stop = reading at (target + left over)",
            f"{leaves} − {len(stack)} × {self.book.style.thickness(gap)} = {show_amount(sum(stack) - len(stack) * gap, self.book.style, 2)};  "
            f"− {self.book.style.amount(wanted, 2)} = {show_amount(over, self.book.style, 2, signed=True)};  stop at {show_length(self.stop_at(i), style)}",
            (
                f"wanted {show_amount(wanted, self.book.style, 2)}",
                f"stock of {sum(leaf.count for leaf in self.book.stock)} leaves, at most "
                f"{self.book.limits.most_leaves} in a stack",
            ),
            "Thick below, thin above it and never outermost. δ is what each interface closes under load.",
        )


def target_words(book: MovingBook, result: Moved | None = None) -> str:
    """Return the target in words."""
    names = {point.id: point.name for point in book.points}
    keeper = ""
    if result is not None and result.keepers:
        keeper = f", {book.points[result.keepers[0]].name}"
    words = {
        "highest": f"the highest{keeper}",
        "lowest": f"the lowest{keeper}",
        "mean": "the mean",
        "least-total": "the least total move",
        "least-greatest": "the least greatest move",
        "best-fit": "the best-fit plane",
        "minimum-zone": "the flattest band",
        "fall": f"a fall of {show_number(book.target.gradient[0] * 100, 2)} % along, {show_number(book.target.gradient[1] * 100, 2)} % across",
        "keep": f"keep {names.get(book.target.point, '?')}",
        "height": "a reading set by hand",
        "given": "as drawn",
    }[book.target.kind]
    return f"{book.limits.share * 100:.0f} % of the way to {words}" if book.limits.share < 1 else words


def refuse_broken(would: Moved) -> None:
    """Refuse a target that the limits rule out, naming the points and by how much.

    Raises
    ------
    KeelError
        `limit-broken`.
    """
    if would.broken:
        raise KeelError("limit-broken", f"{would.limits_said}; change them under Limits, or choose another")
