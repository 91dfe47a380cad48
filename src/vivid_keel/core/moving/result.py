"""Everything computed of points that are brought level: moves, packing, order, proof.

Source: the sums of one round, each named with its working.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.holding import rest_of_stack, since, terms_of
from vivid_keel.core.moving.issued import IssuedPlan, Line
from vivid_keel.core.moving.plan import BOTH, MovingBook, leaf_key
from vivid_keel.core.moving.reached import Reached
from vivid_keel.core.moving.rounds import clearance_of, stage_size, stages
from vivid_keel.core.moving.walk import Step, Way, walk
from vivid_keel.core.quantities import (
    EQUAL,
    is_missing,
    show_amount,
    show_length,
    show_number,
    show_thickness,
)
from vivid_keel.core.working import Working

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Planned(Struct, frozen=True):
    """What is to be put in at a point: thicker (thinner −) or wound up [m], leaves more, leaves out of the stock by `leaf_key`,
    the words for it, and which of the leaves come out again at the next stage [m]."""

    put: float
    leaves: int
    used: dict[str, int]
    words: str
    for_now: tuple[float, ...] = ()


class Moved(Reached, frozen=True, dict=True):
    """Points brought to their target: the walk to it, stage by stage, what the hand does, and what it comes to.

    Its arrays run over what is judged, nan where it has no reading; what they are is said in `Reached`.
    """

    @cached_property
    def _stage_size(self) -> float:
        return stage_size(self.book)

    def per_stage(self, i: int) -> float:
        """How much of a point's lift may be done at one stage [m]; inf where all of it may.

        Counted in packing: where that raises it by less, more goes in.
        """
        size, lift = self._stage_size, abs(float(self.lifts[i]))
        if math.isinf(size) or lift <= EQUAL:
            return math.inf
        move = abs(float(self.moves[i])) if self.task.influence is None else lift
        return size * lift / max(move, lift)

    @cached_property
    def walk(self) -> dict[int, list[Step]]:
        """What is still to be done in this round, stage by stage, in the order of work; by the stage's number.

        Empty while leaves are not chosen yet.
        """
        ways = [self._way(i) for i in self.to_do if i not in self.broken and not self.read_again(i)]
        return walk(
            [way for way in ways if way is not None],
            self._spare,
            self.learned.interface,
            self.book.limits.most_leaves,
            {i: [line.step for line in lines] for i, lines in self.held.items()},
        )

    @cached_property
    def _spare(self) -> Counter[float]:
        """Leaves that the plan leaves in the stock, by thickness [m]."""
        spare: Counter[float] = Counter()
        for leaf in self.book.stock:
            spare[leaf.thickness] += leaf.count
        for i in self.to_pack:
            spare.subtract(self.stack(i) or ())
        return spare

    def _line(self, step: Step) -> Line | None:
        """What an issued plan says of a step, where it stands."""
        return next((line for line in self.held.get(step.place, ()) if line.step.stage == step.stage), None)

    def read_again(self, i: int) -> bool:
        """Whether a point was read as left: then its packing is in, booked or not."""
        return self.task.influence is None and not is_missing(float(self.task.left[i]))

    def _way(self, i: int) -> Way | None:
        point, put, stack = self.book.points[i], self.begun(i), self.stack(i)
        if stack is None and self.book.by_leaves(point.id):
            return None
        lift = float(self.lifts[i])
        now = self.book.so_far(point, lift, self.learned.interface)
        out = () if put is None else put.for_now
        if put is not None and self.is_changed(i):
            out = tuple(sorted([*out, *self.lying(i)], reverse=True))
        done, means = 0 if put is None else put.stage, self.book.means_at(point.id)
        return Way(
            i, lift, self.per_stage(i), done, now, out, stack, max(point.stack, 0.0), means, point.travel
        )

    @property
    def stage_in_hand(self) -> int:
        """Number of the stage that is done now; 0 while there is none to do. A point that can't be brought in keeps no other waiting."""
        able = (stage for stage, steps in self.walk.items() if not all(map(self.is_idle, steps)))
        return next(able, next(iter(self.walk), 0))

    def is_idle(self, step: Step) -> bool:
        """Whether a step moves no leaf and turns nothing: the point can only be cured otherwise."""
        return step.told is None and not step.into and not step.out

    @property
    def stage_count(self) -> int:
        """How many stages this round takes; 1 where all is done at once."""
        done = [put.stage for put in self.book.booked.values()]
        return max([1, *done, *self.walk])

    def step(self, i: int) -> Step | None:
        """What is done at a point at the stage in hand, or could only be done otherwise; None where nothing is."""
        own = [step for steps in self.walk.values() for step in steps if step.place == i]
        return next((s for s in own if s.stage == self.stage_in_hand or self.is_idle(s)), None)

    def part(self, step: Step) -> float:
        """How far a step brings its point, as it is said to the hand: + raise [m]."""
        if (line := self._line(step)) is not None:
            return line.move
        lift = float(self.lifts[step.place])
        if lift < 0 and self._nothing_to_take_out(step):
            return self.does(step.place)  # trimmed, by as much as it is to come down
        return self.does(step.place) * (step.after - step.before) / lift if abs(lift) > EQUAL else 0.0

    def _nothing_to_take_out(self, step: Step) -> bool:
        return step.told is None and not step.out and not self.book.points[step.place].stack

    def _at(self, i: int, under: float) -> float:
        """Height of a point on the line once so much is under it [m]."""
        lift = float(self.lifts[i])
        gone = self.does(i) * under / lift if abs(lift) > EQUAL else 0.0
        return float(self.heights[i]) + gone

    def stop_after(self, step: Step) -> float:
        """The reading the scale shows when a step is done, let down on its packing [m]."""
        line = self._line(step)
        return self.shown(step.place, self._height_after(step)) if line is None else line.finish_at

    def _height_after(self, step: Step) -> float:
        """Height of a point once a step is done, let down on its packing [m]."""
        if step.last:
            over = self.left_over(step.place)
            return float(self.targets[step.place]) + (0.0 if np.isnan(over) else over)
        return self._at(step.place, step.after)

    def first_of(self, step: Step) -> float:
        """The jack's own reading while a step is done [m]; nan where the point is only brought to its mark."""
        if (line := self._line(step)) is not None:
            return line.jack_to
        if self.lifts[step.place] < 0 and self._nothing_to_take_out(step):
            return math.nan
        if step.told is not None:
            past = step.told.first - step.told.done  # beyond where it stands then, as its neighbours let it
            return math.nan if math.isnan(past) else self.shown(step.place, self._height_after(step) + past)
        # Leaves slip in while they are not pressed yet; to change a stack the beam only comes off it.
        over = max(sum(step.into) - sum(step.out), 0.0) if self.lifts[step.place] >= 0 else 0.0
        return self.shown(step.place, self._jack_to(step, over))

    def _jack_to(self, step: Step, over: float) -> float:
        """Height that the jack brings a point to while leaves slip in, by how much thicker they are [m]: never below where it
        stands afterwards."""
        ends = self._height_after(step)
        return max(self._at(step.place, step.before) + over, ends) + clearance_of(self.book)

    def step_in_words(self, step: Step, *, brief: bool = False) -> str:
        """What the hand does at a step: leaves in, leaves out, or turns; `brief` puts what is there for now in brackets."""
        if step.told is not None:
            return f"can't: {step.told.words}" if step.told.refused else step.told.whole
        said = self.book.style.thickness
        stay = list(step.into)
        for leaf in step.for_now:
            stay.remove(leaf)
        if self.lifts[step.place] < 0:
            if self._nothing_to_take_out(step):
                return "trim; none to take out"
            into = " + ".join(said(t) for t in step.into) or "nothing"
            return f"{changed_for(into)}{'' if step.last else ' for now'}"
        gone, beyond = " + ".join(said(t) for t in step.out), ", blocked up in between" if step.beyond else ""
        kept = " + ".join(said(t) for t in stay)
        held = " + ".join(said(t) for t in step.for_now)
        if gone and not step.into:
            return f"take out {gone}{beyond}"
        if held:
            kept += f" ({held})" if brief else f", for now {held}" if kept or gone else f"for now {held}"
        if gone:
            return f"change {gone}{' for ' if stay else ''}{kept}{beyond}"
        return f"{kept.strip() or 'nothing'}{beyond}"

    @cached_property
    def line_in_doubt(self) -> float:
        """How far everything, what was not touched too, seems to have gone at once since it was found [m]; 0 where it hasn't.

        Then the line may have moved, or the work: only the watch mark, read again, can tell. 0 where it ties them, and of
        what is read against no line, as a body by a level is.
        """
        if self.task.both or self.task.influence is not None or not self.task.one_line:
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

    def stack(self, i: int) -> tuple[float, ...] | None:
        """Leaves to put in at a point, thick first [m]; None when not chosen, not moved, or booked already."""
        if i in self.held and i in self._packs:
            put = self.begun(i)
            return rest_of_stack(self.held[i], put.for_now if put is not None else ())
        if self.packing is None or i not in self._packs:
            return None
        return self.packing.stacks[self._packs[i]]

    def is_changed(self, i: int) -> bool:
        """Whether the leaves that lie at a point come out for thicker ones, as no more would go in beside them."""
        return (
            self.packing is not None
            and i not in self.held
            and i in self._packs
            and self._packs[i] in self.packing.changed
        )

    def lying(self, i: int) -> tuple[float, ...]:
        """Leaves that went in at a point in this round to stay, thick first [m]."""
        put = self.begun(i)
        if put is None:
            return ()
        by_key = {leaf_key(leaf.thickness): leaf.thickness for leaf in self.book.stock}
        stay = [by_key[key] for key, count in put.lying.items() if key in by_key for _ in range(count)]
        return tuple(sorted(stay, reverse=True))

    def whole_stack(self, i: int) -> tuple[float, ...] | None:
        """Leaves of this round at a point once it is done, those that lie there already too, thick first [m]; None where
        nothing is to be packed any more."""
        stack = self.stack(i)
        if stack is None or self.is_changed(i):
            return stack
        return tuple(sorted([*self.lying(i), *stack], reverse=True))

    @property
    def set_aside(self) -> list[int]:
        """Points that packing can't bring in, whatever the others take."""
        if self.packing is not None:
            return [self.to_pack[k] for k in self.packing.aside]
        tolerance = self.book.limits.tolerance
        return [i for k, i in enumerate(self.to_pack) if self.wanted[k] < -tolerance - EQUAL]

    def no_room(self, i: int) -> bool:
        """Whether as many leaves lie at a point in this round as a stack may have."""
        put = self.begun(i)
        return put is not None and put.leaves - len(put.for_now) >= self.book.limits.most_leaves

    def wanted_at(self, i: int) -> float:
        """Return the packing that is still wanted at a point to be packed [m]; below 0 where it stands too high."""
        return float(self.lifts[i]) if self.is_changed(i) else float(self.wanted[self._packs[i]])

    def left_over(self, i: int) -> float:
        """What the means leave undone at a point: achieved − wanted [m]; nan when not chosen."""
        done = self.booked(i)
        if done is not None:
            return done.put - done.hung - self.learned.interface * done.leaves - float(self.lifts[i])
        if i in self.instructions:
            lift = float(self.lifts[i])
            so_far = self.book.so_far(self.book.points[i], lift, self.learned.interface)
            return so_far + self.instructions[i].done - lift
        stack = self.stack(i)
        if stack is None:
            return float("nan")
        return sum(stack) - self.learned.interface * len(stack) - self.wanted_at(i)

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
        stack, put = self.stack(i), self.begun(i)
        if stack is None:
            return ""
        leaves = " + ".join(f"{self.book.style.thickness(t)}" for t in stack) or "nothing"
        if self.lifts[i] >= 0:
            return leaves if put is None else f"{put.text}, then {leaves}"
        return changed_for(leaves) if self.book.points[i].stack else "trim; none to take out"

    def planned(self, i: int) -> Planned | None:
        """Return what the plan still has for a point in this round; None where nothing is chosen."""
        if i in self.instructions:
            told = self.instructions[i]
            return Planned(told.done, 0, {}, told.words)
        stack = self.stack(i)
        if stack is None or i in self.broken:
            return None
        up, put = self.lifts[i] >= 0, self.begun(i)
        out = put.for_now if put is not None else ()
        if put is not None and self.is_changed(i):
            out = (*out, *self.lying(i))
        used = counted(stack, out)
        there = sum(out) if up or put is not None else self.book.points[i].stack
        leaves = len(stack) - len(out) if up else 0
        return Planned(sum(stack) - there, leaves, used, self.in_words(i))

    def planned_step(self, step: Step) -> Planned:
        """Return what a step puts in."""
        leaves = step.leaves if self.lifts[step.place] >= 0 else 0
        words = step.told.words if step.told is not None else self.step_in_words(step)
        return Planned(step.put, leaves, counted(step.into, step.out), words, step.for_now)

    @property
    def is_issued(self) -> bool:
        """Whether an issued plan says all that is planned now."""
        held = {
            (step.place, step.stage) for steps in self.walk.values() for step in steps if self._line(step)
        }
        return (
            self.book.plan is not None
            and self.book.plan.id > 0
            and all((step.place, step.stage) in held for steps in self.walk.values() for step in steps)
        )

    def to_issue(self, *, printed: bool = False) -> IssuedPlan:
        """Return all that is planned now as a plan to be issued."""
        points = self.book.points
        lines: dict[int, list[Line]] = {}
        buy = self.packing.to_buy if self.packing is not None else None
        for steps in self.walk.values():
            for step in steps:
                line = Line(step, self.part(step), self.first_of(step), self.stop_after(step))
                lines.setdefault(points[step.place].id, []).append(line)
        return IssuedPlan(
            0,
            terms_of(self.book),
            {points[i].id: place for i, place in self.places.items()},
            {points[i].id: float(self.lifts[i]) for i in self.to_move},
            {
                point.id: float(self.moves[i])
                for i, point in enumerate(points)
                if i < len(self.moves) and not is_missing(float(self.moves[i]))
            },
            {point: tuple(own) for point, own in lines.items()},
            printed,
            frozenset(points[i].id for i in self.set_aside),
            {leaf_key(leaf): count for leaf, count in buy} if buy is not None else None,
            self.packing.deeper if self.packing is not None else None,
        )

    @property
    def since_printed(self) -> list[int]:
        """Points whose lines are no longer what the sheet that was printed last says, where something is still to be done there."""
        sheet = self.book.printed
        if sheet is None or (self.packing is None and self.to_pack):
            return []
        now = self.to_issue().lines
        out = []
        for i in self.to_do:
            id = self.book.points[i].id
            done = len(since(sheet, self.begun(i)))
            was = [self._said(line) for line in sheet.lines.get(id, ())[done:]]
            if was != [self._said(line) for line in now.get(id, ())]:
                out.append(i)
        gone = [
            i for i, point in enumerate(self.book.points) if point.id in sheet.lines and i not in self.to_move
        ]
        return [*out, *gone]

    def _said(self, line: Line) -> tuple[object, ...]:
        """What a line says to the hand: its stage, leaves, and readings as they are shown."""
        step, style = line.step, self.book.style
        jack = "" if math.isnan(line.jack_to) else show_length(line.jack_to, style)
        told = step.told.whole if step.told is not None else ""
        return (step.stage, step.into, step.for_now, step.out, told, jack, show_length(line.finish_at, style))

    def put_in(self) -> tuple[dict[int, float], dict[int, int]]:
        """What the round does, by point id: thicker (thinner −) or wound up [m], and leaves put in.

        What is booked as it was booked; the rest as planned.
        """
        put = {id: done.put for id, done in self.book.booked.items()}
        leaves = {id: done.leaves for id, done in self.book.booked.items()}
        for i in self.to_do:
            id, plan = self.book.points[i].id, self.planned(i)
            more = (plan.put, plan.leaves) if plan is not None else (0.0, 0)
            put[id], leaves[id] = put.get(id, 0.0) + more[0], leaves.get(id, 0) + more[1]
        return put, leaves

    def used(self) -> dict[str, int]:
        """How many leaves of each thickness the plan takes out of the stock, by `leaf_key`; what is booked took its own."""
        out: Counter[str] = Counter()
        for i in self.to_do:
            plan = self.planned(i)
            out.update(plan.used if plan is not None else {})
        return dict(out)

    def first_to(self, i: int) -> float:
        """What the scale shows when a point is last brought past its mark: the jack's own reading [m]; nan where it isn't."""
        if i not in self.places or i in self.broken or self.booked(i) is not None:
            return math.nan
        steps = [step for steps in self.walk.values() for step in steps if step.place == i]
        if not steps and (way := self._way(i)) is not None:  # read again already, booked or not
            own = walk([way], self._spare, self.learned.interface, self.book.limits.most_leaves)
            steps = [own[max(own)][0]]
        return self.first_of(steps[-1]) if steps else math.nan

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

    def stands_at(self, i: int) -> float:
        """Height of a point on the line with what is under it in this round so far [m]."""
        lift = float(self.lifts[i])
        return self._at(i, self.book.so_far(self.book.points[i], lift, self.learned.interface))

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
        wanted, over = self.wanted_at(i), float(self.left_over(i))
        leaves = " + ".join(f"{self.book.style.thickness(t)}" for t in stack) or "nothing"
        less = self.book.style.amount(wanted, 2)
        return Working(
            f"Packing of {point.name}",
            "achieved = Σ leaves − n·δ;  left over = achieved − wanted;  finish at = reading at (target + left over)",
            f"{leaves} − {len(stack)} × {self.book.style.thickness(gap)} = {show_amount(sum(stack) - len(stack) * gap, self.book.style, 2)};  "
            f"− {f'({less})' if wanted < 0 else less} = {show_amount(over, self.book.style, 2, signed=True)};  finish at {show_length(self.stop_at(i), style)}",
            (
                f"wanted {show_amount(wanted, self.book.style, 2)}",
                f"stock of {sum(leaf.count for leaf in self.book.stock)} leaves, at most "
                f"{self.book.limits.most_leaves} in a stack",
            ),
            "Thick below, thin above it and never outermost. δ is what each interface closes under load.",
        )


def changed_for(leaves: str) -> str:
    """Return what the hand does where packing comes out and other leaves, in words, go in instead ("nothing" for none)."""
    return "take the packing out" if leaves == "nothing" else f"change for {leaves}"


def counted(into: Sequence[float], out: Sequence[float] = ()) -> dict[str, int]:
    """Return how many leaves more are taken out of the stock, by `leaf_key`, by leaves that go `into` a stack [m] and others
    that come `out` [m]; below 0 where some come back."""
    used = Counter(leaf_key(leaf) for leaf in into)
    used.subtract(leaf_key(leaf) for leaf in out)
    return {key: count for key, count in used.items() if count}


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
