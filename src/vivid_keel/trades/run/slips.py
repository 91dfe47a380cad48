"""What in a run doesn't fit, and which slip would explain it, in words."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import BS, FS, KINDS
from vivid_keel.core.booking.slips import BookReadings, Search, Suggestion, find_slips
from vivid_keel.core.booking.slips.kinds import KINDS as SLIP_KINDS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import LengthStyle, is_missing, show_length, show_move
from vivid_keel.core.working import Working
from vivid_keel.trades.run.result import RunResult

UNITS_OF_LAST_PLACE = 2
"""Two looks, or the hairs and their middle, agree within so many units of the last place."""


FORGOTTEN = 1.0
"""What a reading on a mark met again is worth to the search once somebody explained why it differs [m]: nothing."""


class Doubt(Struct, frozen=True):
    """Something that should agree and doesn't: the row, what it is, by how much and what was allowed [m]."""

    row: int
    what: str
    by: float
    allowed: float
    text: str


def doubts(result: RunResult) -> list[Doubt]:
    """Return second looks, hairs and closing looks that don't agree, in the order of the book."""
    book, out = result.book, []
    for row in book.sights:
        sight = book.rows[row]
        if not sight.details:
            continue
        allowed = UNITS_OF_LAST_PLACE * sight.step + 1e-9
        if not is_missing(sight.look) and abs(sight.look - sight.reading) > allowed:
            out.append(Doubt(row, "looks", sight.look - sight.reading, allowed, "the two looks differ"))
        try:
            check = stadia(sight.reading, *sight.hairs()).middle_check
        except KeelError as error:
            out.append(Doubt(row, "hairs", math.nan, allowed, error.message))
            continue
        if check is not None and abs(check) > allowed:
            out.append(
                Doubt(row, "hairs", check, allowed, "the mean of the outer hairs is not the middle one")
            )
    return sorted([*out, *_closing_looks(result)], key=lambda desk: desk.row)


def _closing_looks(result: RunResult) -> list[Doubt]:
    """Marks read again on one set-up that don't agree: what is allowed is worked out for all marks met again together."""
    said = "the same mark reads differently on one set-up: the instrument may have moved"
    at, sights = result.layout.setup, result.book.sights
    return [
        Doubt(sights[one.row], "again", -one.difference, one.allowed, said)
        for one in result.bad
        if one.first >= 0 and at[one.row] == at[one.first]
    ]


def book_readings(result: RunResult) -> BookReadings:
    """Return everything read in a run, as the search for slips takes it."""
    rows = [result.book.rows[i] for i in result.book.sights]
    style = result.book.style
    told = np.array([row.id in result.book.explained for row in rows], dtype=bool)

    def column(name: str) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
        return np.array([getattr(row, name) for row in rows], dtype=np.float64)

    return BookReadings(
        result.layout,
        result.reduction.readings,
        column("look"),
        column("upper"),
        column("lower"),
        result.distances,
        np.where(told, FORGOTTEN, np.maximum(result.u_readings, style.step / math.sqrt(12))),
        style.decimals,
        style.unit,
    )


def search(result: RunResult) -> Search:
    """Look for the slip that would explain a run."""
    return find_slips(book_readings(result))


class Told(Struct, frozen=True):
    """A suggestion in words: the row of the book, what may have happened, and how to settle it."""

    row: int
    title: str
    what: str
    as_read: str
    would_be: str
    settle: str
    sure: float
    why: Working


def told(result: RunResult, found: Search) -> list[Told]:
    """Return suggestions in words, likeliest first."""
    return [_told(result, suggestion) for suggestion in found.suggestions]


