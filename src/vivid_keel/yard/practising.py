"""A learner's practice as its sheets see it: what was done, what is in hand, what is proposed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Desk, JobLike
from vivid_keel.desk.sheet import Goto, Place, Sheet
from vivid_keel.yard.attempt import Attempt, Debrief
from vivid_keel.yard.learner import (
    EXERCISES,
    Exercise,
    Skill,
    debrief,
    fold_attempts,
    level_of,
    next_exercise,
    skills,
)
from vivid_keel.yard.rounds import Rounds


class Piece(Struct, frozen=True):
    """A simulated work or instrument to practise on: its kind, what is done with it, and a word about it."""

    key: str
    title: str
    goal: str


class Practising(Desk):
    """The practice of one learner."""

    def __init__(self, file: JobLike, work: int) -> None:
        self.pieces: Sequence[Piece] = ()
        """What can be practised on besides the exercises."""
        self.begin_piece: Callable[[str], Goto | None] = lambda key: None
        """Makes one, and says where it is."""
        super().__init__(file, work)
        self.refresh()

    def refresh(self) -> None:
        self.attempts: list[Attempt] = fold_attempts(self.file.journal, self.work)
        self.skills: dict[str, Skill] = skills([one for one in self.attempts if one.ended])
        self.proposed = self.now.exercise if self.now is not None else next_exercise(self.attempts)

    @property
    def now(self) -> Attempt | None:
        """The attempt in hand; None where the last one was ended."""
        return self.attempts[-1] if self.attempts and not self.attempts[-1].ended else None

    @property
    def exercise(self) -> Exercise | None:
        """The exercise in hand."""
        return None if self.now is None else EXERCISES[self.now.exercise]

    @property
    def last(self) -> Attempt | None:
        """The attempt that is looked back on: the one ended last."""
        return next((one for one in reversed(self.attempts) if one.ended), None)

    @property
    def debrief(self) -> Debrief | None:
        """What came of it."""
        return None if self.last is None else debrief(self.last)

    def begin_drafts(self, key: str) -> list[Draft]:
        """What begins an exercise; nothing where it is in hand already. Another one in hand is dropped."""
        if self.now is not None and self.now.exercise == key:
            return []
        drop = [Draft(self.work, "yard-end", {"why": "dropped"})] if self.now is not None else []
        seed = 1000 + 7919 * len(self.file.journal.entries) % 1_000_003
        body = {"exercise": key, "level": level_of(self.attempts, key), "seed": seed}
        return [*drop, Draft(self.work, "yard-begin", body)]

    def act(self, what: str, text: str, value: float) -> list[Draft]:
        """What is done in the exercise in hand; the last thing to do ends it."""
        assert self.now is not None and self.exercise is not None
        why = self.exercise.refused(self.now, what, value) if isinstance(self.exercise, Rounds) else ""
        if why:
            raise KeelError("bad-value", why[:1].upper() + why[1:])
        made = [Draft(self.work, "yard-act", {"what": what, "text": text, "value": value})]
        if self.exercise.over(self.now.with_act(what, text, value)):
            made.append(Draft(self.work, "yard-end", {"why": "done"}))
        return made

    def after_act(self, place: Place | Callable[[Sheet], Place]) -> Callable[[Sheet], Place | Goto]:
        """Where an act leads: on, or to the debrief once the exercise is over."""
        before = len([one for one in self.attempts if one.ended])

        def where(sheet: Sheet) -> Place | Goto:
            if len([one for one in self.attempts if one.ended]) > before:
                return Goto("Debrief")
            return place(sheet) if callable(place) else place

        return where
