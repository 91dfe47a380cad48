"""Heights over the years while they are shown."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.lending import Lent
from vivid_keel.desk.base import Look
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.years.book import YearsBook, lent_draft
from vivid_keel.trades.years.result import YearsResult


class YearsDesk(WorkDesk):
    """Levellings of several years side by side."""

    result: YearsResult
    takes_jobs = True

    @property
    def book(self) -> YearsBook:
        return self.result.book

    def lent_by(self, file: str, job: str, levellings: Sequence[tuple[Lent, date]]) -> list[Draft]:
        """Return the entries that lay another job's levellings beside this one's.

        Raises
        ------
        KeelError
            `bad-value` where it has none, or where they lie here already.
        """
        told = [(lent, when) for lent, when in levellings if lent.lines]
        if not told:
            raise KeelError("bad-value", f"{file} holds no level run, so it has no height to lend")
        known = {(one.file, one.name, one.when, len(one.lines)) for one in self.book.levellings if one.file}
        new = [one for one in told if (file, one[0].name, one[1], len(one[0].lines)) not in known]
        if not new:
            raise KeelError("bad-value", f"the levellings of {file} lie here already")
        return [lent_draft(self.work, lent, when, file, job) for lent, when in new]

    def own_looks(self) -> list[Look]:
        """What is open in it, and the day on which to level again."""
        out = super().own_looks()
        day = self.result.at_most()
        if day is not None:
            out.append(Look(day, self.work, self.file.journal.name_of(self.work), "level the marks again"))
        return out
