"""What is seen of supports: their stages, what comes next, their papers."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from vivid_keel.core.quantities import show_length
from vivid_keel.desk.base import Goto, Next, Sheet
from vivid_keel.desk.instrument_stage import instrument_stage
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.stage import Draw, Face, Stage, Step, Writer, leads
from vivid_keel.figures.display import Picture
from vivid_keel.trades.supports.again_sheet import AgainSheet
from vivid_keel.trades.supports.corrections_sheet import LineSheet
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.figure import elevation, senses
from vivid_keel.trades.supports.limits_sheet import LimitsSheet, MeansSheet
from vivid_keel.trades.supports.moves_sheet import MovesSheet
from vivid_keel.trades.supports.passes_sheet import HangingSheet, PassesSheet
from vivid_keel.trades.supports.plan_figure import plan, proof
from vivid_keel.trades.supports.points_sheet import LayOutSheet, PointsSheet
from vivid_keel.trades.supports.readings_sheet import DeviationsSheet, FoundSheet, LeftSheet
from vivid_keel.trades.supports.report import supports_report
from vivid_keel.trades.supports.stock_sheet import StockSheet
from vivid_keel.trades.supports.target_sheet import TargetsSheet


def _row(row: str, label: str) -> Draw[SupportsDesk]:
    return lambda desk, width, height: elevation(desk.result, row, width, height, desk.focus, label)


def _senses(desk: SupportsDesk, width: float, height: float) -> Picture:
    return senses(width, height, desk.typed("lay-out").get(4, desk.book.limits.sense))


def _plan(desk: SupportsDesk, width: float, height: float) -> Picture:
    return plan(desk.result, width, height, desk.focus)


def _rows(desk: SupportsDesk, label: str, *, with_plan: bool = False) -> list[tuple[str, Draw[SupportsDesk]]]:
    """The rows in elevation, one with no choice where there is one; and the plan."""
    rows = desk.book.rows
    if not rows:
        return [("", _senses)]
    shown: list[tuple[str, Draw[SupportsDesk]]] = [(row, _row(row, label)) for row in rows]
    if with_plan:
        return [*shown, ("Plan", _plan)]
    return shown if len(rows) > 1 else [("", shown[0][1])]


def _read(desk: SupportsDesk) -> float:
    n = len(desk.book.points)
    return desk.result.read / n if n else 0.0


def _proved(desk: SupportsDesk) -> float:
    r = desk.result
    return r.read_left / r.read if r.read else 0.0


def _moves(desk: SupportsDesk) -> tuple[float, str]:
    r = desk.result
    full = 1.0 if r.read and not r.to_move else 0.5 * desk.book.lifting_acknowledged
    return full, str(len(r.to_move)) if r.to_move else ""


def _target(desk: SupportsDesk) -> tuple[float, str]:
    return (0.5 * desk.book.target_chosen + 0.5 * bool(desk.book.stock)) if desk.result.read else 0.0, ""


def _set_up_sheets(desk: SupportsDesk) -> list[Sheet]:
    return [PointsSheet(desk), HangingSheet(desk)] if desk.book.points else [LayOutSheet(desk)]


def _target_sheets(desk: SupportsDesk) -> list[Sheet]:
    return [TargetsSheet(desk), *([StockSheet(desk)] if desk.by_leaves else []), LimitsSheet(desk), MeansSheet(desk)]


STAGES: tuple[Stage[SupportsDesk], ...] = (
    instrument_stage(
        (
            "Instrument: what took these readings, and what is one reading worth?",
            "The ± decides whether a tolerance can be proved at all.",
        ),
        begun=lambda d: bool(d.result.read),
        budget=lambda d: ("One deviation: height − target", d.result.budget()),
        staffs=True,
    ),
    Stage(
        "Set-up",
        (
            "Set-up: the posts, their rows, and how the scale is held.",
            "Hangs: from the beam down to the line; a larger reading is a higher beam. Stands: on the point up to the line; "
            "a larger reading is a lower point.",
        ),
        lambda d: (1.0, str(len(d.book.points))) if d.book.points else (0.0, ""),
        _set_up_sheets,
        lambda d: _rows(d, "readings", with_plan=True),
    ),
    Stage(
        "Readings",
        (
            "Readings: one scale reading at every post, all on one line.",
            "Enter goes to the next post. Read the watch mark too, off the structure: read again each round, it ties the lines together. "
            "Name one post that looks high by eye: it tells if the scale's sense is turned round.",
        ),
        lambda d: (_read(d), str(d.result.read) if d.result.read else ""),
        lambda d: [FoundSheet(d)],
        lambda d: _rows(d, "readings"),
    ),
    Stage(
        "Heights",
        (
            "Heights: how far each post is from the target, with its U.",
            "Proven in: |deviation| + U within the tolerance. Such posts are left alone.",
        ),
        lambda d: (_read(d), ""),
        lambda d: [DeviationsSheet(d), LineSheet(d)],
        lambda d: _rows(d, "heights"),
    ),
    Stage(
        "Target",
        (
            "Target: bring it to what, at what cost?",
            "Enter takes a target from the list; or drag the dashed line in the picture (Up, Down), or tip it by the ring at its end "
            "(Left, Right). Stock, limits and order, and what moves the posts are on the sheets beside it.",
        ),
        _target,
        _target_sheets,
        lambda d: _rows(d, "target"),
    ),
    Stage(
        "Moves",
        (
            "Moves: who is raised, in which order, with which leaves, until the scale shows what.",
            "Jack until the scale shows First to, pack, let down, read. Stop at is the reading after letting down.",
        ),
        _moves,
        lambda d: [MovesSheet(d)],
        lambda d: _rows(d, "moves", with_plan=True),
    ),
    Stage(
        "Proof",
        (
            "Proof: read every post again.",
            "Each deviation is judged with its U: proven in, proven out, or not proven. Rounds says what each round did; Look again "
            "puts a re-check into the diary.",
        ),
        lambda d: (_proved(d), f"{d.result.read_left} of {d.result.read}" if d.result.read_left else ""),
        lambda d: [LeftSheet(d), PassesSheet(d), AgainSheet(d)],
        lambda d: [("", lambda d, w, h: proof(d.result, w, h, d.focus))],
    ),
    record_stage(_proved),
)


def _lay_out(desk: SupportsDesk, stage: str) -> Next | None:
    return None if desk.book.points else Next("Next: lay out the supports", "rows, posts in a row, spacing", "lay-out")


def _readings(desk: SupportsDesk, stage: str) -> Next | None:
    point = next((p for p in desk.book.points if p.found is None), None)
    if point is None:
        return None
    held = "hung from the beam" if point.sense == "hangs" else "stood on the point"
    return Next(f"Next: read {point.name}", f"scale {held}, read at the line, then Enter", "readings")


def _stock(desk: SupportsDesk, stage: str) -> Next | None:
    wanted = desk.result.to_move and not desk.book.stock and desk.by_leaves
    return Next("Next: the stock of leaves", "thickness and how many of each", "stock") if wanted else None


def _see_moves(desk: SupportsDesk, stage: str) -> Next | None:
    r = desk.result
    if not r.to_move or r.read_left:
        return None
    begun = not desk.cautions_first and desk.hidden is None  # readings may be booked under Proof as well
    if stage not in ({"Moves", "Proof", "Record"} if begun else {"Moves"}):
        return Next("Next: see the moves", "in order, until the scale shows what", "moves")
    if desk.cautions_first:
        return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")
    return None


def _answer(desk: SupportsDesk, stage: str) -> Next | None:
    wanted = desk.hidden is not None and desk.result.to_move and desk.result.read_left == 0
    said = Next("Next: pack, let it answer", "the simulated building is read again at every post", "answer")
    return said if wanted else None


def _waiting(desk: SupportsDesk) -> list[int]:
    """Posts that are still to be moved in this round."""
    r, points = desk.result, desk.book.points
    return [i for i in r.to_move if points[i].left is None and i not in r.broken]


def _move_one(desk: SupportsDesk, stage: str) -> Next | None:
    r, waiting = desk.result, _waiting(desk)
    if not waiting or stage != "Moves" or np.isnan(r.left_over(waiting[0])):
        return None
    i = waiting[0]
    word = "raise" if r.moves[i] >= 0 else "lower"
    how = "pack, let down" if desk.by_leaves else r.instructions[i].whole
    stop = show_length(r.stop_at(i), desk.book.style)
    return Next(f"Next: {word} {desk.book.points[i].name} {abs(r.moves[i]) * 1000:.1f} mm", f"{how}, stop at {stop}", f"left:{i}")


def _left(desk: SupportsDesk, stage: str) -> Next | None:
    unproved = [i for i, p in enumerate(desk.book.points) if p.left is None]
    if not unproved:
        return None
    i = (_waiting(desk) or unproved)[0] if stage != "Proof" else unproved[0]
    return Next(f"Next: read {desk.book.points[i].name} as left", "same line, same scale, then Enter", f"left:{i}")


def _round(desk: SupportsDesk, stage: str) -> Next | None:
    # Another round helps where something is out, or undecided by a method that could tell.
    r, book = desk.result, desk.book
    judges = 2 * float(np.nanmax(r.u_left)) < book.limits.tolerance
    if not any(v == "out" or (v == "open" and judges) for v in r.left_verdicts):
        return None
    n = len(book.passes) + 2
    return Next(f"Next: round {n}", "as left counts as found; the packing follows from how it answered", "round")


def _again(desk: SupportsDesk, stage: str) -> Next | None:
    wanted = desk.result.read_left and not desk.book.looks and desk.hidden is None and stage == "Proof"
    said = Next("Next: when to look again", "what was brought level settles; it goes into the diary", "again")
    return said if wanted else None


def _report(desk: SupportsDesk, stage: str) -> Next | None:
    said = Next("Next: write the report", "as found, moves, as left, verdicts", "record")
    return said if stage != "Record" else None


def _let_answer(desk: SupportsDesk, rest: str) -> Goto:
    desk.answer()
    return Goto("Proof", 0, None)


def _turn_sense(desk: SupportsDesk, rest: str) -> Goto:
    desk.turn_sense()
    return Goto("Readings", 0)


def _end_round(desk: SupportsDesk, rest: str) -> Goto:
    desk.another_round()
    return Goto("Moves", 0, None, 0)


STEPS: tuple[Step[SupportsDesk], ...] = (
    Step("lay-out", leads("Set-up"), _lay_out),
    Step("readings", lambda d, rest: Goto("Readings", 0, FoundSheet(d).first()), _readings),
    Step("stock", leads("Target", 1), _stock),
    Step("moves", leads("Moves"), _see_moves),
    Step("answer", _let_answer, _answer),
    Step("left", lambda d, rest: Goto("Proof", 0, (int(rest), 2)), _move_one),
    Step("left", lambda d, rest: Goto("Proof", 0, (int(rest), 2)), _left),
    Step("round", _end_round, _round),
    Step("again", leads("Proof", 2), _again),
    Step("record", leads("Record"), _report),
    Step("turn-sense", _turn_sense),
    Step("eye", lambda d, rest: Goto("Readings", 0, (len(d.book.points) + 1, 2))),
    Step("target", leads("Target")),
    Step("means", lambda d, rest: Goto("Target", 3 if d.by_leaves else 2)),
    Step("instrument", leads("Instrument")),
    Step("corrections", leads("Heights", 1)),
    Step("passes", leads("Proof", 1)),
    Step("proof", leads("Proof")),
)


def _write_csv(desk: SupportsDesk, path: Path) -> None:
    from vivid_keel.trades.supports.writers import supports_csv

    path.write_text("\ufeff" + supports_csv(desk.result), newline="")


def _write_dxf(desk: SupportsDesk, path: Path) -> None:
    from vivid_keel.trades.supports.writers import supports_dxf

    path.write_text(supports_dxf(desk.result))


WRITERS: tuple[Writer[SupportsDesk], ...] = (
    Writer("csv", "Write the supports, a line each (CSV)", ", supports.csv", _write_csv),
    Writer("dxf", "Write the supports' plan and elevations (DXF)", ", plan and elevations.dxf", _write_dxf),
)
FACE = Face(SupportsDesk, STAGES, STEPS, supports_report, WRITERS)
