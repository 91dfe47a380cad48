"""A body on feet while it is shown: tilts typed and said as the bubble shows them, and which foot is turned until it stands where."""

from __future__ import annotations

import math
import re
from abc import abstractmethod
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from vivid_keel.core.body.facts import STEEPEST
from vivid_keel.core.body.standing import answer_of
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import CARRY, counts_turns
from vivid_keel.core.moving.fold import begun_at
from vivid_keel.core.moving.means import SCREW
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.result import Planned
from vivid_keel.core.quantities import Tilt, parse_length, parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Next
from vivid_keel.desk.bubble_live import MATCH, LivingDesk
from vivid_keel.desk.bubble_site import BodyBooking
from vivid_keel.desk.moving.moves import MovesSheet
from vivid_keel.desk.moving.stages import LED_TO, TO_MOVE, TO_PROVE
from vivid_keel.desk.moving.visits import body_view
from vivid_keel.desk.sheet import Cell, Column, Goto
from vivid_keel.desk.site import SiteBooking
from vivid_keel.desk.stage import Draw, NextStep
from vivid_keel.desk.streaming import live_picture
from vivid_keel.desk.visits import VisitView
from vivid_keel.figures.display import Picture
from vivid_keel.figures.live import Number, bubble_to_match
from vivid_keel.figures.measure import text_width

UNDER = re.compile(r"[^a-z]*[^a-z/]\s*(?:mm|in|thou|µm)", re.IGNORECASE)
"""A reading with such a unit, and no other below it, is no tilt but packing under the level's own end."""
BOTH_ENDS = re.compile(r"([+\-−]?[\d.,]+)\s*[/;|\s]\s*([+\-−]?[\d.,]+)")
"""Both ends of a bubble, from the vial's middle."""
FARTHEST = 100.0
"""No body is longer than this [m]; more is a unit forgotten."""


class BubbleDesk(LivingDesk):
    """A body on feet."""

    not_offered = frozenset({"height", "given", "fall", "sense", "beam", "clearance", "leaf_size"})

    @property
    def division(self) -> float:
        """One division of the level in hand [rad]."""
        return self.facts.values["division"]

    def draft_at(self, place: Any, phase: str, typed: str) -> Draft:
        """The entry of what was typed at a place. Raises KeelError to refuse it."""
        return self.reading_draft(place, phase, typed, self.parse_bubble(typed).value)

    def asked_at(self, place: Any) -> str:
        """What is to be typed at a place, in a line."""
        return "wait until it rests; divisions, + where the arrow's end is high"

    @abstractmethod
    def stop_words(self, i: int) -> str:
        """What the level shows once a foot was turned, and where it lies for that; "" where nothing tells."""

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        return body_view(self)

    def number(self) -> Number:
        return seen_live(self)

    def site_booking(self) -> SiteBooking | None:
        return BodyBooking(self) if len(self.book.points) >= 3 else None

    def own_findings(self, stage: str) -> list[Finding]:
        words = "Let it be read" if self.wanted(FOUND) else "Turn, let it answer"
        first = (
            [
                Finding(
                    "todo",
                    "Try every foot first",
                    "A foot pushes and never pulls: one that turns freely hangs, and the level can't show it. Bring it up until it just takes.",
                    action="take",
                    action_label="All take",
                )
            ]
            if stage == "Readings" and self.hidden is None and self.asks_for_feet
            else []
        )
        return first + [
            replace(finding, action_label=words) if finding.action == "answer" else finding
            for finding in super().own_findings(stage)
        ]

    @abstractmethod
    def watched(self, i: int) -> tuple[int, int, float] | None:
        """From which foot to which, by id, a level is watched while a foot is turned, and the body's tilt there then [rad]."""

    def _put_body(self, i: int, put: Planned, *, planned: bool) -> dict[str, Any]:
        body, where = super()._put_body(i, put, planned=planned), self.watched(i)
        by_level = self.book.means_at(self.book.points[i].id).watched and not counts_turns(self.book)
        if planned and where is not None and by_level:
            body["watched"] = {"from": where[0], "to": where[1], "tilt_rad": where[2]}
        return body

    @property
    def asks_for_feet(self) -> bool:
        """Whether every foot is to be tried before anything is read: more than three stand there, and one may hang."""
        book, tried = self.book, self.file.journal.latest(self.work, "feet-take")
        return (
            book.springy
            and len(book.points) > CARRY
            and not book.passes
            and not book.booked
            and self.result.read == 0
            and (tried is None or tried.id < begun_at(self.file.journal, self.work))
        )

    @abstractmethod
    def read_next(self, phase: str) -> str:
        """What is read next of a phase, in words; "" where all is read that is wanted."""

    def read_sheet(self, phase: str) -> int:
        """On which sheet that is read, by its number at the stage."""
        return 0

    def parse_reading(self, text: str) -> Any:
        return parse_length(text, self.book.unit, self.decimal_mark)

    def parse_place(self, text: str) -> float:
        """Return a place along or across as typed [m]; refuse one that no body reaches."""
        place = parse_length(text.strip(), self.book.style.far, self.decimal_mark).value
        if abs(place) > FARTHEST:
            raise KeelError(
                "bad-value",
                f"{text.strip()}: no foot stands {FARTHEST:.0f} m off; was another unit meant? Type it too: 900 mm, 3 ft",
            )
        return place

    def _by_both_ends(self, text: str) -> Tilt | None:
        """Return the tilt that both ends of a bubble tell, in divisions from the vial's middle, + towards the arrow's end; None for
        no such text."""
        ends = BOTH_ENDS.fullmatch(text.strip())
        if ends is None:
            return None
        left, right = (parse_tilt(end, "div", self.decimal_mark, self.division) for end in ends.groups())
        if right.value <= left.value:
            raise KeelError(
                "bad-value",
                f"{text.strip()}: first the end away from the arrow, then the one towards it, + that way",
            )
        step = math.hypot(left.resolution, right.resolution) / 2
        return Tilt(text.strip(), "div", (left.value + right.value) / 2, step)

    def _under_the_level(self, text: str) -> Tilt | None:
        """Return the tilt that packing tried under the level's own end tells, typed with its unit: thickness over base; None for no such text."""
        clean = text.strip()
        if UNDER.fullmatch(clean) is None or "base" not in self.facts.values:
            return None  # where nobody asks how long the level is, a length is no tilt
        thick, base = parse_length(clean, "mm", self.decimal_mark), self.facts.values["base"]
        return Tilt(clean, "mm", math.atan(thick.value / base), thick.resolution / base)

    def parse_bubble(self, text: str) -> Tilt:
        """Return what a level shows as typed: divisions, or any tilt with its unit; refuse what no level shows."""
        tilt = (
            self._by_both_ends(text)
            or self._under_the_level(text)
            or parse_tilt(text, "div", self.decimal_mark, self.division)
        )
        if abs(tilt.value) > self.facts.values["reach"] * self.division * (1 + 1e-9) and tilt.unit == "div":
            raise KeelError(
                "bad-value",
                f"{text.strip()}: this vial is marked to {self.facts.values['reach']:g} divisions either side; bring it nearer first, or say under Instrument how far it goes",
            )
        if abs(tilt.value) > STEEPEST:
            raise KeelError(
                "bad-value",
                f"{math.tan(tilt.value) * 1000:.0f} mm/m is steeper than any level of this sort shows; was another unit meant?",
            )
        return tilt