def verdict_words(result: RunResult, found: Search) -> tuple[str, str]:
    """Return what a search says, as a title and a sentence."""
    if not found.suggestions:
        return "No single slip stands out", (
            "No one mistake explains it better than chance. Read the doubtful sights again, the last ones first."
        )
    first = found.suggestions[0]
    sight = result.book.rows[result.book.sights[first.rows[0]]]
    kind = SLIP_KINDS[first.kind].label
    if first.sure >= 0.5:
        return (
            f"Look at {KINDS[sight.kind]} {sight.mark}",
            f"{_capital(kind)}? It alone explains what doesn't fit.",
        )
    if found.place_known:
        return (
            f"Look at {KINDS[sight.kind]} {sight.mark} first",
            f"{_capital(kind)}? Three places explain it best.",
        )
    key = found.kind_known or next(iter(found.kinds))
    return (
        f"{_capital(SLIP_KINDS[key].label)}, place unknown",
        "The numbers tell what happened, not where. Start with the sights at the head of the list.",
    )


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _told(result: RunResult, suggestion: Suggestion) -> Told:
    book = result.book
    row = book.sights[suggestion.rows[0]]
    sight = book.rows[row]
    style = book.style
    name = f"{KINDS[sight.kind]} {sight.mark}"
    would = show_length(_as_booked(sight.reading, suggestion), style)
    if suggestion.kind in {"moved", "joint", "sank", "nail"}:
        would = (
            f"{show_move(suggestion.size, style)} more"
            if suggestion.size >= 0
            else f"{show_move(-suggestion.size, style)} less"
        )
    others = [book.rows[book.sights[i]] for i in suggestion.rows[1:]]
    why = Working(
        f"Why {name}",
        "Σ left²/σ² falls by what this mistake alone would explain",
        f"{sight.text} read; {would}"
        + ("" if suggestion.kind in {"moved", "joint", "sank", "nail"} else " would fit")
        + f";  share of all explanations {suggestion.sure * 100:.0f} %, {suggestion.of_kind * 100:.0f} % of it this kind",
        tuple(f"{KINDS[other.kind]} {other.mark}, read {other.text}" for other in others[:5]),
        "It only suggests; a second reading settles it.",
    )
    return Told(
        row,
        name,
        _what(suggestion, result),
        sight.text,
        would,
        _settle(suggestion, sight.mark, sight.kind),
        suggestion.sure,
        why,
    )


def _as_booked(reading: float, suggestion: Suggestion) -> float:
    return reading - suggestion.size


def _what(suggestion: Suggestion, result: RunResult) -> str:
    style, size = result.book.style, abs(suggestion.size)
    if suggestion.kind in {"whole", "tenth", "half-tenth", "hundredth"}:
        return f"{_step(size, style)} slip"
    if suggestion.kind == "moved":
        return f"the instrument moved before this sight, {show_move(suggestion.size, style)}"
    if suggestion.kind == "joint":
        return f"a staff joint not home from here on, {show_move(size, style).lstrip('+')}"
    if suggestion.kind == "columns":
        other = result.book.rows[result.book.sights[suggestion.rows[1]]]
        return f"exchanged with {KINDS[other.kind]} {other.mark}"
    return SLIP_KINDS[suggestion.kind].label


def _step(size: float, style: LengthStyle) -> str:
    """A mark of the face as people say it: 1 m, 50 mm, 1″."""
    if style.unit in {"ft-in", "in"}:
        return show_length(size, style)
    if style.unit == "ft":
        return f"{size / 0.3048:g} ft"
    return f"{size:g} m" if size >= 1 else f"{size * 1000:.0f} mm"


_SETTLE = {
    "swapped": "look at the paper again, or read {mark} again",
    "hair": "look which hair was read; read {mark} again",
    "columns": "look at the paper: which was taken first?",
    "overhead": "was the staff upside down on {mark}? Then it is booked with a minus",
    "face": "which face of the staff was read? Read {mark} again",
    "joint": "measure across the staff's joints with a tape, then read {mark} again",
    "sank": "is {mark} firm? Begin again from the last firm mark before it",
    "moved": "read the set-up's first mark again; if it differs, the sights from here on go",
    "nail": "stand the staff beside the nail on {mark} and read again",
    "look": "take a third look at {mark}",
    "outer": "read the outer hairs on {mark} again",
}


def _settle(suggestion: Suggestion, mark: str, kind: int) -> str:
    usual = "read {mark} again" + (", both ways" if kind in {BS, FS} else "")
    return _SETTLE.get(suggestion.kind, usual).format(mark=mark)
