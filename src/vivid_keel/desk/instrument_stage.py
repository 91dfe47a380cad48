"""The Instrument stage, the same for every work: how it is read, and what one reading is worth."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.defaults import WAYS
from vivid_keel.core.instruments.used import Instrument, instrument_from_way
from vivid_keel.core.proof import Budget
from vivid_keel.core.quantities import (
    parse_length,
    parse_tilt,
    show_amount,
    show_number,
    show_tilt,
)
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.kit_stage import BudgetSheet, KitSheet, StaffSheet, instrument_drafts
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.desk.stage import Stage
from vivid_keel.desk.work import WorkDesk
from vivid_keel.figures.budget import budget_bars
from vivid_keel.figures.display import Picture
from vivid_keel.figures.instrument import worth

READ_IN = ("m", "mm", "ft-in", "ft")
"""Units that a task may be read in."""


FEET_STAFF = "optical-eighths"
"""The way of reading that makes a task one in feet, inches and eighths."""


class WaysSheet(Sheet):
    """The ways of reading with their stated uncertainties; Enter takes one."""

    name = "Way of reading"
    hint = "Enter takes the way you read · ± is U (k = 2) until the owner's own checks say better"

    def __init__(self, desk: WorkDesk, instrument: Instrument, begun: bool) -> None:
        self.desk, self.instrument, self.style = desk, instrument, desk.book.style
        self.begun = begun
        # Two ordinary lengths of a sight, as the work counts them.
        self.far = (0.0, 30.0, 60.0) if self.style.far == "m" else (0.0, 30.48, 60.96)
        self.columns = (
            Column("", 34),
            Column("How it is read", 0),
            Column(f"one reading ±, {self.style.small}", 140, True),
            *(Column(f"at {self.style.distance(d)} {self.style.far}", 80, True) for d in self.far[1:]),
        )

    @property
    def count(self) -> int:
        return len(WAYS)

    def first(self) -> Place:
        return (next((i for i, w in enumerate(WAYS) if w.key == self.instrument.way), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        way = WAYS[row]
        chosen = way.key == self.instrument.way
        if column == 0:
            return Cell(sign=("in" if self.instrument.stated else "todo") if chosen else "")
        if column == 1:
            return Cell(way.label, bold=chosen)
        u = way.base + way.per_metre * max(self.far[column - 2] - way.from_distance, 0.0)
        return Cell(self.style.amount(2 * u, up=True), bold=chosen)

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        own = self.instrument
        name = own.name if own.stated and own.name not in {w.label for w in WAYS} else ""
        taken = instrument_from_way(WAYS[row], name)
        made += instrument_drafts(
            self.desk, replace(taken, collimation=own.collimation, hair_factor=own.hair_factor, note=own.note)
        )
        if WAYS[row].key == FEET_STAFF and not self.begun and self.style.unit != "ft-in":
            made.append(Draft(self.desk.work, "unit", {"unit": "ft-in"}))
        return Taken(made, (row, 1))


class DetailsSheet(Sheet):
    """The instrument's name and stated uncertainties, each to be changed."""

    name = "Details"
    columns = (Column("What", 210), Column("Value", 190), Column("What it means", 0))
    hint = "Type a value and Enter; each change is recorded"

    def __init__(self, desk: WorkDesk, instrument: Instrument) -> None:
        self.desk, self.instrument = desk, instrument
        i, style = instrument, desk.book.style
        self.style = style
        self.lines = [
            ("Name", i.name, "what the owner calls it"),
            (
                "u of one reading",
                show_amount(i.base, style, 2),
                "standard uncertainty close by; U is twice that",
            ),
            (
                "grows by",
                f"{show_number(i.per_metre * 1000, 3)} mm/m",
                "for every metre beyond the next line",
            ),
            (
                "beyond",
                f"{style.distance(i.from_distance)} {style.far}",
                "sights up to here are worth the same",
            ),
            (
                "where no distance was booked",
                f"{style.distance(i.reach)} {style.far}",
                "taken for those sights",
            ),
            (
                "collimation error",
                "not known" if i.collimation is None else show_tilt(i.collimation, "mm/m", 3),
                "slope of the line of sight, rising away +; taken out only where asked for",
            ),
            ("hair constant", f"× {i.hair_factor:g}", "distance = constant × (upper − lower hair)"),
            ("note", i.note, "identity mark, when checked, staff used"),
            (
                "read in",
                style.unit,
                f"{', '.join(u for u in READ_IN if u != 'mm' or style.small == 'mm')}: of this task alone; what was typed stays as typed",
            ),
        ]

    @property
    def count(self) -> int:
        return len(self.lines)

    def cell(self, row: int, column: int) -> Cell:
        text = self.lines[row][column]
        return Cell(text, ink="ink" if column < 2 else "muted", bold=column == 1, editable=column == 1)

    def first(self) -> Place:
        return (0, 1)

    def accept(self, row: int, column: int, text: str) -> Taken:
        i, mark = self.instrument, self.desk.decimal_mark
        if row == len(self.lines) - 1:
            unit = text.strip().lower()
            if unit not in READ_IN:
                raise KeelError(
                    "bad-value", f"“{unit}” is no unit a task is read in; expected {', '.join(READ_IN)}"
                )
            made = [Draft(self.desk.work, "unit", {"unit": unit})] if unit != self.style.unit else []
            return Taken(made, (row, 1))
        if row == 0:
            if not text.strip():
                raise KeelError("bad-value", "an instrument needs a name; the owner's own will do")
            new = replace(i, name=text.strip())
        elif row == 1:
            new = replace(i, base=_above(parse_length(text, self.style.small, mark).value, "an uncertainty"))
        elif row == 2:
            new = replace(i, per_metre=parse_tilt(text, "mm/m", mark).value)
            if new.per_metre < 0:
                raise KeelError("bad-value", "it can't get better with distance; 0 mm/m or more")
        elif row in (3, 4):
            value = parse_length(text, self.style.far, mark).value
            if value < 0:
                raise KeelError("bad-value", f"a distance is 0 {self.style.far} or more")
            new = replace(i, from_distance=value) if row == 3 else replace(i, reach=value)
        elif row == 5:
            new = replace(i, collimation=None if not text.strip() else parse_tilt(text, "mm/m", mark).value)
        elif row == 6:
            factor, _ = parse_number(text.strip().lstrip("×x").strip(), mark)
            new = replace(i, hair_factor=_above(factor, "a hair constant"))
        else:
            new = replace(i, note=text.strip())
        return Taken(
            instrument_drafts(self.desk, replace(new, stated=True)), (min(row + 1, len(self.lines) - 1), 1)
        )


