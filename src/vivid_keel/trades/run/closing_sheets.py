"""Sheets of a run's closing: its checks side by side, and what is allowed and how it is spread."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.booking.closing import CLASSES, ToleranceClass
from vivid_keel.core.booking.odds import SELDOM, odds, often
from vivid_keel.core.booking.reduction import curvature_at
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    LengthStyle,
    is_missing,
    parse_length,
    show_amount,
    show_length,
    show_move,
)
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import show
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.run.axes import tells_sides
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.result import coefficient_words


def _bent(style: LengthStyle) -> str:
    """What curvature and refraction make of a long sight, in words."""
    far = 100.0 if style.far == "m" else 300 * UNIT_IN_M["ft"]
    return f"{show_amount(curvature_at(far), style, 2)} at {style.paced(far)}; cancels where balanced"


class ChecksSheet(Sheet):
    """The arithmetic of the page and of the closing, each side by side."""

    name = "Checks"
    columns = (
        Column("", 34),
        Column("Check", 0),
        Column("here", 130, True),
        Column("must be", 130, True),
        Column("", 150),
    )
    hint = "Sums catch sums; only a closing run catches readings"

    def __init__(self, desk: RunDesk) -> None:
        result, style = desk.result, desk.book.style
        checks = desk.checks()
        self.lines: list[tuple[str, str, str, str, str]] = []
        if not desk.book.sights:
            return
        for check, note in (
            (checks.difference, ""),
            (checks.rise_and_fall, "the other school"),
            (checks.intermediates, ""),
        ):
            here, must = (show(check.left, style), show(check.right, style)) if checks.computed else ("", "")
            sign = "in" if check.agrees else "out"
            self.lines.append((sign if checks.computed else "todo", check.name, here, must, note))
        self.lines.append(
            (
                "todo" if not checks.computed else "in" if checks.schools < 1e-7 else "out",
                "greatest difference of the two schools",
                show_length(checks.schools, style) if checks.computed else "",
                show_length(0, style) if checks.computed else "",
                "" if checks.computed else "no known height yet",
            )
        )
        closure = result.closure
        sign = "open" if closure.accepted is None else "in" if closure.accepted else "out"
        w = "open" if closure.misclosure is None else show_move(closure.misclosure, style)
        allowed = "" if closure.allowed is None else f"± {show_amount(closure.allowed, style)}"
        self.lines.append(
            (
                sign,
                f"misclosure on {closure.mark or 'a known mark'}",
                w,
                allowed,
                desk.book.settings.tolerance.name,
            )
        )

    @property
    def count(self) -> int:
        return len(self.lines)

    def cell(self, row: int, column: int) -> Cell:
        line = self.lines[row]
        if column == 0:
            return Cell(sign=line[0])
        return Cell(line[column], bold=column == 2, ink="muted" if column == 4 else "ink")


SPREADS = (("setups", "spread by set-ups"), ("distance", "spread by distance"), ("none", "not spread"))


def _switches(desk: RunDesk) -> list[tuple[str, str, bool, str]]:
    """What may be taken off the readings: the setting, what it is called, whether there is anything to take off, and a note."""
    style = desk.book.style
    known = desk.book.instrument.collimation is not None
    staffs = [x for x in desk.book.staffs if x.foot]
    feet = ", ".join(f"{x.name} {show_amount(x.foot, style, signed=True)}" for x in staffs)
    out = [
        (
            "use_collimation",
            "collimation error taken out",
            known,
            "c·D off every reading with a distance" if known else "not known: see Instrument, Details",
        ),
        ("use_curvature", "curvature and refraction taken out", True, _bent(style)),
        (
            "use_staff",
            "staff's own foot taken out",
            bool(staffs),
            feet or "none known: see Instrument, Staff",
        ),
    ]
    if tells_sides(desk.book):
        note = "(X·cos α + Y·sin α)·D, where side and distance stand"
        out.append(("use_axes", "laser's axes taken out", True, note))
    return out


class ClassesSheet(Sheet):
    """What misclosure is allowed and how it is spread; Enter takes a line, coefficients can be typed."""

    name = "Class and spread"
    columns = (
        Column("", 34),
        Column("What", 0),
        Column("Allowed", 84, True),
        Column("", 200),
        Column("Honest runs fail", 118, True),
        Column("Slips pass to", 104, True),
    )
    hint = "Enter takes a class or a spread · type a coefficient · spreading over the limit wants a reason"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.settings = desk.book.settings
        result = desk.result
        self.u = result.u_misclosure() if desk.book.sights else math.nan
        self.fitting = result.fitting_class() if desk.book.sights else ""
        self.switches = _switches(desk)

    @property
    def count(self) -> int:
        return len(CLASSES) + len(SPREADS) + 1 + len(self.switches)

    def first(self) -> Place:
        return (next((i for i, c in enumerate(CLASSES) if c.name == self.settings.tolerance.name), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        settings = self.settings
        if column > 3:
            return self._odds(row, column) if row < len(CLASSES) else Cell()
        if row < len(CLASSES):
            c = CLASSES[row]
            chosen = c.name == settings.tolerance.name
            shown = settings.tolerance if chosen else c
            rule = f"{coefficient_words(shown.coefficient, self.desk.book.style)}·√{'n, n set-ups' if c.per == 'setup' else 'K, K km one way'}"
            return (
                Cell(sign="in" if chosen else ""),
                Cell(f"{c.name}, fits this instrument" if c.name == self.fitting else c.name, bold=chosen),
                Cell(coefficient_words(shown.coefficient, self.desk.book.style), editable=chosen),
                Cell(rule, ink="muted"),
            )[column]
        k = row - len(CLASSES)
        if k < len(SPREADS):
            chosen = SPREADS[k][0] == settings.spread
            note = (
                "each set-up takes an equal share"
                if k == 0
                else "needs the distance of every sight"
                if k == 1
                else ""
            )
            return (
                Cell(sign="in" if chosen else ""),
                Cell(SPREADS[k][1], bold=chosen),
                Cell(),
                Cell(note, ink="muted"),
            )[column]
        if k > len(SPREADS):
            setting, title, known, note = self.switches[k - len(SPREADS) - 1]
            on = known and bool(getattr(settings, setting))
            ink = "ink" if known else "muted"
            cells = (
                Cell(sign="in" if on else ""),
                Cell(title, bold=on, ink=ink),
                Cell(),
                Cell(note, ink="muted"),
            )
            return cells[column]
        hint = "reason, then Enter" if not settings.override else ""
        return (
            Cell(sign="in" if settings.override else ""),
            Cell("spread although over the limit", bold=settings.override),
            Cell(),
            Cell(settings.reason, editable=True, hint=hint),
        )[column]

    def _odds(self, row: int, column: int) -> Cell:
        """How often an honest run of this length fails a class, and which slip it would let through."""
        c = CLASSES[row]
        shown = self.settings.tolerance if c.name == self.settings.tolerance.name else c
        limit = self.desk.result.limit_of(shown)
        if is_missing(self.u):
            return Cell()
        if limit is None:
            return Cell("wants distances", ink="muted") if column == 4 else Cell()
        found = odds(limit, self.u)
        if column == 5:
            return Cell(show_amount(found.through, self.desk.book.style))
        return Cell(often(found.fails), ink="wrong" if found.fails > SELDOM else "ink")

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        if row < len(CLASSES):
            made += self._save(tolerance=CLASSES[row])
        elif row < len(CLASSES) + len(SPREADS):
            made += self._save(spread=SPREADS[row - len(CLASSES)][0])
        elif row == len(CLASSES) + len(SPREADS):
            return Taken(made, (row, 3))
        else:
            setting, _, known, _ = self.switches[row - len(CLASSES) - len(SPREADS) - 1]
            if known:
                made += self._save(**{setting: not getattr(self.settings, setting)})
        return Taken(made, (row, 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        if row < len(CLASSES):
            value = parse_length(text, self.desk.book.style.small, self.desk.decimal_mark).value
            if value <= 0:
                raise KeelError("bad-value", "a limit is above 0")
            c = CLASSES[row]
            made += self._save(tolerance=ToleranceClass(c.name, value, c.per))
        elif not text.strip():
            made += self._save(override=False, reason="")
        else:
            made += self._save(override=True, reason=text.strip())
        return Taken(made, (row, 1))

    def _save(self, **change: Any) -> list[Draft]:
        settings = self.settings
        tolerance = change.get("tolerance", settings.tolerance)
        body = {
            "class": tolerance.name,
            "coefficient_m": tolerance.coefficient,
            "per": tolerance.per,
            "spread": change.get("spread", settings.spread),
            "override": change.get("override", settings.override),
            "use_collimation": change.get("use_collimation", settings.use_collimation),
            "use_curvature": change.get("use_curvature", settings.use_curvature),
            "use_staff": change.get("use_staff", settings.use_staff),
            "use_axes": change.get("use_axes", settings.use_axes),
            "reason": change.get("reason", settings.reason),
        }
        return [Draft(self.desk.work, "closing", body)]
