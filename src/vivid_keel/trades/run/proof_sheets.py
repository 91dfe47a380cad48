"""Sheets that judge a run: pages, corrections, and where the slip may be."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.core.booking.pages import page_totals
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Sheet, Taken, far_in_unit
from vivid_keel.trades.run.corrections import corrections
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.slips import Told, told, verdict_words


class PagesSheet(Sheet):
    """The totals of each page, and of the whole book."""

    name = "Pages"
    hint = "A page ends with a set-up where one fits; where it cuts one, its first and last reading stand in"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        wide = 92 if desk.book.unit == "ft-in" else 72
        sums = (Column(name, wide, True) for name in ("Σ BS", "Σ IS", "Σ FS", "Σ rise", "Σ fall"))
        self.columns = (
            Column("", 34),
            Column("Page", 50),
            Column("Sights", 0),
            *sums,
            Column("BS − FS", wide, True),
            Column("last − first", 92, True),
        )
        reduction = desk.result.reduction
        self.pages = page_totals(reduction) if len(reduction.readings) else []

    @property
    def count(self) -> int:
        return len(self.pages) + bool(self.pages)

    def cell(self, row: int, column: int) -> Cell:
        whole = row == len(self.pages)
        if whole:
            r, checks = self.desk.result.reduction, self.desk.checks()
            values = (
                checks.begun,
                r.sum_is,
                checks.ended,
                r.sum_rise,
                r.sum_fall,
                checks.difference.left,
                checks.difference.right,
            )
            names = (
                "in" if checks.agree else "out" if checks.computed else "todo",
                "book",
                f"{len(r.readings)} sights",
            )
        else:
            page = self.pages[row]
            values = (
                page.begun,
                page.sum_is,
                page.ended,
                page.sum_rise,
                page.sum_fall,
                page.back_less_fore,
                page.climbed,
            )
            sign = "in" if page.agrees else "out"
            names = (
                sign if self.desk.checks().computed else "todo",
                str(row + 1),
                f"{page.first + 1} to {page.last + 1}",
            )
        if column == 0:
            return Cell(sign=names[0])
        if column < 3:
            return Cell(names[column], bold=whole, ink="ink" if column == 1 else "muted")
        return Cell(show_length(values[column - 3], self.desk.book.style), bold=whole)

    def footer(self) -> list[tuple[str, str]]:
        if not self.pages or not self.desk.checks().stands_in(self.desk.result.reduction):
            return []
        return [
            (
                "Σ BS and Σ FS with the sights that stand in, where a set-up has no foresight or a page cuts it",
                "",
            )
        ]

    def picked(self, row: int) -> int:
        return self.desk.book.sights[self.pages[row].first] if 0 <= row < len(self.pages) else -1


class CorrectionsSheet(Sheet):
    """What each correction does, set-up by set-up; switched on and off under Proof."""

    name = "Corrections"
    columns: Sequence[Column] = (
        Column("Set-up", 66, True),
        Column("Back, m", 80, True),
        Column("Fore, m", 80, True),
        Column("Collimation", 104, True),
        Column("Saved", 96, True),
        Column("Curvature", 96, True),
        Column("Staff's foot", 96, True),
        Column("", 0),
    )
    hint = "What each error puts into a set-up's height difference, and what balancing saved · on or off under Proof"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.columns = far_in_unit(type(self).columns, desk.book.style.far)
        self.found = corrections(desk.result)

    @property
    def count(self) -> int:
        return len(self.found.setups)

    def cell(self, row: int, column: int) -> Cell:
        one, style = self.found.setups[row], self.desk.book.style
        if column == 0:
            return Cell(str(one.setup + 1))
        if column in (1, 2):
            d = one.back if column == 1 else one.fore
            return Cell("–" if is_missing(d) else style.distance(d), ink="muted")
        if column == 7:
            return Cell("unbalanced" if abs(one.back - one.fore) > 10 else "", ink="open")
        value = (one.collimation, one.saved, one.curvature, one.staff)[column - 3]
        if is_missing(value):
            return Cell("not known" if column == 3 and not is_missing(one.back) else "", ink="muted")
        return Cell(show_amount(value, style, 2, signed=column != 4), bold=column == 3)

    def picked(self, row: int) -> int:
        back = self.desk.result.layout.backsight[row] if 0 <= row < self.count else -1
        return self.desk.book.sights[back] if back >= 0 else -1

    def footer(self) -> list[tuple[str, str]]:
        s, style = self.desk.book.settings, self.desk.book.style
        out = []
        for on, name, most in (
            (s.use_collimation, "Collimation", self.found.greatest_collimation),
            (s.use_curvature, "Curvature", self.found.greatest_curvature),
            (s.use_staff, "Staff's foot", self.found.greatest_staff),
        ):
            if name == "Staff's foot" and is_missing(most):
                continue
            amount = "" if is_missing(most) else f", at most {show_amount(most, style)} in a height"
            out.append((f"{name} {'taken out' if on else 'left in'}{amount}", ""))
        return out


class SlipsSheet(Sheet):
    """Where the slip may be, likeliest first, with the reason and how to settle it."""

    name = "Find the slip"
    columns = (
        Column("", 34),
        Column("Look at", 126),
        Column("Read", 62, True),
        Column("Would be", 78, True),
        Column("What happened?", 176),
        Column("Sure", 50, True),
        Column("To settle it", 0),
    )
    hint = "The row is lit in the picture · Enter goes to it · F4 why · it only suggests: read again"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        found = desk.search
        self.lines: list[Told] = told(desk.result, found) if found is not None else []

    @property
    def count(self) -> int:
        return max(1, len(self.lines))

    def cell(self, row: int, column: int) -> Cell:
        if not self.lines:
            return Cell(self._nothing(), ink="muted") if column == 6 else Cell()
        one = self.lines[row]
        return (
            Cell(str(row + 1), ink="muted"),
            Cell(one.title, bold=row == 0),
            Cell(one.as_read),
            Cell(one.would_be, bold=True),
            Cell(one.what),
            Cell(f"{one.sure * 100:.0f} %", ink="muted"),
            Cell(one.settle, ink="muted"),
        )[column]

    def _nothing(self) -> str:
        desk = self.desk
        if not desk.search_wanted:
            return "Nothing to find: what was read fits together."
        if desk.search_waits:
            return "A long book: Enter looks for the slip, a few seconds."
        if desk.long_work() is None and desk.search is None:
            return "This book can't be searched; read the doubtful sights again."
        return "Looking …" if desk.search is None else verdict_words(desk.result, desk.search)[0]

    def enter(self, row: int) -> Taken:
        if not self.lines:
            self.desk.search_asked = True
            return Taken()
        return Taken((), self.desk.go(f"row:{self.lines[row].row}"))

    def picked(self, row: int) -> int:
        return self.lines[row].row if self.lines and row >= 0 else -1

    def row_of(self, picked: int) -> int:
        return next((i for i, one in enumerate(self.lines) if one.row == picked), -1)

    def why(self, row: int) -> Working | None:
        return self.lines[row].why if self.lines else None
