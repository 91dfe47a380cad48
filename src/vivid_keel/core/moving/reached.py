"""Points brought to their target, as far as it is read off what was read and decided: who is where, and what is in doubt.

Source: the sums of one round, each named with its working.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.aim import Aim
from vivid_keel.core.moving.issued import Line
from vivid_keel.core.moving.means import FILL, TRIM, Instruction
from vivid_keel.core.moving.plan import MovingBook, Put
from vivid_keel.core.moving.rounds import Learned
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.moving.task import Task
from vivid_keel.core.proof import PROVEN_IN
from vivid_keel.core.quantities import is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Reached(Struct, frozen=True, dict=True):
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
    to_do : list of int
        Those of them where something is still to be done in this round.
    to_pack : list of int
        Those of these that are packed with leaves; `wanted` is theirs: what is still to go in [m].
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
    held : dict of int to tuple of Line
        What an issued plan still says of points where something is to be done, by their place: it stands.
    """

    book: MovingBook
    task: Task
    aim: Aim
    verdicts: list[str]
    left_verdicts: list[str]
    to_move: list[int]
    to_do: list[int]
    to_pack: list[int]
    wanted: Floats
    packing: Packing | None
    lifts: Floats
    broken: list[int]
    instructions: dict[int, Instruction]
    feet: tuple[int, ...]
    held: dict[int, tuple[Line, ...]]

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
        """Where each point that is still to be packed stands in the packing."""
        return {i: k for k, i in enumerate(self.to_pack)}

    def does(self, i: int) -> float:
        """How far a point is brought, as it is said to the hand: + raise [m].

        Its move; what is put under it may be more or less, as neighbours come along. Where that goes the other way,
        the other way is said.
        """
        move, lift = float(self.moves[i]), float(self.lifts[i])
        return move if self.booked(i) is not None or move * lift > 0 or i in self.broken else lift

    def begun(self, i: int) -> Put | None:
        """Return what was really put in at a point in this round so far; None while nothing is booked."""
        if self.task.influence is not None and i >= len(self.book.points):
            return None
        return self.book.booked.get(self.book.points[i].id)

    def booked(self, i: int) -> Put | None:
        """Return what was really put in at a point in this round; None while something is still to be done there."""
        put = self.begun(i)
        return put if put is not None and put.whole else None

    @property
    def lifts_something(self) -> bool:
        """Whether something that stands is to be raised; fill and trimming lift nothing."""
        return any(
            self.moves[i] > 0 and self.book.means_at(self.book.points[i].id).kind not in {FILL, TRIM}
            for i in self.to_move
            if i < len(self.book.points)
        )

    @property
    def all_proven(self) -> bool:
        """Whether every support is read, read again and proven in."""
        return 0 < self.read == self.read_left == self.asked and all(
            v == PROVEN_IN for v, h in zip(self.left_verdicts, self.heights, strict=True) if not is_missing(h)
        )

    @property
    def read_elsewhere(self) -> list[int]:
        """Points that are read from another station than the rest."""
        return []

    @property
    def keepers(self) -> list[int]:
        """Points that are their own target."""
        return [i for i in range(len(self.moves)) if self.aim.own[i] > 0.5]
