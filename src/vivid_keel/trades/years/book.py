"""Heights over the years: which levellings are laid side by side, which marks are held to have stood."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated, with_stated
from vivid_keel.core.quantities import LengthStyle, style_for
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Lent, LentLine, Works, day_of, read_on

FACTS = (
    Fact(
        "allowed",
        "A mark may go from where it was by",
        "mm",
        "none",
        "up or down since it was first read; what the house or the owner can bear",
        may_lack=True,
    ),
    Fact(
        "again",
        "Level again after, months",
        "",
        "12",
        "by rule; sooner where a mark would be out before the round after that",
        1,
        600,
    ),
)
BENCHMARK, WATCHED, ASIDE = "benchmark", "watched", "another mark"
ROLES = (BENCHMARK, WATCHED, ASIDE)
MOST_LINES = 20_000
"""A lent levelling has no more readings than that: its heights are lent, and a job file isn't filled with another."""


class Levelling(Struct, frozen=True):
    """A levelling that is laid beside others.

    Attributes
    ----------
    id : int
        The work, or the entry that brought it in from another job.
    name, file : str
        `file` is "" for a work of this job.
    when : date
    occasion : str
        What is levelled under one name is one occasion.
    out, reason : bool, str
        Whether it is left out, and why.
    closed : bool
        Whether it closes within its limit.
    entry : int or None
        What says so.
    """

    id: int
    name: str
    file: str
    when: date
    occasion: str
    out: bool
    reason: str
    closed: bool
    lines: Sequence[LentLine]
    given: dict[str, float]
    entry: int | None


class YearsBook(Struct, frozen=True):
    """Everything heights over the years are worked out from."""

    work: int
    name: str
    style: LengthStyle
    facts: Stated
    roles: dict[str, str]
    role_ids: dict[str, int]
    levellings: list[Levelling] = field(default_factory=list)
    places: dict[str, tuple[float, float]] = field(default_factory=dict)
    said: dict[int, tuple[int, str, date, bool, str]] = field(default_factory=dict)
    """What was said of a levelling, by its id: the entry, its occasion, when, whether it is out, why."""


def fold_years(journal: Journal, work: int) -> YearsBook:
    """Return the book of its own entries, before it takes the job's levellings."""
    said = (
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "years-fact")
    )
    roles, ids = {}, {}
    for entry in journal.standing(work, "role"):
        roles[str(entry.body["mark"])], ids[str(entry.body["mark"])] = str(entry.body["role"]), entry.id
    of = {}
    for entry in journal.standing(work, "occasion"):
        body = entry.body
        of[int(body["of"])] = (
            entry.id,
            str(body["name"]),
            day_of(str(body["when"])),
            bool(body.get("out")),
            str(body.get("reason", "")),
        )
    unit = journal.unit_of(work)
    lent, steps = [], [style_for(unit).step]
    for entry in journal.standing(work, "lent-run"):
        body = entry.body
        steps.append(max(float(body["step_m"]), 1e-6))
        lines = [LentLine(mark, stand, rise, sigma, 0.0, 0) for mark, stand, rise, sigma in body["lines"]]
        given = {str(name): float(height) for name, height in body.get("given", {}).items()}
        lent.append(
            _levelling(
                entry.id,
                (str(body["name"]), str(body["file"])),
                day_of(str(body["when"])),
                bool(body["closed"]),
                lines,
                given,
                of,
            )
        )
    style = style_for(unit, min(steps))
    return YearsBook(work, journal.name_of(work), style, with_stated(FACTS, said), roles, ids, lent, {}, of)


def years_needs(book: YearsBook, works: Works) -> list[int]:
    """Return the works it takes readings from: all that lend some."""
    return works.lenders()


def take_levellings(book: YearsBook, works: Works) -> YearsBook:
    """Return the book with the job's levellings beside those that were lent, the oldest first."""
    found, places, steps = list(book.levellings), dict(book.places), [book.style.step]
    for id in works.lenders():
        lent = works.lent(id)
        if lent is None or not lent.lines:
            continue
        steps.append(lent.style.step)
        places.update(lent.places)
        found.append(
            _levelling(
                id,
                (lent.name, ""),
                read_on(works.journal, id),
                lent.closed,
                lent.lines,
                {one.name: one.height for one in lent.given},
                book.said,
            )
        )
    found.sort(key=lambda one: (one.when, one.id))
    return replace(book, levellings=found, places=places, style=style_for(book.style.unit, min(steps)))


def _levelling(
    id: int,
    names: tuple[str, str],
    when: date,
    closed: bool,
    lines: Sequence[LentLine],
    given: dict[str, float],
    said: dict[int, tuple[int, str, date, bool, str]],
) -> Levelling:
    entry, occasion, out, reason = None, "", False, ""
    if id in said:
        entry, occasion, when, out, reason = said[id]
    return Levelling(id, *names, when, occasion or month(when), out, reason, closed, lines, given, entry)


def month(when: date) -> str:
    """Return what an occasion is called until somebody says otherwise: its month."""
    return f"{when:%b %Y}"


def lent_draft(work: int, lent: Lent, when: date, file: str, job: str) -> Draft:
    """Return the entry by which a levelling of another job is laid beside this job's.

    Raises
    ------
    KeelError
        `bad-value` where it has more readings than a job file should hold of another.
    """
    if len(lent.lines) > MOST_LINES:
        raise KeelError(
            "bad-value",
            f"{lent.name} has {len(lent.lines)} readings; {MOST_LINES} at most are taken into another job",
        )
    body = {
        "file": file,
        "job": job,
        "name": lent.name,
        "when": when.isoformat(),
        "unit": lent.style.unit,
        "step_m": lent.style.step,
        "closed": lent.closed,
        "lines": [[one.mark, one.stand, one.rise, one.sigma] for one in lent.lines],
        "given": {one.name: one.height for one in lent.given},
    }
    return Draft(work, "lent-run", body)
