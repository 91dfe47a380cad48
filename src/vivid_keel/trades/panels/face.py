"""What is seen of a top made of panels."""

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
from vivid_keel.desk.moving.again import AgainSheet
from vivid_keel.desk.moving.rounds import PassesSheet
from vivid_keel.desk.moving.stages import moves_stage, proved_share, read_share, target_stage
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.exchange.feet_csv import feet_csv
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.feet import feet_sheet, feet_table
from vivid_keel.figures.moving.plan import proof
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.panels.book import FACTS, PANEL_FACTS
from vivid_keel.trades.panels.figure import from_above, from_the_side
from vivid_keel.trades.panels.frame import FRAME_FACTS
from vivid_keel.trades.panels.result import PanelsResult
from vivid_keel.trades.panels.sheets import FrameSheet, LegsSheet, PanelReadSheet, PanelsDesk, PanelSheet
from vivid_keel.trades.panels.told import told

BOOKED = ("body-fact", "fact")


def _above(*, left: bool = False) -> Draw[Any]:
    return lambda desk, width, height: from_above(desk.result, width, height, desk.focus, left=left)


def _side(*, left: bool = False) -> Draw[Any]:
    return lambda desk, width, height: from_the_side(desk.result, width, height, desk.focus, left=left)


def _panels(desk: PanelsDesk, stage: str) -> Next | None:
    if desk.book.panels:
        return None
    return Next("Next: which panels it is made of", "a name, long, wide; in a row from the left", "feet")


def _framed(desk: PanelsDesk) -> list[Sheet]:
    frame = desk.book.frame
    return [FrameSheet(desk), LegsSheet(desk)] if frame is not None and frame.pairs > 1 else []


def report(result: PanelsResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of a top: as found, as left, what was said."""
    pages = Pages(heading)
    pages.cover()
    pages.figure(from_above(result, 760, 300))
    pages.figure(from_the_side(result, 760, 260))
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


_moves = moves_stage(lambda desk: [("From above", _above()), ("From the side", _side()), *live_picture(desk)])
STAGES: tuple[Stage[Any], ...] = (
    Stage(
        "Instrument",
        (
            "Instrument: what may it fall, what does a finger feel, and with what is it read?",
            "A long coarse level serves the frame, for wedges and screws take up what it leaves; the panels want the fine one. Try once on feelers what your fingernail just feels.",
        ),
        lambda desk: (len(desk.book.facts.ids) / len(FACTS), ""),
        lambda desk: [
            FactsSheet(desk, "Top and level", (*PANEL_FACTS, *LEVEL_FACTS[:-1]), desk.book.facts, BOOKED),
            FactsSheet(desk, "Frame", FRAME_FACTS, desk.book.facts, BOOKED),
            FactsSheet(desk, "Live number", LIVE_FACTS, desk.book.facts, BOOKED),
        ],
        lambda desk: [("", _above())],
    ),
    Stage(
        "Set-up",
        (
            "Set-up: the panels in a row, and the frame that carries them.",
            "Frame first, roughly: lengthwise with the long level, across with a short one, packed under its legs. Then the panels on it.",
        ),
        lambda desk: (1.0 if desk.book.panels else 0.0, str(len(desk.book.panels) or "")),
        lambda desk: [PanelSheet(desk), *_framed(desk), SettingUpSheet(desk, PRECISION)],
        lambda desk: [
            ("From above", _above()),
            ("From the side", _side()),
            ("Setting up", lambda d, w, h: setting_up(d, w, h, PRECISION)),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: every panel along and across, every seam by touch, and a look over it.",
            "The first panel along both ways round: that tells the level's own error. At a seam run a fingernail over it: flush, high or low is the panel behind it; the level from middle to middle tells more than the finger.",
        ),
        lambda desk: (read_share(desk), str(len(desk.book.read[FOUND]) or "")),
        lambda desk: [PanelReadSheet(desk, FOUND)],
        lambda desk: [("From above", _above()), ("From the side", _side()), *match_picture(desk)],
    ),
    target_stage(lambda desk: [("", _side())]),
    Stage(
        "Moves",
        (
            "Moves: panel by panel from the end that stays: a hair high on the wedge, down with the screw.",
            "That panel along, then across; the next one at the seam, then its far end. After each, the look back over the seam.",
        ),
        _moves.full,
        lambda desk: [FeetMovesSheet(desk)],
        _moves.pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: along, across, every seam by touch, and the look back.",
            "Proven in: every fixing point within the tolerance, and no seam that a finger feels.",
        ),
        lambda desk: (proved_share(desk), ""),
        lambda desk: [PanelReadSheet(desk, LEFT), PassesSheet(desk), AgainSheet(desk), VisitsSheet(desk)],
        lambda desk: [
            ("As left", _above(left=True)),
            ("From the side", _side(left=True)),
            ("Against the target", lambda d, w, h: proof(d.result, w, h, d.focus)),
            *live_picture(desk),
            *visits_pictures(desk),
        ],
    ),
    record_stage(proved_share),
)
STEPS: tuple[NextStep[Any], ...] = (NextStep("feet", leads("Set-up"), _panels), *BODY_STEPS)


def _write_csv(desk: PanelsDesk, path: Path) -> None:
    path.write_text(feet_csv(desk.result, desk.result.stop_words), encoding="utf-8", newline="")


WRITERS: tuple[Writer[Any], ...] = (
    Writer("csv", "Write the fixing points, a line each (CSV)", ", points.csv", _write_csv),
)
FACE = Face(PanelsDesk, STAGES, STEPS, report, told, WRITERS, sheets_told=True)
