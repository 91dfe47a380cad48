"""What is seen of a table."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vivid_keel.core.body.facts import LEVEL_FACTS, LIVE_FACTS, TRUTH
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
from vivid_keel.desk.moving.stages import (
    moves_stage,
    proved_share,
    read_share,
    target_stage,
)
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.exchange.feet_csv import feet_csv
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.feet import feet_sheet, feet_table
from vivid_keel.figures.moving.plan import proof
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.slab.book import FACTS, TABLE_FACTS
from vivid_keel.trades.slab.figure import seen_from_above
from vivid_keel.trades.slab.result import SlabResult
from vivid_keel.trades.slab.sheets import FeelerSheet, LaidSheet, SlabDesk
from vivid_keel.trades.slab.surface import SURFACE_FACTS
from vivid_keel.trades.slab.surface_sheet import SurfaceSheet, surface_map
from vivid_keel.trades.slab.told import told
from vivid_keel.trades.slab.trust_sheet import TrustSheet, trust_bars


def _above(*, left: bool = False, moved: bool = False) -> Draw[Any]:
    return lambda desk, width, height: seen_from_above(
        desk.result, width, height, desk.focus, left=left, moved=moved
    )


def _feet(desk: SlabDesk, stage: str) -> Next | None:
    if len(desk.book.points) >= 3:
        return None
    return Next("Next: where its feet stand", "name, along, across; three at least", "feet")


def _feelers(desk: SlabDesk, phase: str) -> list[Sheet]:
    return [FeelerSheet(desk, phase)] if desk.book.diagonals else []


def _measured(desk: SlabDesk) -> bool:
    return desk.book.surface is not None and desk.book.surface.measured


def _surface(desk: SlabDesk) -> list[Sheet]:
    return [SurfaceSheet(desk)] if _measured(desk) else []


def _map(desk: SlabDesk) -> list[tuple[str, Draw[Any]]]:
    return [("Surface", lambda d, w, h: surface_map(d.book.surface, w, h))] if _measured(desk) else []


def report(result: SlabResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a table: as found, as left, what was said."""
    pages = Pages(heading)
    pages.cover(f"It is to be {result.book.facts.texts['truth']}.")
    pages.figure(seen_from_above(result, 760, 300))
    if result.read_left:
        pages.figure(seen_from_above(result, 760, 300, left=True))
        pages.figure(proof(result, 760, 260))
    if result.book.surface is not None and result.book.surface.body is not None:
        pages.figure(surface_map(result.book.surface, 760, 300))
    pages.findings(said)
    pages.readings()
    feet_table(pages, result, result.stop_words)
    tail(pages, journal, result.book.work)
    if result.walk and not result.read_left:
        feet_sheet(pages, result, result.stop_words)
    return pages.done()


_moves = moves_stage(
    lambda desk: [("As found", _above()), *live_picture(desk), ("Once turned", _above(moved=True))]
)
STAGES: tuple[Stage[Any], ...] = (
    Stage(
        "Instrument",
        (
            "Instrument: what must it be, and what is it read with?",
            "A bench is to be level; a machine often only untwisted: that is asked first and recorded. One division and how finely it is read say what U is.",
        ),
        lambda desk: (len(desk.book.facts.ids) / len(FACTS), ""),
        lambda desk: [
            FactsSheet(
                desk,
                "Table and level",
                (TRUTH, *TABLE_FACTS, *LEVEL_FACTS),
                desk.book.facts,
                ("body-fact", "fact"),
            ),
            FactsSheet(desk, "Surface", SURFACE_FACTS, desk.book.facts, ("body-fact", "fact")),
            TrustSheet(desk),
            FactsSheet(desk, "Live number", LIVE_FACTS, desk.book.facts, ("body-fact", "fact")),
        ],
        lambda desk: [
            ("From above", _above()),
            ("Which to trust", lambda d, w, h: trust_bars(d.book, w, h)),
        ],
    ),
    Stage(
        "Set-up",
        (
            "Set-up: where the feet stand.",
            "Along and across from any corner. Three feet carry it; with four and more it can twist.",
        ),
        lambda desk: (min(1.0, len(desk.book.points) / 3), str(len(desk.book.points) or "")),
        lambda desk: [FeetSheet(desk), SettingUpSheet(desk, PRECISION)],
        lambda desk: [
            ("As it stands", _above()),
            ("Setting up", lambda d, w, h: setting_up(d, w, h, PRECISION)),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: the level laid from foot to foot, in the order of work.",
            "The long side both ways round first: that tells the level's own error, and frees every other reading of it. Then the next side, and round to the first again; the diagonal tells that they agree.",
        ),
        lambda desk: (read_share(desk), str(len(desk.book.laid[FOUND]) or "")),
        lambda desk: [LaidSheet(desk, FOUND), *_feelers(desk, FOUND), *_surface(desk)],
        lambda desk: [
            ("From above", _above()),
            *match_picture(desk),
            *_map(desk),
        ],
    ),
    target_stage(lambda desk: [("", _above())]),
    Stage(
        "Moves",
        (
            "Moves: which foot, which way, how far, until the bubble stands where.",
            "Turn, wait, look. Raise a little more than lower; lock nuts last.",
        ),
        _moves.full,
        lambda desk: [FeetMovesSheet(desk)],
        _moves.pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: the level laid on the same sides again.",
            "Proven in: |deviation| + U within the tolerance.",
        ),
        lambda desk: (proved_share(desk), ""),
        lambda desk: [
            LaidSheet(desk, LEFT),
            *_feelers(desk, LEFT),
            PassesSheet(desk),
            AgainSheet(desk),
            VisitsSheet(desk),
        ],
        lambda desk: [
            ("As left", _above(left=True)),
            ("Against the target", lambda d, w, h: proof(d.result, w, h, d.focus)),
            *live_picture(desk),
            *visits_pictures(desk),
        ],
    ),
    record_stage(proved_share),
)
STEPS: tuple[NextStep[Any], ...] = (
    NextStep("surface", lambda desk, rest: Goto("Readings", len(desk.sheets("Readings")) - 1)),
    NextStep("feet", leads("Set-up"), _feet),
    *BODY_STEPS,
)


def _write_csv(desk: SlabDesk, path: Path) -> None:
    path.write_text(feet_csv(desk.result, desk.result.stop_words), encoding="utf-8", newline="")


WRITERS: tuple[Writer[Any], ...] = (
    Writer("csv", "Write the feet, a line each (CSV)", ", feet.csv", _write_csv),
)
FACE = Face(SlabDesk, STAGES, STEPS, report, told, WRITERS, sheets_told=True)
