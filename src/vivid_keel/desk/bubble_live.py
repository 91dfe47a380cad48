"""A body whose level sends its numbers, and a simulated one to practise on: it answers by readings, and through the same door."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any

import numpy as np

from vivid_keel.core.body.standing import tips_of
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Goto
from vivid_keel.desk.live import Live
from vivid_keel.desk.moving.desk import MovingDesk

LIVE, MATCH = "Live", "The bubble"
"""Names of the pictures that show the number as it comes in, and a bubble to be put where it is seen."""
COPIED = ("limits", "body-fact", "leaf", "mover", "foot", "bed-station", "panel")
FINE_STEP = 5e-6
"""What an arrow key turns a simulated foot by [m]."""


class LivingDesk(MovingDesk):
    """A body read by a level."""

    def begin(self) -> None:
        super().begin()
        self._live: Live | None = None
        self.in_sight = ""
        self.bubble: float | None = None
        """Where the bubble was put in the picture, in divisions, while that is not taken."""
        self.turning: tuple[int, float] = (-1, 0.0)
        """A simulated foot in the hand, and how far it was turned since [m]."""

    # What a trade says of where its level is laid

    @property
    @abstractmethod
    def facts(self) -> Stated:
        """What is known of the body and its level."""

    @abstractmethod
    def wanted(self, phase: str) -> list[Any]:
        """Where the level is still to be laid, in order."""

    @abstractmethod
    def tilt_row(self, place: Any) -> Any:
        """What the level shows at a place more for each foot's rise (n,) [rad/m]."""

    @abstractmethod
    def in_it(self, place: Any, zero: float) -> float:
        """What stands in a reading at a place beside the body's tilt [rad], the level's own error being `zero` [rad]."""

    @abstractmethod
    def reading_draft(self, place: Any, phase: str, text: str, tilt: float) -> Draft:
        """The entry of a reading."""

    @abstractmethod
    def told(self, i: int) -> tuple[Any, float] | None:
        """Where the level is watched while a foot is turned, and what it then shows [rad]."""

    # A number that comes in by itself

    @property
    def may_move(self) -> bool:  # type: ignore[override]
        return self.streams()

    @property
    def matching(self) -> str:  # type: ignore[override]
        return "instrument" if self.streams() else "staff"

    @property
    def live(self) -> Live:
        if self._live is None or self._live.facts.texts != self.facts.texts:
            self.close()
            self._live = Live(self.facts, self.hidden is not None)
        return self._live

    def streams(self) -> bool:
        return self.hidden is not None or bool(self.facts.texts["port"].strip())

    def moves_at(self, stage: str, view: int) -> bool:
        names = self.views(stage)
        return view < len(names) and names[view] == LIVE

    def on_view(self, stage: str, view: int) -> None:
        self.in_sight = f"{stage}:{self.views(stage)[view]}" if view < len(self.views(stage)) else stage

    @property
    def foot_in_hand(self) -> int:
        """The foot that is turned now, in the order of work; −1 where none is."""
        result = self.result
        if not result.walk or self.cautions_first:
            return -1
        return result.walk[result.stage_in_hand][0].place

    def lies_at(self) -> Any:
        """Where the level lies now: watched while a foot is turned, else where it is read next; None where nowhere."""
        i = self.foot_in_hand
        if self.in_sight.startswith("Moves") and i >= 0:
            told = self.told(i)
            return None if told is None else told[0]
        wanted = self.wanted(LEFT if self.in_sight.startswith("Proof") else FOUND)
        return wanted[0] if wanted else None

    def listen(self) -> None:
        place = self.lies_at()
        if place is not None and self.streams():
            self.live.listen(place, self._true(place) if self.hidden is not None else 0.0)

    @property
    def moving(self) -> bool:
        return self.streams() and self.in_sight.endswith(LIVE)

    def stream_text(self) -> str:
        place = self.lies_at()
        if place is None:
            raise KeelError("bad-value", "nothing is to be read here; the next step says what is")
        self.listen()
        digits = max(0, round(-np.log10(self.facts.values["digit"] * 1000)))
        return f"{show_number(self.live.stands_at() * 1000, digits, signed=True)} mm/m"

    def close(self) -> None:
        if self._live is not None:
            self._live.close()
            self._live = None

    # A stand-in

    @property
    def simulated(self) -> tuple[str, str]:
        return (
            "A stand-in",
            "For practice: its feet take load from one another, one is sprung, what was turned closes a little, and its level is out.",
        )

    def practise(self) -> Goto | None:
        """Make a practice copy with hidden heights, and go there."""
        from vivid_keel.stands.bodies import hide_body

        points, journal = self.book.points, self.file.journal
        if len(points) < 3 or tips_of(self.book) is None:
            raise KeelError("bad-value", "say first where its feet stand: three at least, not in a line")
        before = sum(str(work.body["name"]).endswith(f": {self.book.name}") for work in journal.works())
        name = f"Practice{f' {before + 1}' if before else ''}: {self.book.name}"
        drafts = [Draft(0, "work", {"name": name, "type": self.trade.key, "unit": self.book.unit})]
        drafts += [
            Draft(-1, kind, dict(entry.body))
            for kind in COPIED
            for entry in journal.standing(self.work, kind)
        ]
        hidden = hide_body(1000 + len(journal.entries), len(points), self.facts.values["division"])
        made = self.file.record([*drafts, Draft(-1, "stand-in", {"hidden": hidden})])
        return Goto("Readings", 0, None, 0, made[0].id)

    def _true(self, place: Any) -> float:
        """What the level truly shows at a place of the simulated body, its own error in it [rad]."""
        from vivid_keel.stands.bodies import heights

        hidden, tips = self.hidden, tips_of(self.book)
        if hidden is None or tips is None:
            return 0.0
        i, more = self.turning
        if i >= 0:
            hidden = hidden | {f"turned{i}": hidden.get(f"turned{i}", 0.0) + more}
        h = heights(hidden, tips, len(self.book.passes))
        return float(self.tilt_row(place) @ h) + self.in_it(place, hidden["zero"])

    def answer(self) -> None:
        """Let the simulated body be read as found; or turn what is still to be turned, and read it as left, as one act."""
        from vivid_keel.stands.bodies import really_turned

        hidden, made = self.hidden, list[Draft]()
        if hidden is None:
            raise KeelError("bad-value", "a real body answers by being read; practise on a copy of it (menu)")
        if self.wanted(FOUND):
            self.record(*self._read(FOUND))
            return
        for i in self.result.to_do:
            move = float(self.result.lifts[i])
            made += self.booked_as_planned(i)
            if hidden.get(f"live{i}") != len(self.book.passes) + 1:
                more = really_turned(hidden, i, move, len(self.file.journal.entries))
                hidden = hidden | {f"turned{i}": hidden.get(f"turned{i}", 0.0) + more}
        once = [draft for k, draft in enumerate(made) if draft.kind != "keeper" or k == 0]
        self.record(*once, Draft(self.work, "stand-in", {"hidden": hidden}))
        self.record(*self._read(LEFT))

    def _read(self, phase: str) -> list[Draft]:
        """What is read wherever it is still to be."""
        when = len(self.file.journal.entries)
        return [
            self.seen_of(place, phase, self._true(place), when + k)
            for k, place in enumerate(self.wanted(phase))
        ]

    def seen_of(self, place: Any, phase: str, true: float, when: int) -> Draft:
        """The entry of what is read at a place of the simulated body, where the level truly shows so much [rad]."""
        from vivid_keel.stands.bodies import seen

        v, seed = self.facts.values, int((self.hidden or {})["seed"])
        tilt = seen(true, v["division"], v["read"], seed, when)
        text = show_number(tilt / v["division"], 2, signed=True).replace("−", "-")
        return self.reading_draft(place, phase, text, tilt)

    def matched(self) -> str:
        if self.bubble is None or not self.in_sight.endswith(MATCH):
            return ""
        return show_number(self.bubble, 2, signed=True).rstrip("0").rstrip(".").replace("−", "-") or "0"

    def take(self, result: Any) -> None:
        self.bubble = None
        super().take(result)

    @property
    def step(self) -> float:
        if self.in_sight.endswith(MATCH):
            return self.facts.values["read"]
        return FINE_STEP if self.in_sight == f"Moves:{LIVE}" else super().step

    def drag(self, value: float, *, done: bool) -> None:
        """Turn the simulated foot in hand to so far [m]; where nothing is simulated, move the target."""
        if self.in_sight.endswith(MATCH):
            read = self.facts.values["read"]
            self.bubble = round(value / read) * read
            return
        i, hidden = self.foot_in_hand, self.hidden
        if self.in_sight != f"Moves:{LIVE}" or hidden is None or i < 0:
            super().drag(value, done=done)
            return
        self.turning = (i, value)
        if done:
            more = {
                f"turned{i}": hidden.get(f"turned{i}", 0.0) + value,
                f"live{i}": len(self.book.passes) + 1.0,
            }
            self.turning = (-1, 0.0)
            self.record(Draft(self.work, "stand-in", {"hidden": hidden | more}))
