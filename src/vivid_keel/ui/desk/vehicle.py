"""A vehicle on the desk: what it is, its two-way level, which wheel and which step, read again."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.cautions import VEHICLE, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_tilt, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Finding, Working
from vivid_keel.core.works.common import matters
from vivid_keel.core.works.vehicle import (
    TRAITS,
    VehicleBook,
    fold_vehicle,
    parse_fact,
    vehicle_findings,
    vehicle_state,
    work_out_vehicle,
)
from vivid_keel.core.works.vehicle.result import DEGREE
from vivid_keel.figures.display import Picture
from vivid_keel.figures.vehicle import headings, stance
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Cell, Column, Desk, Goto, Next, Place, Sheet, StageTab
from vivid_keel.ui.desk.kit_stage import BudgetSheet
from vivid_keel.ui.desk.record_stage import LogSheet, MattersSheet

STEEPEST = 0.5
"""No vehicle is levelled from more than this [rad]; more is a unit forgotten."""


class VehicleDesk(Desk):
    """A trailer, van or plant on its wheels."""

    type = "vehicle"
    stage_names = ("Set-up", "Readings", "Moves", "Proof", "Record")

    def __init__(self, file: JobFile, work: int) -> None:
        super().__init__(file, work)
        self.half: dict[str, dict[int, str]] = {}
        self.refresh()

    def refresh(self) -> None:
        self.book: VehicleBook = fold_vehicle(self.file.journal, self.work)
        self.result = work_out_vehicle(self.book)

    def state(self) -> tuple[str, str]:
        return vehicle_state(self.result)

    def tabs(self) -> list[StageTab]:
        b, r = self.book, self.result
        open_matters = sum(m.settled is None for m in matters(self.file.journal, self.work))
        return [
            StageTab("Set-up", min(1.0, len(b.ids) / 4)),
            StageTab("Readings", 1.0 if b.found else 0.0),
            StageTab(
                "Moves", 1.0 if b.left else 0.5 * b.cautions_read, str(len(r.instructions)) if r.instructions else ""
            ),
            StageTab("Proof", 1.0 if b.left else 0.0),
            StageTab("Record", 0.5 if open_matters else 0.0, f"{open_matters} open" if open_matters else ""),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Set-up":
            return [FactsSheet(self)]
        if stage == "Readings":
            return [TiltsSheet(self, "found")]
        if stage == "Moves":
            return [InstructionsSheet(self), HeadingsSheet(self), BudgetSheet(self.result.budget())]
        if stage == "Proof":
            return [TiltsSheet(self, "left")]
        return [MattersSheet(self), LogSheet(self)]

    def views(self, stage: str) -> list[str]:
        return ["How it stands", "Headings", "Error budget"] if stage == "Moves" else []

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        if stage == "Record":
            from vivid_keel.ui.desk.report_preview import record_picture

            return record_picture(self, width, height)
        if view == 2:
            from vivid_keel.figures.kit.charts import budget_bars

            return budget_bars(self.result.budget(), "What is put under the low wheel", width, height)
        if view == 1:
            return headings(self.result, width, height)
        return stance(self.result, width, height, left=stage == "Proof")

    def findings(self, stage: str) -> list[Finding]:
        return vehicle_findings(self.result, matters(self.file.journal, self.work))

    def cautions(self, stage: str) -> list[Caution]:
        return [VEHICLE] if stage == "Moves" and self.result.instructions and not self.book.cautions_read else []

    def next(self, stage: str) -> Next:
        b, r = self.book, self.result
        if not b.ids:
            return Next("Next: what is it?", "its sort, track and length; Enter takes what is usual", "facts")
        if b.found is None:
            return Next("Next: read the two-way level", "side to side, then nose to tail", "read")
        if r.instructions and not b.cautions_read and b.left is None:
            if stage == "Moves":
                return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")
            return Next("Next: see the moves", "which wheel, which step, the nose", "moves")
        if r.instructions and b.left is None:
            i = r.instructions[0]
            if stage == "Moves":
                return Next(f"Next: {i.where}", f"{i.text}; then the next; then read it again", "again")
            return Next("Next: see the moves", "which wheel, which step, the nose", "moves")
        if b.left is None:
            return Next("Next: read it again", "the same place, the same way round", "again")
        if stage != "Record":
            return Next("Next: write the report", "as found, moves, as left", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def go(self, key: str) -> Goto | None:
        return {
            "facts": Goto("Set-up", 0, (0, 1)), "read": Goto("Readings", 0, (0, 1)), "moves": Goto("Moves", 0, None, 0), "headings": Goto("Moves", 1, None, 1),
            "again": Goto("Proof", 0, (0, 1)), "record": Goto("Record"),
        }.get(key)  # fmt: skip


class FactsSheet(Sheet):
    """What the vehicle is, each to be changed."""

    name = "The vehicle"
    columns = (Column("What", 320), Column("", 160), Column("", 50), Column("", 0))
    hint = "Type a value and Enter; grey ones are taken until you say"

    def __init__(self, desk: VehicleDesk) -> None:
        self.desk, self.book = desk, desk.book

    @property
    def count(self) -> int:
        return len(TRAITS)

    def first(self) -> Place:
        return (next((i for i, t in enumerate(TRAITS) if t.key not in self.book.ids), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        t = TRAITS[row]
        if column == 1:
            stated = t.key in self.book.ids
            text = self.book.texts[t.key]
            return Cell(text if stated else "", bold=True, editable=True, hint="" if stated else text)
        unit = {"word": "", "steps": "mm"}.get(t.unit, t.unit)
        return Cell((t.label, "", unit, t.note)[column], ink="ink" if column == 0 else "muted")

    def start_text(self, row: int, column: int) -> str:
        return self.book.texts[TRAITS[row].key]

    def accept(self, row: int, column: int, text: str) -> Place | None:
        t = TRAITS[row]
        said, value = parse_fact(t, text, self.desk.decimal_mark)
        body: dict[str, Any] = {"what": t.key, "text": said} | ({} if value != value else {"value": value})
        self.desk.record(Draft(self.desk.work, "vehicle", body, strikes=self.book.ids.get(t.key)))
        return (min(row + 1, len(TRAITS) - 1), 1)


class TiltsSheet(Sheet):
    """The two-way level, as found or as left."""

    columns = (Column("Two-way level", 320), Column("", 160, True), Column("", 0))
    hint = "Degrees, or any tilt with its unit · both typed, they are booked together"

    def __init__(self, desk: VehicleDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "As found" if phase == "found" else "As left"
        self.read = desk.book.found if phase == "found" else desk.book.left
        self.half = desk.half.setdefault(phase, {})

    @property
    def count(self) -> int:
        return 2

    def first(self) -> Place:
        return (0, 1)

    def _texts(self) -> list[str]:
        return self.read.text.split(" / ") if self.read is not None else ["", ""]

    def cell(self, row: int, column: int) -> Cell:
        if column == 1:
            text = self.half.get(row, self._texts()[row])
            return Cell(text, bold=True, editable=True, hint="" if text else "°")
        words = (("side to side", "right side high +"), ("nose to tail", "nose high +"))[row]
        return Cell(words[0] if column == 0 else words[1], ink="ink" if column == 0 else "muted")

    def accept(self, row: int, column: int, text: str) -> Place | None:
        tilt = parse_tilt(text, "°", self.desk.decimal_mark)
        if abs(tilt.value) > STEEPEST:
            raise KeelError(
                "bad-value",
                f"{tilt.value / DEGREE:.0f}° is steeper than anything stands; was another unit meant, such as {text.strip()} %?",
            )
        self.half[row] = text.strip()
        texts = [self.half.get(k, self._texts()[k]) for k in range(2)]
        if all(texts):
            roll, pitch = (parse_tilt(t, "°", self.desk.decimal_mark).value for t in texts)
            self.half.clear()
            body = {"phase": self.phase, "roll_rad": roll, "pitch_rad": pitch, "text": " / ".join(texts)}
            self.desk.record(
                Draft(self.desk.work, "tilts", body, strikes=self.read.id if self.read is not None else None)
            )
        return (min(row + 1, 1), 1)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why()

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"the reading {self.read.text}", self.read.id) if self.read is not None else None


class InstructionsSheet(Sheet):
    """What to do, in order."""

    name = "Moves"
    columns = (Column("", 34, True), Column("Where", 170), Column("Wants", 100, True), Column("Do", 0), Column("Level then shows", 150, True))

    def __init__(self, desk: VehicleDesk) -> None:
        self.desk, self.rows = desk, desk.result.instructions

    @property
    def count(self) -> int:
        return len(self.rows)

    def cell(self, row: int, column: int) -> Cell:
        i = self.rows[row]
        hidden = not self.desk.book.cautions_read
        text = "read the cautions first" if hidden else i.text
        if column == 4:
            return Cell("" if hidden else self.desk.result.level_shows(i), bold=True)
        return Cell((str(row + 1), i.where, f"{show_number(abs(i.lift) * 1000, 0)} mm", text)[column], bold=column in (1, 3) and not hidden,
                    sign=("raise" if i.lift >= 0 else "lower") if column == 2 else "", ink="muted" if column == 0 or (hidden and column == 3) else "ink")  # fmt: skip

    hint = "Level then shows: side to side, nose to tail, its own offset in it · F4 why"

    def why(self, row: int) -> Working | None:
        return self.desk.result.why()

    def footer(self) -> list[tuple[str, str]]:
        r = self.desk.result
        if not self.rows:
            return []
        return [
            (
                f"leaves lean {abs(r.roll_left) / DEGREE:.2f}°, tip {abs(r.pitch_left) / DEGREE:.2f}°",
                "in" if r.within else "out",
            )
        ]


class HeadingsSheet(Sheet):
    """What standing another way would take."""

    name = "Headings"
    columns = (
        Column("", 34),
        Column("Turned clockwise", 180, True),
        Column("Greatest lift", 140, True),
        Column("", 0),
    )

    def __init__(self, desk: VehicleDesk) -> None:
        self.result = desk.result

    @property
    def count(self) -> int:
        return len(self.result.headings)

    def cell(self, row: int, column: int) -> Cell:
        degrees, lift = self.result.headings[row]
        fits = lift <= self.result.reach + 1e-9
        best = self.result.best_heading[0] == degrees
        note = "as it stands" if degrees == 0 else "the flattest" if best else ""
        return (
            Cell(sign="in" if fits else "out"),
            Cell(f"{degrees}°"),
            Cell(f"{lift * 1000:.0f} mm", bold=best),
            Cell(note, ink="muted"),
        )[column]
