"""Supports while they are shown: how they are read, and the simulated building to practise on."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT, TargetChoice
from vivid_keel.core.moving.scale import HANGS, STANDS, signs
from vivid_keel.core.moving.walk import Step
from vivid_keel.core.quantities import (
    Length,
    LengthStyle,
    is_missing,
    parse_length,
    show_amount,
    show_length,
    style_for,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read, metres
from vivid_keel.core.record.visits import Drift, Visit
from vivid_keel.desk.pasted import pasted_points
from vivid_keel.desk.sheet import Goto
from vivid_keel.desk.streaming import LIVE, StreamingDesk
from vivid_keel.desk.visits import VisitView
from vivid_keel.figures.display import Picture
from vivid_keel.figures.live import Number
from vivid_keel.figures.moving.work_sheet import work_sheet
from vivid_keel.figures.report import Pages
from vivid_keel.trades.supports.book import SupportsBook
from vivid_keel.trades.supports.measure import work_out_supports
from vivid_keel.trades.supports.practice import answer_drafts, found_drafts, mark_draft, practice_drafts
from vivid_keel.trades.supports.result import SupportsResult
from vivid_keel.trades.supports.visits import drifts_of, labels, tied, visits_of

Spot = tuple[str, int]
"""Read as found or as left, or moved; and the place of the post among all."""
MOVE = "move"
JACK_STEP = 1e-4
"""What an arrow key turns a simulated jack by [m]."""
SLIPS, SLIPS_IN_FEET = (1.0, 0.5, 0.1), (1.0, 0.5, 0.1, 0.3048, 0.0254)
"""What readings are wrong by when a digit or a mark is misread [m]."""
FAR_OFF = 0.08
"""A reading that lies further off those beside it is asked about [m], besides three times what they differ by."""
LONGEST = 12.0
"""No staff or tape is read beyond this [m]; more is a unit forgotten."""


def odd_by(value: float, others: Sequence[float], slips: Sequence[float]) -> tuple[float, float]:
    """Return how far a reading lies off its neighbours [m], + above them, and which usual slip explains that [m], 0 for none.

    Both are 0 where nothing is odd: too few are read, or the others are as far apart.
    """
    if len(others) < 2:
        return 0.0, 0.0
    middle, spread = sorted(others)[len(others) // 2], max(others) - min(others)
    off = value - middle
    for slip in slips:
        near = abs(abs(off) - slip) <= spread / 2 + 0.1 * slip
        if near and abs(off) > 2 * spread + 0.3 * slip:
            return off, math.copysign(slip, off)
    return (off, 0.0) if abs(off) > FAR_OFF + 3 * spread else (0.0, 0.0)


class SupportsDesk(StreamingDesk):
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

    # A level that sends a height

    sends_lengths = True
    _answered: tuple[object, dict[int, float]] = (None, {})

    @property
    def facts(self) -> Stated:
        return self.book.live

    def wanted(self, phase: str) -> list[Spot]:
        points = self.book.points
        return [(phase, i) for i, p in enumerate(points) if p.read(phase) is None and not p.aside]

    @property
    def left_begun(self) -> bool:
        return any(point.left is not None for point in self.book.points)

    def told(self, i: int) -> tuple[Spot, float] | None:
        step = self.result.step(i)
        return None if step is None else ((MOVE, i), self.result.stop_after(step))

    def place_words(self, place: Spot) -> str:
        return self.book.points[place[1]].name

    def draft_at(self, place: Spot, phase: str, typed: str) -> Draft:
        point = self.book.points[place[1]]
        body = {"point": point.id, "phase": phase, "reading": as_read(self.parse_reading(typed))}
        return Draft(self.work, "reading", body)

    def stream_words(self, value: float) -> str:
        return show_length(value, self._fine, unit=self.book.unit != "m")

    @property
    def _fine(self) -> LengthStyle:
        """A tenth of a millimetre, or what the work's own unit has."""
        return style_for(self.book.unit, 0.0001) if self.book.unit == "m" else self.book.style

    def _true(self, place: Spot) -> float:
        """What a scale at a simulated post shows: as it was read, raised by what its jack was turned; as left as the building answers."""
        phase, i = place
        point = self.book.points[i]
        read = point.found or point.first
        at = 0.0 if read is None else read.value
        if phase == LEFT and self.hidden is not None:
            if self._answered[0] is not self.result:  # the building is asked once, not at every number
                answer = {
                    d.body["point"]: metres(d.body["reading"]) for d in answer_drafts(self, self.hidden)
                }
                self._answered = (self.result, answer)
            return self._answered[1].get(point.id, at)
        turned = self.turning[1] if self.turning[0] == i else 0.0
        return at + turned * float(signs([point.sense])[0])

    def number(self) -> Number:
        heard, i, place = self.live.heard, self.foot_in_hand, self.lies_at()
        moved = self.in_sight.startswith("Moves") and i >= 0
        told = self.told(i) if moved else None
        step = self.result.step(i) if moved else None
        return Number(
            None if heard is None or heard.n == 0 else heard.value,
            bool(heard is not None and heard.still),
            self.live.silent,
            "" if place is None else self.place_words(place),
            self.book.limits.tolerance,
            None if told is None else told[1],
            self.book.points[i].name if moved else "",
            0.0 if step is None else float(self.result.part(step)),
            float(signs([self.book.points[i].sense])[0]) if moved else 0.0,
            self.turning[1] if self.hidden is not None and moved else None,
            self.stream_words,
            self.book.style.label,
            "the level stands at",
            "" if step is None else self._packs(step),
        )

    def _packs(self, step: Step) -> str:
        """What is packed while the jack holds it up, and how far that goes; "" where nothing is."""
        first = self.result.first_of(step)
        if step.told is not None or is_missing(first):
            return ""
        return f"jack to {self.stream_words(first)}, pack {self.result.step_in_words(step)}, let it down"

    @property
    def takes_itself(self) -> bool:  # type: ignore[override]
        """Packing isn't in because a number stands where it is to: that is told by a key."""
        i = self.foot_in_hand
        packed = self.in_sight.startswith("Moves") and i >= 0 and self.book.by_leaves(self.book.points[i].id)
        return super().takes_itself and not packed

    @property
    def step(self) -> float:
        return JACK_STEP if self.in_sight == f"Moves:{LIVE}" else super().step

    def drag(self, value: float, *, done: bool) -> None:
        """Turn the simulated jack in hand to so far [m]; where nothing is simulated, move the target."""
        i = self.foot_in_hand
        if self.in_sight != f"Moves:{LIVE}" or self.hidden is None or i < 0:
            super().drag(value, done=done)
            return
        self.turning = (i, value)

    def take(self, result: Any) -> None:
        self.turning = (-1, 0.0)
        super().take(result)

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

    _asked_readings: set[tuple[int, str, float]]

    def begin(self) -> None:
        super().begin()
        self._asked_readings = set()

    def ask_odd_reading(self, row: int, phase: str, length: Length) -> None:
        """Ask once about a reading that lies a whole metre, half of one or 100 mm off its neighbours (a foot or an inch where it is
        read in those); typed again it is taken.

        Raises
        ------
        KeelError
            `odd-reading`, the first time.
        """
        point = self.book.points[row]
        asked = (point.id, phase, round(length.value, 6))
        if asked in self._asked_readings:
            return
        others = [
            read.value
            for k, other in enumerate(self.book.points)
            if k != row and other.sense == point.sense and (read := other.read(phase)) is not None
        ]
        slips = SLIPS_IN_FEET if self.book.unit in {"ft", "ft-in", "in"} else SLIPS
        off, slip = odd_by(length.value, others, slips)
        if not off:
            return
        self._asked_readings.add(asked)
        style = self.book.style
        meant = show_length(length.value - slip, style)
        question = f"was {meant} meant?" if slip else f"is it {point.name}'s reading?"
        raise KeelError(
            "odd-reading",
            f"{show_length(length.value, style, unit=True)} lies {show_amount(abs(slip or off), style)} "
            f"{'above' if off > 0 else 'below'} the readings beside it: {question} Enter again takes it as it is",
        )

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

    def work_sheet(self, *, changes: bool = False) -> Callable[[], list[Picture]] | None:
        if not self.has_sheet:
            return None
        result, heading = self.result, self.heading()
        only = result.since_printed if changes else None
        watch = self.book.reference_name if FOUND in self.book.reference else ""

        def pages() -> list[Picture]:
            made = Pages(heading)
            work_sheet(made, result, watch, only)
            return made.done()

        return pages

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        return [(point.name, point.x, point.y, math.nan, {"row": point.row}) for point in self.book.points]

    def practise(self) -> Goto | None:
        """Make a practice copy over a simulated building, and go there."""
        made = self.practice_file.record(practice_drafts(self))
        work = made[0].id
        names = {str(entry.body["name"]): entry.id for entry in made if entry.kind == "point"}
        self.practice_file.record(found_drafts(self, work, names))
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
