"""What is seen of a network: its stages, what comes next, its papers."""

from __future__ import annotations

from vivid_keel.desk.base import Next
from vivid_keel.desk.kit_stage import BudgetSheet
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, leads
from vivid_keel.figures.budget import budget_bars
from vivid_keel.figures.display import Picture
from vivid_keel.trades.network.desk import NetworkDesk
from vivid_keel.trades.network.figure import network
from vivid_keel.trades.network.report import network_report
from vivid_keel.trades.network.sheets import LegsSheet, NetworkMarksSheet, RunsSheet, WorthSheet
from vivid_keel.trades.network.told import told


def _plan(desk: NetworkDesk, width: float, height: float) -> Picture:
    return network(desk.adjusted, width, height, -1)


def _lit_plan(desk: NetworkDesk, width: float, height: float) -> Picture:
    return network(desk.adjusted, width, height, desk.focus)


def _budget(desk: NetworkDesk, width: float, height: float) -> Picture:
    mark, budget = desk.budget()
    return budget_bars(
        budget,
        f"{mark}, the weakest height" if mark else "The weakest height",
        width,
        height,
        desk.book.style,
    )


def _one(draw: Draw[NetworkDesk]) -> list[tuple[str, Draw[NetworkDesk]]]:
    return [("", draw)]


def _heights(desk: NetworkDesk) -> tuple[float, str]:
    result = desk.adjusted
    return (1.0, str(len(result.marks))) if result is not None and result.net is not None else (0.0, "")


def _proof(desk: NetworkDesk) -> tuple[float, str]:
    result = desk.adjusted
    if result is None or result.net is None:
        return 0.0, ""
    return 1.0 if result.net.freedom > 0 and not result.suspicious else 0.5, ""


STAGES: tuple[Stage[NetworkDesk], ...] = (
    Stage(
        "Instrument",
        (
            "Instrument: what is a line worth?",
            "Lines count by 1/σ². By the instrument of each run, by set-ups, or by length.",
        ),
        lambda desk: (1.0, ""),
        lambda desk: [WorthSheet(desk), BudgetSheet(desk.budget()[1], desk.book.style)],
        lambda desk: [("Plan", _plan), ("Error budget", _budget)],
    ),
    Stage(
        "Readings",
        (
            "Readings: which runs are taken in.",
            "Marks of the same name are the same mark, in all runs; CP 1, CP 2 … belong to their own run. Enter leaves a run out.",
        ),
        lambda desk: (1.0, str(len(desk.book.lines))) if desk.book.lines else (0.0, ""),
        lambda desk: [RunsSheet(desk)],
        lambda desk: _one(_plan),
    ),
    Stage(
        "Heights",
        ("Heights: every mark, adjusted, with its U.", "F4 on a line shows what went into it."),
        _heights,
        lambda desk: [NetworkMarksSheet(desk)],
        lambda desk: _one(_lit_plan),
    ),
    Stage(
        "Proof",
        (
            "Proof: does it fit, and which line fits worst?",
            "The variance factor says whether corrections are as large as σ promised. A line over 3.29 is looked at first.",
        ),
        _proof,
        lambda desk: [LegsSheet(desk)],
        lambda desk: _one(_lit_plan),
    ),
    record_stage(),
)


def _runs(desk: NetworkDesk, stage: str) -> Next | None:
    result = desk.adjusted
    if not desk.book.lines:
        return Next(
            "Next: book two runs that meet",
            "a network joins the job's level runs; New work, Level run",
            "runs",
        )
    if result is not None and (result.loose or result.net is None):
        return Next("Next: join what hangs loose", "the verdict names the marks", "runs")
    return None


def _working(desk: NetworkDesk, stage: str) -> Next | None:
    return (
        Next("Being worked out", "heights and their uncertainties follow", "heights")
        if desk.adjusted is None
        else None
    )


def _worst(desk: NetworkDesk, stage: str) -> Next | None:
    said = Next("Next: look at the worst line", "find the slip there, or leave the run out", "worst")
    return said if desk.adjusted is not None and desk.adjusted.suspicious else None


def _record(desk: NetworkDesk, stage: str) -> Next | None:
    said = Next("Next: write the report", "heights, corrections, what checks them", "record")
    return said if stage != "Record" else None


STEPS: tuple[NextStep[NetworkDesk], ...] = (
    NextStep("runs", leads("Readings"), _runs),
    NextStep("heights", leads("Heights"), _working),
    NextStep("worst", leads("Proof", 0, (0, 1)), _worst),
    NextStep("record", leads("Record"), _record),
)
FACE = Face(NetworkDesk, STAGES, STEPS, network_report, told)
