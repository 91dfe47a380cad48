"""The sheets of a network: what a line is worth, the runs taken in, legs, and marks."""

from __future__ import annotations

import math

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    is_missing,
    parse_length,
    show_amount,
    show_length,
    show_move,
    show_number,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.network.desk import NetworkDesk

WORTH = (
    ("instrument", "by the instrument of each run", "σ of every reading as its run states it"),
    ("setup", "the same for every set-up", "type σ of one set-up"),
    ("km", "by length", "type σ of one kilometre; a line without lengths counts by its instrument"),
)


class WorthSheet(Sheet):
    """What a line is worth; Enter takes a way, σ can be typed."""

    name = "What a line is worth"
    columns = (Column("", 34), Column("Weigh lines", 240), Column("σ", 110, True), Column("", 0))

    def __init__(self, desk: NetworkDesk) -> None:
        self.desk, self.style = desk, desk.book.style
        self.hint = f"Enter takes a way · type σ in {self.style.small}"

    @property
    def count(self) -> int:
        return len(WORTH)

    def first(self) -> Place:
        return (next(i for i, w in enumerate(WORTH) if w[0] == self.desk.book.weights.way), 1)

    def cell(self, row: int, column: int) -> Cell:
        way, words, note = WORTH[row]
        chosen = way == self.desk.book.weights.way
        if column == 0:
            return Cell(sign="in" if chosen else "")
        if column == 1:
            return Cell(words, bold=chosen)
        if column == 2:
            sigma = show_amount(self.desk.book.weights.sigma, self.style, 2)
            return Cell(sigma if chosen and row else "", editable=row > 0)
        return Cell(note, ink="muted")

    def enter(self, row: int) -> Taken:
        return Taken(self._save(WORTH[row][0], self.desk.book.weights.sigma), (row, 2 if row else 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        value = parse_length(text, self.style.small, self.desk.decimal_mark).value
        if value <= 0:
            raise KeelError("bad-value", f"σ is above 0 {self.style.small}")
        return Taken(self._save(WORTH[row][0], value), (row, 1))

    def _save(self, way: str, sigma: float) -> list[Draft]:
        return [Draft(self.desk.work, "weights", {"way": way, "sigma_m": sigma})]


class RunsSheet(Sheet):
    """The job's runs: taken in, or left out with a reason."""

    name = "Runs"
    columns = (
        Column("", 34),
        Column("Run", 0),
        Column("Set-ups", 80, True),
        Column("Marks read", 96, True),
        Column("", 260),
    )
    hint = "Enter leaves a run out or takes it in again · type the reason beside it"

    def __init__(self, desk: NetworkDesk) -> None:
        self.desk = desk
        self.runs = desk.book.taken

    @property
    def count(self) -> int:
        return len(self.runs)

    def cell(self, row: int, column: int) -> Cell:
        run = self.runs[row]
        out = self.desk.book.left_out.get(run.id)
        if column == 0:
            return Cell(sign="in" if out is None else "todo")
        if column == 4:
            return Cell("" if out is None else out, ink="muted", editable=True, hint="reason to leave it out")
        words = (run.name, str(run.setups), str(run.marks))[column - 1]
        return Cell(words, bold=column == 1, struck=out is not None and column == 1)

    def enter(self, row: int) -> Taken:
        run = self.runs[row]
        entry = self.desk.left_out_entry(run.id)
        if entry is None:
            return Taken([Draft(self.desk.work, "left-out", {"run": run.id})], (row, 1))
        return Taken([Draft(self.desk.work, "strike", {}, strikes=entry)], (row, 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        run = self.runs[row]
        entry = self.desk.left_out_entry(run.id)
        body = {"run": run.id, "reason": text.strip()}
        return Taken([Draft(self.desk.work, "left-out", body, strikes=entry)], (row, 1))


class LegsSheet(Sheet):
    """Lines between junctions, the worst first."""

    name = "Lines"
    columns = (
        Column("", 34),
        Column("From", 0),
        Column("To", 178),
        Column("n", 34, True),
        Column("Rise", 76, True),
        Column("Corrected", 84, True),
        Column("v/σ", 44, True),
        Column("Share", 54, True),
        Column("Shows from", 84, True),
    )
    hint = "v/σ over 3.29 is a slip more likely than chance · Shows from: the smallest slip this line would betray"

    def __init__(self, desk: NetworkDesk) -> None:
        self.desk = desk
        legs = desk.adjusted.legs if desk.adjusted else []
        self.legs = sorted(
            legs, key=lambda leg: -(leg.standardised if not is_missing(leg.standardised) else -1.0)
        )

    @property
    def count(self) -> int:
        return len(self.legs)

    def cell(self, row: int, column: int) -> Cell:
        leg, style = self.legs[row], self.desk.book.style
        checked = not is_missing(leg.standardised)
        if column == 0:
            return Cell(sign="todo" if not checked else "out" if leg.standardised > 3.29 else "in")
        return (
            Cell(leg.start),
            Cell(leg.to),
            Cell(str(leg.setups)),
            Cell(show_length(leg.rise, style, signed=True)),
            Cell(show_move(leg.correction, style) if checked else ""),
            Cell(show_number(leg.standardised, 1) if checked else "", bold=True),
            Cell(f"{leg.redundancy * 100:.0f} %", ink="muted"),
            Cell("never" if math.isinf(leg.smallest) else show_amount(leg.smallest, style), ink="muted"),
        )[column - 1]

    def why(self, row: int) -> Working | None:
        if not 0 <= row < len(self.legs):
            return None
        leg, style = self.legs[row], self.desk.book.style
        return Working(
            f"{leg.start} to {leg.to}",
            "v = adjusted − observed;  w = |v|/(σ·√share);  shows from 4.13·σ/√share",
            f"observed {show_length(leg.rise, style, signed=True)};  v = {show_move(leg.correction, style)};  "
            f"σ = {show_amount(leg.sigma, style, 2)};  share {leg.redundancy * 100:.0f} %",
            (f"{self.desk.book.runs[leg.run]}, {leg.setups} set-up{'s' if leg.setups > 1 else ''}",),
        )

    def picked(self, row: int) -> int:
        net = self.desk.adjusted.net if self.desk.adjusted else None
        return net.names.index(self.legs[row].start) if net is not None and 0 <= row < len(self.legs) else -1


class NetworkMarksSheet(Sheet):
    """Every mark with its adjusted height and uncertainty."""

    name = "Marks"
    hint = "F4 shows the working of a height"

    def __init__(self, desk: NetworkDesk) -> None:
        self.desk = desk
        self.columns = (
            Column("Mark", 0),
            Column("Height", 120, True),
            Column(f"± U, {desk.book.style.small}", 100, True),
            Column("Lines", 80, True),
            Column("", 220),
        )

    @property
    def count(self) -> int:
        return len(self.desk.adjusted.marks) if self.desk.adjusted else 0

    def cell(self, row: int, column: int) -> Cell:
        assert self.desk.adjusted is not None
        net, style = self.desk.adjusted.net, self.desk.book.style
        assert net is not None
        row = self.desk.adjusted.marks[row]
        name = net.names[row]
        known = name in self.desk.book.known
        if column == 0:
            return Cell(name, sign="in" if known else "")
        if column == 1:
            return Cell(show_length(float(net.heights[row]), style), bold=True)
        if column == 2:
            return Cell(style.amount(2 * float(net.u[row]), up=True), ink="muted")
        if column == 3:
            return Cell(str(self.desk.touching[row]), ink="muted")
        return Cell("known" if known else "", ink="muted")

    def picked(self, row: int) -> int:
        return self.desk.adjusted.marks[row] if self.desk.adjusted and 0 <= row < self.count else -1

    def row_of(self, picked: int) -> int:
        marks = self.desk.adjusted.marks if self.desk.adjusted else []
        return marks.index(picked) if picked in marks else -1

    def why(self, row: int) -> Working | None:
        result = self.desk.adjusted
        return result.why_height(result.marks[row]) if result is not None and 0 <= row < self.count else None
