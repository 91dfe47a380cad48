"""The register of marks: heights that works of the job lend, and known marks that follow them."""

from __future__ import annotations

import math
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import LengthStyle, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Given, Lent, LentHeight, Works, own_name
from vivid_keel.trades.run.book import Known, RunBook
from vivid_keel.trades.run.lines import run_lines
from vivid_keel.trades.run.result import RunResult


class FoundMark(Struct, frozen=True):
    """A mark with the height that a work found for it, and the works that begin from it.

    Attributes
    ----------
    name, work_name : str
    work : int
    height, u : float
        As corrected, with its standard uncertainty [m].
    closed : bool
        Whether the work closes within its limit; where not, the height has no check.
    followers : tuple of str
        Works that begin from it.
    """

    name: str
    work: int
    work_name: str
    height: float
    u: float
    closed: bool
    followers: tuple[str, ...] = ()


def run_lends(result: RunResult) -> Lent:
    """Return what a run lends: heights of all it read but those it was given, and its readings as lines."""
    book, layout = result.book, result.layout
    names = {k.name for k in book.known}
    u, closed = result.u_heights(), bool(result.sound)
    heights: dict[str, LentHeight] = {}
    for mark, i in layout.holds.items():
        height = result.corrected(book.sights[i])
        if mark not in names and not math.isnan(height):
            heights[mark] = LentHeight(mark, height, float(u[i]), closed)
    given = [Given(own_name(k.name, book.name), k.name, k.height, k.u) for k in book.known if not k.from_work]
    begun = tuple((k.from_work, k.from_mark or k.name) for k in book.known if k.from_work)
    places = {own_name(mark, book.name): place for mark, place in book.places.items()}
    return Lent(
        book.work, book.name, book.style, heights, run_lines(result), given, layout.setups, begun, places
    )


def run_needs(book: RunBook, works: Works) -> list[int]:
    """Return the works whose heights a run begins from."""
    return list(dict.fromkeys(k.from_work for k in book.known if k.from_work))


def follow_marks(book: RunBook, works: Works) -> RunBook:
    """Return a run's book with its known marks at the heights that their sources have now."""
    return replace(book, known=[_follow(k, book.work, works) for k in book.known])


def _follow(known: Known, work: int, works: Works) -> Known:
    """Return a known mark at the height its source has now; `trouble` says what is wrong with that."""
    if not known.from_work:
        return known
    journal, source = works.journal, known.from_work
    if source not in journal.entries or not journal.stands(source):
        return replace(known, trouble="the work it was taken from is gone; the height is as it was then")
    name = journal.name_of(source)
    if works.leads_back(source, work):
        return replace(
            known, trouble=f"{name} and this work lean on each other; the height is as it was when taken"
        )
    lent = works.lent(source)
    found = lent.heights.get(known.from_mark or known.name) if lent is not None else None
    if found is None:
        return replace(known, trouble=f"{name} no longer reads this mark; the height is as it was when taken")
    trouble = "" if found.closed else f"{name} is open or over its limit: this height has no check"
    return replace(known, height=found.height, u=found.u, source=f"follows {name}", trouble=trouble)


def register(works: Works, but: int = 0) -> list[FoundMark]:
    """Return every mark that a work of the job found, in the order of the works; `but` leaves a work out."""
    lent = [one for id in works.lenders() if (one := works.lent(id)) is not None]
    followers: dict[tuple[int, str], list[str]] = {}
    for one in lent:
        for at in one.begun_from:
            followers.setdefault(at, []).append(one.name)
    return [
        FoundMark(
            h.name, one.work, one.name, h.height, h.u, h.closed, tuple(followers.get((one.work, h.name), ()))
        )
        for one in lent
        if one.work != but
        for h in one.heights.values()
    ]


def given_elsewhere(journal: Journal, work: int, named: set[str]) -> list[dict[str, Any]]:
    """Return the known marks that other works of the job were given and this one has not, as they stand there, the youngest work first."""
    out: dict[str, dict[str, Any]] = {}
    for other in reversed(journal.works()):
        if other.id == work or other.body["type"] != journal.entries[work].body["type"]:
            continue
        for entry in journal.standing(other.id, "mark"):
            if not entry.body.get("from_work") and entry.body["name"] not in named:
                out.setdefault(str(entry.body["name"]), dict(entry.body))
    return list(out.values())


def follow_body(found: FoundMark, style: LengthStyle) -> dict[str, Any]:
    """Return the body of a known mark that follows another work's; the height as it is now stands beside it."""
    text = show_length(found.height, style).replace("−", "-")
    return {
        "name": found.name,
        "height": {"text": text, "unit": style.unit, "m": found.height, "step_m": style.step},
        "source": f"follows {found.work_name}",
        "u_m": found.u,
        "from_work": found.work,
        "from_mark": found.name,
    }
