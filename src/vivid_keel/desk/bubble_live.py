"""A body whose level sends its numbers, and a simulated one to practise on: it answers by readings, and through the same door."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any

import numpy as np

from vivid_keel.core.body.standing import tips_of
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Goto
from vivid_keel.desk.streaming import LIVE, StreamingDesk

MATCH = "The bubble"
"""Name of the picture in which a bubble is put where it is seen."""
COPIED = ("limits", "body-fact", "leaf", "mover", "foot", "bed-station", "panel")
FINE_STEP = 5e-6
"""What an arrow key turns a simulated foot by [m]."""


class LivingDesk(StreamingDesk):
    """A body read by a level."""

    def begin(self) -> None:
        super().begin()
        self.bubble: float | None = None
        """Where the bubble was put in the picture, in divisions, while that is not taken."""

    # What a trade says of where its level is laid

    @abstractmethod
    def tilt_row(self, place: Any) -> Any:
        """What the level shows at a place more for each foot's rise (n,) [rad/m]."""

    @abstractmethod
    def in_it(self, place: Any, zero: float) -> float:
        """What stands in a reading at a place beside the body's tilt [rad], the level's own error being `zero` [rad]."""

    @abstractmethod
    def reading_draft(self, place: Any, phase: str, text: str, tilt: float) -> Draft:
        """The entry of a reading."""

    def stream_words(self, value: float) -> str:
        digits = max(0, round(-np.log10(self.facts.values["digit"] * 1000)))
        return f"{show_number(value * 1000, digits, signed=True)} mm/m"

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
        drafts = [
            self.begin_practice(),
            *(
                Draft(-1, kind, dict(entry.body))
                for kind in COPIED
                for entry in journal.standing(self.work, kind)
            ),
        ]
        hidden = hide_body(1000 + len(journal.entries), len(points), self.facts.values["division"])
        made = self.practice_file.record([*drafts, Draft(-1, "stand-in", {"hidden": hidden})])
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
