"""Heights that one work lends to another, and the order in which works that lean on each other are worked out."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from typing import Any, Protocol

from msgspec import Struct, field

from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.journal import Journal


class LentHeight(Struct, frozen=True):
    """A height that a work found.

    Attributes
    ----------
    name : str
        Of the mark.
    height, u : float
        As corrected, with its standard uncertainty [m].
    closed : bool
        Whether the work closes within its limit; where not, the height has no check.
    """

    name: str
    height: float
    u: float
    closed: bool


class LentLine(Struct, frozen=True):
    """One reading: the line of sight `stand` is `rise` above `mark`; its σ and the length of the sight [m], its set-up."""

    mark: str
    stand: str
    rise: float
    sigma: float
    length: float
    setup: int


class Given(Struct, frozen=True):
    """A height that a work was given and took from no other: the mark's name in the whole job, height and u [m]."""

    name: str
    mark: str
    height: float
    u: float


class Lent(Struct, frozen=True):
    """What a work lends: the heights it found by mark, and the readings they rest on.

    `begun_from` are the marks it takes from others, as (work, mark there); `places` where its marks lie in plan [m].
    """

    work: int
    name: str
    style: LengthStyle
    heights: Mapping[str, LentHeight]
    lines: Sequence[LentLine] = ()
    given: Sequence[Given] = ()
    setups: int = 0
    begun_from: Sequence[tuple[int, str]] = field(default_factory=tuple)
    places: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    @property
    def closed(self) -> bool:
        """Whether it closes within its limit."""
        return all(one.closed for one in self.heights.values())


CHANGE_POINT = re.compile(r"CP\s*\d+", re.IGNORECASE)
"""Names the program proposes for change points: such a mark is of its own run, whatever others are called."""


def own_name(mark: str, run: str) -> str:
    """Return the name a mark has in the whole job."""
    return f"{mark} ({run})" if CHANGE_POINT.fullmatch(mark.strip()) else mark


def is_change_point(mark: str) -> bool:
    """Whether a name of the whole job is that of a run's own change point: another in every run, and in every year."""
    return CHANGE_POINT.match(mark.strip()) is not None


def day_of(text: str) -> date:
    """Return a day as it stands in an entry; the first of all days where a stranger wrote something else."""
    try:
        return date.fromisoformat(text[:10])
    except ValueError:
        return date.min


def read_on(journal: Journal, work: int) -> date:
    """Return the day on which a work's first reading was booked; that of the work itself where none was."""
    times = [journal.entries[id].time for id in journal.order[work] if "reading" in journal.entries[id].body]
    return day_of(min(times, default=journal.entries[work].time))


class Follows(Protocol):
    """What has to be known of a trade to work its works out in order."""

    @property
    def fold(self) -> Callable[[Journal, int], Any]: ...
    @property
    def work_out(self) -> Callable[[Any], Any]: ...
    @property
    def needs(self) -> Callable[[Any, Works], list[int]] | None: ...
    @property
    def take(self) -> Callable[[Any, Works], Any] | None: ...
    @property
    def lends(self) -> Callable[[Any], Lent] | None: ...


class Works:
    """The works of a job worked out together, each once for each state of the job, those that lean on another after it."""

    def __init__(self, journal: Journal, trade_of: Callable[[str], Follows | None]) -> None:
        self.journal = journal
        self._trade_of = trade_of
        self._revision = -1
        self._results: dict[int, Any] = {}
        self._lent: dict[int, Lent] = {}
        self._alone: dict[
            int, tuple[Any, Any]
        ] = {}  # works that need no other: the book, and what it came to

    def trade(self, work: int) -> Follows | None:
        """Return the trade of a work, None where this program doesn't know it."""
        return self._trade_of(str(self.journal.entries[work].body["type"]))

    def lenders(self) -> list[int]:
        """Return the works that lend heights, oldest first."""
        return [
            w.id for w in self.journal.works() if (t := self.trade(w.id)) is not None and t.lends is not None
        ]

    def lent(self, work: int) -> Lent | None:
        """Return what a work lends, None where it is gone or lends nothing."""
        if work not in self.journal.entries or not self.journal.stands(work):
            return None
        trade = self.trade(work)
        if trade is None or trade.lends is None:
            return None
        result = self.result(work)
        if work not in self._lent:
            self._lent[work] = trade.lends(result)
        return self._lent[work]

    def result(self, work: int) -> Any:
        """Return a work worked out, with what it takes from others."""
        if self._revision != self.journal.revision:
            self._revision = self.journal.revision
            self._results.clear()
            self._lent.clear()
        if work not in self._results:
            trade = self.trade(work)
            assert trade is not None
            book = self._book(work, trade)
            if trade.take is None or trade.needs is None or not trade.needs(book, self):
                known = self._alone.get(work)
                if known is None or known[0] is not book:
                    known = self._alone[work] = (book, trade.work_out(book))
                self._results[work] = known[1]
            else:
                self._results[work] = trade.work_out(trade.take(book, self))
        return self._results[work]

    def _book(self, work: int, trade: Follows) -> Any:
        return self.journal.remembered(work, lambda before: trade.fold(self.journal, work))

    def leads_back(self, source: int, work: int) -> bool:
        """Whether a work needs, itself or through others, the one that would take from it."""
        seen, ahead = set[int](), [source]
        while ahead:
            at = ahead.pop()
            if at == work:
                return True
            if at in seen or at not in self.journal.entries or not self.journal.stands(at):
                continue
            seen.add(at)
            trade = self.trade(at)
            if trade is not None and trade.needs is not None:
                ahead += trade.needs(self._book(at, trade), self)
        return False
