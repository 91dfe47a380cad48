"""Everything computed from marks carried round."""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import at_most, is_missing, show_amount, show_length, show_move, show_piece
from vivid_keel.core.working import Working
from vivid_keel.trades.marks.book import MarksBook
from vivid_keel.trades.marks.carry import (
    CHAIN,
    Carried,
    CarryStep,
    Measured,
    carry,
    closed_chain_u,
    order_of_carrying,
)


class MarksResult(Struct, frozen=True):
    """Marks, slabs, and what is to be measured up, cut or made up.

    Attributes
    ----------
    book : MarksBook
    carried : list of Carried
        Of each column, spread where the chain is closed.
    misclosure, allowed : float
        Of the chain, or of a star's last look at its first mark [m]; nan while it is open.
    accepted : bool or None
        None while open, or where nothing closes it: a tube's star.
    steps : list of CarryStep
        The planner's order for the tube; empty while places or reach are missing.
    out_of_reach : list of str
        Columns that the planner's tube doesn't get to.
    """

    book: MarksBook
    carried: list[Carried]
    misclosure: float
    allowed: float
    accepted: bool | None
    steps: list[CarryStep]
    out_of_reach: list[str]

    @property
    def walk(self) -> list[str]:
        """Names of the columns in the order they are gone round: a chain as it was carried, a star as it is planned."""
        names = [column.name for column in self.carried]
        if self.book.order == CHAIN or not self.steps:
            return names
        planned = [step.to for step in self.steps]
        return [
            *(name for name in names if name not in planned),
            *(name for name in planned if name in names),
        ]

    @property
    def slabs(self) -> list[tuple[str, float]]:
        """Slab heights where they were taped [m]."""
        return [(column.name, column.slab) for column in self.carried if column.slab is not None]

    @property
    def slab_mean(self) -> float:
        found = [h for _, h in self.slabs]
        return sum(found) / len(found) if found else math.nan

    @property
    def unevenness(self) -> float:
        """Highest less lowest slab [m]; nan for fewer than two."""
        found = [h for _, h in self.slabs]
        return max(found) - min(found) if len(found) > 1 else math.nan

    def why(self, i: int) -> Working:
        """Return the working of a column."""
        b, column, style = self.book, self.carried[i], self.book.style
        row = b.columns[i]
        assert b.reference is not None
        offset = 0.0 if is_missing(row.value("offset")) else row.value("offset")
        k, n = i + 1, len(self.carried) + 1
        closed = self.accepted and b.order == CHAIN
        spread = f" − ({show_move(self.misclosure, style)})·{k}/{n}" if closed else ""
        parts = [
            f"mark = {show_length(b.reference.height, style)} + {show_length(offset, style)}{spread} = {show_length(column.mark, style)}"
        ]
        if column.slab is not None:
            parts.append(
                f"slab = {show_length(column.mark, style)} − {row.texts['to_slab']} = {show_length(column.slab, style)}"
            )
        if column.up is not None:
            parts.append(
                f"up = {row.texts['design']} − {show_length(column.mark, style)} = {show_length(column.up, style)}"
            )
        if column.cut is not None:
            parts.append(
                f"cut = {row.texts['top']} − {show_length(column.up or 0.0, style)} = {show_piece(column.cut, style, 1, signed=True)}"
            )
        depth = next((step.depth for step in self.steps if step.to == column.name), 1)
        how = (
            f"a chain closed and spread, √({k}·{n - k}/{n}) steps"
            if closed
            else f"√{k} steps of a chain"
            if b.order == CHAIN
            else "one step of a star"
            if depth == 1
            else f"√{depth} steps, as they are planned"
        )
        return Working(
            f"Marks and measures of {column.name}",
            f"mark = reference + offset{' − misclosure·k/n' if closed else ''};  slab = mark − tape down;  up = design − mark;  cut = tape up − up",
            ";  ".join(parts),
            (f"{b.reference.name}: {b.reference.source}", f"u = {show_amount(column.u, style, 2)}: {how}"),
            "Cut where it is too high, make up where it is too low.",
        )


def work_out_marks(book: MarksBook) -> MarksResult:
    """Compute a marks work; nothing is carried while there is no reference."""
    if book.reference is None:
        return MarksResult(book, [], math.nan, math.nan, None, [], [])

    def maybe(v: float) -> float | None:
        return None if is_missing(v) else v

    columns = [
        Measured(
            column.name,
            0.0 if is_missing(column.value("offset")) else column.value("offset"),
            maybe(column.value("to_slab")),
            maybe(column.value("design")),
            maybe(column.value("top")),
        )
        for column in book.columns
    ]
    carried = carry(book.reference.height, columns, book.u_step, book.order)
    n = len(carried) + 1
    # Two looks of a level at one mark differ by as much as one carrying, which is two looks.
    allowed = 2 * book.u_step * math.sqrt(book.steps_back)
    misclosure, accepted = math.nan, None
    if book.steps_back and not is_missing(book.closed):
        misclosure = book.closed
        accepted = at_most(abs(misclosure), allowed)
        if accepted and book.order == CHAIN:
            carried = [_spread(c, k, n, misclosure, book.u_step) for k, c in enumerate(carried, 1)]
    steps, beyond = _planned(book)
    if book.order != CHAIN:
        # A star in steps: what the tube reaches only by way of other marks has their steps in its U.
        depth = {step.to: step.depth for step in steps}
        carried = [replace(c, u=c.u * math.sqrt(depth.get(c.name, 1))) for c in carried]
    u0 = book.reference.u
    carried = [replace(c, u=math.hypot(c.u, u0)) for c in carried]
    return MarksResult(book, carried, misclosure, allowed, accepted, steps, beyond)


def _spread(column: Carried, k: int, n: int, w: float, u_step: float) -> Carried:
    """A column of a closed chain. The last step finds the first mark low where the carried line has climbed: the
    marks on the way stand higher by their share."""
    share = -w * k / n
    return replace(
        column,
        mark=column.mark + share,
        slab=None if column.slab is None else column.slab + share,
        up=None if column.up is None else column.up - share,
        cut=None if column.cut is None else column.cut + share,
        u=closed_chain_u(u_step, k, n),
    )


def _planned(book: MarksBook) -> tuple[list[CarryStep], list[str]]:
    placed = {column.name: (column.value("x"), column.value("y")) for column in book.columns if column.placed}
    if is_missing(book.reach) or len(placed) < 2:
        return [], []
    first = next(iter(placed))
    steps = order_of_carrying(placed, first, book.reach)
    got = {first, *(step.to for step in steps)}
    return steps, [name for name in placed if name not in got]
