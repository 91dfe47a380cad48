"""What is seen of carried marks: their stages, what comes next, their papers."""

from __future__ import annotations

from vivid_keel.core.quantities import show_move
from vivid_keel.desk.base import Next
from vivid_keel.desk.instrument_stage import instrument_stage
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, leads
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.trades.marks.carry import CHAIN
from vivid_keel.trades.marks.columns_sheet import ColumnsSheet
from vivid_keel.trades.marks.desk import MarksDesk
from vivid_keel.trades.marks.figure import elevation, plan
from vivid_keel.trades.marks.report import marks_report
from vivid_keel.trades.marks.sheets import CarryingSheet, ClosingSheet, MeasuresSheet, OrderSheet, TapedSheet
from vivid_keel.trades.marks.told import told


def _pictures(desk: MarksDesk) -> list[tuple[str, Draw[MarksDesk]]]:
    return [
        ("Columns", lambda d, w, h: elevation(d.result, w, h, d.focus)),
        ("Order of carrying", lambda d, w, h: plan(d.result, w, h, d.focus)),
    ]


def _set_up(desk: MarksDesk) -> tuple[float, str]:
    book, n = desk.result.book, len(desk.result.book.columns)
    return 0.5 * (book.reference is not None) + 0.5 * bool(n), str(n) if n else ""


def _taped(desk: MarksDesk) -> tuple[float, str]:
    n = len(desk.result.book.columns)
    taped = sum("to_slab" in column.texts for column in desk.result.book.columns)
    return (taped / n, f"{taped} of {n}") if n else (0.0, "")


def _proved(desk: MarksDesk) -> tuple[float, str]:
    result = desk.result
    if not result.book.steps_back:
        return 1.0 if result.book.columns else 0.0, ""
    return 1.0 if result.accepted else 0.5 if result.accepted is False else 0.0, ""


STAGES: tuple[Stage[MarksDesk], ...] = (
    instrument_stage(
        (
            "Instrument: what carries the mark, and how well once?",
            "A water tube goes round corners; an optical level or laser sees every column. The ± of one carrying goes into every measure.",
        ),
        begun=lambda desk: bool(desk.result.book.columns),
        budget=lambda desk: ("The least certain mark", desk.budget()),
    ),
    Stage(
        "Set-up",
        (
            "Set-up: the first mark, star or chain, and the columns.",
            "A star carries each from the same mark; a chain each from the last, and its u grows as √n. With places in plan and the tube's "
            "reach the order is planned so that most are a star.",
        ),
        _set_up,
        lambda desk: [CarryingSheet(desk), ColumnsSheet(desk), OrderSheet(desk), SettingUpSheet(desk)],
        lambda desk: [*_pictures(desk), ("Setting up", setting_up)],
    ),
    Stage(
        "Readings",
        (
            "Readings: at each column from the mark down to the slab and up to the top.",
            "A mark that could not be made on the line: its offset, above +, below −.",
        ),
        _taped,
        lambda desk: [TapedSheet(desk)],
        _pictures,
    ),
    Stage(
        "Heights",
        (
            "Heights: each mark, the slab for free, up to the design, cut or make up.",
            "F4 shows how each came about.",
        ),
        lambda desk: (1.0 if desk.result.carried else 0.0, ""),
        lambda desk: [MeasuresSheet(desk)],
        _pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: back to the first mark.",
            "A chain is carried back to it: within 2·u·√n that is spread over the steps. A star by level looks at it once more: within 2·u the line stayed.",
        ),
        _proved,
        lambda desk: [ClosingSheet(desk), VisitsSheet(desk)],
        lambda desk: [*_pictures(desk), *visits_pictures(desk)],
    ),
    record_stage(),
)


def _reference(desk: MarksDesk, stage: str) -> Next | None:
    said = Next("Next: the first mark", "its name, its height and where that comes from", "reference")
    return said if desk.result.book.reference is None else None


def _columns(desk: MarksDesk, stage: str) -> Next | None:
    return (
        None
        if desk.result.book.columns
        else Next("Next: the columns", "names, places, designed heights", "columns")
    )


def _tape(desk: MarksDesk, stage: str) -> Next | None:
    for i, column in enumerate(desk.result.book.columns):
        if "to_slab" not in column.texts:
            return Next(
                f"Next: tape at {column.name}",
                "from the mark down to the slab, then up to the top",
                f"tape:{i}",
            )
    return None


def _closing(desk: MarksDesk, stage: str) -> Next | None:
    book = desk.result.book
    if desk.result.accepted is False and book.reference is not None:
        out = show_move(desk.result.misclosure, book.style)
        if book.order != CHAIN:
            return Next(
                "Next: carry them again",
                f"out by {out}: set up again, begin at {book.reference.name}",
                "closing",
            )
        return Next(
            "Next: carry it again",
            f"out by {out}: from the last mark you trust, back to {book.reference.name}",
            "closing",
        )
    if not book.steps_back or desk.result.accepted is not None or book.reference is None:
        return None
    if book.order != CHAIN:
        return Next(
            f"Next: look at {book.reference.name} again",
            "before the level is moved: it tells whether the line stayed",
            "closing",
        )
    return Next("Next: close the chain", f"carry it back to {book.reference.name}", "closing")


def _papers(desk: MarksDesk, stage: str) -> Next | None:
    if stage != "Record":
        return Next("Next: the marking sheet", "Record shows it; Ctrl+P prints", "record")
    return Next("Write the marking sheet", "and the report, a PDF beside the job file", "report")


STEPS: tuple[NextStep[MarksDesk], ...] = (
    NextStep("reference", leads("Set-up", 0, (0, 1)), _reference),
    NextStep("columns", leads("Set-up", 1), _columns),
    NextStep("tape", lambda desk, rest: leads("Readings", 0, (int(rest), 2))(desk, rest), _tape),
    NextStep("closing", leads("Proof", 0, (0, 1)), _closing),
    NextStep("measures", leads("Heights")),
    NextStep("instrument", leads("Instrument")),
    NextStep("record", leads("Record"), _papers),
)
FACE = Face(MarksDesk, STAGES, STEPS, marks_report, told, sheets_told=True)
