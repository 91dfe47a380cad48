"""What the supports are brought to, from which stock, within which limits."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.choosing import leaves_in_words
from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.moving.result import Moved, refuse_broken
from vivid_keel.core.quantities import parse_tilt, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, in_unit

CHOICES = (
    ("highest", "to the highest"),
    ("lowest", "to the lowest"),
    ("mean", "to the mean"),
    ("keep", "keep one"),
    ("height", "a reading by hand"),
    ("least-total", "least total move"),
    ("least-greatest", "least greatest move"),
    ("best-fit", "best-fit plane"),
    ("minimum-zone", "flattest band"),
    ("fall", "a stated fall"),
    ("given", "as drawn"),
)
TYPED = {"keep", "height", "fall"}


class TargetsSheet(Sheet):
    """What each target would cost, side by side; Enter takes one."""

    name = "Targets"
    columns: Sequence[Column] = (
        Column("", 34),
        Column("Target", 0),
        Column("", 112),
        Column("Greatest, mm", 106, True),
        Column("Sum, mm", 76, True),
        Column("Raise", 52, True),
        Column("Lower", 54, True),
        Column("Leaves", 62, True),
        Column("Limits", 88),
    )
    hint = "Enter takes one · drag the dashed line, or tip it by its right end · type keeper, reading or fall (-1, 0 in %)"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.choices = [choice for choice in CHOICES if choice[0] not in desk.not_offered]
        self.columns = in_unit(type(self).columns, desk.book.style.small)
        self._stock: dict[str, tuple[Moved, str]] = {}
        self._others: dict[str, Moved] = {}
        self._cost: dict[str, tuple[Moved, tuple[float, float, float, float]]] = {}

    @property
    def count(self) -> int:
        return len(self.choices)

    def first(self) -> Place:
        return (
            next((i for i, choice in enumerate(self.choices) if choice[0] == self.desk.book.target.kind), 0),
            1,
        )

    def cell(self, row: int, column: int) -> Cell:
        kind, words = self.choices[row]
        r, book = self.desk.result, self.desk.book
        target = self.desk.dragged or book.target
        chosen = kind == target.kind
        if column == 0:
            return Cell(sign=("in" if book.target_chosen else "todo") if chosen else "")
        if column == 1:
            return Cell("a fall set by hand" if chosen and target.lift else words, bold=chosen)
        if column == 2:
            if kind == "keep":
                name = (
                    next((point.name for point in book.points if point.id == target.point), "")
                    if chosen
                    else ""
                )
                return Cell(name, editable=True, hint="" if name else f"which {book.called[0]}")
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
        if column == 7:
            return Cell(self._leaves(kind, would), bold=chosen)
        if column == 8:
            names = [book.points[i].name for i in would.broken]
            return Cell(
                f"not {names[0]}{' …' if len(names) > 1 else ''}" if names else "within",
                ink="muted",
                bold=bool(names),
            )
        value = self._costs(kind, would)[column - 3]
        return Cell(book.style.amount(value) if column < 5 else f"{value:.0f}", bold=chosen)

    def _leaves(self, kind: str, would: Moved) -> str:
        """What a target takes from the stock, worked out once; while the line is dragged it waits."""
        if self.desk.dragged is not None and kind == self.desk.dragged.kind:
            return ""
        known = self._stock.get(kind)
        if known is None or known[0] is not would:
            known = self._stock[kind] = (would, leaves_in_words(would))
        return known[1]

    def following(self) -> list[int]:
        kinds = {self.desk.book.target.kind, (self.desk.dragged or self.desk.book.target).kind}
        return [i for i, choice in enumerate(self.choices) if choice[0] in kinds]

    def _costs(self, kind: str, would: Moved) -> tuple[float, float, float, float]:
        """Greatest move, sum [m], how many up, how many down; worked out once for each result."""
        known = self._cost.get(kind)
        if known is None or known[0] is not would:
            moves = would.moves[~np.isnan(would.moves)]
            need = would.moves[would.to_move] if would.to_move else np.zeros(1)
            numbers = (
                float(np.abs(moves).max()),
                float(np.abs(moves).sum()),
                float((need > 0).sum()),
                float((need < 0).sum()),
            )
            known = self._cost[kind] = (would, numbers)
        return known[1]

    def _would_be(self, kind: str) -> Moved | None:
        """What another target would give, worked out once."""
        if kind in TYPED:
            return None
        if kind not in self._others:
            self._others[kind] = self.desk.would_be(TargetChoice(kind))
        return self._others[kind]

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        kind = self.choices[row][0]
        if kind in TYPED:
            return Taken(made, (row, 2))
        would = self._would_be(kind)
        if would is not None and kind != self.desk.book.target.kind:
            refuse_broken(would)
        made.append(Draft(self.desk.work, "target", {"kind": kind}))
        return Taken(made, (row, 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk = self.desk
        if self.choices[row][0] == "keep":
            read = {
                p.id for p, h in zip(desk.book.points, desk.result.heights, strict=True) if not np.isnan(h)
            }
            point = next((p for p in desk.book.points if p.name.lower() == text.strip().lower()), None)
            if point is None or point.id not in read:
                names = ", ".join(p.name for p in desk.book.points if p.id in read)
                raise KeelError(
                    "unknown-name", f"“{text.strip()}” has no reading here; read are {names or 'none yet'}"
                )
            refuse_broken(desk.would_be(TargetChoice("keep", point.id)))
            made.append(Draft(desk.work, "target", {"kind": "keep", "point": point.id}))
        elif self.choices[row][0] == "fall":
            along, across = self._fall(text)
            choice = TargetChoice("fall", gradient=(along, across))
            refuse_broken(desk.would_be(choice))
            made.append(
                Draft(desk.work, "target", {"kind": "fall", "gradient_x": along, "gradient_y": across})
            )
        else:
            reading = desk.parse_reading(text)
            choice = TargetChoice("height", reading=reading.value)
            refuse_broken(desk.would_be(choice))
            made.append(Draft(desk.work, "target", {"kind": "height", "reading": as_read(reading)}))
        return Taken(made, (row, 1))

    def _fall(self, text: str) -> tuple[float, float]:
        """Take a fall as it is typed: along the rows, then across them; height gained positive."""
        comma = self.desk.decimal_mark == ","
        # Where the comma is the decimal mark, semicolons part the two.
        whole = text.replace("%", "") if comma else text.replace("%", "").replace(";", ",")
        parts = [t.strip() for t in whole.split(";" if comma else ",") if t.strip()]
        if len(parts) not in {1, 2}:
            raise KeelError(
                "bad-value",
                "expected the fall along the rows, and across them: such as "
                + ("-1,5; 0" if comma else "-1.5, 0")
                + " (in %, rising +)",
            )
        slopes = [math.tan(parse_tilt(part, "%", self.desk.decimal_mark).value) for part in parts]
        if max(abs(s) for s in slopes) > 0.2:
            raise KeelError("bad-value", "a fall of more than 20 % is no floor; was another unit meant?")
        return slopes[0], slopes[1] if len(slopes) > 1 else 0.0
