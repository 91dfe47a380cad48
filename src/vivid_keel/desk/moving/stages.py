"""The stages and steps of every work that brings something level."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vivid_keel.core.moving.engine import again_helps
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import show_amount, show_length
from vivid_keel.desk.base import Next
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.moving.limits import LimitsSheet, MeansSheet
from vivid_keel.desk.moving.moves import MovesSheet
from vivid_keel.desk.moving.stock import StockSheet
from vivid_keel.desk.moving.targets import TargetsSheet
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, NextStep, Stage, leads
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import plan
from vivid_keel.figures.small import FitsAnySize


def _row(row: str, label: str) -> Draw[MovingDesk]:
    def draw(desk: MovingDesk, width: float, height: float) -> Picture:
        return elevation(desk.result, row, width, height, desk.focus, label)

    return FitsAnySize(draw)


def _plan(desk: MovingDesk, width: float, height: float) -> Picture:
    return plan(desk.result, width, height, desk.focus)


def row_pictures(
    desk: MovingDesk, label: str, *, with_plan: bool = False
) -> list[tuple[str, Draw[MovingDesk]]]:
    """Return the rows in elevation, without a choice where there is one; and the plan. There must be a row."""
    shown: list[tuple[str, Draw[MovingDesk]]] = [(row, _row(row, label)) for row in desk.book.rows]
    if with_plan:
        return [*shown, ("Plan", _plan)]
    return shown if len(shown) > 1 else [("", shown[0][1])]


def read_share(desk: MovingDesk) -> float:
    """Return how many of the points are read [1]."""
    n = len(desk.book.points)
    return desk.result.read / n if n else 0.0


def proved_share(desk: MovingDesk) -> float:
    """Return how many of those read are read again [1]."""
    result = desk.result
    return result.read_left / result.read if result.read else 0.0


def _moves(desk: MovingDesk) -> tuple[float, str]:
    result = desk.result
    full = 1.0 if result.read and not result.to_move else 0.5 * desk.book.lifting_acknowledged
    return full, str(len(result.to_move)) if result.to_move else ""


def _target(desk: MovingDesk) -> tuple[float, str]:
    return (0.5 * desk.book.target_chosen + 0.5 * bool(desk.book.stock)) if desk.result.read else 0.0, ""


def _target_sheets(desk: MovingDesk) -> list[Sheet]:
    return [
        TargetsSheet(desk),
        *([StockSheet(desk)] if desk.by_leaves else []),
        LimitsSheet(desk),
        MeansSheet(desk),
    ]


Pictures = Callable[[MovingDesk], list[tuple[str, Draw[MovingDesk]]]]


def target_stage(pictures: Pictures) -> Stage[MovingDesk]:
    """Return the stage at which a target is chosen."""
    return Stage(
        "Target",
        (
            "Target: bring it to what, at what cost?",
            "Enter takes a target from the list; or drag the dashed line in the picture (Up, Down), or tip it by the ring at its end "
            "(Left, Right). Stock, limits and order, and what moves the posts are on the sheets beside it.",
        ),
        _target,
        _target_sheets,
        pictures,
    )


def moves_stage(pictures: Pictures) -> Stage[MovingDesk]:
    """Return the stage that says who is moved, in which order."""
    return Stage(
        "Moves",
        (
            "Moves: who is raised, in which order, with which leaves, until the scale shows what.",
            "Jack until the scale shows Jack to, pack, let down, read. Finish at is the reading after letting down.",
        ),
        _moves,
        lambda desk: [MovesSheet(desk)],
        pictures,
    )


def _stock(desk: MovingDesk, stage: str) -> Next | None:
    wanted = desk.result.to_move and not desk.book.stock and desk.by_leaves
    return Next("Next: the stock of leaves", "thickness and how many of each", "stock") if wanted else None


def _see_moves(desk: MovingDesk, stage: str) -> Next | None:
    result = desk.result
    staged = result.stage_count > 1 and bool(
        result.walk
    )  # what is lifted half way is lifted first, then read again
    if not result.to_move or (result.read_left and not staged):
        return None
    begun = not desk.cautions_first and desk.hidden is None  # readings may be booked under Proof as well
    if stage not in ({"Moves", "Proof", "Record"} if begun else {"Moves"}):
        return Next("Next: see the moves", "in order, until the scale shows what", "moves")
    if desk.cautions_first:
        return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")
    return None


def _answer(desk: MovingDesk, stage: str) -> Next | None:
    result = desk.result
    if desk.hidden is None or not result.to_move or result.read_left:
        return None
    if result.stage_count > 1 and result.walk:
        k, n = result.stage_in_hand, result.stage_count
        return Next(
            f"Next: stage {k} of {n}, all as planned",
            "no post goes further at once; Enter on a post books it by itself",
            "stage",
        )
    return Next("Next: pack, let it answer", "the simulated building is read again at every post", "answer")


def waiting(desk: MovingDesk) -> list[int]:
    """Posts that are still to be moved in this round."""
    result = desk.result
    return [i for i in result.to_move if np.isnan(result.left[i]) and i not in result.broken]


def _move_one(desk: MovingDesk, stage: str) -> Next | None:
    r = desk.result
    left = [i for i in waiting(desk) if r.booked(i) is None]  # what is booked is read again: that comes after
    if not left or stage != "Moves" or np.isnan(r.left_over(left[0])):
        return None
    if r.stage_count > 1 and r.walk:
        steps = r.walk[r.stage_in_hand]
        step = next((step for step in steps if not r.is_idle(step)), steps[0])
        # At the last stage a point is read as left once it is done: that books it too.
        return _step_one(
            desk, step, f"book:{step.place}" if max(r.walk) > step.stage else f"left:{step.place}"
        )
    i = left[0]
    word = "raise" if r.does(i) >= 0 else "lower"
    how = r.instructions[i].whole if i in r.instructions else "pack, let down"
    stop = show_length(r.stop_at(i), desk.book.style)
    return Next(
        f"Next: {word} {desk.book.points[i].name} {show_amount(abs(r.does(i)), desk.book.style)}",
        f"{how}, finish at {stop}",
        f"left:{i}",
    )


def _step_one(desk: MovingDesk, step: Step, key: str) -> Next:
    """Say what is done next of a lift in stages, and where that is booked."""
    result, style = desk.result, desk.book.style
    word = "raise" if result.part(step) >= 0 else "lower"
    return Next(
        f"Next: {word} {desk.book.points[step.place].name} {show_amount(abs(result.part(step)), style)}",
        f"stage {step.stage} of {result.stage_count}, finish at {show_length(result.stop_after(step), style)}: {result.step_in_words(step)}",
        key,
    )


def _to_book(desk: MovingDesk, rest: str) -> Goto:
    sheet = MovesSheet(desk)
    return Goto("Moves", 0, (sheet.row_of(int(rest)) if rest else 0, len(sheet.columns) - 1))


def _round(desk: MovingDesk, stage: str) -> Next | None:
    # Another round helps where something is out, or undecided by a method that could tell.
    r, book = desk.result, desk.book
    if not again_helps(r):
        return None
    n = len(book.passes) + 2
    return Next(
        f"Next: round {n}", "as left counts as found; the packing follows from how it answered", "round"
    )


def _again(desk: MovingDesk, stage: str) -> Next | None:
    wanted = desk.result.read_left and not desk.book.looks and desk.hidden is None and stage == "Proof"
    said = Next("Next: when to look again", "what was brought level settles; it goes into the diary", "again")
    return said if wanted else None


def _let_answer(desk: MovingDesk, rest: str) -> Goto:
    desk.answer()
    return Goto("Proof", 0, None)


def _book_stage(desk: MovingDesk, rest: str) -> Goto:
    """Book the stage in hand as planned at every post, as one act."""
    steps = desk.result.walk.get(desk.result.stage_in_hand, []) if desk.result.walk else []
    drafts = [draft for step in steps for draft in desk.books(step.place)]
    # The keeper and the plan are fixed once, by the first.
    first = {draft.kind: k for k, draft in reversed(list(enumerate(drafts)))}
    once = [d for k, d in enumerate(drafts) if d.kind not in {"keeper", "plan"} or first[d.kind] == k]
    if once:
        desk.record(*once)
    return Goto("Moves", 0, None)


def _end_round(desk: MovingDesk, rest: str) -> Goto:
    desk.another_round()
    return Goto("Moves", 0, None, 0)


# The order of these is the order of turns: what is said first is next.
TO_MOVE: tuple[NextStep[MovingDesk], ...] = (
    NextStep("stock", leads("Target", 1), _stock),
    NextStep("moves", leads("Moves"), _see_moves),
    NextStep("answer", _let_answer, _answer),
    NextStep("stage", _book_stage),
    NextStep("left", lambda desk, rest: Goto("Proof", 0, (int(rest), 2)), _move_one),
    NextStep("book", _to_book),
)
"""Until everything is moved."""
TO_PROVE: tuple[NextStep[MovingDesk], ...] = (
    NextStep("round", _end_round, _round),
    NextStep("again", leads("Proof", 2), _again),
)
"""Once everything is read again."""
LED_TO: tuple[NextStep[MovingDesk], ...] = (
    NextStep("target", leads("Target")),
    NextStep("means", lambda desk, rest: Goto("Target", 3 if desk.by_leaves else 2)),
    NextStep("passes", leads("Proof", 1)),
    NextStep("proof", leads("Proof")),
    NextStep("instrument", leads("Instrument")),
)
"""What a verdict may lead to."""
