"""A sight through the telescope: cap off, the staff found, hairs first and then the staff, no parallax, the compensator tapped, then read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import parse_length, show_length
from vivid_keel.stands.telescopes import Telescope
from vivid_keel.yard.attempt import Act, Attempt, Step
from vivid_keel.yard.rounds import METRES, TURNS, Hand, Rounds, Tally
from vivid_keel.yard.staff import METRIC, View, kind_of, slip_words, view

CAP, TANGENT, EYEPIECE, FOCUS, EYE, TAP, READ = "cap", "tangent", "eyepiece", "focus", "eye", "tap", "read"
TANGENT_TURN = 0.5
"""A turn of the tangent screw moves the staff by so much of the field's half [1]."""
STAYS = 0.0015
"""Hairs that move less than this on the staff as the eye moves stay together with it [m]."""


class Sight(Struct, frozen=True):
    """A sight: the telescope, and the staff that stands there."""

    telescope: Telescope
    staff: View

    @property
    def seen(self) -> View:
        """The staff as it is seen: the hair where it appears."""
        return replace(self.staff, hair=self.telescope.shows)

    @property
    def found(self) -> bool:
        """Whether the staff is in the field at all."""
        return not self.telescope.capped and abs(self.telescope.aside) < 1


class TelescopeExercise(Rounds[Sight]):
    """Ten sights through telescopes that others had in their hands."""

    key, title = "telescope", "Look through a telescope"
    goal = "ten sights: hairs first, then the staff, no parallax, tapped"
    shows = ("parallax", "tap", "ten", "tenth")
    last = READ
    hands = (
        Hand(CAP, "Cap off", "", "Enter does it"),
        Hand(TANGENT, "Tangent screw", TURNS, "+ brings the staff to the left"),
        Hand(EYEPIECE, "Eyepiece: the hairs", TURNS, "until they are thin and black"),
        Hand(FOCUS, "Focus: the staff", TURNS, "until it is sharp, and stays with the hairs"),
        Hand(EYE, "Move the eye", "", "Enter: up, down, the middle"),
        Hand(TAP, "Tap it", "", "Enter: the image swings and comes back"),
        Hand(READ, "What you read", METRES, "metres, such as 1.482: the next sight"),
    )

    def begins(self, attempt: Attempt, k: int) -> Sight:
        """The telescope as the one before left it: set to another eye, focused elsewhere; some hang, some stand on a floor that shakes."""
        rng = np.random.default_rng([attempt.seed, 41, k])
        rng_air = np.random.default_rng([attempt.seed, 42, k])
        e, image = (
            float(rng.choice([-1, 1]) * rng.uniform(low, high)) for low, high in ((0.8, 2.5), (1.5, 4.0))
        )
        telescope = Telescope(
            e,
            image,
            float(rng.uniform(18, 40)),
            0.0,
            float(rng.choice([-1, 1]) * rng.uniform(0.006, 0.02)) if rng.random() < 0.3 else 0.0,
            float(rng.choice([-1, 1]) * rng.uniform(0.5, 1.0)),
            float(rng.choice([-1, 1]) * rng.uniform(0.3, 1.2 + 0.4 * attempt.level)),
            capped=k == 0,
            shimmers=float(rng_air.uniform(0.0008, 0.002))
            if attempt.level > 2 and rng_air.random() < 0.4
            else 0.0,
            swims=float(rng.uniform(0.001, 0.003)) if attempt.level > 1 and rng.random() < 0.4 else 0.0,
        )
        staff = view(replace(attempt, level=1), k, METRIC, upside_down=False)
        return Sight(replace(telescope, line=staff.hair), staff)

    def does(self, thing: Sight, act: Act) -> Sight:
        telescope = thing.telescope
        if act.what == CAP:
            telescope = replace(telescope, capped=False)
        elif act.what == TANGENT:
            aside = telescope.aside - TANGENT_TURN * act.value
            telescope = replace(telescope, aside=max(-9.0, min(9.0, aside)))
        elif act.what in {EYEPIECE, FOCUS}:
            telescope = telescope.set(**{EYEPIECE if act.what == EYEPIECE else "image": act.value})
        elif act.what == EYE:
            telescope = replace(
                telescope, eye=1.0 if telescope.eye == 0 else -1.0 if telescope.eye > 0 else 0.0
            )
        elif act.what == TAP:
            telescope = replace(telescope, tapped=True)
        return replace(thing, telescope=telescope)

    def parse(self, what: str, text: str, decimal_mark: str | None = ".") -> float:
        if what == READ:
            return parse_length(text, METRIC, decimal_mark).value
        return super().parse(what, text, decimal_mark)

    def judged(self, n: int, acts: Sequence[Act], things: Sequence[Sight], tally: Tally) -> Iterator[Step]:
        for k, act in enumerate(acts):
            hand, thing = self.hand(act.what), things[k]
            assert hand is not None
            if act.what != READ:
                yield Step(
                    f"{n}: {hand.name[:1].lower()}{hand.name[1:]}{f', {act.text}' if hand.asks else ''}",
                    good=True,
                )
                continue
            said = []
            if tally.count("parallax", abs(thing.telescope.moves) > STAYS):
                by = abs(thing.telescope.moves) * 1000
                said.append(f"the hairs still moved over {by:.1f} mm of the staff with the eye")
            if tally.count("tap", not thing.telescope.tapped):
                hung = abs(thing.telescope.hangs) * 1000
                said.append(f"not tapped{f', and it hung: {hung:.0f} mm' if hung else ''}")
            kind = kind_of(
                thing.seen, act.value, act.text, loose=thing.telescope.swims + thing.telescope.shimmers
            )
            for one in ("ten", "tenth"):
                tally.count(one, kind == one)
            if not thing.found:
                said.append("the staff wasn't in sight")
            elif kind:
                said.append(
                    f"the hair lay at {show_length(thing.seen.hair, thing.staff.style)}: {slip_words(kind, act.value - thing.seen.hair, thing.staff)}"
                )
            yield Step(f"{n}: read {act.text}", not said, "; ".join(said))

    def costs(self, thing: Sight) -> float:
        return abs(thing.telescope.shows - thing.telescope.line)

    def summary(self, done: Sequence[tuple[Sequence[Act], Sequence[Sight]]]) -> str:
        clear = sum(
            abs(things[-1].telescope.moves) <= STAYS and things[-1].telescope.tapped for _, things in done
        )
        good = sum(
            abs(acts[-1].value - things[-1].telescope.line)
            <= things[-1].staff.close + things[-1].telescope.swims
            for acts, things in done
        )
        return f"{clear} of {len(done)} sights free of parallax and tapped; {good} read right"

    def hint(self, attempt: Attempt) -> str:
        one = self.rounds(attempt)[-1][1][-1].telescope
        if one.capped:
            return "It is dark: take the cap off."
        if abs(one.aside) > 0.5:
            return f"The staff stands to the {'right' if one.aside > 0 else 'left'}: bring it in with the tangent screw."
        if one.hairs_soft:
            return (
                "Hairs first: turn the eyepiece until they are thin and black, whatever the staff looks like."
            )
        if abs(one.moves) > STAYS:
            return "Now the staff with the focus; then move the eye: as long as the hairs move on the staff, turn a little more."
        return "Read it." if one.tapped else "Tap it: only what swings and comes back hangs freely."
