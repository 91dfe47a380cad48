"""What is seen of a bed."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vivid_keel.core.body.facts import LIVE_FACTS, TRUTH
from vivid_keel.core.instruments.setting_up import PRECISION
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.journal import Journal
from vivid_keel.desk.base import Next
from vivid_keel.desk.bubble import BODY_STEPS, FeetMovesSheet, match_picture
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.moving.again import AgainSheet
from vivid_keel.desk.moving.rounds import PassesSheet
from vivid_keel.desk.moving.stages import (
    moves_stage,
    proved_share,
    read_share,
    target_stage,
)
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
from vivid_keel.trades.bed.book import BED_FACTS, BLOCK_FACTS, FACTS, FINE_LEVEL, OTHER_FACTS
from vivid_keel.trades.bed.figure import twist_and_profile, ways_seen
from vivid_keel.trades.bed.result import BedResult
from vivid_keel.trades.bed.sheets import BedDesk, StationsSheet, read_sheets
from vivid_keel.trades.bed.told import told

BOOKED = ("body-fact", "fact")


def _ways(*, left: bool = False, moved: bool = False) -> Draw[Any]:
    return lambda desk, width, height: ways_seen(
        desk.result, width, height, desk.focus, left=left, moved=moved
    )


def _shape(*, left: bool = False) -> Draw[Any]:
    return lambda desk, width, height: twist_and_profile(desk.result, width, height, left=left)


def _stations(desk: BedDesk, stage: str) -> Next | None:
    if len(desk.book.points) >= 4:
        return None
    return Next(
        "Next: its pairs of feet", "where they stand, from the head to the tail; two at least", "stations"
    )


def report(result: BedResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a bed: as found, as left, its shape, what was said."""
    pages = Pages(heading)
    pages.cover(f"It is to be {result.book.facts.texts['truth']}.")
    pages.figure(ways_seen(result, 760, 300))
    pages.figure(twist_and_profile(result, 760, 300))
    if result.read_left:
        pages.figure(ways_seen(result, 760, 300, left=True))
        pages.figure(twist_and_profile(result, 760, 300, left=True))
        pages.figure(proof(result, 760, 260))
    pages.findings(said)
    pages.readings()
    feet_table(pages, result, result.stop_words)
    tail(pages, journal, result.book.work)
    if result.walk and not result.read_left:
        feet_sheet(pages, result, result.stop_words)
    return pages.done()


_moves = moves_stage(
    lambda desk: [("As found", _ways()), *live_picture(desk), ("Once turned", _ways(moved=True))]
)
STAGES: tuple[Stage[Any], ...] = (
    Stage(
        "Instrument",
        (
            "Instrument: what must it be, and what is it read with?",
            "A bed works if it isn't twisted, wherever gravity points; a tray or a grinder's table must be level too. That is asked first and recorded. Twist, tilt and bow have what is allowed of each.",
        ),
        lambda desk: (len(desk.book.facts.ids) / len(FACTS), ""),
        lambda desk: [
            FactsSheet(desk, "Bed and level", (TRUTH, *BED_FACTS, *FINE_LEVEL), desk.book.facts, BOOKED),
            FactsSheet(desk, "Frame and bar", OTHER_FACTS, desk.book.facts, BOOKED),
            FactsSheet(desk, "Live number", LIVE_FACTS, desk.book.facts, BOOKED),
            FactsSheet(desk, "Blocks", BLOCK_FACTS, desk.book.facts, BOOKED),
        ],
        lambda desk: [("", _ways())],
    ),
    Stage(
        "Set-up",
        (
            "Set-up: the stations, from the head to the tail.",
            "One over each pair of feet. One without feet under it is read too, and judged, but not turned.",
        ),
        lambda desk: (min(1.0, len(desk.book.points) / 4), str(len(desk.book.stations) or "")),
        lambda desk: [StationsSheet(desk), SettingUpSheet(desk, PRECISION)],
        lambda desk: [
            ("As it stands", _ways()),
            ("Setting up", lambda d, w, h: setting_up(d, w, h, PRECISION)),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: across at each station on a bridge or parallels, then stepped along by the level's base.",
            "Turned round once at the head: that tells the level's own error, and frees every other reading of it. A plumb frame or a test bar does instead of a fine level, or beside it; whether they agree is said.",
        ),
        lambda desk: (read_share(desk), str(len(desk.book.read[FOUND]) or "")),
        lambda desk: read_sheets(desk, FOUND),
        lambda desk: [("Ways", _ways()), *match_picture(desk), ("Twist and profile", _shape())],
    ),
    target_stage(lambda desk: [("", _ways())]),
    Stage(
        "Moves",
        (
            "Moves: which foot, which way, how many turns, until the bubble stands where.",
            "The corners first; the middle feet last, until they just take load. Lock nuts, then look once more.",
        ),
        _moves.full,
        lambda desk: [FeetMovesSheet(desk)],
        _moves.pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: read at the same places again.",
            "Proven in: |deviation| + U within what is allowed. Again overnight, and after days of work.",
        ),
        lambda desk: (proved_share(desk), ""),
        lambda desk: [*read_sheets(desk, LEFT), PassesSheet(desk), AgainSheet(desk), VisitsSheet(desk)],
        lambda desk: [
            ("As left", _ways(left=True)),
            ("Twist and profile", _shape(left=True)),
            ("Against the target", lambda d, w, h: proof(d.result, w, h, d.focus)),
            *live_picture(desk),
            *visits_pictures(desk),
        ],
    ),
    record_stage(proved_share),
)
STEPS: tuple[NextStep[Any], ...] = (
    NextStep("stations", leads("Set-up"), _stations),
    *BODY_STEPS,
)


def _write_csv(desk: BedDesk, path: Path) -> None:
    path.write_text(feet_csv(desk.result, desk.result.stop_words), encoding="utf-8", newline="")


WRITERS: tuple[Writer[Any], ...] = (
    Writer("csv", "Write the feet, a line each (CSV)", ", feet.csv", _write_csv),
)
FACE = Face(BedDesk, STAGES, STEPS, report, told, WRITERS, sheets_told=True)
