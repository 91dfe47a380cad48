"""What is seen of heights over the years: its stages, what comes next, its papers."""

from __future__ import annotations

from pathlib import Path

from vivid_keel.desk.base import Next
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.sheet import Goto
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.exchange.csv_lines import written
from vivid_keel.figures.display import Picture
from vivid_keel.trades.years.book import FACTS
from vivid_keel.trades.years.desk import YearsDesk
from vivid_keel.trades.years.figure import in_plan, over_years
from vivid_keel.trades.years.report import years_report
from vivid_keel.trades.years.sheets import BenchmarksSheet, OccasionsSheet, OverSheet, RolesSheet, first_place
from vivid_keel.trades.years.told import told

FACT = ("years-fact", "fact")


def _over(desk: YearsDesk, width: float, height: float) -> Picture:
    return over_years(desk.result, width, height, desk.focus)


def _plain(desk: YearsDesk, width: float, height: float) -> Picture:
    return over_years(desk.result, width, height)


def _plan(desk: YearsDesk, width: float, height: float) -> Picture:
    return in_plan(desk.result, width, height, desk.focus)


def _both(over: Draw[YearsDesk]) -> list[tuple[str, Draw[YearsDesk]]]:
    return [("Over time", over), ("In plan", _plan)]


def _proved(desk: YearsDesk) -> tuple[float, str]:
    result = desk.result
    if len(result.occasions) < 2 or not result.marks:
        return 0.0, ""
    return 0.5 if result.frame.moved or not result.tied or result.frame.freedom <= 0 else 1.0, ""


STAGES: tuple[Stage[YearsDesk], ...] = (
    Stage(
        "Set-up",
        (
            "Set-up: which marks are held not to move, and how far may the others go?",
            "A benchmark stands on rock, or on what has long come to rest. Three that are read each time tell one another's movements; "
            "a mark whose height was given to a run is taken for one. Marks are the same where their names are the same.",
        ),
        lambda desk: (1.0 if len(desk.result.benchmarks) > 2 else 0.5 if desk.result.benchmarks else 0.0, ""),
        lambda desk: [RolesSheet(desk), FactsSheet(desk, "What is allowed", FACTS, desk.book.facts, FACT)],
        lambda desk: [("", _plain)],
    ),
    Stage(
        "Readings",
        (
            "Readings: what is laid side by side.",
            "Every level run of this job, and those that another year's job file lends (Ctrl+I). What has one name under Occasion is adjusted together; "
            "until somebody says otherwise that is its month. Enter leaves one out; say why.",
        ),
        lambda desk: (min(1.0, len(desk.result.occasions) / 2), str(len(desk.result.occasions) or "")),
        lambda desk: [OccasionsSheet(desk)],
        lambda desk: [("", _plain)],
    ),
    Stage(
        "Heights",
        (
            "Heights: what every mark did, with its U, and how fast.",
            "Moved: by more than U. Not proven is not stood: only what is allowed, and a change with its U inside it, proves that.",
        ),
        lambda desk: (1.0 if desk.result.marks else 0.0, str(len(desk.result.marks) or "")),
        lambda desk: [OverSheet(desk)],
        lambda desk: _both(_over),
    ),
    Stage(
        "Proof",
        (
            "Proof: which benchmarks stood?",
            "Each occasion is shifted as a whole until the benchmarks fit best. One that doesn't fit is named, taken out, and told like any other mark.",
        ),
        _proved,
        lambda desk: [BenchmarksSheet(desk)],
        lambda desk: _both(_over),
    ),
    record_stage(lambda desk: _proved(desk)[0]),
)


def _another(desk: YearsDesk, stage: str) -> Next | None:
    if len(desk.result.occasions) > 1:
        return None
    return Next(
        "Next: another year", "bring in an earlier year's job (Ctrl+I), or level the marks again", "occasions"
    )


def _roles(desk: YearsDesk, stage: str) -> Next | None:
    if not desk.result.marks or len(desk.result.benchmarks) > 2:
        return None
    return Next("Next: say what stands", "three benchmarks tell one another's movements", "roles")


def _record(desk: YearsDesk, stage: str) -> Next | None:
    said = Next("Next: write the report", "the years side by side", "record")
    return said if stage != "Record" else None


def _to_mark(desk: YearsDesk, rest: str) -> Goto:
    return Goto("Set-up", 0, first_place(desk, rest))


def _to_over(desk: YearsDesk, rest: str) -> Goto:
    names = [one.name for one in desk.result.marks]
    return Goto("Heights", 0, (names.index(rest) if rest in names else 0, 3))


STEPS: tuple[NextStep[YearsDesk], ...] = (
    NextStep("occasions", leads("Readings"), _another),
    NextStep("roles", leads("Set-up"), _roles),
    NextStep("mark", _to_mark),
    NextStep("over", _to_over),
    NextStep("benchmarks", leads("Proof")),
    NextStep("record", leads("Record"), _record),
)


def _write_csv(desk: YearsDesk, path: Path) -> None:
    tables = told(desk.result, desk.file.journal)
    path.write_text("\ufeff" + written(tables.results), encoding="utf-8", newline="")


WRITERS: tuple[Writer[YearsDesk], ...] = (
    Writer("csv", "Write every mark over the years (CSV)", ", years.csv", _write_csv),
)
FACE = Face(YearsDesk, STAGES, STEPS, years_report, told, WRITERS)
