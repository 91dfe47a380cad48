"""What a hand really put in, as typed: leaves, turns, or how far.

Source: thicker by the sum of the leaves, up by turns × pitch.
"""

from __future__ import annotations

import re
from collections import Counter

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.means import LEAVES, RAISES, SCREW, Means
from vivid_keel.core.moving.plan import Put
from vivid_keel.core.moving.result import Moved, Planned, counted
from vivid_keel.core.moving.walk import filling
from vivid_keel.core.quantities import EQUAL, parse_length, show_amount, show_thickness

NOTHING = {"0", "nothing", "none", "-", "–"}
LONGEST = 80
"""Nothing that a hand puts in is written with more characters."""
AS_PRINTED = re.compile(
    r"(?:(?:change|out)\s+(?P<out>[^,()]+?)(?:\s+for\s+(?!now\b)|,\s*(?:in\s+)?|(?=\s*\()|$)|take out\s+(?P<all>[^,()]+))?"
    r"(?:change for\s+)?(?P<stay>.*?)"
    r"(?:,?\s*\(?\bfor now\s+(?P<hold>[^()]+)\)?|\s*\((?P<brief>[^()]+)\))?(?:,\s*blocked up in between)?",
    re.IGNORECASE,
)
"""Leaves as a sheet prints them: `change 2 for 0.5, for now 1 + 1`, or `0.5 (1 + 1)`."""
TURNS = re.compile(r"([-−+]?)\s*(\d+(?:\.\d+)?)?\s*(?:(\d+)/(\d+))?\s*(?:turns?)?", re.IGNORECASE)


def read_put(
    result: Moved, i: int, text: str, decimal_mark: str | None = None, before: Put | None = None
) -> Planned:
    """Return what was put in at a point, as typed: `6 + 3` leaves, `1 3/8` turns, or how far in mm; `0` for nothing.

    What a sheet prints is understood as it stands. Leaves are those of the whole stack where the point comes down (its old packing came out), else those added.
    `before` is what was put in at earlier stages: its leaves that lay there for now came out.

    Raises
    ------
    KeelError
        `bad-value`: no leaf of that thickness, or no number.
    """
    clean, point = text.strip(), result.book.points[i]
    if len(clean) > LONGEST:
        raise KeelError(
            "bad-value", "that is too long for leaves or turns; type them as 6 + 3, or 1 3/8 turns"
        )
    means = result.book.means_at(point.id)
    lying = before.for_now if before is not None else ()
    nothing = clean.lower() in NOTHING
    if means.kind == LEAVES and not (nothing and not lying):
        return _packed(result, i, "" if nothing else clean, decimal_mark, before)
    if nothing:
        return Planned(0.0, 0, {}, "nothing")
    if means.kind == SCREW:
        return _turned(means, clean.replace(decimal_mark, ".") if decimal_mark else clean)
    length = parse_length(clean, "mm", decimal_mark)
    return Planned(length.value, 0, {}, f"{show_amount(length.value, result.book.style, signed=True)}")


def _packed(result: Moved, i: int, text: str, decimal_mark: str | None, before: Put | None) -> Planned:
    """Leaves as typed, or as a sheet prints them."""
    point, style = result.book.points[i], result.book.style
    if (gap := _gap(result, i, text, decimal_mark)) is not None:
        return gap
    found = AS_PRINTED.fullmatch(text)
    assert found is not None  # every text is at least leaves to stay
    gone, stay, hold = (
        _leaves(result, text, decimal_mark)
        for text in (found["out"] or found["all"], found["stay"], found["hold"] or found["brief"])
    )
    out = before.for_now if before is not None else ()
    up = float(result.lifts[i]) >= 0
    if gone:
        lie = Counter(result.lying(i)) if before is not None else Counter()
        lie.update(out)
        if missing := Counter(gone) - lie:
            what = show_thickness(next(iter(missing)), style)
            raise KeelError("bad-value", f"no leaf of {what} lies at {point.name} that could come out")
        out = gone
    into = tuple(sorted([*stay, *hold], reverse=True))
    kept, held = (" + ".join(style.thickness(leaf) for leaf in some) for some in (stay, hold))
    words = f"{kept}{', ' if kept else ''}for now {held}" if held else kept or "nothing"
    used = counted(into, out)
    if up:
        return Planned(sum(into) - sum(out), len(into) - len(out), used, words, hold)
    there = sum(out) if before is not None else point.stack
    return Planned(sum(into) - there, 0, used, f"change for {words}", hold)


def _gap(result: Moved, i: int, text: str, decimal_mark: str | None) -> Planned | None:
    """The leaves that fill a gap that stood open, as typed, where what fits goes in; None where that is no length, or is a leaf."""
    book, style = result.book, result.book.style
    if not book.limits.fits or float(result.lifts[i]) < 0 or not book.jacked:
        return None
    try:
        wide = parse_length(text.lower().removeprefix("gap").strip(), style.small, decimal_mark).value
    except KeelError:
        return None
    if any(abs(leaf.thickness - wide) <= EQUAL for leaf in book.stock):
        return None
    spare = Counter({leaf.thickness: leaf.count for leaf in book.stock})
    into = filling(wide, spare, book.limits.most_leaves)
    if not into:
        raise KeelError(
            "bad-value",
            f"no leaf in the stock goes into a gap of {show_thickness(wide, style)}; type the leaves that went in, as 6 + 3",
        )
    words = " + ".join(style.thickness(leaf) for leaf in into)
    return Planned(sum(into), len(into), counted(into), f"{words} in a gap of {show_thickness(wide, style)}")


def _leaves(result: Moved, text: str | None, decimal_mark: str | None) -> tuple[float, ...]:
    """Leaves in stock as typed, thick first [m]."""
    clean = (text or "").strip()
    if not clean or clean.lower() in NOTHING:
        return ()
    parts = re.split(r"\s*\+\s*", clean)
    return tuple(sorted((_leaf(result, part, decimal_mark) for part in parts), reverse=True))


def _leaf(result: Moved, text: str, decimal_mark: str | None) -> float:
    """A leaf in stock by its thickness as typed [m]."""
    unit = "in" if result.book.unit in {"in", "ft-in"} else "mm"
    thickness = parse_length(text, unit, decimal_mark).value
    for leaf in result.book.stock:
        if abs(leaf.thickness - thickness) <= EQUAL:
            return leaf.thickness
    have = ", ".join(leaf.text for leaf in result.book.stock) or "none yet"
    raise KeelError("bad-value", f"“{text}” is no leaf in the stock; there are {have}. Type them as 6 + 3")


def _turned(means: Means, text: str) -> Planned:
    found = TURNS.fullmatch(text)
    if found is None or not (found[2] or found[3]) or (found[4] and int(found[4]) == 0):
        raise KeelError("bad-value", f"“{text}” is no number of turns; type them as 1 3/8, down as −1 3/8")
    turns = float(found[2] or 0) + (int(found[3]) / int(found[4]) if found[3] else 0.0)
    up = -turns if found[1] in {"-", "−"} else turns
    clockwise = (up > 0) == (means.choice("sense") == RAISES)
    word = "clockwise" if clockwise else "anticlockwise"
    amount = text.lstrip("-−+ ").removesuffix("turns").removesuffix("turn").strip()
    return Planned(up * means.value("pitch"), 0, {}, f"{amount} turn{'s' if turns > 1 else ''} {word}")
