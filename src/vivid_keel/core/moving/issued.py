"""An issued plan: what the sheet in somebody's hand says, line by line, and how it stands in an entry.

Source: a plan that was printed, or begun, is a decision; it changes only where it must, and then the change is shown.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from vivid_keel.core.moving.means import Instruction
from vivid_keel.core.moving.walk import Step

MOST_STEPS = 10_000
"""No plan that an entry holds has more lines than that [1]."""


class Line(Struct, frozen=True):
    """One line of a plan: what is done at a point at a stage, how far that brings it, what the jack and the scale show then [m].

    `jack_to` is nan where no jack lifts it past its mark.
    """

    step: Step
    move: float
    jack_to: float
    finish_at: float


class IssuedPlan(Struct, frozen=True):
    """The plan of a round as it was issued: by its entry `id`, under which `terms`, and whether it was `printed`.

    `places` is the order of work by point id; `lifts` what is put under each and `moves` how far each was to go [m], those that
    stay too; `lines` the lines of each point in order of the stages, their places meaningless. `aside` are points that packing
    can't bring in; `to_buy` (by `leaf_key`) and `deeper` what the stock
    lacked, as in `Packing`.
    """

    id: int
    terms: str
    places: dict[int, int]
    lifts: dict[int, float]
    moves: dict[int, float]
    lines: dict[int, tuple[Line, ...]] = field(default_factory=dict)
    printed: bool = False
    aside: frozenset[int] = frozenset()
    to_buy: dict[str, int] | None = None
    deeper: int | None = None


def body_of(plan: IssuedPlan) -> dict[str, Any]:
    """Return a plan as the body of its entry."""
    lines = [
        {"point": point, **_line_body(line)}
        for point, own in sorted(plan.lines.items(), key=lambda pair: plan.places.get(pair[0], 0))
        for line in own
    ]
    body: dict[str, Any] = {
        "terms": plan.terms,
        "places": {str(point): place for point, place in plan.places.items()},
        "lifts_m": {str(point): lift for point, lift in plan.lifts.items()},
        "moves_m": {str(point): move for point, move in plan.moves.items()},
        "lines": lines,
    }
    if plan.aside:
        body["aside"] = {str(point): 1 for point in sorted(plan.aside)}
    if plan.to_buy is not None:
        body["to_buy"] = plan.to_buy
    if plan.deeper is not None:
        body["deeper"] = plan.deeper
    return {**body, "printed": True} if plan.printed else body


def _line_body(line: Line) -> dict[str, Any]:
    step = line.step
    out: dict[str, Any] = {
        "stage": step.stage,
        "shims_m": list(step.into),
        "for_now_m": list(step.for_now),
        "out_m": list(step.out),
        "put_m": step.put,
        "leaves": step.leaves,
        "before_m": step.before,
        "after_m": step.after,
        "move_m": line.move,
        "finish_at_m": line.finish_at,
        "last": step.last,
    }
    if not math.isnan(line.jack_to):
        out["jack_to_m"] = line.jack_to
    if step.beyond:
        out["beyond"] = True
    if step.told is not None:
        told = step.told
        out["by_hand"] = told.words
        out |= {key: text for key, text in (("then", told.then), ("refused", told.refused)) if text}
        if not math.isnan(told.first):
            out["first_m"] = told.first
    return out


def plan_from(id: int, body: Mapping[str, Any]) -> IssuedPlan:
    """Return the plan that an entry holds."""
    lines: dict[int, list[Line]] = {}
    for each in body["lines"]:
        lines.setdefault(int(each["point"]), []).append(_line(each))
    return IssuedPlan(
        id,
        str(body["terms"]),
        {int(point): int(place) for point, place in body["places"].items()},
        {int(point): float(lift) for point, lift in body["lifts_m"].items()},
        {int(point): float(move) for point, move in body["moves_m"].items()},
        {point: tuple(sorted(own, key=lambda line: line.step.stage)) for point, own in lines.items()},
        bool(body.get("printed", False)),
        frozenset(int(point) for point in body.get("aside", ())),
        {key: int(count) for key, count in body["to_buy"].items()} if "to_buy" in body else None,
        body.get("deeper"),
    )


def _line(each: Mapping[str, Any]) -> Line:
    put = float(each["put_m"])
    told = None
    if "by_hand" in each:
        first = float(each.get("first_m", math.nan))
        told = Instruction(
            each["by_hand"], put, first, str(each.get("refused", "")), str(each.get("then", ""))
        )
    step = Step(
        -1,
        int(each["stage"]),
        bool(each["last"]),
        tuple(each["shims_m"]),
        tuple(each["out_m"]),
        tuple(each["for_now_m"]),
        put,
        int(each["leaves"]),
        float(each["before_m"]),
        float(each["after_m"]),
        told,
        bool(each.get("beyond", False)),
    )
    return Line(
        step, float(each["move_m"]), float(each.get("jack_to_m", math.nan)), float(each["finish_at_m"])
    )


NUMBERS = frozenset({"put_m", "before_m", "after_m", "move_m", "finish_at_m", "jack_to_m", "first_m"})
LISTS = frozenset({"shims_m", "for_now_m", "out_m"})
WHOLE = frozenset({"point", "stage", "leaves"})
TEXTS = frozenset({"by_hand", "then", "refused"})
YES_OR_NO = frozenset({"last", "beyond"})
MAY_BE_LEFT_OUT = frozenset({"jack_to_m", "first_m", "beyond"}) | TEXTS
MOST_LEAVES_A_LINE = 1000


def is_lines(value: Any) -> bool:
    """Whether a value can be the lines of a plan."""
    if not isinstance(value, Sequence) or isinstance(value, str) or len(value) > MOST_STEPS:
        return False
    return all(isinstance(one, Mapping) and _is_line(one) for one in value)


def _is_line(one: Mapping[str, Any]) -> bool:
    known = NUMBERS | LISTS | WHOLE | TEXTS | YES_OR_NO
    if not set(one) <= known or not known - MAY_BE_LEFT_OUT <= set(one):
        return False
    return all(
        isinstance(value, str) and len(value) <= 1000
        if key in TEXTS
        else isinstance(value, bool)
        if key in YES_OR_NO
        else _is_number(value) and (key not in WHOLE or isinstance(value, int))
        if key not in LISTS
        else _are_numbers(value)
        for key, value in one.items()
    )


def _are_numbers(value: Any) -> bool:
    many = isinstance(value, Sequence) and not isinstance(value, str) and len(value) <= MOST_LEAVES_A_LINE
    return many and all(_is_number(each) for each in value)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e9
