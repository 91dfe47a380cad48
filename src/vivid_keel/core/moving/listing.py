"""Every move of a task as one line a point and stage: what is to be done, what was done, what stays and what cannot be done.

Source: the walk of the plan in hand, and what was booked in this round.
"""

from __future__ import annotations

import math
from collections import Counter

from msgspec import Struct

from vivid_keel.core.moving.means import SCREW
from vivid_keel.core.moving.plan import Put, leaf_key
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import is_missing

TO_DO, DONE, STAYS, CANNOT = "to do", "done", "stays", "cannot"


class MoveLine(Struct, frozen=True):
    """One line: a point at a stage, lengths in metres, raise +.

    `shims_m` go in to stay, `for_now_m` go in and come out later, `out_m` come out now; `left_m` is the gap that remains at the
    point once all is done. `jack_to` and `finish_at` are what the scale shows; None where there is no such thing.
    """

    point: str
    order: int | None = None
    stage: int | None = None
    move_m: float | None = None
    shims_m: tuple[float, ...] = ()
    for_now_m: tuple[float, ...] = ()
    out_m: tuple[float, ...] = ()
    left_m: float | None = None
    turns: float | None = None
    jack_to: float | None = None
    finish_at: float | None = None
    state: str = TO_DO
    why: str = ""


def move_lines(result: Moved) -> list[MoveLine]:
    """Return a line for every point and stage: in the order of work what was done and what is to be done, then what stays."""
    out: list[MoveLine] = []
    for i in result.to_move:
        out += _done(result, i)
        out += _to_do(result, i)
    points = result.book.points
    places = len(result.moves) if result.task.influence is None else len(points)
    for i in range(min(places, len(points))):
        if i not in result.places:
            why = "fixed" if i in result.keepers else "" if not _read(result, i) else "within tolerance"
            out.append(
                MoveLine(
                    points[i].name,
                    move_m=0.0,
                    finish_at=_number(result.stop_at(i)) if result.book.jacked else None,
                    state=STAYS,
                    why=why or "not read",
                )
            )
    return out


def _read(result: Moved, i: int) -> bool:
    return result.task.influence is not None or not is_missing(float(result.moves[i]))


def _number(value: float) -> float | None:
    return None if math.isnan(value) else value


def _done(result: Moved, i: int) -> list[MoveLine]:
    """What was booked at a point in this round, a line each time."""
    chain: list[Put] = []
    put = result.begun(i)
    while put is not None:
        chain.append(put)
        put = put.before
    lift, out, last = float(result.lifts[i]), [], 0
    means = result.book.means_at(result.book.points[i].id)
    thick = {leaf_key(leaf.thickness): leaf.thickness for leaf in result.book.stock}
    for done in reversed(chain):
        before = done.before
        went = done.put - (before.put if before is not None else 0.0)
        more = done.leaves - (before.leaves if before is not None else 0)
        rose = went - result.learned.interface * more if lift >= 0 else went
        used = Counter(done.used)
        used.subtract(before.used if before is not None else {})
        into = [thick.get(k, int(k) * 1e-6) for k, n in used.items() for _ in range(max(n, 0))]
        gone = [thick.get(k, int(k) * 1e-6) for k, n in used.items() for _ in range(max(-n, 0))]
        stay = (Counter(into) - Counter(done.for_now)).elements()
        last = done.stage or last + 1
        out.append(
            MoveLine(
                result.book.points[i].name,
                result.places[i] + 1,
                last,
                rose * result.does(i) / lift if abs(lift) > 1e-9 else rose,
                tuple(sorted(stay, reverse=True)),
                done.for_now,
                tuple(sorted(gone, reverse=True)),
                _number(result.left_over(i)),
                went / means.value("pitch") if means.kind == SCREW else None,
                state=DONE,
                why=done.text,
            )
        )
    return out


def _to_do(result: Moved, i: int) -> list[MoveLine]:
    """What is still to be done at a point, a line a stage; or why it cannot be."""
    name, order = result.book.points[i].name, result.places[i] + 1
    if result.booked(i) is not None:
        return []
    if result.read_again(i):
        return [MoveLine(name, order, 1, result.does(i), state=DONE, why="read again")]
    if i in result.broken:
        return [
            MoveLine(
                name, order, 1, result.does(i), state=CANNOT, why=f"the limits say {result.book.limits.ways}"
            )
        ]
    steps = [step for steps in result.walk.values() for step in steps if step.place == i]
    if not steps:
        why = "no packing in stock" if not result.book.stock else "no leaves chosen"
        return [MoveLine(name, order, 1, result.does(i), state=CANNOT, why=why)]
    return [_line(result, step, name, order) for step in steps]


def _line(result: Moved, step: Step, name: str, order: int) -> MoveLine:
    i, told, book = step.place, step.told, result.book
    means = book.means_at(book.points[i].id)
    aside = i in result.set_aside
    nothing = aside and not step.into and not step.out
    why = ""
    if told is not None and told.refused:
        why = told.refused
    elif aside:
        why = (
            "nothing to take out: trim, or choose a higher target"
            if result.lifts[i] < 0
            else "stock is not enough"
        )
    cannot = nothing or bool(told is not None and told.refused)
    return MoveLine(
        name,
        order,
        step.stage,
        result.part(step),
        tuple(sorted((Counter(step.into) - Counter(step.for_now)).elements(), reverse=True)),
        step.for_now,
        step.out,
        _number(result.left_over(i)),
        told.done / means.value("pitch") if told is not None and means.kind == SCREW else None,
        _number(result.first_of(step)) if book.jacked else None,
        _number(result.stop_after(step)) if book.jacked and not nothing else None,
        CANNOT if cannot else TO_DO,
        why or (told.whole if told is not None else "block it up in between" if step.beyond else ""),
    )
