"""What is seen of a vehicle: its stages, what comes next, its papers."""

from __future__ import annotations

from vivid_keel.core.instruments.setting_up import PRECISION
from vivid_keel.core.moving.live import TWO_WAY_FACTS
from vivid_keel.desk.base import Next
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.kit_stage import BudgetSheet
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, leads
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.figures.budget import budget_bars
from vivid_keel.trades.vehicle.desk import VehicleDesk
from vivid_keel.trades.vehicle.figure import headings, stance
from vivid_keel.trades.vehicle.report import vehicle_report
from vivid_keel.trades.vehicle.sheets import HeadingsSheet, InstructionsSheet, TiltsSheet
from vivid_keel.trades.vehicle.told import told


def _facts(desk: VehicleDesk) -> list[Sheet]:
    return [
        FactsSheet(desk, "The vehicle", desk.book.facts, desk.book.stated, ("vehicle", "what")),
        FactsSheet(desk, "Live number", TWO_WAY_FACTS, desk.book.live, ("live-fact", "fact")),
    ]


def _moves(desk: VehicleDesk) -> tuple[float, str]:
    book, todo = desk.book, desk.result.instructions
    return 1.0 if book.left else 0.5 * book.cautions_read, str(len(todo)) if todo else ""


def _move_pictures(desk: VehicleDesk) -> list[tuple[str, Draw[VehicleDesk]]]:
    return [
        ("How it stands", lambda d, w, h: stance(d.result, w, h)),
        ("Headings", lambda d, w, h: headings(d.result, w, h)),
        (
            "Error budget",
            lambda d, w, h: budget_bars(
                d.result.budget(), "What is put under the low wheel", w, h, d.book.style
            ),
        ),
        *live_picture(desk),
    ]


def _with_live(desk: VehicleDesk, *, left: bool) -> list[tuple[str, Draw[VehicleDesk]]]:
    live = live_picture(desk)
    name = "How it stands" if live else ""
    return [(name, lambda d, w, h: stance(d.result, w, h, left=left)), *live]


def _proof_pictures(desk: VehicleDesk) -> list[tuple[str, Draw[VehicleDesk]]]:
    (_, stands), *live = _with_live(desk, left=True)
    more = [*live, *visits_pictures(desk)]
    return [("How it stands" if more else "", stands), *more]


STAGES: tuple[Stage[VehicleDesk], ...] = (
    Stage(
        "Set-up",
        (
            "Set-up: what it is, its track and length, the steps of the ramp, what it may lean.",
            "Grey values are taken until you say. The level's own offset at its place: turn the vehicle about on the same spot, half the "
            "sum of both readings.",
        ),
        lambda desk: (min(1.0, len(desk.book.ids) / 4), ""),
        lambda desk: [*_facts(desk), SettingUpSheet(desk, PRECISION)],
        lambda desk: [
            ("As it stands", lambda d, w, h: stance(d.result, w, h)),
            ("Setting up", lambda d, w, h: setting_up(d, w, h, PRECISION)),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: the two-way level as found, side to side and nose to tail.",
            "Right side high is +, nose high is +.",
        ),
        lambda desk: (1.0 if desk.book.found else 0.0, ""),
        lambda desk: [TiltsSheet(desk, "found")],
        lambda desk: _with_live(desk, left=False),
    ),
    Stage(
        "Moves",
        (
            "Moves: the low wheel first, then the nose.",
            "With steps the nearest is taken and what is left over is said. Headings shows what standing another way would take.",
        ),
        _moves,
        lambda desk: [
            InstructionsSheet(desk),
            HeadingsSheet(desk),
            BudgetSheet(desk.result.budget(), desk.book.style),
        ],
        _move_pictures,
    ),
    Stage(
        "Proof",
        ("Proof: read it again at the same place.",),
        lambda desk: (1.0 if desk.book.left else 0.0, ""),
        lambda desk: [TiltsSheet(desk, "left"), VisitsSheet(desk)],
        _proof_pictures,
    ),
    record_stage(),
)


def _to_move(desk: VehicleDesk, stage: str) -> Next | None:
    """What is put under next, once the cautions are read."""
    book, todo = desk.book, desk.result.instructions
    if not todo or book.left is not None:
        return None
    if stage != "Moves":
        return Next("Next: see the moves", "which wheel, which step, the nose", "moves")
    if not book.cautions_read:
        return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")
    if desk.hidden is not None:
        return Next(
            "Next: do it, let it answer",
            "all as planned, then read again; or by the live number: F8",
            "answer",
        )
    return Next(f"Next: {todo[0].where}", f"{todo[0].text}; then the next; then read it again", "again")


def _facts_first(desk: VehicleDesk, stage: str) -> Next | None:
    said = Next("Next: what is it?", "its sort, track and length; Enter takes what is usual", "facts")
    return None if desk.book.ids else said


def _read(desk: VehicleDesk, stage: str) -> Next | None:
    return (
        None
        if desk.book.found
        else Next("Next: read the two-way level", "side to side, then nose to tail", "read")
    )


def _let_be_read(desk: VehicleDesk, stage: str) -> Next | None:
    if desk.hidden is None or desk.book.found:
        return None
    return Next("Next: let it be read", "the stand-in, both ways; or read it yourself: F8", "answer")


def _let_answer(desk: VehicleDesk, rest: str) -> Goto:
    """Let the stand-in answer, and go where that is seen."""
    stage = "Proof" if desk.book.found else "Readings"
    desk.answer()
    return Goto(stage)


def _again(desk: VehicleDesk, stage: str) -> Next | None:
    return (
        None if desk.book.left else Next("Next: read it again", "the same place, the same way round", "again")
    )


STEPS: tuple[NextStep[VehicleDesk], ...] = (
    NextStep("facts", leads("Set-up", 0, (0, 1)), _facts_first),
    NextStep("answer", _let_answer, _let_be_read),
    NextStep("read", leads("Readings", 0, (0, 1)), _read),
    NextStep("moves", leads("Moves", 0, None, 0), _to_move),
    NextStep("again", leads("Proof", 0, (0, 1)), _again),
    NextStep("headings", leads("Moves", 1, None, 1)),
)
FACE = Face(VehicleDesk, STAGES, STEPS, vehicle_report, told, sheets_told=True)