class FeetMovesSheet(MovesSheet):
    """Which foot, which way, how far, until the bubble stands where."""

    hint = "Level then shows: its own error in it, + the arrow's end high · Put in: Enter as planned · F4 why"

    def __init__(self, desk: BubbleDesk) -> None:
        self.body = desk
        if counts_turns(desk.book):
            self.hint = "Turn so far, or stop sooner where the level shows its number · Put in: Enter as planned · F4 why"
        super().__init__(desk)

    def _title(self, name: str) -> Column:
        if name == "post":
            return Column(f"Order, {self.body.book.called[0]}", 104)
        if name == "stop":
            longest = max(
                (text_width(self.body.stop_words(i), 15) for i in self.body.result.to_move), default=0
            )
            head = "Stop sooner at" if counts_turns(self.body.book) else "Level then shows"
            return Column(head, max(200, round(longest) + 20), True)
        return super()._title(name)

    def _wanted(self) -> list[str]:
        return [name for name in super()._wanted() if name not in {"first", "over"}]

    def _stop(self, i: int) -> Cell:
        return Cell(self.body.stop_words(i), bold=True)

    def _stays(self, i: int, name: str) -> Cell:
        return Cell() if name == "stop" else super()._stays(i, name)


def _try_feet(desk: BubbleDesk, stage: str) -> Next | None:
    if desk.hidden is not None or not desk.asks_for_feet:
        return None
    return Next(
        "Next: try every foot",
        "one that turns freely hangs; then all take",
        "take",
    )


def _all_take(desk: BubbleDesk, rest: str) -> Goto:
    if desk.asks_for_feet:
        desk.record(Draft(desk.work, "feet-take", {}))
    return Goto("Readings", desk.read_sheet(FOUND))


def _read(desk: BubbleDesk, stage: str) -> Next | None:
    what = desk.read_next(FOUND)
    if not what:
        return None
    wanted = desk.wanted(FOUND)
    return Next(f"Next: {what}", desk.asked_at(wanted[0]) if wanted else "", "read")


