"""What posts' leans mean: a verdict each, and what brings them upright."""

from __future__ import annotations

from vivid_keel.core.plumb import Lean
from vivid_keel.core.proof import PROVEN_IN, judge
from vivid_keel.core.quantities import is_missing
from vivid_keel.trades.supports.book import LeanRow, SupportsBook

ALONG, ACROSS = "along", "across"


def name_of(book: SupportsBook, point: int) -> str:
    """Return the name of a point by its id."""
    return next((p.name for p in book.points if p.id == point), "?")


def verdict_of(book: SupportsBook, lean: Lean) -> str:
    """Return whether a post is plumb within what is asked, three-valued."""
    return judge(lean.off, 2 * lean.u_off, book.upright.within * lean.length)


def cure(book: SupportsBook, one: LeanRow) -> str:
    """Return what brings a post upright: its foot, a wedge, a brace, each with its amount."""
    lean, up, style = one.lean, book.upright, book.style
    if verdict_of(book, lean) == PROVEN_IN:
        return "stands"
    far = lean.off > 0
    side = (
        ("the far end" if far else "the near end")
        if one.way == ALONG
        else ("the far side" if far else "the near side")
    )
    said = [
        f"foot {style.amount(abs(lean.off))} to {side}",
        f"or wedge {style.amount(lean.under_edge(up.base))} there",
    ]
    if not is_missing(up.brace):
        said.append(f"or brace there +{style.amount(lean.brace(up.brace, up.reach))}")
    return ", ".join(said)