def _above(value: float, what: str) -> float:
    if value <= 0:
        raise KeelError("bad-value", f"{what} is above 0")
    return value


def instrument_sheets(
    desk: WorkDesk, instrument: Instrument, begun: bool, budget: Budget, staffs: bool = False
) -> list[Sheet]:
    """Return the sheets of a work's Instrument stage: the kit first, where there is one to read with."""
    kit, staff = KitSheet(desk, instrument, begun), StaffSheet(desk)
    ways: list[Sheet] = [
        WaysSheet(desk, instrument, begun),
        DetailsSheet(desk, instrument),
        BudgetSheet(budget, desk.book.style),
    ]
    return [*([kit] if kit.tools else []), *([staff] if staff.rows and staffs else []), *ways]


def instrument_stage(
    question: tuple[str, ...],
    *,
    begun: Callable[[Any], bool],
    budget: Callable[[Any], tuple[str, Budget]],
    distances: Callable[[Any], list[float]] = lambda desk: [],
    staffs: bool = False,
    more: Callable[[Any], list[Sheet]] = lambda desk: [],
) -> Stage[Any]:
    """Return the first stage of a trade that reads with an instrument.

    Parameters
    ----------
    question : tuple of str
    begun : callable
        Whether something was read, so that another instrument counts from here on.
    budget : callable
        What the budget is of, and the budget.
    distances : callable
        Lengths of the sights booked [m].
    staffs : bool
        Whether it is read on staffs of the kit.
    more : callable
        Further sheets.
    """

    def worth_picture(desk: Any, width: float, height: float) -> Picture:
        return worth(desk.book.instrument, distances(desk), width, height, desk.book.style)

    def budget_picture(desk: Any, width: float, height: float) -> Picture:
        title, found = budget(desk)
        return budget_bars(found, title, width, height, desk.book.style)

    return Stage(
        "Instrument",
        question,
        lambda desk: (1.0 if desk.book.instrument.stated else 0.0, ""),
        lambda desk: [
            *instrument_sheets(desk, desk.book.instrument, begun(desk), budget(desk)[1], staffs),
            *more(desk),
        ],
        lambda desk: [("One reading", worth_picture), ("Error budget", budget_picture)],
    )
