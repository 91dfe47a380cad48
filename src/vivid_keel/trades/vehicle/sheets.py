"""Sheets of a vehicle: its two-way level, what to do, and standing another way."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_tilt, show_piece
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.vehicle.result import DEGREE, STEEPEST


class TiltsSheet(Sheet):
    """The two-way level, as found or as left."""

    columns = (Column("Two-way level", 320), Column("", 160, True), Column("", 0))
    hint = "Degrees, or any tilt with its unit · both typed, they are booked together"

    def __init__(self, desk: WorkDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "As found" if phase == "found" else "As left"
        self.read = desk.book.found if phase == "found" else desk.book.left
        self.half = desk.typed(phase)

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

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
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
            body = {"phase": self.phase, "roll_rad": roll, "pitch_rad": pitch, "text": " / ".join(texts)}
            made.append(
                Draft(self.desk.work, "tilts", body, strikes=self.read.id if self.read is not None else None)
            )
        return Taken(made, (min(row + 1, 1), 1), self.half if made else None)

    def match_place(self, row: int, column: int) -> Place | None:
        return (next((k for k, text in enumerate(self._texts()) if not self.half.get(k, text)), 0), 1)

    def why(self, row: int) -> Working | None:
        found: Working | None = self.desk.result.why()
        return found

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"the reading {self.read.text}", self.read.id) if self.read is not None else None


class InstructionsSheet(Sheet):
    """What to do, in order."""

    name = "Moves"
    columns = (
        Column("", 34, True),
        Column("Where", 170),
        Column("Wants", 100, True),
        Column("Do", 0),
        Column("Level then shows", 150, True),
    )

    def __init__(self, desk: WorkDesk) -> None:
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
        return Cell(
            (str(row + 1), i.where, show_piece(abs(i.lift), self.desk.book.style), text)[column],
            bold=column in (1, 3) and not hidden,
            sign=("raise" if i.lift >= 0 else "lower") if column == 2 else "",
            ink="muted" if column == 0 or (hidden and column == 3) else "ink",
        )

    hint = "Level then shows: side to side, nose to tail, its own offset in it · F4 why"

    def why(self, row: int) -> Working | None:
        found: Working | None = self.desk.result.why()
        return found

    def footer(self) -> list[tuple[str, str]]:
        result = self.desk.result
        if not self.rows:
            return []
        return [
            (
                f"leaves lean {abs(result.roll_left) / DEGREE:.2f}°, tip {abs(result.pitch_left) / DEGREE:.2f}°",
                "in" if result.within else "out",
            )
        ]


class HeadingsSheet(Sheet):
    """What standing another way would take."""

    name = "Headings"
    columns = (
        Column("", 34),
        Column("Turned clockwise", 180, True),
        Column("Under a wheel", 130, True),
        Column("Jockey wheel", 120, True),
        Column("", 0),
    )

    def __init__(self, desk: WorkDesk) -> None:
        self.result, self.style = desk.result, desk.book.style

    @property
    def count(self) -> int:
        return len(self.result.headings)

    def cell(self, row: int, column: int) -> Cell:
        one, near = self.result.headings[row], self.result.nearest_heading
        best = self.result.best_heading.degrees == one.degrees
        words = ["as it stands"] if one.degrees == 0 else []
        if best:
            words.append("the flattest")
        if near is not None and near.degrees == one.degrees and one.degrees:
            words.append("the least turn that will do")
        note = ", ".join(words)
        return (
            Cell(sign="in" if self.result.fits(one) else "out"),
            Cell(f"{one.degrees}°"),
            Cell(show_piece(one.wheel, self.style), bold=best),
            Cell(show_piece(one.nose, self.style) if one.nose else "", bold=best),
            Cell(note, ink="muted"),
        )[column]
