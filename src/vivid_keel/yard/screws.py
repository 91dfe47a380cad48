"""Levelling on foot screws, three or four, with a bubble that may lie: turned, turned round, split, and said to be level.

What was done is judged by the standing axis, which nobody sees, and by the turns against the least that would have done.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import show_number
from vivid_keel.stands.heads import LOOSE, TIGHT, Head, turns_for
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import DEGREES, RINGS, TURNS, Hand, Rounds, Tally

RING = math.radians(8 / 60)
"""From the middle of the ring to its line [rad]."""
LEVEL = RING / 4
"""The axis stands within so much: it is level [rad]."""
SEEN = RING / 8
"""A bubble nearer to where it was than this hasn't moved [rad]."""
SIGHT = 30.0
"""What it would have cost is told over a sight of so much [m]."""
LOOK, LEVELLED = "look", "level"
"""Turn the head to look so many degrees round; say that it is level."""


class Control(Struct, frozen=True):
    """What a hand can do: its key, its name, how it is typed, and what each screw is turned by for one [turns]."""

    key: str
    name: str
    hint: str
    by: tuple[float, ...]


IN = "in +, out −: the bubble follows the left thumb"
"""Both thumbs in: the left one goes to the right, and the bubble with it."""
THREE = (
    Control(
        "left-right",
        "Left and right, both thumbs",
        IN,
        (0.0, 1.0, -1.0),
    ),
    Control("far", "The far screw", "up +, down −", (1.0, 0.0, 0.0)),
    Control("left", "The left screw alone", "up +, down −", (0.0, 0.0, 1.0)),
    Control("right", "The right screw alone", "up +, down −", (0.0, 1.0, 0.0)),
)
FOUR = (
    Control(
        "across",
        "Left and right, both thumbs",
        IN,
        (1.0, 0.0, -1.0, 0.0),
    ),
    Control(
        "along",
        "Near and far, both thumbs",
        "away +, towards you −: that is where the bubble goes",
        (0.0, -1.0, 0.0, 1.0),
    ),
    Control("right", "The right screw alone", "up +, down −", (1.0, 0.0, 0.0, 0.0)),
    Control("left", "The left screw alone", "up +, down −", (0.0, 0.0, 1.0, 0.0)),
    Control("near", "The near screw alone", "up +, down −", (0.0, 1.0, 0.0, 0.0)),
    Control("far", "The far screw alone", "up +, down −", (0.0, 0.0, 0.0, 1.0)),
)


FLOATS = ("float-right", "float-away")
FLOAT = (
    Hand(
        FLOATS[0], "Float it on the dome, to the right", RINGS, "where the head is a dome: so the bubble goes"
    ),
    Hand(FLOATS[1], "Float it on the dome, away", RINGS, "then tighten; the screws do the rest"),
)
"""What is done on a dome head with its bolt just short of tight."""


