"""Exercises that are done with the hands, round by round: what a hand can do, the thing as it stands after each act, and what is told."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from typing import Generic, TypeVar

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.yard.attempt import Act, Attempt, Debrief, Step

ROUNDS = 10
"""So many in an attempt."""
TURNS, DEGREES, RINGS, CENTIMETRES, SECONDS, DIVISIONS, MILLIMETRES, METRES, NUMBER = (
    "turns",
    "degrees",
    "rings",
    "cm",
    "seconds",
    "divisions",
    "mm",
    "m",
    "a number",
)
ASKS = {
    TURNS: ("how many turns? Such as 1/4, -1/2 or 1 1/8; at most {most:g} at once", 12.0),
    DEGREES: ("which way is it to look, in degrees, such as 180?", math.inf),
    RINGS: ("how many rings is the bubble to go? Such as 1 or -1/2; at most {most:g} at once", 8.0),
    CENTIMETRES: ("how many centimetres? Such as 4 or -2.5; at most {most:g} at once", 60.0),
    SECONDS: ("how many seconds? Such as 10; at most {most:g} at once", 600.0),
    DIVISIONS: ("how many divisions from the middle? Such as 4.5, or -4.5 to the left", 40.0),
    MILLIMETRES: ("what does the scale show, in millimetres, such as 84.5?", 1000.0),
    METRES: ("how far along, in metres, such as 24?", 1000.0),
    NUMBER: ("which one? Such as 2", 99.0),
}
"""What may be typed beside a hand's doing: how it is asked for, and the most of it."""


class Hand(Struct, frozen=True):
    """What a hand can do: its key, its name, what is typed beside it ("" where Enter does it), and a word about it."""

    key: str
    name: str
    asks: str = ""
    note: str = ""


S = TypeVar("S")


class Rounds(ABC, Generic[S]):
    """An exercise of ten rounds, each with a thing that is brought to a goal by what the hands do.

    Attributes
    ----------
    key, title, goal : str
    shows : tuple of str
        The kinds of mistake that can be made at it.
    hands : tuple of Hand
        In the order of the sheet.
    last : str
        The hand that ends a round.
    over_what : str
        Over what its cost is told, "" where that goes without saying.
    """

    key = title = goal = ""
    shows: tuple[str, ...] = ()
    hands: tuple[Hand, ...] = ()
    last = over_what = ""
    count = ROUNDS

    @abstractmethod
    def begins(self, attempt: Attempt, k: int) -> S:
        """The thing as it is found the k-th time, from 0."""

    @abstractmethod
    def does(self, thing: S, act: Act) -> S:
        """The thing after an act."""

    @abstractmethod
    def judged(self, n: int, acts: Sequence[Act], things: Sequence[S], tally: Tally) -> Iterator[Step]:
        """Tell the steps of the n-th round, from 1; `things` is the thing at first and after each act."""

    @abstractmethod
    def costs(self, thing: S) -> float:
        """What it would have cost on a job that it was left so [m]."""

    @abstractmethod
    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[S]]]) -> str:
        """How far the rounds that were ended were good, in a sentence."""

    @abstractmethod
    def hint(self, attempt: Attempt) -> str:
        """What a teacher would say now."""

    def ends(self, act: Act) -> bool:
        """Whether an act ends a round."""
        return act.what == self.last

    def hand(self, key: str) -> Hand | None:
        """The hand of a key; None where the exercise has none such."""
        return next((one for one in self.hands if one.key == key), None)

    def rounds(self, attempt: Attempt) -> list[tuple[list[Act], list[S]]]:
        """What was done at each round, and the thing as it stood at first and after each act; the last one is in hand unless all are done."""
        out: list[tuple[list[Act], list[S]]] = [([], [self.begins(attempt, 0)])]
        for act in attempt.done:
            if len(out) > self.count:
                break
            if self.hand(act.what) is None:
                continue  # no yard booked that: only another program's file has it
            acts, things = out[-1]
            acts.append(act)
            things.append(self.does(things[-1], act))
            if self.ends(act):
                out.append(([], [self.begins(attempt, len(out))]))
        return out[: self.count]

    def thing(self, attempt: Attempt) -> S:
        """The thing in hand."""
        return self.rounds(attempt)[-1][1][-1]

    def over(self, attempt: Attempt) -> bool:
        """Whether every round was ended."""
        return sum(self.ends(act) for act in attempt.done) >= self.count

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        """Return what was typed beside a hand. Raises KeelError where it is nothing of the kind."""
        hand = self.hand(what)
        asks = hand.asks if hand is not None else TURNS
        return parse_asked(asks, text, decimal_mark)

    def refused(self, attempt: Attempt, what: str, value: float) -> str:
        """Why something can't be done as the thing stands, "" where it can."""
        return ""

    def debrief(self, attempt: Attempt) -> Debrief:
        """What came of it."""
        tally, steps, costs = Tally(self.shows), list[Step](), 0.0
        done = []
        for n, (acts, things) in enumerate(self.rounds(attempt), 1):
            steps += self.judged(n, acts, things, tally)
            if acts and self.ends(acts[-1]):
                costs = max(costs, self.costs(things[-1]))
                done.append((acts, things))
        return Debrief(steps, tally.slips, costs, self.summary(done) if done else "nothing was ended yet")


def parse_asked(asks: str, text: str, decimal_mark: str | None = ".") -> float:
    """Return a number, whole, broken or as a fraction, as it was typed where one is asked for. Raises KeelError where it is none."""
    clean = text.strip().replace("−", "-")
    clean = clean.replace(",", ".") if decimal_mark == "," else clean
    words, most = ASKS[asks]
    try:
        whole, _, part = clean.lstrip("+-").partition(" ")
        value = sum(_fraction(one) for one in (whole, part) if one)
    except (ValueError, ZeroDivisionError):
        value = math.nan
    if not clean or not math.isfinite(value) or value > most:
        raise KeelError("bad-value", f"“{text.strip()}”: {words.format(most=most)}")
    value = -value if clean.startswith("-") else value
    return value % 360 if asks == DEGREES else value


def _fraction(text: str) -> float:
    """A number or a fraction, such as 1/4."""
    over, _, under = text.partition("/")
    return float(over) / float(under) if under else float(over)


class Tally:
    """How often each kind of mistake could be made, and was."""

    def __init__(self, shows: Sequence[str]) -> None:
        self.could, self.made = dict.fromkeys(shows, 0), dict.fromkeys(shows, 0)

    @property
    def slips(self) -> dict[str, tuple[int, int]]:
        return {kind: (self.could[kind], self.made[kind]) for kind in self.could}

    def count(self, kind: str, wrong: bool) -> bool:
        """Count an opening, and whether it was a mistake; return whether it was."""
        if kind in self.could:
            self.could[kind] += 1
            self.made[kind] += wrong
        return wrong
