"""What is seen of an axis."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vivid_keel.core.body.facts import LEVEL_FACTS, LIVE_FACTS
from vivid_keel.core.instruments.setting_up import PRECISION
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.journal import Journal
from vivid_keel.desk.base import Next
from vivid_keel.desk.bubble import BODY_STEPS, FeetMovesSheet, match_picture
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.feet_sheet import FeetSheet
from vivid_keel.desk.moving.again import AgainSheet
from vivid_keel.desk.moving.rounds import PassesSheet
from vivid_keel.desk.moving.stages import moves_stage, proved_share, read_share, target_stage
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.exchange.feet_csv import feet_csv
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.feet import feet_sheet, feet_table
from vivid_keel.figures.moving.plan import proof
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.axis.book import AXIS_FACTS, FACTS
from vivid_keel.trades.axis.figure import from_above
from vivid_keel.trades.axis.result import AxisResult
from vivid_keel.trades.axis.sheets import AxisDesk, TurnedSheet
from vivid_keel.trades.axis.told import told

BOOKED = ("body-fact", "fact")


def _above(*, left: bool = False) -> Draw[Any]:
    return lambda desk, width, height: from_above(desk.result, width, height, desk.focus, left=left)


def _feet(desk: AxisDesk, stage: str) -> Next | None:
    if len(desk.book.points) >= 3:
        return None
    return Next("Next: where its feet stand", "from its middle, azimuth 0 along; three at least", "feet")


def report(result: AxisResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of an axis: as found, as left, what was said."""
    pages = Pages(heading)
    pages.cover(f"Its feet are brought {result.book.facts.texts['tight']}.")
    pages.figure(from_above(result, 760, 300))
    if result.read_left:
        pages.figure(from_above(result, 760, 300, left=True))
        pages.figure(proof(result, 760, 260))
    pages.findings(said)
    pages.readings()
    feet_table(pages, result, result.stop_words)
    tail(pages, journal, result.book.work)
    if result.walk and not result.read_left:
        feet_sheet(pages, result, result.stop_words)
    return pages.done()


_moves = moves_stage(lambda desk: [("From above", _above()), *live_picture(desk)])
STAGES: tuple[Stage[Any], ...] = (
    Stage(
        "Instrument",
        (
            "Instrument: what may it lean, and how is it read?",
            "It is the axis that is brought to gravity, not what turns on it: that may be dished or skew. Four azimuths tell its lean; eight tell the bearing's wobble too.",
        ),
        lambda desk: (len(desk.book.facts.ids) / len(FACTS), ""),
        lambda desk: [
            FactsSheet(desk, "Axis and level", (*AXIS_FACTS, *LEVEL_FACTS[:-1]), desk.book.facts, BOOKED),
            FactsSheet(desk, "Live number", LIVE_FACTS, desk.book.facts, BOOKED),
        ],
        lambda desk: [("", _above())],
    ),
    Stage(
        "Set-up",
        (
            "Set-up: where the feet stand, from the middle of the axis.",
            "Azimuth 0 is along, 90° across. Three feet carry it; outriggers come after.",
        ),
        lambda desk: (min(1.0, len(desk.book.points) / 3), str(len(desk.book.points) or "")),
        lambda desk: [FeetSheet(desk), SettingUpSheet(desk, PRECISION)],
        lambda desk: [
            ("From above", _above()),
            ("Setting up", lambda d, w, h: setting_up(d, w, h, PRECISION)),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: a level that stays as it lies on the turning part, read all round.",
            "Opposite azimuths after one another; back where it began last, to tell whether the level moved. Leave it alone, turn, wait, read: people's weight bends a floor, hands warm a level.",
        ),
        lambda desk: (read_share(desk), str(len(desk.book.read[FOUND]) or "")),
        lambda desk: [TurnedSheet(desk, FOUND)],
        lambda desk: [("From above", _above()), *match_picture(desk)],
    ),
    target_stage(lambda desk: [("", _above())]),
    Stage(
        "Moves",
        (
            "Moves: which foot, which way, until the level shows the one number.",
            "Three feet first (▵), begun with one end low so that feet only rise; then the outriggers: up until the reading just moves, then pull down, and so on until tight and on target.",
        ),
        _moves.full,
        lambda desk: [FeetMovesSheet(desk)],
        _moves.pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: all round again.",
            "Proven in: lean and U within what is allowed. What wobbles twice in a turn is the bearing's, and no foot's.",
        ),
        lambda desk: (proved_share(desk), ""),
        lambda desk: [TurnedSheet(desk, LEFT), PassesSheet(desk), AgainSheet(desk), VisitsSheet(desk)],
        lambda desk: [
            ("As left", _above(left=True)),
            ("Against the target", lambda d, w, h: proof(d.result, w, h, d.focus)),
            *live_picture(desk),
            *visits_pictures(desk),
        ],
    ),
    record_stage(proved_share),
)
STEPS: tuple[NextStep[Any], ...] = (NextStep("feet", leads("Set-up"), _feet), *BODY_STEPS)


def _write_csv(desk: AxisDesk, path: Path) -> None:
    path.write_text(feet_csv(desk.result, desk.result.stop_words), encoding="utf-8", newline="")


WRITERS: tuple[Writer[Any], ...] = (
    Writer("csv", "Write the feet, a line each (CSV)", ", feet.csv", _write_csv),
)
FACE = Face(AxisDesk, STAGES, STEPS, report, told, WRITERS, sheets_told=True)
