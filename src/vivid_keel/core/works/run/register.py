"""The register of marks: heights found in the job's runs, and known marks that follow them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from vivid_keel.core.booking.layout import BS
from vivid_keel.core.quantities import LengthStyle, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.works.run.book import Known, RunBook, fold_run
from vivid_keel.core.works.run.result import RunResult, work_out_run


@dataclass(frozen=True, slots=True)
class FoundMark:
    """A mark with the height that a run found for it.

    Attributes
    ----------
    name, work_name : str
    work : int
    height, u : float
        As corrected, with its standard uncertainty [m].
    closed : bool
        Whether the run closes within its limit; where not, the height has no check.
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


class Register:
    """The job's runs worked out together, each once, those that follow another after it."""

    def __init__(self, journal: Journal) -> None:
        self.journal = journal
        self._results: dict[int, RunResult] = {}

    def result(self, work: int) -> RunResult:
        """Return a run worked out, its known marks following what they are taken from."""
        if work not in self._results:
            book = fold_run(self.journal, work)
            if any(k.from_work for k in book.known):
                book = replace(book, known=[self._follow(k, work) for k in book.known])
            self._results[work] = work_out_run(book)
        return self._results[work]

    def _leads_back(self, source: int, work: int) -> bool:
        """Whether a work follows, itself or through others, the one that would follow it."""
        seen, ahead = set[int](), [source]
        while ahead:
            at = ahead.pop()
            if at == work:
                return True
            if at not in seen:
                seen.add(at)
                ahead += [
                    int(e.body["from_work"]) for e in self.journal.standing(at, "mark") if "from_work" in e.body
                ]
        return False

    def _follow(self, known: Known, work: int) -> Known:
        """Return a known mark at the height its source has now; `trouble` says what is wrong with that."""
        if not known.from_work:
            return known
        source = known.from_work
        if source not in self.journal.entries or not self.journal.stands(source):
            return replace(known, trouble="the work it was taken from is gone; the height is as it was then")
        name = self.journal.name_of(source)
        if self._leads_back(source, work):
            return replace(
                known, trouble=f"{name} and this work lean on each other; the height is as it was when taken"
            )
        found = found_marks(self.result(source)).get(known.from_mark or known.name)
        if found is None:
            return replace(known, trouble=f"{name} no longer reads this mark; the height is as it was when taken")
        trouble = "" if found.closed else f"{name} is open or over its limit: this height has no check"
        return replace(known, height=found.height, u=found.u, source=f"follows {name}", trouble=trouble)

    def runs(self) -> list[int]:
        """Return the ids of the job's runs, oldest first."""
        return [w.id for w in self.journal.works() if w.body["type"] == "run"]

    def marks(self, but: int = 0) -> list[FoundMark]:
        """Return every mark that a run found, in the order of the works, with who begins from it; `but` leaves a run out."""
        followers: dict[tuple[int, str], list[str]] = {}
        for work in self.runs():
            for k in self.result(work).book.known:
                if k.from_work:
                    at = (k.from_work, k.from_mark or k.name)
                    followers.setdefault(at, []).append(self.journal.name_of(work))
        out = []
        for work in self.runs():
            if work != but:
                for name, found in found_marks(self.result(work)).items():
                    out.append(replace(found, followers=tuple(followers.get((work, name), ()))))
        return out


def found_marks(result: RunResult) -> dict[str, FoundMark]:
    """Return the marks that a run found heights for: all it read but those it was given."""
    book, layout = result.book, result.layout
    given = {k.name for k in book.known}
    u = result.u_heights()
    out: dict[str, FoundMark] = {}
    closed = bool(result.closure.accepted)
    for i, mark in enumerate(layout.marks):
        height = result.corrected(book.sights[i])
        if mark not in given and layout.kinds[i] != BS and height == height:
            out[mark] = FoundMark(mark, book.work, book.name, height, float(u[i]), closed)
    return out


def fold_following(journal: Journal, work: int, register: Callable[[], Register]) -> RunBook:
    """Return the book of a run with its known marks following their sources; a register is made only if one does."""
    book = fold_run(journal, work)
    if not any(k.from_work for k in book.known):
        return book
    return register().result(work).book


def follow_body(found: FoundMark, style: LengthStyle) -> dict[str, Any]:
    """Return the body of a known mark that follows another run's; the height as it is now stands beside it."""
    text = show_length(found.height, style).replace("−", "-")
    return {
        "name": found.name, "height": {"text": text, "unit": style.unit, "m": found.height, "step_m": style.step},
        "source": f"follows {found.work_name}", "u_m": found.u, "from_work": found.work, "from_mark": found.name,
    }  # fmt: skip
