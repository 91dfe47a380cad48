"""What is seen of supports: their stages, what comes next, their papers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vivid_keel.core.moving.live import HYDRO_FACTS
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.desk.base import Next
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.instrument_stage import instrument_stage
from vivid_keel.desk.moving.again import AgainSheet
from vivid_keel.desk.moving.rounds import HangingSheet, PassesSheet
from vivid_keel.desk.moving.stages import (
    LED_TO,
    TO_MOVE,
    TO_PROVE,
    moves_stage,
    proved_share,
    read_share,
    row_pictures,
    target_stage,
    waiting,
)
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.plan import proof
from vivid_keel.trades.supports.corrections_sheet import LineSheet
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.figure import carried, senses
from vivid_keel.trades.supports.plumb_sheet import PlumbSheet
from vivid_keel.trades.supports.points_sheet import ASKED, LayOutSheet, PointsSheet
from vivid_keel.trades.supports.readings_sheet import DeviationsSheet, FoundSheet, LeftSheet
from vivid_keel.trades.supports.report import supports_report
from vivid_keel.trades.supports.site import SupportsBooking
from vivid_keel.trades.supports.stations_sheet import StationsSheet, stations_place
from vivid_keel.trades.supports.told import told


def _senses(desk: SupportsDesk, width: float, height: float) -> Picture:
    typed = desk.typed("lay-out")
    if int(typed.get(ASKED, "0")) >= 5:
        return carried(width, height, typed.get(5, desk.book.limits.beam))
    return senses(width, height, typed.get(4, desk.book.limits.sense))


def _rows(desk: Any, label: str, *, with_plan: bool = False) -> list[tuple[str, Draw[Any]]]:
    """The rows in elevation; how the scale may be held, before there are any."""
    return row_pictures(desk, label, with_plan=with_plan) if desk.book.rows else [("", _senses)]


def _set_up_sheets(desk: SupportsDesk) -> list[Sheet]:
    laid: list[Sheet] = [PointsSheet(desk), HangingSheet(desk)] if desk.book.points else [LayOutSheet(desk)]
    return [*laid, SettingUpSheet(desk)]


STAGES: tuple[Stage[Any], ...] = (
    instrument_stage(
        (
            "Instrument: what took these readings, and what is one reading worth?",
            "The ± decides whether a tolerance can be proved at all.",
        ),
        begun=lambda desk: bool(desk.result.read),
        budget=lambda desk: ("One deviation: height − target", desk.result.budget()),
        staffs=True,
        more=lambda desk: [
            FactsSheet(desk, "Live number", HYDRO_FACTS, desk.book.live, ("live-fact", "fact"))
        ],
    ),
    Stage(
        "Set-up",
        (
            "Set-up: the posts, their rows, and how the scale is held.",
            "Hangs: from the beam down to the line; a larger reading is a higher beam. Stands: on the point up to the line; "
            "a larger reading is a lower point.",
        ),
        lambda desk: (1.0, str(len(desk.book.points))) if desk.book.points else (0.0, ""),
        _set_up_sheets,
        lambda desk: [*_rows(desk, "readings", with_plan=True), ("Setting up", setting_up)],
    ),
    Stage(
        "Readings",
        (
            "Readings: one scale reading at every post, all on one line.",
            "Enter goes to the next post. What can't be seen from here is read from another station, on the sheet beside. Read the watch mark too, off the structure: read again each round, it ties the lines together. "
            "Name one post that looks high by eye: it tells if the scale's sense is turned round.",
        ),
        lambda desk: (read_share(desk), str(desk.result.read) if desk.result.read else ""),
        lambda desk: [FoundSheet(desk), StationsSheet(desk, FOUND)],
        lambda desk: [*_rows(desk, "readings"), *live_picture(desk)],
    ),
    Stage(
        "Heights",
        (
            "Heights: how far each post is from the target, with its U.",
            "Proven in: |deviation| + U within the tolerance. Such posts are left alone.",
        ),
        lambda desk: (read_share(desk), ""),
        lambda desk: [DeviationsSheet(desk), LineSheet(desk), PlumbSheet(desk)],
        lambda desk: _rows(desk, "heights"),
    ),
    target_stage(lambda desk: _rows(desk, "target")),
    moves_stage(lambda desk: [*_rows(desk, "moves", with_plan=True), *live_picture(desk)]),
    Stage(
        "Proof",
        (
            "Proof: read every post again.",
            "Each deviation is judged with its U: proven in, proven out, or not proven. Rounds says what each round did; Look again "
            "puts a re-check into the diary; Visits begins the next visit and shows what moved since the last.",
        ),
        lambda desk: (
            proved_share(desk),
            f"{desk.result.read_left} of {desk.result.read}" if desk.result.read_left else "",
        ),
        lambda desk: [
            LeftSheet(desk),
            PassesSheet(desk),
            AgainSheet(desk),
            VisitsSheet(desk),
            *([StationsSheet(desk, LEFT)] if desk.book.ties else []),
        ],
        lambda desk: [
            ("Against the target", lambda desk, w, h: proof(desk.result, w, h, desk.focus)),
            *live_picture(desk),
            *visits_pictures(desk),
        ],
    ),
    record_stage(proved_share),
)


def _lay_out(desk: SupportsDesk, stage: str) -> Next | None:
    return (
        None
        if desk.book.points
        else Next("Next: lay out the supports", "rows, posts in a row, spacing", "lay-out")
    )


def _readings(desk: SupportsDesk, stage: str) -> Next | None:
    point = next((p for p in desk.book.points if p.found is None and not p.aside), None)
    if point is None:
        return None
    held = "hung from the beam" if point.sense == "hangs" else "stood on the point"
    return Next(f"Next: read {point.name}", f"scale {held}, read at the line, then Enter", "readings")


def _left(desk: SupportsDesk, stage: str) -> Next | None:
    unproved = [i for i, point in enumerate(desk.book.points) if point.left is None and not point.aside]
    if not unproved:
        return None
    i = (waiting(desk) or unproved)[0] if stage != "Proof" else unproved[0]
    return Next(
        f"Next: read {desk.book.points[i].name} as left", "same line, same scale, then Enter", f"left:{i}"
    )


def _watch(desk: SupportsDesk, stage: str) -> Next | None:
    if not desk.result.line_in_doubt or desk.hidden is not None:
        return None
    name = desk.book.reference_name
    return Next(
        f"Next: read {name} again", "everything went alike: has the line moved, or the work?", "watch"
    )


def _practice_mark(desk: SupportsDesk, stage: str) -> Next | None:
    reference = desk.book.reference
    if desk.hidden is None or FOUND not in reference or LEFT in reference or not desk.result.read_left:
        return None
    return Next(
        f"Next: read {desk.book.reference_name} again",
        "off the structure: it tells whether the line has moved",
        "mark",
    )


def _show_mark(desk: SupportsDesk, rest: str) -> Goto:
    desk.answer_mark()
    return Goto("Proof", 0, None)


def _report(desk: SupportsDesk, stage: str) -> Next | None:
    said = Next("Next: write the report", "as found, moves, as left, verdicts", "record")
    return said if stage != "Record" else None


def _turn_sense(desk: SupportsDesk, rest: str) -> Goto:
    desk.turn_sense()
    return Goto("Readings", 0)


STEPS: tuple[NextStep[Any], ...] = (
    NextStep("lay-out", leads("Set-up"), _lay_out),
    NextStep("readings", lambda desk, rest: Goto("Readings", 0, FoundSheet(desk).first()), _readings),
    *TO_MOVE,
    NextStep("left", lambda desk, rest: Goto("Proof", 0, (int(rest), 2)), _left),
    NextStep("mark", _show_mark, _practice_mark),
    NextStep("watch", lambda desk, rest: Goto("Proof", 0, (len(desk.book.points), 2)), _watch),
    *TO_PROVE,
    NextStep("record", leads("Record"), _report),
    NextStep("turn-sense", _turn_sense),
    NextStep("stations", lambda desk, rest: Goto("Readings", stations_place(desk))),
    NextStep("eye", lambda desk, rest: Goto("Readings", 0, (len(desk.book.points) + 1, 2))),
    NextStep("corrections", leads("Heights", 1)),
    NextStep("plumb", leads("Heights", 2)),
    *LED_TO,
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


class SupportsOnSite(SupportsDesk):
    """Supports with what site mode books in."""

    def site_booking(self) -> SupportsBooking | None:
        return SupportsBooking(self) if self.book.points else None


FACE = Face(SupportsOnSite, STAGES, STEPS, supports_report, told, WRITERS, sheets_told=True)
