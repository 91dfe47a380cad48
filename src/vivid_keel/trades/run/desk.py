"""A level run while it is shown: what is being typed, the search for a slip, what is proposed."""

from __future__ import annotations

import math
import re
from typing import Any

from vivid_keel.core.booking.checks import PageChecks
from vivid_keel.core.booking.slips import Search
from vivid_keel.core.booking.slips.kinds import LONG
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import Length, is_missing, parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import LongWork
from vivid_keel.desk.setting_up import in_hand
from vivid_keel.trades.run.book import SightRow
from vivid_keel.trades.run.changes import event_draft, struck
from vivid_keel.trades.run.findings import run_findings
from vivid_keel.trades.run.follow import begun
from vivid_keel.trades.run.proposing import likely_kind, propose
from vivid_keel.trades.run.result import RunResult, with_reading, with_sight
from vivid_keel.trades.run.slips import doubts, search
from vivid_keel.trades.run.standing import Standing, stand_for, standing_findings
from vivid_keel.trades.run.trust import TrustDesk
from vivid_keel.trades.run.typed import TypedSight

NEXT_TO_NOTHING = 0.01
"""No staff is read as low as this in a book in millimetres: metres were typed [m]."""
WITHOUT_POINT = re.compile(r"-?\d{3,4}")
"""A reading in metres that was typed without its point."""
RECENT = 30
"""Readings back to which it is remembered how they are typed [1]."""
LONGEST = 12.0
"""No staff or tape is read beyond this [m]; more is a unit forgotten."""


