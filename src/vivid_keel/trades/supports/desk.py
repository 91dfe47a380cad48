"""Supports while they are shown: how they are read, and the simulated building to practise on."""

from __future__ import annotations

import math

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, TargetChoice
from vivid_keel.core.moving.scale import HANGS, STANDS
from vivid_keel.core.quantities import Length, parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import metres
from vivid_keel.core.record.visits import Drift, Visit
from vivid_keel.desk.base import Goto
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.pasted import pasted_points
from vivid_keel.desk.visits import VisitView
from vivid_keel.trades.supports.book import SupportsBook
from vivid_keel.trades.supports.measure import work_out_supports
from vivid_keel.trades.supports.practice import answer_drafts, found_drafts, mark_draft, practice_drafts
from vivid_keel.trades.supports.result import SupportsResult
from vivid_keel.trades.supports.visits import drifts_of, labels, tied, visits_of

LONGEST = 12.0
"""No staff or tape is read beyond this [m]; more is a unit forgotten."""


class SupportsDesk(MovingDesk):
    """Supports under a floor or frame."""

    result: SupportsResult

    @property
    def simulated(self) -> tuple[str, str]:
        """What is said of a practice work."""
        short = (
            " The store is short of the leaf that is wanted most: see what to buy."
            if (self.hidden or {}).get("short")
            else ""
        )
        return (
            "A simulated building",
            f"For practice: springy, closing, sinking and noisy as real ones are. Nothing here was read on site.{short}",
        )

    @property
    def book(self) -> SupportsBook:
        return self.result.book

    def bring(self, choice: TargetChoice) -> SupportsResult:
        return work_out_supports(self.chosen.book, None, choice, self.chosen.task)  # type: ignore[arg-type]

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        book = self.book
        return VisitView(
            "Post",
            [point.name for point in book.points],
            labels(book),
            book.style.small,
            lambda value, decimals, signed: book.style.amount(value, decimals, signed=signed),
            self._visited,
            bool(self.result.read),
            "read the points as they are found",
        )

    def _visited(self) -> tuple[list[Visit], dict[str, Drift], str]:
        """Return the visits; their heights count from the watch mark where it was read every time."""
        book = self.book
        datum = (
            f"Over {book.reference_name}, which was read every time."
            if tied(book)
            else "No watch mark ties the visits: only how the posts moved against one another is told."
        )
        return visits_of(book), drifts_of(self.result) if len(book.occasions) > 1 else {}, datum

    def parse_reading(self, text: str) -> Length:
        """Return a scale reading as typed: positive, and no longer than a staff."""
        unit = self.book.unit
        if unit == "ft-in" and text.strip().isdigit() and self._in_inches():
            unit = "in"
        length = parse_length(text, unit, self.decimal_mark)
        if length.value < 0:
            raise KeelError(
                "bad-value", "a support is booked as read, above 0; hanging or standing is said by its scale"
            )
        if length.value > LONGEST:
            shown = show_length(length.value, self.book.style, unit=True)
            raise KeelError("bad-value", f"{shown} is longer than any staff; was {text.strip()} mm meant?")
        return length

    def _in_inches(self) -> bool:
        """Whether what was read so far is all in inches: then a bare 38 beside 38 3/8 is 38 inches."""
        reads = [r.text for point in self.book.points for r in (point.first, point.left) if r is not None]
        return bool(reads) and not any("'" in text or "f" in text.lower() or "′" in text for text in reads)

    def takes_back(self, point: int) -> list[Draft]:
        """Return the entries that take a support back that was set aside."""
        entries = self.file.journal.standing(self.work, "aside")
        return [
            Draft(self.work, "strike", {"reason": "it was read after all"}, strikes=entry.id)
            for entry in entries
            if int(entry.body["point"]) == point
        ]

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        return [(point.name, point.x, point.y, math.nan, {"row": point.row}) for point in self.book.points]

    def practise(self) -> Goto | None:
        """Make a practice copy over a simulated building, and go there."""
        made = self.file.record(practice_drafts(self))
        work = made[0].id
        names = {str(entry.body["name"]): entry.id for entry in made if entry.kind == "point"}
        self.file.record(found_drafts(self, work, names))
        return Goto("Moves", 0, None, 0, work)

    def answer(self) -> None:
        """Let the simulated building answer this round: its as-left readings are booked as one act."""
        hidden = self.hidden
        if hidden is None:
            raise KeelError("bad-value", "real posts answer by being read; practise on a copy of them (menu)")
        booked = [draft for i in self.result.to_do for draft in self.booked_as_planned(i)]
        keeper = self.fixes_keeper()
        booked = [*keeper, *(draft for draft in booked if draft.kind != "keeper")]
        self.record(*booked, *answer_drafts(self, hidden))

    def pasted(self, stage: str, text: str) -> list[Draft] | None:
        """Return supports pasted under Set-up: name, along, across; a name's letters are its row."""
        if stage != "Set-up":
            return None
        far = self.book.style.far
        found = pasted_points(text, (far, far), self.decimal_mark, {point.name for point in self.book.points})
        return [
            Draft(
                self.work,
                "point",
                {
                    "name": name,
                    "row": name.rstrip("0123456789 ") or name,
                    "x_m": 0.0 if x is None else metres(x),
                    "y_m": 0.0 if y is None else metres(y),
                },
            )
            for name, (x, y) in found
        ]

    def answer_mark(self) -> None:
        """Let the simulated site show the watch mark again."""
        if self.hidden is not None and FOUND in self.book.reference:
            self.record(mark_draft(self, self.hidden))

    def turn_sense(self) -> None:
        """Turn the sense of the scale round, at every post that was read with it."""
        other = STANDS if self.book.limits.sense == HANGS else HANGS
        old = self.file.journal.latest(self.work, "limits")
        drafts = [Draft(self.work, "limits", {**(dict(old.body) if old else {}), "sense": other})]
        for entry in self.file.journal.standing(self.work, "point"):
            if "sense" in entry.body:
                turned = STANDS if entry.body["sense"] == HANGS else HANGS
                drafts.append(Draft(self.work, "point", {**entry.body, "sense": turned}, strikes=entry.id))
        self.record(*drafts)
