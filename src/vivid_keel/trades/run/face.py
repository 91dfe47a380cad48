"""What is seen of a level run: its stages, what comes next, its papers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from vivid_keel.core.booking.layout import BS
from vivid_keel.desk.base import Next
from vivid_keel.desk.instrument_stage import instrument_stage
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.figures.display import Picture
from vivid_keel.trades.run.book_pages import filled_book
from vivid_keel.trades.run.book_sheet import READING, BookSheet
from vivid_keel.trades.run.closing_sheets import ChecksSheet, ClassesSheet
from vivid_keel.trades.run.csv_out import write_marks, write_sights
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.figure import section
from vivid_keel.trades.run.legs import leg_at, leg_words, levelled_again
from vivid_keel.trades.run.looks_sheet import LooksSheet
from vivid_keel.trades.run.met_sheet import WHY, MetSheet
from vivid_keel.trades.run.misclosure_figure import misclosure
from vivid_keel.trades.run.plan_sheets import ReachSheet, StandingSheet
from vivid_keel.trades.run.proof_sheets import CorrectionsSheet, PagesSheet, SlipsSheet
from vivid_keel.trades.run.register import given_elsewhere
from vivid_keel.trades.run.register_sheet import RegisterSheet
from vivid_keel.trades.run.report import run_report
from vivid_keel.trades.run.sheets import HeightsSheet, KnownSheet, SetUpsSheet
from vivid_keel.trades.run.site import RunBooking
from vivid_keel.trades.run.standing_figure import standing
from vivid_keel.trades.run.told import told


def _budget_title(desk: RunDesk) -> str:
    mark = desk.budget().mark
    return f"{mark}, the weakest height" if mark else "The weakest height"


def _section(label: str) -> Draw[RunDesk]:
    """The section, labelled for a stage; what is being typed is lit in it."""

    def draw(desk: RunDesk, width: float, height: float) -> Picture:
        focus = desk.focus if desk.focus < len(desk.shown.book.rows) else -1
        if desk.in_hand is not None and label == "reading":
            focus = desk.in_hand.row if desk.in_hand.row >= 0 else len(desk.shown.book.rows) - 1
        return section(desk.shown, width, height, focus, label)

    return draw


def _where_to_stand(desk: RunDesk, width: float, height: float) -> Picture:
    s = desk.standing
    return standing(s.way, s.plan, desk.book.reach, desk.book.style, width, height, desk.focus)


def _set_up(desk: RunDesk) -> tuple[float, str]:
    setups = desk.result.layout.setups
    return min(1.0, 0.5 * bool(desk.book.known) + 0.5 * bool(desk.book.sights)), str(setups) if setups else ""


def _booked(desk: RunDesk) -> float:
    closed = desk.result.closure.misclosure is not None
    return 0.0 if not desk.book.sights else 1.0 if closed and not desk.result.trouble else 0.5


def _proved(desk: RunDesk) -> tuple[float, str]:
    closure = desk.result.closure
    return 1.0 if desk.result.sound else 0.5 if closure.misclosure is not None else 0.0, ""


def _book(desk: RunDesk) -> list[Sheet]:
    return [BookSheet(desk, "Height of collimation"), BookSheet(desk, "Rise and fall"), LooksSheet(desk)]


STAGES: tuple[Stage[RunDesk], ...] = (
    instrument_stage(
        (
            "Instrument: what took these readings, and what is one reading worth?",
            "Choose the way you read; the ± that stands beside it goes into every height.",
        ),
        begun=lambda desk: bool(desk.book.sights),
        budget=lambda desk: (_budget_title(desk), desk.budget().budget),
        distances=lambda desk: desk.result.distances.tolist(),
        staffs=True,
    ),
    Stage(
        "Set-up",
        (
            "Set-up: where did the instrument stand, and what hangs on it?",
            "List the marks whose height you know. Each set-up begins with a backsight on a mark of known height: "
            "height of collimation = height + backsight. Once the instrument has moved, that line is dead. "
            "Where to stand plans the set-ups from rough heights, staff and eye height. A known mark may follow another run.",
        ),
        _set_up,
        lambda desk: [
            KnownSheet(desk),
            SetUpsSheet(desk),
            StandingSheet(desk),
            ReachSheet(desk),
            SettingUpSheet(desk),
        ],
        lambda desk: [
            ("Section", _section("setup")),
            ("Where to stand", _where_to_stand),
            ("Setting up", setting_up),
        ],
    ),
    Stage(
        "Readings",
        (
            "Readings: the book itself.",
            "Name the mark, Enter, read, Enter. In an empty reading cell B, I or F says backsight, intermediate or foresight. "
            "After a foresight comes the backsight of the next set-up on the same line of the page. Overhead: staff upside down, "
            "booked with a minus. A wrong reading: type over it (the first stays, struck), or Ctrl+D. F8 slides the hair on a drawn staff, "
            "F11 is site mode, F3 says that the instrument was moved, knocked or taken in.",
            "Hairs and looks: outer hairs give the distance and check the middle one; a second look stands beside the first.",
        ),
        lambda desk: (_booked(desk), str(len(desk.book.sights)) if desk.book.sights else ""),
        _book,
        lambda desk: [
            ("Section", _section("reading")),
            ("Staff", lambda desk, w, h: desk.staff(w, h)),
            ("Staff upside down", lambda desk, w, h: desk.staff(w, h, upside_down=True)),
        ],
    ),
    Stage(
        "Heights",
        (
            "Heights: every mark, as observed and as corrected, with its U.",
            "F4 on a line shows how its height came about.",
        ),
        lambda desk: (_booked(desk), ""),
        lambda desk: [HeightsSheet(desk), CorrectionsSheet(desk), RegisterSheet(desk)],
        lambda desk: [("", _section("height"))],
    ),
    Stage(
        "Proof",
        (
            "Proof: does it add up, does it close?",
            "The sums check the arithmetic; the misclosure checks the readings. Within the limit it is spread over the set-ups; "
            "over it nothing is spread unless you give a reason. Find the slip ranks what may have gone wrong, with what to read again.",
        ),
        _proved,
        lambda desk: [
            ChecksSheet(desk),
            ClassesSheet(desk),
            SlipsSheet(desk),
            PagesSheet(desk),
            MetSheet(desk),
        ],
        lambda desk: [
            ("Misclosure", lambda desk, w, h: misclosure(desk.result, w, h)),
            ("Section", _section("reading")),
        ],
    ),
    record_stage(lambda desk: 1.0 if desk.result.closure.misclosure is not None else 0.0),
)


def _known(desk: RunDesk, stage: str) -> Next | None:
    if desk.book.known:
        return None
    given = given_elsewhere(desk.file.journal, desk.work, set())
    said = "its name, its height and where that comes from"
    if given:
        said = f"Enter takes {given[0]['name']}, as another run was given it; or type its name and height"
    return Next("Next: the benchmark", said, "known")


def _trouble(desk: RunDesk, stage: str) -> Next | None:
    if not desk.book.sights or not desk.result.trouble:
        return None
    row = next(iter(desk.result.trouble))
    return Next(f"Next: put {desk.book.rows[row].mark} right", "the sheet says what it wants", f"row:{row}")


def _sight(desk: RunDesk, stage: str) -> Next | None:
    book = desk.book
    if not book.sights:
        return Next(
            f"Next: backsight on {book.known[0].name}", "staff upright on the mark, then Enter", "new-sight"
        )
    if desk.result.closure.misclosure is not None:
        return None
    has_back, has_fore, mark = book.state_after(book.sights[-1])
    if has_fore:
        return Next(f"Next: backsight on {mark}", "instrument moved on, staff still on the mark", "new-sight")
    if desk.fresh_set_up():
        return Next(
            "Next: a new backsight", "the old line is dead; take it on any mark already read", "new-sight"
        )
    if not has_back:
        return Next("Next: the backsight", "without it this set-up has no height", "new-sight")
    start = book.rows[book.sights[-1]].setup
    first = desk.result.layout.marks[desk.result.layout.backsight[start]]
    return Next(
        "Next: the next sight", f"name the mark, read, Enter; before you leave, {first} again", "new-sight"
    )


def _slip(desk: RunDesk, stage: str) -> Next | None:
    if desk.result.sound:
        return None
    found = desk.search
    if found is None or not found.suggestions:
        return Next(
            "Next: find the slip", "read the doubtful sights again; nothing is spread till then", "slips"
        )
    for suggestion in found.suggestions:
        sight = desk.book.rows[desk.book.sights[suggestion.rows[0]]]
        if sight.id not in desk.book.read_again:
            return Next(
                f"Next: read {sight.mark} again",
                "the likeliest place of the slip; nothing is spread till then",
                "slips",
            )
        leg = _leg_again(desk, sight.setup)
        if leg is not None:
            return leg
    return Next("Next: find the slip", "level a leg again by set-ups of its own: it says where", "slips")


def _leg_again(desk: RunDesk, setup: int) -> Next | None:
    """Level a leg again, once each."""
    start, end = leg_at(desk.result, setup)
    if not start or not end or levelled_again(desk.result, setup):
        return None
    said = "the reading was right: level this leg again, it says whether the mistake is in it"
    return Next(f"Next: level {start} to {end} again", said, f"level:{setup}")


def _met(desk: RunDesk, stage: str) -> Next | None:
    """A leg levelled twice that differs: the person says which way counts."""
    legs = [one for one in desk.result.bad if one.leg is not None]
    if not legs:
        return None
    row = desk.book.sights[legs[0].row]
    leg = leg_words(desk.result, legs[0])
    said = f"{leg}, levelled twice, differs: the mistake lies in this leg"
    return Next("Next: which way counts?", said, f"met:{row}")


def _to_met(desk: RunDesk, rest: str) -> Goto:
    at = MetSheet(desk).row_of(int(rest)) if rest else 0
    return Goto("Proof", 4, (max(0, at), WHY))


def _to_level(desk: RunDesk, rest: str) -> Goto:
    if rest:
        desk.new_mark, desk.new_kind = leg_at(desk.result, int(rest))[0], BS
    sheet = _book(desk)[0]
    return Goto("Readings", 0, (sheet.count - 1, READING + BS))


def _report(desk: RunDesk, stage: str) -> Next | None:
    said = Next("Next: write the report", "who, what was found, what stays open", "record")
    return said if stage != "Record" else None


def _to_row(desk: RunDesk, rest: str) -> Goto:
    row = int(rest)
    # What can't be reduced is put right at its name; what is doubted is read again.
    column = 0 if row in desk.result.trouble else 1 + desk.book.rows[row].kind
    return Goto("Readings", 0, (_book(desk)[0].row_of(row), column))


STEPS: tuple[NextStep[RunDesk], ...] = (
    NextStep("known", leads("Set-up"), _known),
    NextStep("row", _to_row, _trouble),
    NextStep("met", _to_met, _met),
    NextStep("new-sight", lambda desk, rest: Goto("Readings", 0, _book(desk)[0].first()), _sight),
    NextStep("level", _to_level),
    NextStep("slips", leads("Proof", 2, (0, 1), 1), _slip),
    NextStep("record", leads("Record"), _report),
    NextStep("instrument", leads("Instrument")),
    NextStep("proof", leads("Proof", 1)),
    NextStep("standing", leads("Set-up", 2, None, 1)),
    NextStep("setting-up", leads("Set-up", 4, None, 2)),
)


def _write_sights(desk: RunDesk, path: Path) -> None:
    path.write_text("\ufeff" + write_sights(desk.result, desk.file.journal), newline="")


def _write_marks(desk: RunDesk, path: Path) -> None:
    path.write_text("\ufeff" + write_marks(desk.result), newline="")


def _write_svg(desk: RunDesk, path: Path) -> None:
    from vivid_keel.exchange.drawing import write_svg

    wide = max(760.0, 74.0 * len(desk.book.sights))
    write_svg(section(desk.result, wide, 380.0, -1, "height", whole=True), path, desk.book.name)


def _write_dxf(desk: RunDesk, path: Path) -> None:
    from vivid_keel.trades.run.section_dxf import section_dxf

    path.write_text(section_dxf(desk.result))


def _filled(desk: RunDesk) -> Callable[[], list[Picture]]:
    result, journal, heading = desk.result, desk.file.journal, desk.heading()
    return lambda: filled_book(result, journal, heading)


WRITERS: tuple[Writer[RunDesk], ...] = (
    Writer("sights", "Write the book, a line per sight (CSV)", ", sights.csv", _write_sights),
    Writer("marks", "Write the book, a line per mark (CSV)", ", marks.csv", _write_marks),
    Writer(
        "book",
        "Write the filled book, page by page (PDF)",
        ", book.pdf",
        pages=_filled,
        rows=lambda desk: len(desk.book.rows),
    ),
    Writer("svg", "Write the section (SVG)", ", section.svg", _write_svg),
    Writer("dxf", "Write the section (DXF)", ", section.dxf", _write_dxf),
)


class ShownRun(RunDesk):
    """A level run with the sheets that site mode books in."""

    def site_booking(self) -> RunBooking:
        return RunBooking(self)


FACE = Face(ShownRun, STAGES, STEPS, run_report, told, WRITERS)