class RunDesk(TrustDesk):
    """A level run."""

    matching = "staff"
    event_question = ("What happened?", "M moved · K knocked · T taken in · S staff changed; then a note")

    def begin(self) -> None:
        super().begin()
        self.in_hand: TypedSight | None = None
        self._bare: dict[str, str] = {}
        """Names seen here, in small letters and without spaces."""

    def take(self, result: Any) -> None:
        super().take(result)
        self.shown: RunResult = result
        self.in_hand = None
        self.new_mark = ""
        self.new_kind: int | None = None
        self._said: dict[str, list[Finding]] = {}
        self._checks: PageChecks | None = None
        self.search: Search | None = None
        self._doubted: dict[int, str] | None = None
        self.search_asked = False
        self._gave_up = False
        self._asked_names: set[str] = set()
        self._asked_points: set[str] = set()
        self._standing: Standing | None = None
        self._budget = None
        self._fresh = begun(self.book, self.file.journal)
        self._proposed = propose(result, self._fresh)

    # Finding the slip: off the window's thread, once for each state of the book.

    @property
    def doubted(self) -> dict[int, str]:
        """Rows with looks or hairs that don't agree, and which; worked out when first wanted."""
        if self._doubted is None:
            self._doubted = {doubt.row: doubt.what for doubt in doubts(self.result)}
        return self._doubted

    @property
    def search_wanted(self) -> bool:
        """Whether something doesn't fit that a slip would explain."""
        return self.result.sound is False or bool(self.doubted)

    @property
    def standing(self) -> Standing:
        """Where to stand for the planned marks; worked out when first wanted, not at every Enter."""
        if self._standing is None:
            self._standing = stand_for(self.book)
        return self._standing

    @property
    def search_waits(self) -> bool:
        """Whether the book is so long that the search, seconds then, waits to be asked for."""
        return len(self.book.sights) > LONG and not self.search_asked

    def long_work(self) -> LongWork | None:
        result = self.result
        if self.search is not None or self._gave_up or self.search_waits or not self.search_wanted:
            return None
        return ("slips", id(result)), lambda seconds_left: search(result)

    def long_work_done(self, key: object, found: Search | None) -> None:
        if key == ("slips", id(self.result)):
            self.search = found
            self._gave_up = found is None  # once is enough for a book that can't be searched
            self._said = {}

    def suspects(self) -> set[int]:
        """Rows that the search would look at first."""
        if self.search is None:
            return set()
        return {self.book.sights[suggestion.rows[0]] for suggestion in self.search.suggestions[:3]}

    def strike(self, entry: int, reason: str) -> None:
        self.record(*struck(self, entry, reason))

    def happened(self, typed: str) -> None:
        draft = event_draft(self.work, typed)
        self.record(draft)
        if draft.body["what"] == "knocked":
            self.knocked()

    def ask_near_name(self, name: str) -> None:
        """Ask once about a name that differs from a known one in case or spaces only; typed again it is a new mark.

        Raises
        ------
        KeelError
            `near-name`, the first time.
        """
        known = {
            *self.result.layout.marks,
            *(k.name for k in self.book.known),
            *(p.name for p in self.book.planned),
        }
        if name in known or name in self._asked_names:
            return
        for other in known - self._bare.keys():
            self._bare[other] = "".join(other.split()).casefold()
        bare = "".join(name.split()).casefold()
        near = min(
            (other for other, plain in self._bare.items() if plain == bare and other in known), default=None
        )
        if near is not None:
            self._asked_names.add(name)
            raise KeelError(
                "near-name",
                f"there is a “{near}”: type that if it is the same mark; Enter again makes “{name}” a new one",
            )

    def take_reading(self, text: str) -> Length:
        """Return a reading that is to be booked; one without its point is asked about once in a work.

        Raises
        ------
        KeelError
            `no-point`, the first time; what can't be read.
        """
        try:
            return self.parse_reading(text)
        except KeelError as error:
            if error.code == "no-point":
                self._asked_points.add(text.strip())
            raise

    def parse_reading(self, text: str) -> Length:
        """Return a reading as typed, or refuse what is longer than any staff.

        In a work in metres 1936 can only be millimetres; that is asked about once, then taken.
        """
        if self.book.unit == "m" and WITHOUT_POINT.fullmatch(text.strip()):
            length = parse_length(text, "mm", self.decimal_mark)
            if text.strip() in self._asked_points or self._without_point():
                return length
            shown = show_length(length.value, self.book.style, unit=True)
            raise KeelError(
                "no-point",
                f"{text.strip()} m is longer than any staff; Enter again takes it as {shown}, and from then on what is typed like it",
            )
        length = parse_length(text, self.book.unit, self.decimal_mark)
        if (
            self.book.unit == "mm"
            and length.unit == "mm"
            and 0 < abs(length.value) < NEXT_TO_NOTHING
            and length.resolution < 0.0005
        ):
            raise KeelError(
                "bad-value",
                f"this work is in millimetres, and {text.strip()} mm is next to nothing; type {text.strip()} m, or 1482 for millimetres",
            )
        if abs(length.value) > LONGEST:
            raise KeelError(
                "bad-value",
                f"{show_length(length.value, self.book.style, unit=True)} is longer than any staff; "
                f"was another unit meant, such as {text.strip()} mm?",
            )
        return length

    def _without_point(self) -> bool:
        """Whether one of the readings that were typed last stands there without its point."""
        rows = self.book.rows
        return any(WITHOUT_POINT.fullmatch(rows[i].text.strip()) for i in self.book.sights[-RECENT:])

    def preview(self, typed: TypedSight | None) -> None:
        """Show what the sight being typed would give; None shows the book as it is."""
        if typed is None or self.hair is None or abs(abs(typed.reading) - self.hair) > 1e-9:
            self.hair = None  # another reading is being typed: the hair follows it
        if typed is None:
            self.in_hand, self.shown = None, self.result
            return
        if typed.row >= 0:
            self.shown = with_reading(self.result, typed.row, typed.reading)
        else:
            sight = SightRow(
                0,
                typed.mark,
                typed.kind,
                typed.reading,
                "",
                self.book.style.step,
                math.nan,
                "",
                True,
                typed.setup,
            )
            self.shown = with_sight(self.result, sight)
        self.in_hand = typed

    @property
    def checked(self) -> bool:
        """Whether the page's checks are worked out for the book as it stands."""
        return self._checks is not None

    def checks(self) -> PageChecks:
        """The page's arithmetic checks, worked out once for each change."""
        if self._checks is None:
            self._checks = self.result.checks()
        return self._checks

    def leading(self, stage: str) -> list[Finding]:
        return standing_findings(self.standing, self.book) if stage == "Set-up" else []

    def own_findings(self, stage: str) -> list[Finding]:
        if stage not in self._said:
            self._said[stage] = run_findings(self.result, stage, self.checks(), self.search) + self._skipped()
        return self._said[stage]

    def _skipped(self) -> list[Finding]:
        """What was left out in setting up, where the readings show it."""
        if self.file.journal.latest(self.work, "set-up-order") is None or not self.doubted:
            return []
        if not any(step.key == "parallax" for step in in_hand(self).skipped):
            return []
        words = "Hairs or looks don't agree, and of the list of setting up the eye wasn't moved against the hairs. Focus the hairs first, then the staff, and read those again."
        return [
            Finding(
                "open", "Parallax was not looked for", words, action="setting-up", action_label="See the list"
            )
        ]

    def new_set_up(self) -> None:
        """Begin a new set-up behind the last sight."""
        self.record(Draft(self.work, "setup", {}))

    def fresh_set_up(self) -> bool:
        """Whether a new set-up was begun and nothing booked on it yet."""
        return self._fresh

    def next_kind(self, mark: str) -> int:
        """Return the kind of sight a new line is likely to be."""
        return likely_kind(self.result, mark, self._proposed, self._fresh)

    def proposed_mark(self) -> str:
        """Return the mark a new line proposes: the benchmark first, then the next change point; none once closed."""
        return self._proposed

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        r = self.result
        u = r.u_heights()
        last = r.layout.holds
        out: list[tuple[str, float, float, float, dict[str, object]]] = []
        for mark, (x, y) in self.book.places.items():
            i = last.get(mark, -1)
            height = r.corrected(self.book.sights[i]) if i >= 0 else math.nan
            more: dict[str, object] = (
                {"U_m": round(2 * float(u[i]), 5)} if i >= 0 and not is_missing(u[i]) else {}
            )
            out.append((mark, x, y, height, more))
        return out

    def named_mark(self) -> str:
        return self.new_mark or self._proposed

    def distance_words(self, row: int) -> str:
        """Return a booked distance [m] in words, "" where there is none."""
        distance = self.book.rows[row].distance
        return "" if math.isnan(distance) else self.book.style.distance(distance)
