"""What the supports are brought to, from which stock, within which limits."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.scale import parse_sense
from vivid_keel.core.quantities import Length, parse_length, parse_tilt, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.works.common import as_read
from vivid_keel.core.works.supports import SupportsResult, TargetChoice, work_out_supports
from vivid_keel.core.works.supports.passes import limit_of
from vivid_keel.ui.desk.base import Cell, Column, Place, Sheet, whole_number

if TYPE_CHECKING:
    from vivid_keel.ui.desk.supports import SupportsDesk

from vivid_keel.ui.desk.supports_readings import parse_reading

CHOICES = (
    ("highest", "raise all to the highest"),
    ("lowest", "lower all to the lowest"),
    ("mean", "to the mean"),
    ("keep", "keep one post"),
    ("height", "a reading set by hand"),
    ("least-total", "least total move"),
    ("least-greatest", "least greatest move"),
    ("best-fit", "best-fit plane"),
    ("minimum-zone", "flattest band"),
    ("fall", "a stated fall, raise only"),
)
TYPED = {"keep", "height", "fall"}  # fmt: skip


class TargetsSheet(Sheet):
    """What each target would cost, side by side; Enter takes one."""

    name = "Targets"
    columns = (Column("", 34), Column("Target", 0), Column("", 120), Column("Greatest, mm", 110, True), Column("Sum, mm", 90, True),
               Column("To raise", 80, True), Column("To lower", 80, True))  # fmt: skip
    hint = "Enter takes one · drag the dashed line · type keeper, reading or fall (-1, 0 in %) · planes are flat rather than level"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self._others: dict[str, SupportsResult] = {}
        self._cost: dict[str, tuple[SupportsResult, tuple[float, float, float, float]]] = {}

    @property
    def count(self) -> int:
        return len(CHOICES)

    def first(self) -> Place:
        return (next((i for i, c in enumerate(CHOICES) if c[0] == self.desk.book.target.kind), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        kind, words = CHOICES[row]
        r, book = self.desk.result, self.desk.book
        target = self.desk.dragged or book.target
        chosen = kind == target.kind
        if column == 0:
            return Cell(sign=("in" if book.target_chosen else "todo") if chosen else "")
        if column == 1:
            return Cell(words, bold=chosen)
        if column == 2:
            if kind == "keep":
                name = next((p.name for p in book.points if p.id == target.point), "") if chosen else ""
                return Cell(name, editable=True, hint="" if name else "which post")
            if kind == "height":
                shown = show_length(target.reading, book.style) if chosen else ""
                return Cell(shown, editable=True, hint="" if shown else "reading")
            if kind == "fall":
                shown = f"{target.gradient[0] * 100:g}, {target.gradient[1] * 100:g} %" if chosen else ""
                return Cell(shown, editable=True, hint="" if shown else "along, across")
            return Cell()
        would = r if chosen else self._would_be(kind)
        if would is None or would.trouble is not None:
            return Cell()
        value = self._costs(kind, would)[column - 3]
        return Cell(f"{value:.1f}" if column < 5 else f"{value:.0f}", bold=chosen)

    def _costs(self, kind: str, would: SupportsResult) -> tuple[float, float, float, float]:
        """Greatest move, sum [mm], how many up, how many down; worked out once for each result."""
        known = self._cost.get(kind)
        if known is None or known[0] is not would:
            moves = would.moves[~np.isnan(would.moves)]
            need = would.moves[would.to_move] if would.to_move else np.zeros(1)
            numbers = (
                float(np.abs(moves).max()) * 1000,
                float(np.abs(moves).sum()) * 1000,
                float((need > 0).sum()),
                float((need < 0).sum()),
            )
            known = self._cost[kind] = (would, numbers)
        return known[1]

    def _would_be(self, kind: str) -> SupportsResult | None:
        """What another target would give, worked out once."""
        if kind in TYPED:
            return None
        if kind not in self._others:
            self._others[kind] = work_out_supports(self.desk.book, None, TargetChoice(kind))
        return self._others[kind]

    def enter(self, row: int) -> Place | None:
        kind = CHOICES[row][0]
        if kind in TYPED:
            return (row, 2)
        self.desk.record(Draft(self.desk.work, "target", {"kind": kind}))
        return (row, 1)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        if CHOICES[row][0] == "keep":
            point = next((p for p in desk.book.points if p.name.lower() == text.strip().lower()), None)
            if point is None or point.found is None:
                names = ", ".join(p.name for p in desk.book.points if p.found)
                raise KeelError(
                    "unknown-name", f"“{text.strip()}” has no reading here; read are {names or 'none yet'}"
                )
            desk.record(Draft(desk.work, "target", {"kind": "keep", "point": point.id}))
        elif CHOICES[row][0] == "fall":
            along, across = self._fall(text)
            desk.record(Draft(desk.work, "target", {"kind": "fall", "gradient_x": along, "gradient_y": across}))
        else:
            desk.record(Draft(desk.work, "target", {"kind": "height", "reading": as_read(parse_reading(desk, text))}))
        return (row, 1)

    def _fall(self, text: str) -> tuple[float, float]:
        """Take a fall as it is typed: along the rows, then across them; height gained positive."""
        parts = [t.strip() for t in text.replace("%", "").replace(";", ",").split(",") if t.strip()]
        if len(parts) not in {1, 2}:
            raise KeelError(
                "bad-value", "expected the fall along the rows, and across them: such as -1, 0 (in %, rising +)"
            )
        slopes = [
            math.tan(parse_tilt(t, "%", self.desk.decimal_mark if self.desk.decimal_mark != "," else ".").value)
            for t in parts
        ]
        if max(abs(s) for s in slopes) > 0.2:
            raise KeelError("bad-value", "a fall of more than 20 % is no floor; was another unit meant?")
        return slopes[0], slopes[1] if len(slopes) > 1 else 0.0


class StockSheet(Sheet):
    """Leaves in stock."""

    name = "Stock"
    columns = (Column("Leaf", 140, True), Column("How many", 120, True), Column("In use", 100, True), Column("", 0))
    hint = "Thickness, Enter, count, Enter · Ctrl+D strikes a line"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.stock = desk.book.stock
        self.typed = desk.typed.setdefault("leaf", {})

    @property
    def count(self) -> int:
        return len(self.stock) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.stock)

    def first(self) -> Place:
        return (len(self.stock), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.stock):
            if column > 1:
                return Cell()
            return Cell(
                self.typed.get(column, ""),
                editable=True,
                hint="" if self.typed.get(column) else ("3 mm", "count")[column],
            )
        leaf = self.stock[row]
        if column == 0:
            return Cell(f"{leaf.thickness * 1000:g} mm", bold=True, editable=True)
        if column == 1:
            return Cell(str(leaf.count), editable=True)
        packing = self.desk.result.packing
        if column == 2 and packing is not None:
            used = sum(abs(t - leaf.thickness) < 1e-9 for stack in packing.stacks for t in stack)
            return Cell(str(used), ink="muted")
        return Cell()

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        if column == 0:
            length = self._thickness(text, row)
            if row == len(self.stock):
                self.typed[0] = text.strip()
                return (row, 1)
            self._change(row, leaf=as_read(length))
            return (row, 1)
        count = whole_number(text, "how many leaves of this thickness", 1)
        if row < len(self.stock):
            self._change(row, count=count)
            return (len(self.stock), 0)
        if not self.typed.get(0):
            raise KeelError("bad-value", "type the thickness first, at the left")
        leaf = self._thickness(self.typed[0], row)
        self.typed.clear()
        desk.record(Draft(desk.work, "leaf", {"leaf": as_read(leaf), "count": count}))
        return (len(self.stock) + 1, 0)

    def _thickness(self, text: str, row: int) -> Length:
        unit = "in" if self.desk.book.unit in {"ft-in", "in"} else "mm"
        length = parse_length(text, unit, self.desk.decimal_mark)
        if not 0 < length.value <= 0.2:
            raise KeelError("bad-value", "a leaf is above 0 and at most 200 mm thick")
        if any(i != row and abs(leaf.thickness - length.value) < 1e-9 for i, leaf in enumerate(self.stock)):
            raise KeelError(
                "duplicate-name", f"{length.value * 1000:g} mm is in the list already; change its count there"
            )
        return length

    def _change(self, row: int, **change: Any) -> None:
        old = self.desk.file.journal.entries[self.stock[row].id]
        body = {**old.body, **change}
        if body != dict(old.body):
            self.desk.record(Draft(self.desk.work, "leaf", body, strikes=old.id))

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"{self.stock[row].text} leaves", self.stock[row].id) if row < len(self.stock) else None


class LimitsSheet(Sheet):
    """Tolerance, the rules of packing, and how far neighbours may differ within a stage."""

    name = "Limits"
    columns = (Column("What", 280), Column("Value", 140, True), Column("What it means", 0))
    hint = "Type a value and Enter; each change is recorded"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return 6

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        book = self.desk.book
        limits, together = book.limits, limit_of(book)
        line = (
            ("Tolerance", limits.tolerance_text, "a support is in when |deviation| + U is within this"),
            ("Most leaves in a stack", str(limits.most_leaves), "thin ones lie between thick ones, bearing in full"),
            ("Each interface closes by", f"{limits.interface * 1000:g} mm", "under load: 0.02 mm flat steel, 0.1 mm hardwood to start with"),
            ("Scale, unless a post says otherwise", limits.sense, "h hangs from the point · s stands on it"),
            ("Neighbours differ in a stage by at most", "free" if together is None else f"{together * 1000:.3g} mm",
             "spacing/500 and at most 6 mm under a building; free for a frame that stands alone"),
            ("The jack goes above the leaf by", f"{limits.clearance * 1000:g} mm", "to slip it in; it counts in the stage"),
        )[row]  # fmt: skip
        return Cell(line[column], ink="muted" if column == 2 else "ink", bold=column == 1, editable=column == 1)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        old = desk.file.journal.latest(desk.work, "limits")
        body = dict(old.body) if old else {}
        clean = text.strip()
        if row == 0:
            length = parse_length(clean, "mm", desk.decimal_mark)
            if length.value <= 0:
                raise KeelError("bad-value", "a tolerance is above 0 mm")
            body["tolerance"] = as_read(length)
        elif row == 1:
            body["most_leaves"] = whole_number(clean, "leaves in one stack", 1)
        elif row == 2:
            value = parse_length(clean, "mm", desk.decimal_mark).value
            if not 0 <= value <= 0.002:
                raise KeelError("bad-value", "an interface closes by 0 to 2 mm")
            body["interface_m"] = value
        elif row == 3:
            body["sense"] = parse_sense(clean)
        else:
            self._together(row, clean, body)
        desk.record(Draft(desk.work, "limits", body))
        return (min(row + 1, 5), 1)

    def _together(self, row: int, clean: str, body: dict[str, Any]) -> None:
        """Take how far neighbours may differ, or the jack's clearance; one may not use up the other."""
        free = row == 4 and clean.lower().startswith("f")
        value = 0.0 if free else parse_length(clean, "mm", self.desk.decimal_mark).value
        if not 0 <= value <= 0.05 or (row == 4 and value == 0 and not free):
            raise KeelError(
                "bad-value", "expected millimetres, above 0 and at most 50; or “free” where nothing hangs together"
            )
        limits = self.desk.book.limits
        together = (None if free else value) if row == 4 else limit_of(self.desk.book)
        clearance = limits.clearance if row == 4 else value
        if together is not None and clearance >= together:
            raise KeelError(
                "bad-value",
                f"a clearance of {clearance * 1000:g} mm uses up the {together * 1000:g} mm that neighbours may differ",
            )
        body["neighbours_m" if row == 4 else "clearance_m"] = value
