"""What a trade declares: everything the rest of the house needs to know of it."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, Generic, TypeVar

from msgspec import Struct, field

from vivid_keel.core.cautions import Caution
from vivid_keel.core.facts import Fact
from vivid_keel.core.instruments.used import Use
from vivid_keel.core.kinds import Finding, Kinds, Of, State
from vivid_keel.core.problems.fields import Solvers
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Lent, Works
from vivid_keel.desk.base import BringsIn
from vivid_keel.desk.stage import Face

Book = TypeVar("Book")
Result = TypeVar("Result")


class Trade(Struct, Generic[Book, Result], frozen=True):
    """A trade.

    Attributes
    ----------
    key, label, blurb : str
        Type of its works in a file; its name; a line for the page on which works are begun.
    kinds : mapping of str to EntryKind
        The entries it books, beside those of every work.
    fold, work_out : callable
        From the journal to what was booked, and on to what it comes to.
    state : callable
        How a work stands, for the list of works.
    findings : callable
        What its numbers say at a stage; instruments and open matters are added for all.
    module : str
        Where its face is; loaded when it is first shown.
    follow : callable, optional
        A shorter way from a result to the next by new entries; gives None where there is none.
    needs, take : callable, optional
        Works whose heights a book takes, and the book with them taken.
    lends : callable, optional
        What other works may take from a result.
    uses : callable
        The instruments that read in it, and how much.
    cautions : callable
        Cautions at a stage.
    problems : mapping
        Kinds of problem that it solves on the command line.
    copies : collection of str
        Kinds of entries that say what it is, which come along into a copy in which nothing is read; empty where it takes all from others.
    bare : callable
        The body of such an entry without what was read, by its kind.
    by_time : collection of str
        Kinds of entries that say something by when they were entered: a work that holds one has no copy with its readings.
    point_of : callable
        The number of a point that is moved, in a copy: by its number here, and how those of entries follow.
    plans : callable
        What a copy in which nothing is read yet is to do, by what was done: entries of the new work.
    facts : tuple of Fact
        What it is, where that is told in facts.
    begins : callable
        What a new work books of itself, by the unit it is in: for the work −1, of the same act.
    brings_in : BringsIn, optional
        How a level book from a file becomes a work of it.
    """

    key: str
    label: str
    blurb: str
    kinds: Kinds
    fold: Callable[[Journal, int], Book]
    work_out: Callable[[Book], Result]
    state: Callable[[Result], State]
    findings: Callable[[Result, str], list[Finding]]
    module: str
    follow: Callable[[Result, Journal, list[Entry]], Result | None] | None = None
    needs: Callable[[Book, Works], list[int]] | None = None
    take: Callable[[Book, Works], Book] | None = None
    lends: Callable[[Result], Lent] | None = None
    uses: Callable[[Result], list[Use]] = lambda result: []
    cautions: Callable[[Result, str], tuple[Caution, ...]] = lambda result, stage: ()
    problems: Solvers = field(default_factory=dict)
    copies: Collection[str] = ()
    bare: Callable[[str, Mapping[str, Any]], Mapping[str, Any]] = lambda kind, body: body
    by_time: Collection[str] = ()
    point_of: Callable[[int, Of], int] = lambda number, of: of(number)
    plans: Callable[[Result], list[Draft]] = lambda result: []
    facts: Sequence[Fact] = ()
    begins: Callable[[str], list[Draft]] = lambda unit: []
    brings_in: BringsIn | None = None

    @property
    def handbook(self) -> str:
        """Its page of the handbook, as a file of the package."""
        return "/".join(self.module.split(".")[1:]) + "/help.md"

    def face(self) -> Face[Any]:
        """Return what is seen of it."""
        face: Face[Any] = importlib.import_module(f"{self.module}.face").FACE
        return face
