"""A vehicle while it is shown; its two-way level may send its numbers, and a simulated one answers."""

from __future__ import annotations

import math

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.listing import DONE, TO_DO, MoveLine
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.live import Live
from vivid_keel.desk.sheet import Goto
from vivid_keel.desk.streaming import LIVE, Streaming
from vivid_keel.desk.visits import VisitView
from vivid_keel.figures.live import Number
from vivid_keel.trades.vehicle.book import Tilts, VehicleBook
from vivid_keel.trades.vehicle.result import DEGREE, JOCKEY, STEEPEST, VehicleResult
from vivid_keel.trades.vehicle.sheets import TiltsSheet
from vivid_keel.trades.vehicle.visits import LEAN, TIP, drifts_of, labels, visits_of

Spot = tuple[str, int]
"""Read as found or as left, or moved; and side to side (0) or nose to tail (1)."""
MOVE = "move"
WAYS = ("side to side", "nose to tail")
LIFT_STEP = 2e-3
"""What an arrow key lifts a simulated wheel by [m]."""
COPIED = ("vehicle", "live-fact")


class VehicleDesk(Streaming):
    """A vehicle on its wheels."""

    result: VehicleResult
    steepest = STEEPEST

    def begin(self) -> None:
        super().begin()
        self._done: tuple[int, int] = (0, 0)
        """The reading as found, by its entry, and how many of its moves came to their mark by the number."""

    def moves(self) -> list[MoveLine]:
        state = DONE if self.result.book.left is not None else TO_DO
        return [
            MoveLine(one.where, k, 1, one.lift, state=state, why=one.text)
            for k, one in enumerate(self.result.instructions, 1)
        ]

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        book = self.result.book
        return VisitView(
            "Tilt",
            (LEAN, TIP),
            labels(book),
            "°",
            lambda value, decimals, signed: show_number(math.degrees(value), decimals + 1, signed=signed),
            lambda: (
                visits_of(book),
                drifts_of(book) if len(book.occasions) > 1 else {},
                "By the two-way level at its own place: its offset falls out. Right side high +, nose high +.",
            ),
            book.found is not None or book.left is not None,
            "read the two-way level as found",
        )

    # A two-way level that sends

    @property
    def facts(self) -> Stated:
        return self.result.book.live

    @property
    def pattern(self) -> str:  # type: ignore[override]
        place = self.lies_at()
        return "nose" if place is not None and place[1] else "pattern"

    @property
    def live(self) -> Live:
        found = super().live
        found.carried = False  # it is screwed on
        return found

    def _read(self, phase: str) -> Tilts | None:
        return self.result.book.found if phase == FOUND else self.result.book.left

    def wanted(self, phase: str) -> list[Spot]:
        if self._read(phase) is not None:
            return []
        return [(phase, way) for way in (0, 1) if way not in self.typed(phase)]

    @property
    def cautions_first(self) -> bool:
        return not self.result.book.cautions_read

    @property
    def foot_in_hand(self) -> int:
        """The first move that a number tells to be done and that isn't yet: what can't be told by itself is done with it."""
        book, todo = self.result.book, self.result.instructions
        if book.found is None or book.left is not None or self.cautions_first:
            return -1
        begins = self._done[1] if self._done[0] == book.found.id else 0
        return next((i for i in range(begins, len(todo)) if todo[i].shows is not None), -1)

    def _way(self, i: int) -> int:
        """Which of both numbers tells of a move: the one that it changes most."""
        lean, tip = lift_does(self.result.book, self.result.instructions[i].where)
        return int(abs(tip) > abs(lean))

    def told(self, i: int) -> tuple[Spot, float] | None:
        shows = self.result.instructions[i].shows
        return None if shows is None else ((MOVE, self._way(i)), shows[self._way(i)])

    def place_words(self, place: Spot) -> str:
        return WAYS[place[1]]

    def stream_words(self, value: float) -> str:
        digits = max(0, math.ceil(-math.log10(self.facts.values["digit"] / DEGREE) - 1e-9))
        return f"{show_number(value / DEGREE, digits, signed=True)}°".replace("−", "-")

    def draft_at(self, place: Spot, phase: str, typed: str) -> Draft:
        return self.taken_at(place, phase, typed)[0]

    def taken_at(self, place: Spot, phase: str, text: str) -> list[Draft]:
        made = list(TiltsSheet(self, phase).accept(place[1], 1, text).drafts)
        if made:
            self.typed(phase).clear()
        return made

    def set_at(self, i: int) -> tuple[str, list[Draft]]:
        found = self.result.book.found
        self._done = (0 if found is None else found.id, i + 1)
        return self.result.instructions[i].where, []

    def number(self) -> Number:
        heard, i, place, hidden = self.live.heard, self.foot_in_hand, self.lies_at(), self.hidden
        move = self.result.instructions[i] if self.in_sight.startswith("Moves") and i >= 0 else None
        told = self.told(i) if move is not None else None
        values, way = self.result.book.values, 0 if place is None else place[1]
        before = self.result.instructions[max(0, i - 1) : i] if move is not None else []
        return Number(
            None if heard is None or heard.n == 0 else heard.value,
            bool(heard is not None and heard.still),
            self.live.silent,
            "" if place is None else WAYS[way],
            values[("roll-limit", "pitch-limit")[way]],
            None if told is None else told[1],
            "" if move is None else move.where,
            0.0 if move is None else move.lift,
            0.0 if move is None else lift_does(self.result.book, move.where)[way],
            None
            if hidden is None or move is None
            else hidden.get(f"lifted {move.where}", 0.0) + self.turning[1],
            lambda value: self.stream_words(value).replace("-", "−"),
            ("right side high +", "nose high +")[way],
            "the level,",
            "; ".join(f"{one.where}: {one.text}" for one in before if one.shows is None)
            or ("" if move is None else move.text),
        )

    # A stand-in

    def practise(self) -> Goto | None:
        """Make a practice copy that leans in a way nobody knows, and go there."""
        from vivid_keel.stands.vehicles import hide_vehicle

        journal = self.file.journal
        copied = [
            Draft(-1, kind, dict(entry.body))
            for kind in COPIED
            for entry in journal.standing(self.work, kind)
        ]
        hidden = hide_vehicle(1000 + len(journal.entries))
        made = self.practice_file.record(
            [self.begin_practice(), *copied, Draft(-1, "stand-in", {"hidden": hidden})]
        )
        return Goto("Readings", 0, None, 0, made[0].id)

    def _true(self, place: Spot) -> float:
        """What the level truly shows of the simulated vehicle, its own offset in it [rad]."""
        from vivid_keel.stands.vehicles import stands

        hidden, book, todo = self.hidden, self.result.book, self.result.instructions
        if hidden is None:
            return 0.0
        i, more = self.turning
        if i >= 0:
            hidden = hidden | _lifted(hidden, todo[i].where, more)
        zero = (book.values["zero-roll"], book.values["zero-pitch"])[place[1]]
        return stands(hidden, {one.where: lift_does(book, one.where) for one in todo})[place[1]] + zero

    @property
    def step(self) -> float:
        return LIFT_STEP if self.in_sight == f"Moves:{LIVE}" else super().step

    def drag(self, value: float, *, done: bool) -> None:
        """Lift the simulated wheel in hand to so much in all [m]."""
        i, hidden = self.foot_in_hand, self.hidden
        if self.in_sight != f"Moves:{LIVE}" or hidden is None or i < 0:
            return
        where = self.result.instructions[i].where
        more = value - hidden.get(f"lifted {where}", 0.0)
        self.turning = (i, more)
        if done:
            self.turning = (-1, 0.0)
            self.record(Draft(self.work, "stand-in", {"hidden": hidden | _lifted(hidden, where, more)}))

    def answer(self) -> None:
        """Let the simulated vehicle be read as found; or do what is planned, and read it as left."""
        hidden = self.hidden
        if hidden is None:
            raise KeelError(
                "bad-value", "a real vehicle answers by being read; practise on a copy of it (menu)"
            )
        phase = FOUND if self.result.book.found is None else LEFT
        if phase == LEFT:
            for one in self.result.instructions:
                if f"lifted {one.where}" not in hidden:
                    hidden = hidden | _lifted(
                        hidden, one.where, one.step if one.step is not None else one.lift
                    )
            self.record(Draft(self.work, "stand-in", {"hidden": hidden}))
        tenth = [
            f"{show_number(self._true((phase, way)) / DEGREE, 1, signed=True)}".replace("−", "-")
            for way in (0, 1)
        ]
        self.typed(phase).clear()
        for way, text in enumerate(tenth):
            made = self.taken_at((phase, way), phase, text)
        self.record(*made)

    def own_findings(self, stage: str) -> list[Finding]:
        found = super().own_findings(stage)
        if self.hidden is not None:
            begun = self.result.book.left is not None
            found.append(
                Finding(
                    "note",
                    "A stand-in",
                    "For practice: it leans in a way nobody knows, and sinks in a little where it is lifted.",
                    action="" if begun else "answer",
                    action_label="Do it, let it answer" if self.result.book.found else "Let it be read",
                )
            )
        return found


def _lifted(hidden: dict[str, float], where: str, by: float) -> dict[str, float]:
    """What is to be known of a simulated wheel that was lifted once more [m]."""
    return {f"lifted {where}": hidden.get(f"lifted {where}", 0.0) + by}


def lift_does(book: VehicleBook, where: str) -> tuple[float, float]:
    """What a lift there does to lean and tip [rad/m], right side and nose high +: the axle's middle goes up by half of what is put
    under a trailer's wheel, and of four wheels one tips the plane through them by half a corner."""
    v = book.values
    right = -1.0 if "left" in where else 1.0
    if where == JOCKEY:
        return 0.0, 1 / v["jockey"]
    if book.sort == "four":
        return right / 2 / v["track"], (1.0 if "front" in where else -1.0) / 2 / v["length"]
    return right / v["track"], -1 / 2 / v["length"]
