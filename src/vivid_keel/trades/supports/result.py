"""Everything computed from the supports, beside what is computed of everything that is moved."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.plan import FOUND
from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.moving.scale import STANDS, reading_at
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.quantities import show_amount, show_length, show_thickness
from vivid_keel.core.working import Working
from vivid_keel.trades.supports.book import SupportsBook
from vivid_keel.trades.supports.line import collimation_left, left_bound, line_error, u_of, u_reading

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class SupportsResult(Moved, frozen=True):
    """The supports computed; arrays run over `book.points`."""

    book: SupportsBook

    @property
    def line_error(self) -> Floats:
        """How much higher the line of sight is at each point than at the instrument, where it is taken out (n,) [m]."""
        return line_error(self.book)

    @property
    def read_elsewhere(self) -> list[int]:
        """Posts that were read from another station than the first."""
        return [i for i, p in enumerate(self.book.points) if p.found is not None and p.found.station]

    def target_reading(self, sense: str) -> float:
        """What a scale of this sense shows at the target [m]."""
        return float(reading_at(np.array([self.target]), [sense])[0]) + self.book.scale_foot

    def budget(self) -> Budget:
        """The budget of one as-found deviation: the point's reading and the target's."""
        u, left, bound = u_reading(self.book), collimation_left(self.book), left_bound(self.book) / 2
        fine = float(u_of(self.book, FOUND).max()) if len(self.book.points) else u
        coarse = math.sqrt(max(fine**2 - u**2, 0.0)) if u > 0 else 0.0
        rest, stays = 0.0, bound
        if self.read and not np.isnan(self.u_deviation).all() and u > 0:
            # What of the dearest deviation is not its own reading. A bound comes on top, not in the root: its line takes
            # what it adds to the sum of squares.
            worst = float(np.nanmax(self.u_deviation))
            chance = max(worst - bound, 0.0)
            rest = math.sqrt(max(chance**2 - u**2 - coarse**2 - left**2, 0.0))
            stays = math.sqrt(worst**2 - chance**2)
        lines = [
            BudgetLine("this reading", u, "a finer scale, or the mean of four readings"),
            BudgetLine("read more coarsely", coarse, "read, and book, to the millimetre"),
            BudgetLine("the target's readings", rest, "a target that rests on more posts, such as the mean"),
            BudgetLine(
                "collimation, as far as it is known",
                left,
                "stand where the posts are equally far, or more rounds of the two-peg check",
            ),
            BudgetLine(
                "left in: collimation, a laser's axes",
                stays,
                "take it out, stand where the posts are equally far, or have it adjusted",
            ),
        ]
        return Budget((*lines[:1], *(line for line in lines[1:] if line.u > 0 or line is lines[2])))

    def why_move(self, i: int) -> Working | None:
        """Return the working of a point's move."""
        if np.isnan(self.moves[i]):
            return None
        point, style = self.book.points[i], self.book.style
        assert point.found is not None
        move, h = float(self.moves[i]), float(self.heights[i])
        sense = "line − reading" if point.sense == STANDS else "line + reading"
        U = 2 * float(self.u_deviation[i])
        c = float(self.line_error[i])
        bent = f" {show_amount(c, style, 2, signed=True)} for the line's own slope" if c else ""
        if self.book.use_staff and point.found.own:
            bent += f", {show_amount(-point.found.own, style, 2, signed=True)} in the reading for the scale's foot"
        if point.found.station:
            over = self.book.ties[FOUND].line_over(point.found.station)
            bent += f" (read {show_length(point.found.as_read, style)} from {point.found.station}, whose line is {show_amount(over, style, 2, signed=True)} higher)"
        return Working(
            f"Move of {point.name}",
            f"h = {sense} (scale {point.sense});  move = target − h",
            f"h = 0 {'−' if point.sense == STANDS else '+'} {show_length(point.found.value, style)}{bent} = {show_length(h, style)};  "
            f"move = {show_length(float(self.targets[i]), style)} − ({show_length(h, style)}) = {show_amount(move, style, 2, signed=True)}",
            (f"{point.name}, as found {point.found.text}", f"target: {target_words(self.book, self)}"),
            f"Heights count from the line of sight. U = {show_amount(U, style, 2)} (k = 2), tolerance {show_thickness(self.book.limits.tolerance, style)}.",
        )

    @property
    def _keeper_left(self) -> bool:
        """Whether as-left heights are judged against the keeper's own as-left reading."""
        return self.aim.by_keeper and not np.isnan(self.left[self.aim.keeper])

    def why_left(self, i: int) -> Working | None:
        """Return the working of a point's as-left deviation."""
        point, style = self.book.points[i], self.book.style
        if point.left is None or np.isnan(self.left[i]) or np.isnan(self.aim.left_targets[i]):
            return (
                None  # not read, or no target there: a plane that can't be worked out, or read as left only
            )
        shift = (
            ""
            if not self.line_shift
            else f" (line {show_amount(self.line_shift, style, signed=True)} by the watch mark)"
        )
        return Working(
            f"{point.name} as left",
            "deviation = h(left) − target;  in: |d| + U ≤ t;  out: |d| − U > t",
            f"d = {show_length(float(self.left[i]), style)} − ({show_length(float(self.aim.left_targets[i]), style)}) = "
            f"{show_amount(self.deviation_left(i), style, 2, signed=True)}{shift};  "
            f"U = {show_amount(2 * float(self.u_left[i]), style, 2)};  t = {show_thickness(self.book.limits.tolerance, style)}",
            (f"{point.name}, as left {point.left.text}", f"target: {target_words(self.book, self)}"),
            "Against the keeper as it was left: it may have come along." if self._keeper_left else "",
        )