def _again(desk: BubbleDesk, stage: str) -> Next | None:
    result = desk.result
    if not result.read or (result.to_do and not desk.left_begun and stage == "Moves"):
        return None
    if not result.to_move and not desk.left_begun and (cure := desk.to_cure(stage)) is not None:
        return cure  # nothing was moved: to read it again would tell the same
    what = desk.read_next(LEFT)
    if not what or (not desk.left_begun and not desk.book.booked and result.to_move):
        return None
    return Next(f"Next: {what}, as left", "along, across, and along again", "left")


def _put(desk: BubbleDesk, stage: str) -> Next | None:
    result = desk.result
    if stage != "Moves" or desk.cautions_first or not result.walk or desk.left_begun:
        return None
    step = result.walk[result.stage_in_hand][0]
    name = desk.book.points[step.place].name
    verb = "turn" if desk.book.means_at(desk.book.points[step.place].id).kind == SCREW else "set"
    return Next(f"Next: {verb} {name}", f"{result.step_in_words(step)}; Enter books it", f"book:{step.place}")


def _to_book(desk: BubbleDesk, rest: str) -> Goto:
    sheet = FeetMovesSheet(desk)
    return Goto("Moves", 0, (sheet.row_of(int(rest)) if rest else 0, len(sheet.columns) - 1))


def _answer(desk: BubbleDesk, stage: str) -> Next | None:
    if desk.hidden is None or desk.left_begun:
        return None
    if desk.wanted(FOUND):
        return Next(
            "Next: let it be read", "the stand-in, in the order of work; or read it yourself: F8", "answer"
        )
    if not desk.result.to_do or desk.cautions_first:
        return None
    return Next(
        "Next: turn, let it answer", "all as planned, then read again; or turn by the live number", "answer"
    )


def _let_answer(desk: BubbleDesk, rest: str) -> Goto:
    found = bool(desk.wanted(FOUND))
    desk.answer()
    return Goto("Readings" if found else "Proof")


def _proof_sheet(name: str) -> Callable[[Any, str], Goto]:
    """Lead to a sheet of Proof by its name: how many there are before it depends on what was read."""

    def goes(desk: Any, rest: str) -> Goto:
        names = [sheet.name for sheet in desk.sheets("Proof")]
        return Goto("Proof", names.index(name) if name in names else 0)

    return goes


def match_picture(desk: Any) -> list[tuple[str, Draw[Any]]]:
    """Return the picture in which a bubble is put where it is seen, or the number that comes in, where one does."""
    return live_picture(desk) or [(MATCH, lambda d, width, height: to_match(d, width, height))]


def to_match(desk: BubbleDesk, width: float, height: float) -> Picture:
    """Return a vial whose bubble is put where it is seen."""
    place = desk.lies_at()
    where = "" if place is None else desk.place_words(place)
    return bubble_to_match(where, desk.bubble, min(8.0, desk.facts.values["reach"]), width, height)


def seen_live(desk: BubbleDesk) -> Number:
    """Return what the live picture shows."""
    still, i, result = desk.live.heard, desk.foot_in_hand, desk.result
    place, told = desk.lies_at(), None
    turning = i >= 0 and desk.in_sight.startswith("Moves")
    planned = 0.0
    by = 0.0
    name = ""
    if turning:
        told, name, planned = desk.told(i), result.book.points[i].name, float(result.does(i))
        if told is not None:
            by = float(desk.tilt_row(told[0]) @ answer_of(result)[:, i])
    return Number(
        None if still is None or still.n == 0 else still.value,
        bool(still is not None and still.still),
        desk.live.silent,
        "" if place is None else desk.place_words(place),
        desk.division,
        None if told is None else told[1],
        name,
        planned,
        by,
        desk.turning[1] if desk.hidden is not None and turning else None,
    )


_LEADS = {"again": "Look again", "passes": "Rounds"}
BODY_STEPS: tuple[NextStep[Any], ...] = (
    NextStep("answer", _let_answer, _answer),
    NextStep("take", _all_take, _try_feet),
    NextStep("read", lambda desk, rest: Goto("Readings", desk.read_sheet(FOUND)), _read),
    *[step for step in TO_MOVE if step.key not in {"left", "book", "answer"}],
    NextStep("book", _to_book, _put),
    NextStep("left", lambda desk, rest: Goto("Proof", desk.read_sheet(LEFT)), _again),
    *(
        replace(step, goes=_proof_sheet(_LEADS[step.key])) if step.key in _LEADS else step
        for step in (*TO_PROVE, *LED_TO)
    ),
)
"""What comes next at a body once its feet are known."""