class ScrewsExercise(Rounds[Head]):
    """A head on three foot screws or on four."""

    count = 12
    last, over_what = LEVELLED, f" over a sight of {SIGHT:g} m"

    def __init__(self, screws: int) -> None:
        self.screws = screws
        self.key = "three" if screws == 3 else "four"
        self.title = f"{'Three' if screws == 3 else 'Four'} foot screws"
        self.goal = "twelve set-ups: the ring, half a circle, half of it out"
        self.shows = ("way", "reversal", "half") if screws == 3 else ("way", "reversal", "half", "pair")
        self.controls = THREE if screws == 3 else FOUR
        self.hands = (
            *(Hand(one.key, one.name, TURNS, one.hint) for one in self.controls),
            *(FLOAT if screws == 3 else ()),
            Hand(LOOK, "Turn the head, to look", DEGREES, "0 away from you, 180 towards you"),
            Hand(LEVELLED, "It is level", "", "Enter says so, and brings the next one"),
        )

    def begins(self, attempt: Attempt, k: int) -> Head:
        """The head as it is found the k-th time: harder ones lean more, their bubbles lie more; of four a pair may be loose or tight."""
        rng = np.random.default_rng([attempt.seed, self.screws, k])
        lean = math.radians(rng.uniform(0.3, 0.5 + 0.4 * attempt.level))
        to, lies = rng.uniform(0, 2 * math.pi, 2).tolist()
        own = RING * (
            0.0 if attempt.level == 1 and rng.random() < 0.3 else rng.uniform(0.5, 0.4 + 0.5 * attempt.level)
        )
        turns = [0.0] * self.screws
        if self.screws == 4 and attempt.level > 1:
            pair, by = int(rng.integers(2)), float(rng.choice([-0.3, 0.9]))
            turns[pair] = turns[pair + 2] = by / 2
        return Head(
            tuple(turns),
            (lean * math.cos(to), lean * math.sin(to)),
            (own * math.cos(lies), own * math.sin(lies)),
        )

    def in_mirror(self, attempt: Attempt, k: int) -> bool:
        """Whether the bubble of the k-th one is seen in a mirror: near and far change places."""
        return attempt.level > 1 and self.screws == 3 and (attempt.seed + k) % 3 == 0

    def does(self, thing: Head, act: Act) -> Head:
        by = self._by(act.what)
        if by:
            return thing.turned(tuple(act.value * one for one in by))
        if act.what in FLOATS:
            away = act.what == "float-away"
            floated = max(-8.0, min(8.0, act.value)) * RING
            right, ahead = thing.ground
            return replace(thing, ground=(right + floated * (not away), ahead + floated * away))
        return thing.looking(math.radians(act.value)) if act.what == LOOK else thing

    def refused(self, attempt: Attempt, what: str, value: float) -> str:
        if what in FLOATS and not self.on_dome(attempt, len(self.rounds(attempt)) - 1):
            return "this head is flat, and can't be floated: use the screws"
        return ""

    def on_dome(self, attempt: Attempt, k: int) -> bool:
        """Whether the k-th head is a dome: the bolt a little loose it is floated, before any screw is turned."""
        return self.screws == 3 and (attempt.seed + k) % 4 == 1

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Head], tally: Tally) -> Iterator[Step]:
        since = -1  # the head as it stood once it was turned round, and since when it is to be split
        for k, act in enumerate(acts):
            before, after = things[k], things[k + 1]
            if act.what in {LOOK, LEVELLED}:
                halved = "" if since < 0 or since == k else _halved(things[since], before, tally)
                since = k + 1 if act.what == LOOK and opposite(before, after) else -1
                yield (
                    self._said_level(n, acts[:k], things, after, halved, tally)
                    if act.what == LEVELLED
                    else Step(f"{n}: looked to {act.value:.0f}°", not halved, halved)
                )
                continue
            hand = self.hand(act.what)
            assert hand is not None
            # One screw of four by itself makes a pair hold; it isn't there to bring the bubble in.
            holds = self.screws == 4 and sum(by != 0 for by in self._by(act.what)) == 1
            floated = act.what in FLOATS
            told = ("" if holds or floated else _way(before, after, tally), _pair(before, after, tally))
            said = " and ".join(filter(None, told))
            yield Step(f"{n}: {hand.name[:1].lower()}{hand.name[1:]}, {act.text}", not said, said)

    def costs(self, thing: Head) -> float:
        return thing.lean * SIGHT

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Head]]]) -> str:
        upright = sum(heads[-1].lean <= LEVEL for _, heads in done)
        turned = sum(abs(act.value * by) for acts, _ in done for act in acts for by in self._by(act.what))
        least = sum(sum(map(abs, turns_for(heads[0]))) for _, heads in done)
        return f"{upright} of {len(done)} stand upright; {show_number(turned, 2)} turns in all, {show_number(least, 2)} would have done"

    def _by(self, key: str) -> tuple[float, ...]:
        return next((control.by for control in self.controls if control.key == key), ())

    def _said_level(
        self, n: int, acts: Sequence[Act], heads: Sequence[Head], head: Head, halved: str, tally: Tally
    ) -> Step:
        round_it = turned_round(acts, heads)
        tally.count("reversal", not round_it)
        said = halved or ("" if round_it else "it was never turned round: a bubble that lies stays hidden")
        good = head.lean <= LEVEL
        said = said or ("" if good else f"it leans by {show_number(math.degrees(head.lean) * 60, 1)}′")
        return Step(f"{n}: said it is level", good and not said, said)

    def hint(self, attempt: Attempt) -> str:
        """What a teacher would say now."""
        acts, heads = self.rounds(attempt)[-1]
        head = heads[-1]
        along, across = head.shown
        if head.rocks:
            return "It rocks: a pair is loose. Bring both of its screws up by as much until it holds."
        if any(pair > TIGHT for pair in head.snug):
            return "A pair is bent tight: let both of its screws down by as much."
        if not turned_round(acts, heads):
            if math.hypot(along, across) > SEEN:
                return "First the bubble into the ring. It goes uphill: which side is to come down?"
            return "Now turn it by half a circle (180) and look where the bubble goes."
        if math.hypot(along, across) > SEEN and head.lean > LEVEL:
            return "Half of what it moved is the axis: turn that away. The other half is the bubble's own, and stays."
        return "See that the bubble stays where it is all round; then say that it is level."


def opposite(before: Head, after: Head) -> bool:
    """Whether a head was turned by half a circle from the one to the other."""
    return math.cos(after.azimuth - before.azimuth) < -0.99


def turned_round(acts: Sequence[Act], heads: Sequence[Head]) -> bool:
    """Whether it was looked at from two opposite sides."""
    looked = [heads[0], *(heads[k + 1] for k, act in enumerate(acts) if act.what == LOOK)]
    return any(opposite(one, other) for k, one in enumerate(looked) for other in looked[:k])


def unheld(head: Head) -> bool:
    """Whether a pair of four is loose, or bent tight."""
    return any(pair < LOOSE or pair > TIGHT for pair in head.snug)


def _way(before: Head, after: Head, tally: Tally) -> str:
    """A turn that moves the bubble goes towards the ring or away from it."""
    out, now = math.hypot(*before.shown), math.hypot(*after.shown)
    if out <= 2 * SEEN or math.dist(before.shown, after.shown) <= SEEN or unheld(before):
        return ""  # hardly off, hardly moved, or a pair is being brought to hold
    return "the bubble went further out" if tally.count("way", now > out + SEEN) else ""


def _halved(turned: Head, now: Head, tally: Tally) -> str:
    """What was done after turning round: half of what it moved taken out, or all of it."""
    if math.hypot(*turned.shown) <= 4 * SEEN or math.hypot(*turned.error) <= 2 * SEEN:
        return ""
    wrong = tally.count("half", math.hypot(*now.shown) <= 2 * SEEN and now.lean > LEVEL)
    return "all of it was taken out: half is the axis, half the bubble's own" if wrong else ""


def _pair(before: Head, after: Head, tally: Tally) -> str:
    """A pair of four stays as snug as it was, or comes to be."""
    if not after.snug or unheld(before):
        return ""  # three screws; or it is being put right, or was let be
    if not tally.count("pair", unheld(after)):
        return ""
    return "a pair is loose now: it rocks" if after.rocks else "a pair is bent tight now: the bubble lies"
