"""The tools side by side, each with its U as a bar beside what is allowed."""

from __future__ import annotations

from vivid_keel.core.quantities import show_amount
from vivid_keel.desk.sheet import Cell, Column, Sheet
from vivid_keel.figures.display import Picture
from vivid_keel.trades.slab.book import SlabBook
from vivid_keel.trades.slab.sheets import SlabDesk
from vivid_keel.trades.slab.trust import tools_for

THIRD = 3.0
"""A tool is good enough to prove what is allowed when its U is a third of that, or less [1]."""


class TrustSheet(Sheet):
    """Which tool can settle what is allowed here."""

    name = "Which to trust"
    hint = "U of one corner against the rest, at best, over the longest diagonal"

    def __init__(self, desk: SlabDesk) -> None:
        self.book = desk.book
        self.tools = tools_for(desk.book)
        self.columns = (
            Column("Tool", 220),
            Column(f"U, {desk.book.style.small}", 90, True),
            Column("Proves", 110),
            Column("", 0),
        )

    @property
    def count(self) -> int:
        return len(self.tools)

    def cell(self, row: int, column: int) -> Cell:
        tool, allowed = self.tools[row], self.book.limits.tolerance
        if column == 0:
            return Cell(tool.name, bold=True)
        if column == 1:
            return Cell(self.book.style.amount(tool.U, 1, up=True))
        if column == 2:
            enough = allowed / THIRD >= tool.U
            words = "surely" if enough else "near it" if allowed >= tool.U else "not this"
            return Cell(
                words,
                ink="in" if enough else "muted",
                sign="in" if enough else "open" if allowed >= tool.U else "out",
            )
        return Cell(tool.text, ink="muted")


def trust_bars(book: SlabBook, width: float, height: float) -> Picture:
    """Return each tool's U as a bar, and the tolerance across them."""
    picture, tools = Picture(width, height), tools_for(book)
    picture.caption = "What each tool could tell of this table"
    if not tools:
        picture.text(
            width / 2, height / 2, "Say under Set-up where its feet stand.", "muted", 15, align="centre"
        )
        return picture
    allowed = book.limits.tolerance
    longest = max(allowed, *(tool.U for tool in tools))
    left, right, row = 240.0, width - 110.0, (height - 70) / len(tools)
    for k, tool in enumerate(tools):
        y = 44 + k * row
        long = (right - left) * tool.U / longest
        picture.text(left - 12, y + row / 2 + 5, tool.name, "ink", 14, align="right")
        picture.box(
            left,
            y + row * 0.2,
            max(long, 1.5),
            row * 0.6,
            "in" if allowed / THIRD >= tool.U else "stone",
            "ink",
            1.0,
        )
        picture.text(left + long + 8, y + row / 2 + 5, show_amount(tool.U, book.style, up=True), "muted", 13)
    x = left + (right - left) * allowed / longest
    picture.line(x, 38, x, height - 24, "keel", 2.0, dash=True)
    picture.text(x, height - 8, f"allowed {show_amount(allowed, book.style)}", "keel", 13, align="centre")
    picture.text(14, 24, "What each could tell of one corner, at best (U)", "ink", 14, bold=True)
    return picture
