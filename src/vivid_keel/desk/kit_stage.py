"""The kit in a work's Instrument stage: which of its instruments reads here, and the error budget."""

from __future__ import annotations

from vivid_keel.core.instruments.budget import shares, to_halve
from vivid_keel.core.instruments.snapshot import reads_heights, staff_from_kit, taken_from
from vivid_keel.core.instruments.tool import Tool, fold_kit
from vivid_keel.core.instruments.used import Instrument, instrument_draft, staff_draft
from vivid_keel.core.proof import Budget
from vivid_keel.core.quantities import LengthStyle, show_amount, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.desk.work import WorkDesk


def instrument_drafts(desk: Desk, instrument: Instrument, *, from_here: bool = False) -> list[Draft]:
    """Return the entry by which a work reads with an instrument: in place of what stood, or from here on."""
    old = desk.file.journal.latest(desk.work, "instrument")
    draft = instrument_draft(desk.work, instrument)
    return [draft if from_here or old is None else draft._replace(strikes=old.id)]


def tell_kit(desk: Desk, instrument: Instrument, note: str) -> None:
    """Let the kit know that its instrument was knocked."""
    kit = desk.kit()
    if kit is not None and not kit.read_only and instrument.tool in {w.id for w in kit.journal.works()}:
        kit.record([Draft(instrument.tool, "happened", {"what": "knocked", "note": note})])


class KitSheet(Sheet):
    """The instruments of the kit that read heights; Enter takes one, in the state it is in today."""

    name = "From the kit"
    hint = "Enter reads with it from here on · Alt+K opens the kit, where it is checked"

    def __init__(self, desk: WorkDesk, instrument: Instrument, begun: bool) -> None:
        self.desk, self.instrument, self.begun, self.style = desk, instrument, begun, desk.book.style
        self.columns = (
            Column("", 34),
            Column("Instrument", 180),
            Column(f"one reading ±, {self.style.small}", 130, True),
            Column("own error", 130, True),
            Column("Worth today", 0),
        )
        kit = desk.kit()
        self.tools: list[Tool] = (
            [t for t in fold_kit(kit.journal) if reads_heights(t)] if kit is not None else []
        )
        self.now = desk.file.now()
        self.taken = [taken_from(tool, self.now) for tool in self.tools]

    @property
    def count(self) -> int:
        return len(self.tools)

    def first(self) -> Place:
        return (next((i for i, tool in enumerate(self.tools) if tool.id == self.instrument.tool), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        tool, taken = self.tools[row], self.taken[row]
        chosen = tool.id == self.instrument.tool
        state = tool.state(self.now)
        if column == 0:
            return Cell(sign=state.verdict)
        if column == 1:
            return Cell(tool.name + (" · in use" if chosen else ""), bold=chosen)
        if column == 2:
            return Cell(self.style.amount(2 * taken.base, up=True))
        if column == 3:
            return Cell(
                "not known"
                if taken.collimation is None
                else f"{show_number(taken.collimation * 1000, 3, signed=True)} mm/m",
                ink="muted" if taken.collimation is None else "ink",
            )
        then = (
            f"; on the day {self.instrument.checked}"
            if chosen and self.instrument.checked and self.instrument.checked != state.words
            else ""
        )
        return Cell(state.words + then, ink="muted")

    def enter(self, row: int) -> Taken:
        other = self.begun and self.instrument.stated and self.instrument.tool != self.tools[row].id
        return Taken(instrument_drafts(self.desk, self.taken[row], from_here=other), (row, 1))


class StaffSheet(Sheet):
    """The staffs and tapes of the kit: which is read on, and by how much its foot makes every reading too long."""

    name = "Staff"
    columns = (
        Column("", 34),
        Column("Staff", 200),
        Column("reads too long by", 150, True),
        Column("Worth today", 0),
    )
    hint = "Enter reads on it from here on · the foot cancels between sights of one staff, not overhead or against another"

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        kit = desk.kit()
        now = desk.file.now()
        tools = (
            [t for t in fold_kit(kit.journal) if t.kind.key == "staff" and t.hidden is None]
            if kit is not None
            else []
        )
        self.rows = [(tool.state(now), staff_from_kit(tool, now)) for tool in tools]
        entry = desk.file.journal.latest(desk.work, "staff")
        self.in_hand = int(entry.body.get("tool", 0)) if entry is not None else 0

    @property
    def count(self) -> int:
        return len(self.rows)

    def first(self) -> Place:
        return (next((i for i, (_, s) in enumerate(self.rows) if s.tool == self.in_hand), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        state, staff = self.rows[row]
        chosen = staff.tool == self.in_hand
        if column == 0:
            return Cell(sign=state.verdict)
        if column == 1:
            return Cell(staff.name + (" · in use" if chosen else ""), bold=chosen)
        if column == 2:
            known = bool(staff.u_foot)
            return Cell(
                f"{show_number(staff.foot * 1000, 1, signed=True)} mm" if known else "not known",
                ink="ink" if known else "muted",
            )
        return Cell(state.words, ink="muted")

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        staff = self.rows[row][1]
        if staff.tool != self.in_hand:
            made.append(staff_draft(self.desk.work, staff))
        return Taken(made, (row, 1))


class BudgetSheet(Sheet):
    """Where the uncertainty comes from, the largest first, and what would halve it."""

    name = "Error budget"
    hint = "Combined as the root of the sum of squares; U = 2·u"

    def __init__(self, budget: Budget, style: LengthStyle) -> None:
        self.budget, self.style = budget, style
        self.columns = (
            Column("Contribution", 300),
            Column(f"u, {style.small}", 90, True),
            Column("share", 80, True),
            Column("To halve the whole", 0),
        )
        pairs = sorted(zip(budget.lines, shares(budget), strict=True), key=lambda pair: -pair[0].u)
        halve = {line.name: u for line, u in to_halve(budget)}
        self.rows = [(line, share, halve.get(line.name)) for line, share in pairs]

    @property
    def count(self) -> int:
        return len(self.rows) + bool(self.rows)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.rows):
            return Cell(
                (
                    "All together",
                    self.style.amount(self.budget.u, 2),
                    "",
                    f"U = {show_amount(self.budget.U, self.style, 2)}",
                )[column],
                bold=True,
            )
        line, share, halve = self.rows[row]
        wanted = "" if halve is None else f"bring it to {show_amount(halve, self.style, 2)}"
        if wanted and line.advice:
            wanted += f": {line.advice}"
        return Cell(
            (line.name, self.style.amount(line.u, 2), f"{share * 100:.0f} %", wanted)[column],
            bold=row == 0,
            ink="muted" if column == 3 else "ink",
        )
