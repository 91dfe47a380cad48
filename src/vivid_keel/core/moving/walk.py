"""A lift walked in stages: what goes in at each point at each of them, so that nothing is lifted further at once.

Source: a lift parted so that no point's part of a stage exceeds the limit; leaves of the whole stack that add up from
stage to stage, and where none of them fits between, others that hold it for now.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import combinations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.moving.means import SCREW, Instruction, Means, instruct
from vivid_keel.core.moving.stacks import choose_leaves
from vivid_keel.core.quantities import EQUAL

Leaves = tuple[float, ...]


class Way(Struct, frozen=True):
    """What is still to be done at a point.

    Attributes
    ----------
    place : int
        Where the point stands among all.
    lift : float
        What is put under it in this round, what is booked already too: thicker, or wound up [m].
    per : float
        The most of it at one stage [m]; inf: all at once.
    stage : int
        Stages that are booked there.
    now : float
        What is under it so far [m].
    for_now : tuple of float
        Leaves of that that come out again [m].
    stack : tuple of float, or None
        Leaves that are still to go in [m], of a point that comes down the whole new stack; None: it isn't packed.
    there : float
        Packing that comes out first, where it comes down [m].
    means : Means
    travel : float
        Travel left upward before this round [m]; nan: what the means says.
    """

    place: int
    lift: float
    per: float
    stage: int
    now: float
    for_now: Leaves
    stack: Leaves | None
    there: float
    means: Means
    travel: float


class Step(Struct, frozen=True):
    """What is done at a point at one stage.

    Attributes
    ----------
    place, stage : int
    last : bool
        Whether nothing more is to be done there.
    into, out, for_now : tuple of float
        Leaves that go in, thick first, those that come out, and those of the first that come out again [m].
    put : float
        Thicker (thinner −) or wound up [m].
    leaves : int
        How many more.
    before, after : float
        What is under it before and after, its interfaces closed [m].
    told : Instruction or None
        What the hand does where it isn't packed.
    beyond : bool
        Whether it goes further at once than the limit, as no leaf holds it between.
    """

    place: int
    stage: int
    last: bool
    into: Leaves
    out: Leaves
    for_now: Leaves
    put: float
    leaves: int
    before: float
    after: float
    told: Instruction | None = None
    beyond: bool = False


def walk(
    ways: Sequence[Way],
    spare: Counter[float],
    interface: float,
    most_leaves: int,
    held: Mapping[int, list[Step]] | None = None,
) -> dict[int, list[Step]]:
    """Return the steps of each stage that is still to be done, in the order of the ways, by the stage's number.

    Parameters
    ----------
    ways : sequence of Way
        In the order of work.
    spare : Counter
        Leaves that the whole stacks leave in the stock, by thickness [m].
    interface : float
        What each interface closes [m].
    most_leaves : int
        In one stack.
    held : mapping of int to list of Step, optional
        What stands already, by place: the others find what that leaves.
    """
    held = held or {}
    first = [way for way in ways if way.place in held]
    in_turn = [*first, *(way for way in ways if way.place not in held)]
    shelf = _Shelf(in_turn, spare)
    out: dict[int, list[Step]] = {}
    for way in in_turn:
        if way.place in held:
            steps = held[way.place]
        elif way.stack is None:
            steps = _by_hand(way)
        elif way.lift >= 0:
            steps = _up(way, shelf, interface, most_leaves)
        else:
            steps = _down(way, shelf, most_leaves)
        shelf.takes(steps)
        for step in steps:
            out.setdefault(step.stage, []).append(step)
    if first:
        place = {way.place: k for k, way in enumerate(ways)}
        for steps in out.values():
            steps.sort(key=lambda step: place[step.place])
    return dict(sorted(out.items()))


class _Shelf:
    """Leaves that are there to hold points for now: what is spare, and what other points have given back by then."""

    def __init__(self, ways: Sequence[Way], spare: Counter[float]) -> None:
        self.spare = spare
        self.begun = [(way.stage, Counter(way.for_now)) for way in ways]
        self.held: list[dict[int, Counter[float]]] = []

    def takes(self, steps: Sequence[Step]) -> None:
        """Keep what the steps of the next way hold for now, by stage."""
        done, leaves = self.begun[len(self.held)]
        self.held.append({done: leaves, **{step.stage: Counter(step.for_now) for step in steps}})

    def at(self, stage: int) -> Counter[float]:
        """Return what the next way finds at a stage, whichever of the others were there already and whichever still hold the last."""
        own = len(self.held)
        found = Counter(self.spare)
        for k, (done, leaves) in enumerate(self.begun):
            if k <= own or stage > done + 1:
                found.update(leaves)
        for held in self.held:
            found -= _held_at(held, stage - 1) | _held_at(held, stage) | _held_at(held, stage + 1)
        return +found


def _held_at(held: dict[int, Counter[float]], stage: int) -> Counter[float]:
    """What one way holds once it is through a stage."""
    return held[max(k for k in held if k <= max(stage, min(held)))]


def _by_hand(way: Way) -> list[Step]:
    """The steps of a point that is turned, wedged or jacked."""
    steps: list[Step] = []
    now, stage = way.now, way.stage
    sign = 1.0 if way.lift >= 0 else -1.0
    room = way.travel
    if math.isnan(room) and way.means.has_travel:
        room = way.means.value("travel")
    while True:
        stage += 1
        last = abs(way.lift) <= way.per * stage + EQUAL
        target = way.lift if last else sign * way.per * stage
        further = target - now
        if not last and way.means.kind == SCREW:
            # To the part of a turn below: no further at once than the limit.
            part = way.means.value("pitch") / way.means.value("parts")
            further = sign * math.floor(abs(further) / part + 1e-6) * part
        told = instruct(way.means, further, room - now)
        if last or abs(told.done) > EQUAL or (told.refused and not steps):
            after = now + told.done
            steps.append(Step(way.place, stage, last, (), (), (), told.done, 0, now, after, told))
            now = after
        if last or told.refused:
            return steps if last else [*steps[:-1], replace(steps[-1], last=True)]


def _net(leaves: Leaves, interface: float) -> float:
    return sum(leaves) - interface * len(leaves)


def _up(way: Way, shelf: _Shelf, interface: float, most: int) -> list[Step]:
    """The steps of a point that is packed up: leaves of its stack first, others for now where none of those fits."""
    assert way.stack is not None
    steps: list[Step] = []
    left, out, now, stage = list(way.stack), way.for_now, way.now, way.stage
    base, lying = now - _net(out, interface), 0
    while True:
        stage += 1
        cap = min(way.per * stage, now + way.per)
        whole = base + _net(tuple(left), interface)
        last = min(way.lift, whole) <= cap + EQUAL
        into: Leaves = tuple(left)
        hold: Leaves = ()
        beyond = False
        if not last:
            into = _most_within(left, cap - base, interface)
            level = base + _net(into, interface)
            if level < now + way.per / 2 - EQUAL:
                hold = _held(cap - level, shelf.at(stage), interface, most - lying - len(into))
            reached = level + _net(hold, interface)
            if reached <= max(level, now) + way.per / 4:
                hold, reached = (), level
            if reached <= now + EQUAL:
                if way.per * stage < now + way.per - EQUAL:
                    continue  # there is more room at the next
                into, hold, last, beyond = tuple(left), (), True, True
        goes = (*into, *hold)
        after = base + _net(goes, interface)
        put, more = sum(goes) - sum(out), len(goes) - len(out)
        into_now = tuple(sorted(goes, reverse=True))
        steps.append(Step(way.place, stage, last, into_now, out, hold, put, more, now, after, beyond=beyond))
        if last:
            return steps
        for leaf in into:
            left.remove(leaf)
        lying += len(into)
        base += _net(into, interface)
        now, out = after, hold


def _down(way: Way, shelf: _Shelf, most: int) -> list[Step]:
    """The steps of a point that comes down: its old packing comes out, and thinner stacks follow one another."""
    assert way.stack is not None
    steps: list[Step] = []
    out, now, stage = way.for_now, way.now, way.stage
    there = way.there if stage == 0 else sum(out)
    while True:
        stage += 1
        cap = -min(way.per * stage, -now + way.per)
        last = way.lift >= cap - EQUAL
        into, beyond = way.stack, False
        if not last:
            into = _held(way.there + cap, shelf.at(stage), 0.0, most, least=True)
            after = sum(into) - way.there
            if not into or after >= now - EQUAL:
                into, last, beyond = way.stack, True, True
        after = sum(into) - way.there
        for_now = () if last else into
        steps.append(
            Step(way.place, stage, last, into, out, for_now, sum(into) - there, 0, now, after, beyond=beyond)
        )
        if last:
            return steps
        now, out, there = after, into, sum(into)


LOOKED_AT = 12
"""Leaves of one stack whose every choice is looked at [1]."""


def _most_within(leaves: Sequence[float], room: float, interface: float) -> Leaves:
    """Return those of the leaves that fill a room best without going beyond it [m]; as few as do."""
    best: Leaves = ()
    for n in range(1, min(len(leaves), LOOKED_AT) + 1):
        for some in set(combinations(sorted(leaves, reverse=True)[:LOOKED_AT], n)):
            if _net(best, interface) + EQUAL < _net(some, interface) <= room + EQUAL:
                best = some
    return best


def filling(gap: float, spare: Counter[float], most: int) -> Leaves:
    """Return leaves out of what is `spare` that fill a gap [m] snugly, thick first and no thicker than it; empty where none goes in."""
    return tuple(sorted(_held(gap, spare, 0.0, most), reverse=True))


def _held(room: float, spare: Counter[float], interface: float, most: int, *, least: bool = False) -> Leaves:
    """Return leaves out of what is spare that hold a point for now at most so high [m], or `least` at least so high."""
    leaves = sorted((leaf for leaf, count in spare.items() if count > 0), reverse=True)
    if most < 1 or room <= EQUAL or not leaves:
        return ()
    counts = [spare[leaf] for leaf in leaves]
    aim = room
    for _ in range(4):
        stack = choose_leaves(np.array([aim]), leaves, counts, interface, most).stacks[0]
        over = _net(stack, interface) - room
        if (over >= -EQUAL) if least else (over <= EQUAL):
            return stack
        aim += -over if least else -max(over, leaves[-1] / 2)
        if aim <= 0:
            break
    return ()
